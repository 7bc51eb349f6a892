"""Dynamics as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import LANES, Command, is_selected
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.dynamics.bench import DynamicsBench
    from all_even.app.stages.dynamics.body import DynamicsBody


def _body(desk: Desk) -> "DynamicsBody":
    from all_even.app.stages.dynamics.body import DynamicsBody

    return DynamicsBody(desk)


def _bench(desk: Desk) -> "DynamicsBench":
    from all_even.app.stages.dynamics.bench import DynamicsBench

    return DynamicsBench(desk)


def _opened(actions: "Actions") -> "DynamicsBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.dynamics.bench import DynamicsBench

    bench = actions.go_to_bench("dynamics")
    assert isinstance(bench, DynamicsBench)
    return bench


VIEW = StageView(
    _body,
    _bench,
    (
        Command("View", "Notes and words, before and now", "Ctrl+Alt+1", lambda a: _opened(a).show_view(0),
                words="units dots spread"),
        Command("View", "The station at work", "Ctrl+Alt+2", lambda a: _opened(a).show_view(1),
                words="compressor gate threshold"),
        Command("View", "Who comes up, who sinks", "Ctrl+Alt+3", lambda a: _opened(a).show_view(2),
                words="glue lane shifts members"),
        Command(
            "Lanes", "Crushed copy under the selection", "Ctrl+Alt+B", lambda a: _opened(a).crush(), is_selected, LANES,
            words="parallel compression",
        ),
    ),
)  # fmt: skip
