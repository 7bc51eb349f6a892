"""What an approach would do to a song, whether it is chosen or not: its moves as they would be made, to be heard."""

from collections.abc import Mapping
from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.parameter import Choice
from all_even.dsp.processor import settings
from all_even.figures.book.look import Look
from all_even.moves import making
from all_even.moves.kind import Kind
from all_even.session.editing import edits
from all_even.session.model.approaches import Approaches
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

TURNED = {"glue_ratio": ("dynamics.glue",), "pan_width": ("balance.spread",), "balance_by": ()}
"""Approaches that are choices: kinds that are there anyway and turn with them. How a balance is made is not heard."""
MOST = 10


@dataclass(frozen=True, slots=True, eq=False)
class Offer:
    """A move of an approach as it would be made, and the session with it made."""

    move: Proposal
    made: Session


def kinds_of(name: str, kinds: Mapping[str, Kind]) -> list[Kind]:
    """All kinds that an approach opens or turns."""
    return [kind for kind in kinds.values() if kind.approach == name or kind.id in TURNED.get(name, ())]


def chosen_values(name: str) -> tuple[bool | str, ...]:
    """With what an approach is chosen: on, or each option that is not its default."""
    setting = settings(Approaches)[name]
    if isinstance(setting, Choice):
        return tuple(str(option) for option in setting.options if option != setting.default)
    return (True,)


def offers(look: Look, name: str, kinds: Mapping[str, Kind], told: making.Told = making.unheard) -> list[Offer]:
    """The first moves of an approach on the session as it is, at most ten, each with its session. KeyError where there
    is no approach of that name."""
    found: list[Offer] = []
    for value in chosen_values(name):
        there = look.at(edits.set_approaches(look.session, **{name: value}))
        for kind in kinds_of(name, kinds):
            for move in making.propose(there, [kind], told)[: MOST if kind.approach else 1]:
                look.stop_if_cancelled()
                ready = None
                with making.guarded(there, kind.id, told):
                    ready = making.ready(there, kind, move)
                if ready is not None:
                    title = move.title if isinstance(value, bool) else f"{value}: {move.title}"
                    found.append(Offer(replace(ready[0], title=title[:400]), ready[1]))
                if len(found) == MOST:
                    return found
    return found
