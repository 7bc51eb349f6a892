"""Low end as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.low_end.bench import LowEndBench


def _opened(hands: Hands) -> "LowEndBench":
    """The bench, with its stage shown."""
    return cast("LowEndBench", hands.go_to_bench("low-end"))


def _turn(hands: Hands) -> None:
    """The other one owns the bottom; from undecided, the bass."""
    bench = _opened(hands)
    owner = hands.desk.session.settings.low_owner
    bench.set_owner("kick" if owner == "bass" else "bass")


def _save_triggers(hands: Hands) -> None:
    """Click, MIDI and gain of the duck, into a folder."""
    from PyQt6.QtWidgets import QFileDialog

    bench = _opened(hands)
    chosen = hands.choose(QFileDialog.FileMode.Directory, "A folder for the duck's triggers")
    if chosen:
        bench.write_triggers(chosen[0])


VIEW = StageView(
    __name__,
    "LowEndBody",
    "LowEndBench",
    (
        Command("View", "One hit of kick and bass", "Shift+F6", lambda a: _opened(a).show_view(0), words="duck beat"),
        Command("View", "EQ cuts of the low end", "Shift+F7", lambda a: _opened(a).show_view(1), words="owner zones"),
        Command(
            "View", "Waves of kick and bass", "Shift+F9", lambda a: _opened(a).show_view(2), words="phase cancel sum"
        ),
        Command("View", "Notes of the bass", "Shift+F8", lambda a: _opened(a).show_view(3), words="even"),
        Command("Tracks", "The other leads the low end", "Shift+O", _turn, words="kick bass owner low end"),
        Command(
            "Tracks", "Same duck on the selection", "Shift+L", lambda a: _opened(a).link_selected(), is_selected, LANES,
            words="duck shape follow chords",
        ),
        Command(
            "File", "Save the duck's triggers …", "", _save_triggers,
            words="click midi csv controller gain curve export",
        ),
    ),
)  # fmt: skip
