"""Share as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.share.bench import ShareBench


def _opened(hands: Hands) -> "ShareBench":
    """The bench, with its stage shown."""
    return cast("ShareBench", hands.go_to_bench("share"))


VIEW = StageView(
    __name__,
    "ShareBody",
    "ShareBench",
    (
        Command("View", "Two ridges and bars", "Ctrl+Shift+1", lambda a: _opened(a).show_view(0), words="pair eq"),
        Command("View", "Masking", "Ctrl+Shift+2", lambda a: _opened(a).show_view(1), words="masking pairs map"),
        Command("View", "Places to look at", "Ctrl+Shift+3", lambda a: _opened(a).show_view(2), words="resonance"),
        Command(
            "View", "The session's bands on one ruler", "Ctrl+Shift+4", lambda a: _opened(a).show_view(3),
            words="eq table three knobs",
        ),
        Command(
            "Tracks", "Keep the track's loudness behind its bands", "Shift+K", lambda a: _opened(a).keep(), is_selected,
            LANES, words="eq output level match",
        ),
    ),
)  # fmt: skip
