"""Gather as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import Command
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.gather.bench import GatherBench
    from all_even.app.stages.gather.body import GatherBody


def _body(desk: Desk) -> "GatherBody":
    from all_even.app.stages.gather.body import GatherBody

    return GatherBody(desk)


def _bench(desk: Desk) -> "GatherBench":
    from all_even.app.stages.gather.bench import GatherBench

    return GatherBench(desk)


def _opened(actions: "Actions") -> "GatherBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.gather.bench import GatherBench

    bench = actions.go_to_bench("gather")
    assert isinstance(bench, GatherBench)
    return bench


VIEW = StageView(
    _body,
    _bench,
    (Command("Lanes", "Choose the role", "R", lambda a: _opened(a).role.setFocus()),),
)
