"""Balance as the window shows it."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.app.stages.balance.bench import BalanceBench


def _opened(hands: Hands) -> "BalanceBench":
    """The bench, with its stage shown."""
    return cast("BalanceBench", hands.go_to_bench("balance"))


def _all_even(hands: Hands) -> None:
    """Makes the move All even, also when it was made before."""
    desk = hands.desk

    def then(found: Sequence[Proposal]) -> None:
        if found:
            desk.set_stage("balance")
            desk.moves.apply(found[0])
        else:
            desk.said.emit(
                "All even has nothing to do: the tracks are equally loud in the mix, or are still being measured."
            )

    desk.moves.propose_now("balance.all-even", then)


def _anchor(hands: Hands) -> None:
    """The selected lane stays where it is when starting points place the others; once more: it does not."""
    desk = hands.desk
    current = desk.current_lane
    if current is None:
        desk.said.emit("Select a track first: an anchor is one of the tracks.")
        return
    wanted = None if desk.session.anchor == current else current
    desk.edit(lambda s: edits.set_anchor(s, wanted))
    name = desk.session.lane(current).name
    desk.said.emit(
        f"{name} stays where it is when a starting point places the others." if wanted else f"{name} is no anchor now."
    )


VIEW = StageView(
    __name__,
    "BalanceBody",
    "BalanceBench",
    (
        Command("Tracks", "Type the level", "E", lambda a: _opened(a).level.take_over()),
        Command("Tracks", "Type the mix trim", "T", lambda a: _opened(a).trim.take_over()),
        Command("View", "Seating plan", "Shift+F3", lambda a: _opened(a).show_view(1), words="pan stage places"),
        Command("View", "Kick and bass", "Shift+F4", lambda a: _opened(a).show_view(2), words="focus bass level"),
        Command("View", "Mix beside references", "Shift+F5", lambda a: _opened(a).show_view(3), words="zones"),
        Command("Tracks", "All even", "Ctrl+Shift+E", _all_even),
        Command("Tracks", "Anchor of the starting points", "Shift+A", _anchor, is_selected, LANES, words="balance fix"),
    ),
)
