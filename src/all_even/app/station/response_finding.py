"""A response for a convolution: a file is chosen, looked at off this thread, and linked; its picture is worked out."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from all_even.app.asking_files import Mode, chosen
from all_even.app.desk import Desk
from all_even.app.work import Report
from all_even.dsp.space.convolution import Convolution
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.app.station.drawing import Array, StationDrawing

FILE = "a file …"
NONE = "No response yet: choose a recorded one"


def choose_file(desk: Desk, parent: QWidget, strip: str, station: str) -> None:
    """Asks for a file, and links the station to it."""
    files = "Sound files (*.wav *.aif *.aiff *.flac);;All files (*)"
    found = chosen(parent, Mode.ExistingFile, "A recorded response", files)
    if found:
        use_file(desk, strip, station, found[0])


def use_file(desk: Desk, strip: str, station: str, path: Path) -> None:
    """Links a station to a file; a sentence where it can't be a response."""

    def job(report: Report) -> float:
        from all_even.engine.responses import inspected

        report.progress(-1.0, f"Looking at {path.name}")
        return inspected(path)

    def done(length_s: float) -> None:
        def edit(session: Session) -> Session:
            from all_even.session.file.new import add_response

            session, response_id = add_response(session, path)
            length = Convolution(length_s=max(0.05, min(30.0, length_s))).length_s
            return chain_edits.change_station(session, strip, station, response=response_id, length_s=length)

        desk.try_edit(edit)

    desk.start("response", job, done)


def show_response(desk: Desk, drawing: "StationDrawing", station: Convolution) -> None:
    """Shows the envelope of a station's response, once it is read."""
    session = desk.session
    if not any(item.id == station.response for item in session.responses):
        drawing.show_response(None, NONE)
        return

    def job(_report: Report) -> "tuple[Array | None, str]":
        from all_even.engine.responses import envelope_db

        return envelope_db(session, station.response)

    desk.start("response picture", job, lambda found: drawing.show_response(*found), line="quick")
