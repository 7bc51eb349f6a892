"""Space as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import LANES, Command, is_selected
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.space.bench import SpaceBench
    from all_even.app.stages.space.body import SpaceBody


def _body(desk: Desk) -> "SpaceBody":
    from all_even.app.stages.space.body import SpaceBody

    return SpaceBody(desk)


def _bench(desk: Desk) -> "SpaceBench":
    from all_even.app.stages.space.bench import SpaceBench

    return SpaceBench(desk)


def _opened(actions: "Actions") -> "SpaceBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.space.bench import SpaceBench

    bench = actions.go_to_bench("space")
    assert isinstance(bench, SpaceBench)
    return bench


VIEW = StageView(
    _body,
    _bench,
    (
        Command("View", "Plan from front to back", "Ctrl+Alt+4", lambda a: _opened(a).show_view(0),
                words="depth distance near far"),
        Command("View", "A return over the beats", "Ctrl+Alt+5", lambda a: _opened(a).show_view(1),
                words="reverb decay room"),
        Command("View", "The return's station", "Ctrl+Alt+6", lambda a: _opened(a).show_view(2),
                words="reverb echo convolution"),
        Command("Lanes", "Return for the selection", "Ctrl+Alt+R", lambda a: _opened(a).add_return(), is_selected,
                LANES, words="reverb room send space"),
    ),
)  # fmt: skip
