"""Buses as the window shows it."""

from functools import partial
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, Place, is_selected
from all_even.app.stages.view import StageView
from all_even.dsp import kinds

if TYPE_CHECKING:
    from all_even.app.stages.buses.bench import BusesBench
    from all_even.app.stages.buses.routing_form import RoutingForm


STATION: tuple[Place, ...] = ("station",)


def _opened(hands: Hands) -> "BusesBench":
    """The bench, with its stage shown."""
    return cast("BusesBench", hands.go_to_bench("buses"))


def _form(hands: Hands) -> "RoutingForm":
    """The routing form, whatever stage is shown: it says itself what it needs."""
    from all_even.app.stages.buses.bench import BusesBench

    bench = hands.bench("buses")
    assert isinstance(bench, BusesBench)
    return bench.form


def _move_bands(semitones: float, hands: Hands) -> None:
    _opened(hands).move_bands(semitones)


VIEW = StageView(
    __name__,
    "BusesBody",
    "BusesBench",
    (
        Command(
            "Tracks", "Summing group of the selection", "Ctrl+B", lambda a: _form(a).make_group(), is_selected, LANES,
            words="bus sum",
        ),
        Command(
            "Tracks", "Folder group of the selection", "Ctrl+Shift+F", lambda a: _form(a).make_folder(), is_selected,
            LANES,
        ),
        Command(
            "Tracks", "Take it out of its folder", "", lambda a: _form(a).leave_folder(), is_selected, LANES,
            words="folder group leave ungroup",
        ),
        Command(
            "Tracks", "Parallel bus from the selection", "Ctrl+Shift+B", lambda a: _form(a).make_parallel(),
            is_selected, LANES,
        ),
        Command(
            "Tracks", "Remove the bus or folder", "Ctrl+Backspace", lambda a: _form(a).remove_current(), is_selected,
            LANES,
        ),
        Command(
            "Tracks", "Add a processor", "A", lambda a: _opened(a).add.setFocus(), at=("lanes", "station"),
            words=" ".join(kind.LABEL for kind in kinds.KINDS),
        ),
        Command("Tracks", "Bypass the processor", "B", lambda a: _opened(a).on_station("bypass"), is_selected, STATION),
        Command("Tracks", "Remove the processor", "", lambda a: _opened(a).on_station("remove"), is_selected, STATION),
        *(
            Command(
                "Tracks", f"All bands {words}", "", partial(_move_bands, semitones), is_selected, STATION,
                words="equaliser eq transpose interval frequency",
            )
            for words, semitones in (("a semitone up", 1.0), ("a semitone down", -1.0), ("an octave up", 12.0),
                                     ("an octave down", -12.0))
        ),
        Command("Tracks", "Processor earlier", "", lambda a: _opened(a).on_station("earlier"), is_selected, STATION),
        Command("Tracks", "Processor later", "", lambda a: _opened(a).on_station("later"), is_selected, STATION),
    ),
)  # fmt: skip
