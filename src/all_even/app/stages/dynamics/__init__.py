"""Dynamics as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.dynamics.bench import DynamicsBench


def _opened(hands: Hands) -> "DynamicsBench":
    """The bench, with its stage shown."""
    return cast("DynamicsBench", hands.go_to_bench("dynamics"))


VIEW = StageView(
    __name__,
    "DynamicsBody",
    "DynamicsBench",
    (
        Command("View", "Notes and words, before and now", "Ctrl+Alt+1", lambda a: _opened(a).show_view(0),
                words="units dots spread"),
        Command("View", "The processor at work", "Ctrl+Alt+2", lambda a: _opened(a).show_view(1),
                words="compressor gate threshold"),
        Command("View", "Who comes up, who sinks", "Ctrl+Alt+3", lambda a: _opened(a).show_view(2),
                words="glue track shifts members"),
        Command(
            "Tracks", "Parallel compression of the "
                      "selection", "Ctrl+Alt+B", lambda a: _opened(a).crush(), is_selected, LANES,
            words="parallel compression",
        ),
    ),
)  # fmt: skip
