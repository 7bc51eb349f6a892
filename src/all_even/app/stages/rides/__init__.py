"""Rides as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, STRIP, Command, Hands, is_selected
from all_even.app.stages.rides.acts import STRONGER, WEAKER
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.rides.bench import RidesBench


def _opened(hands: Hands) -> "RidesBench":
    """The bench, with its stage shown."""
    return cast("RidesBench", hands.go_to_bench("rides"))


def _carry(hands: Hands) -> None:
    """Writes the shown curve to a file."""
    from PyQt6.QtWidgets import QFileDialog

    chosen = hands.choose(
        QFileDialog.FileMode.AnyFile, "A table (.csv) or MIDI (.mid) of this curve", "Automation (*.csv *.mid)",
        save="Ride.csv",
    )  # fmt: skip
    if chosen:
        _opened(hands).acts.write_file(chosen[0])


def _bring(hands: Hands) -> None:
    from PyQt6.QtWidgets import QFileDialog

    chosen = hands.choose(
        QFileDialog.FileMode.ExistingFile, "Automation from a file", "Automation (*.csv *.mid *.midi)"
    )
    if chosen:
        _opened(hands).acts.read_file(chosen[0])


VIEW = StageView(
    __name__,
    "RidesBody",
    "RidesBench",
    (
        Command("View", "A line over its backing", "Ctrl+Alt+7", lambda a: _opened(a).show_view(0),
                words="ride automation phrase"),
        Command("View", "Sections side by side", "Ctrl+Alt+8", lambda a: _opened(a).show_view(1),
                words="verse chorus contrast"),
        Command("Play", "Record a ride", "W", lambda a: _opened(a).toggle_recording(), is_selected, STRIP,
                words="automation write fader punch"),
        Command("Tracks", "Choose what is automated", "Shift+W", lambda a: _opened(a).choose_setting(), is_selected,
                LANES, under="Automation", words="ride parameter"),
        Command("Tracks", "Thin its points", "", lambda a: _opened(a).acts.thin(), is_selected, LANES,
                under="Automation", words="ride simplify"),
        Command("Tracks", "Smooth the passage", "", lambda a: _opened(a).acts.smooth(), is_selected, LANES,
                under="Automation", words="ride average"),
        Command("Tracks", "Copy to sections of that name", "", lambda a: _opened(a).acts.copy_to_sisters(), is_selected,
                LANES, under="Automation", words="ride chorus verse"),
        Command("Tracks", "Copy to every beat", "", lambda a: _opened(a).acts.repeat("beat"), is_selected, LANES,
                under="Automation", words="ride duck repeat pulse"),
        Command("Tracks", "Copy to every bar", "", lambda a: _opened(a).acts.repeat("bar"), is_selected, LANES,
                under="Automation", words="ride duck repeat"),
        Command("Tracks", "Automation × 1.25", "", lambda a: _opened(a).acts.scale(STRONGER), is_selected, LANES,
                under="Automation", words="ride scale stronger more"),
        Command("Tracks", "Automation × 0.8", "", lambda a: _opened(a).acts.scale(WEAKER), is_selected, LANES,
                under="Automation", words="ride scale weaker less"),
        Command("Tracks", "Clear automation", "", lambda a: _opened(a).acts.clear(), is_selected, LANES,
                under="Automation", words="ride delete clear"),
        Command("Tracks", "Write it to a file …", "", _carry, is_selected, LANES, under="Automation",
                words="ride export csv midi controller"),
        Command("Tracks", "Read it from a file …", "", _bring, is_selected, LANES, under="Automation",
                words="ride import csv midi controller"),
    ),
)  # fmt: skip
