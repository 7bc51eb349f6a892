"""What a stage is, without the window: its question, which rows it has, the kinds of moves and metrics it knows."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.moves.answer import Answer
    from all_even.moves.kind import Kind
    from all_even.moves.metric import Metric
    from all_even.session.model.remark import Remark

RowKind = Literal["lanes", "buses", "folders", "mix"]


def _nothing(_look: "Look") -> "tuple[Remark, ...]":
    return ()


@dataclass(frozen=True, slots=True)
class Moves:
    """answer: what the stage answers where it proposes nothing. kinds: counted at this stage. also: of another stage,
    shown here too. metrics: that kinds of this stage use. remarks: what is to be said of the session at this stage,
    before anything is moved."""

    answer: "Callable[[Look], Answer]"
    kinds: "tuple[Kind, ...]" = ()
    metrics: "tuple[Metric, ...]" = ()
    also: "tuple[Kind, ...]" = ()
    remarks: "Callable[[Look], tuple[Remark, ...]]" = _nothing

    @property
    def shown(self) -> "tuple[Kind, ...]":
        """All that are shown at this stage."""
        return (*self.kinds, *self.also)


@dataclass(frozen=True, slots=True)
class Stage:
    """key: of files, of the command line and of its folders. tip: its question, in a few words. does: for somebody who
    opens the program for the first time, a sentence. empty: what can be done by hand where no move is open. rows:
    what stands in the lanes. moves: what is loaded when moves are first asked for. depends_on: what a tick rests on
    (`moves.dependencies`). faults: whether faults of recordings are its business. lazy: whether it takes long to look
    through, and waits until it is shown. totals: whether the whole mix is measured there, before and after its moves.
    """

    key: str
    name: str
    tip: str
    does: str
    moves: Callable[[], Moves]
    empty: str = ""
    rows: tuple[RowKind, ...] = ("lanes",)
    depends_on: tuple[str, ...] = ("mix",)
    faults: bool = False
    lazy: bool = False
    totals: bool = True
