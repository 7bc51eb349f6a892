"""Share as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import LANES, Command, is_selected
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.share.bench import ShareBench
    from all_even.app.stages.share.body import ShareBody


def _body(desk: Desk) -> "ShareBody":
    from all_even.app.stages.share.body import ShareBody

    return ShareBody(desk)


def _bench(desk: Desk) -> "ShareBench":
    from all_even.app.stages.share.bench import ShareBench

    return ShareBench(desk)


def _opened(actions: "Actions") -> "ShareBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.share.bench import ShareBench

    bench = actions.go_to_bench("share")
    assert isinstance(bench, ShareBench)
    return bench


VIEW = StageView(
    _body,
    _bench,
    (
        Command("View", "Two ridges and bars", "Ctrl+Shift+1", lambda a: _opened(a).show_view(0), words="pair eq"),
        Command("View", "Who hides whom", "Ctrl+Shift+2", lambda a: _opened(a).show_view(1), words="masking pairs map"),
        Command("View", "Places to look at", "Ctrl+Shift+3", lambda a: _opened(a).show_view(2), words="resonance"),
        Command(
            "View", "The session's bands on one ruler", "Ctrl+Shift+4", lambda a: _opened(a).show_view(3),
            words="eq table three knobs",
        ),
        Command(
            "Lanes", "Keep the lane's loudness behind its bands", "Shift+K", lambda a: _opened(a).keep(), is_selected,
            LANES, words="eq output level match",
        ),
    ),
)  # fmt: skip
