"""Space as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.space.bench import SpaceBench


def _opened(hands: Hands) -> "SpaceBench":
    """The bench, with its stage shown."""
    return cast("SpaceBench", hands.go_to_bench("space"))


VIEW = StageView(
    __name__,
    "SpaceBody",
    "SpaceBench",
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
