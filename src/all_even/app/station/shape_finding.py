"""Hits for a station that follows a shape: of a track, of the tempo, or from a MIDI file; found off this thread."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QComboBox, QWidget

from all_even.app.asking_files import Mode, chosen
from all_even.app.desk import Desk
from all_even.app.station.choices import choice_box
from all_even.app.work import Report
from all_even.dsp.ducking.shaped import DuckShape
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of

MIDI = "midi file"
BEATS = {"beat": "every beat", "half beat": "every half beat", "bar": "every bar"}


def shape_box(desk: Desk, change: Callable[..., None]) -> QComboBox:
    """The shapes of the session to choose from. change: sets fields of the opened station."""
    box = choice_box("Shape", [("none", ""), *((shape.name, shape.id) for shape in desk.session.shapes)])
    box.setToolTip("The shape with the hits that this processor follows")
    box.activated.connect(lambda _index: change(shape=box.currentData()))
    return box


def hits_box(desk: Desk, follow: Callable[[str], None]) -> QComboBox:
    """What a new shape can be taken from. follow: is given a lane, one of `BEATS`, or `MIDI`."""
    lanes = [lane for lane in desk.session.lanes if family_of(lane.role) in ("drums", "percussion")]
    entries: list[tuple[str, Any]] = [("from the hits of …", "")]
    entries += [(lane.name, lane.id) for lane in lanes]
    entries += [(f"{text} of the tempo", beats) for beats, text in BEATS.items()]
    box = choice_box("New shape from hits", [*entries, ("a MIDI file …", MIDI)])
    box.setToolTip("Take the hits of a track, the beats of the tempo, or a MIDI file, and follow them")

    def choose() -> None:
        if box.currentData():
            follow(box.currentData())

    box.activated.connect(lambda _index: choose())
    return box


def follow_hits(desk: Desk, parent: QWidget, strip: str, station: str, source: str) -> None:
    """Finds hits; the station follows a new shape of them. source: a lane, one of `BEATS`, or `MIDI`."""
    path: Path | None = None
    if source == MIDI:
        found = chosen(parent, Mode.ExistingFile, "Hits from a MIDI file", "MIDI files (*.mid *.midi);;All files (*)")
        if not found:
            return
        path = found[0]
    session, reports = desk.session, dict(desk.reports)
    name = path.stem if path is not None else BEATS[source] if source in BEATS else session.strip_name(source)

    def job(report: Report) -> tuple[float, ...]:
        from all_even.audio import midi
        from all_even.figures.song import session_song
        from all_even.session.song.hits import lane_hits_s

        report.progress(-1.0, f"Looking for the hits of {name}")
        if path is not None:
            return midi.hits_s(path)
        if source in BEATS:
            tempo = session_song(session, reports).tempo
            if tempo is None:
                raise UserError("No tempo was found: the tracks have no common pulse.")
            return tempo.every(source)
        known = reports.get(source)
        if known is None or known.character is None:
            raise UserError(f"{name} is not measured yet.")
        return lane_hits_s(session.lane(source), known.character)

    def done(found: tuple[float, ...]) -> None:
        def edit(session: Session) -> Session:
            shape_id = edits.free_id(session, "shape")
            shape = DuckShape(id=shape_id, name=name[:200], hits_s=found, hits_from=f"from {name}"[:400])
            session = chain_edits.set_shape(session, shape)
            return chain_edits.change_station(session, strip, station, shape=shape_id)

        desk.try_edit(edit)
        desk.said.emit(f"{len(found)} hits ({name}): the processor follows them.")

    desk.start("hits", job, done)
