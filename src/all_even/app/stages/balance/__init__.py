"""Balance as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import LANES, Command, is_selected
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.balance.bench import BalanceBench
    from all_even.app.stages.balance.body import BalanceBody


def _body(desk: Desk) -> "BalanceBody":
    from all_even.app.stages.balance.body import BalanceBody

    return BalanceBody(desk)


def _bench(desk: Desk) -> "BalanceBench":
    from all_even.app.stages.balance.bench import BalanceBench

    return BalanceBench(desk)


def _opened(actions: "Actions") -> "BalanceBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.balance.bench import BalanceBench

    bench = actions.go_to_bench("balance")
    assert isinstance(bench, BalanceBench)
    return bench


def _all_even(actions: "Actions") -> None:
    """Makes the move All even, also when it was made before."""
    desk = actions.desk

    def then(found: list[Proposal]) -> None:
        if found:
            desk.set_stage("balance")
            desk.moves.apply(found[0])
        else:
            desk.said.emit("All even has nothing to do: the lanes arrive equally loud, or are still being measured.")

    desk.moves.propose_now("balance.all-even", then)


def _anchor(actions: "Actions") -> None:
    """The selected lane stays where it is when starting points place the others; once more: it does not."""
    desk = actions.desk
    current = desk.current_lane
    if current is None:
        desk.said.emit("Select a lane first: an anchor is one of the tracks.")
        return
    wanted = None if desk.session.anchor == current else current
    desk.edit(lambda s: edits.set_anchor(s, wanted))
    name = desk.session.lane(current).name
    desk.said.emit(
        f"{name} stays where it is when a starting point places the others." if wanted else f"{name} is no anchor now."
    )


VIEW = StageView(
    _body,
    _bench,
    (
        Command("Lanes", "Type the level", "E", lambda a: _opened(a).level.take_over()),
        Command("Lanes", "Type the mix trim", "T", lambda a: _opened(a).trim.take_over()),
        Command("View", "Seating plan", "Shift+F3", lambda a: _opened(a).show_view(1), words="pan stage places"),
        Command("View", "Kick and bass", "Shift+F4", lambda a: _opened(a).show_view(2), words="focus bass level"),
        Command("View", "The whole beside references", "Shift+F5", lambda a: _opened(a).show_view(3), words="zones"),
        Command("Lanes", "All even", "Ctrl+Shift+E", _all_even),
        Command("Lanes", "Anchor of the starting points", "Shift+A", _anchor, is_selected, LANES, words="balance fix"),
    ),
)
