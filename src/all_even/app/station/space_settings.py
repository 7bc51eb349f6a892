"""Settings of stations that make room which are no plain field: where to begin from, notes of the tempo, a response."""

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QComboBox, QWidget

from all_even.app.desk import Desk
from all_even.app.station import response_finding
from all_even.app.station.choices import choice_box
from all_even.dsp.processor import settings
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.echo import NOTES, Echo, note_ms
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.reverb_starts import STARTS

Read = Callable[[Any], Any]
Line = tuple[str, QComboBox, Read]
"""A name, the box, and what it shows of a station."""
OWN = frozenset({"mix_percent", "matched_db"})
"""What a starting point leaves as it is."""
ALIKE_MS = 0.1


def lines(desk: Desk, panel: QWidget, strip: str, station: Any, change: Callable[..., None]) -> Iterator[Line]:
    """The lines a station has; none for most kinds. change: sets fields of the opened station."""
    if isinstance(station, Reverb):
        yield "Begin from", _start_box(change), lambda _item: ""
    elif isinstance(station, Convolution):
        yield "Response", _response_box(desk, panel, strip, station.id, change), lambda item: item.response
    elif isinstance(station, Echo):
        for side in ("left", "right"):
            yield f"Note {side}", _note_box(desk, side, change), partial(_note_of, desk, side)


def _start_box(change: Callable[..., None]) -> QComboBox:
    box = choice_box("Begin from", [("a place …", ""), *((name, name) for name in STARTS)])
    box.setToolTip("Takes all settings of a starting point over; the mix stays")

    def begin() -> None:
        name = box.currentData()
        if name:
            change(**{field: getattr(STARTS[name], field) for field in settings(Reverb) if field not in OWN})

    box.activated.connect(lambda _index: begin())
    return box


def _response_box(desk: Desk, panel: QWidget, strip: str, station_id: str, change: Callable[..., None]) -> QComboBox:
    entries: list[tuple[str, Any]] = [("none", ""), *((item.name, item.id) for item in desk.session.responses)]
    box = choice_box("Response", [*entries, (response_finding.FILE, response_finding.FILE)])
    box.setToolTip("The recorded response it convolves with: of this session, or a file")

    def choose() -> None:
        wanted = box.currentData()
        if wanted == response_finding.FILE:
            response_finding.choose_file(desk, panel, strip, station_id)
        else:
            change(response=wanted)

    box.activated.connect(lambda _index: choose())
    return box


def _note_box(desk: Desk, side: str, change: Callable[..., None]) -> QComboBox:
    """A side's time as a note of the song's tempo; one that is slightly off counts as none."""
    box = choice_box(f"Note {side}", [("in ms", ""), *((name, name) for name in NOTES)])
    box.setToolTip("The time of this side as a note value at the song's tempo; type ms to be slightly off")

    def choose() -> None:
        note, bpm = box.currentData(), _tempo_bpm(desk)
        if note and bpm is None:
            desk.said.emit("No tempo is known yet: type it above the song, or type the time in ms.")
        elif note and bpm is not None:
            change(**{f"{side}_ms": round(note_ms(note, bpm), 1)})

    box.activated.connect(lambda _index: choose())
    return box


def _tempo_bpm(desk: Desk) -> float | None:
    song = desk.figures.song
    return song.tempo.bpm if song is not None and song.tempo is not None else None


def _note_of(desk: Desk, side: str, station: Echo) -> str:
    """The note that a side's time is; empty where it is none."""
    bpm, ms = _tempo_bpm(desk), getattr(station, f"{side}_ms")
    return "" if bpm is None else next((name for name in NOTES if abs(note_ms(name, bpm) - ms) < ALIKE_MS), "")
