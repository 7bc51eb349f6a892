"""Recording a ride: while it plays, keys and wheel move a setting, and what they do is written into its curve.

It begins where recording is switched on while it plays (or where playing begins), and ends where either stops: there
the curve goes back to what it was. One ride is one step to undo. A loop that begins anew begins another ride.
"""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from all_even.app.desk import Desk
from all_even.session.editing import ride_edits

if TYPE_CHECKING:
    from all_even.session.model.session import Session

BACK_AGAIN_S = 1.0
"""Further back than this it is a loop that begins anew; less is the output that settles after an edit."""
SONG_END_S = 1e5
"""What is ridden holds until it is punched out."""


class Recorder(QObject):
    """changed: it is on, or off, or writes."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.on = False
        self.strip, self.parameter = "", ""
        self._base: Session | None = None
        """The session before this ride."""
        self._document: object = None
        """What it belongs to: a ride is never written into another song."""
        self._taken: list[tuple[float, float]] = []
        self.position_s = 0.0
        self._rides = 0

    @property
    def writing(self) -> bool:
        """Whether a ride is being taken."""
        return self.on and self._base is not None

    @property
    def offset(self) -> float:
        """What the hand adds now."""
        return self._taken[-1][1] if self._taken else 0.0

    def switch(self, on: bool, strip: str, parameter: str) -> None:
        """On: from the next moment that plays. Off: punched out."""
        if self.on:
            self._look()
            self._out()
        self.on, self.strip, self.parameter = on, strip, parameter
        self.changed.emit()

    def tick(self, position_s: float, playing: bool) -> None:
        """Thirty times a second."""
        if not self.on:
            return
        if not playing or position_s < self.position_s - BACK_AGAIN_S:
            self._out()
        self.position_s = position_s
        if playing and self._base is None:
            self._base, self._taken, self._document = self.desk.session, [], self.desk.document
            self._rides += 1
            self.changed.emit()

    def ride(self, by: float) -> None:
        """The hand moves it, from now on."""
        self._look()
        if not self.writing:
            self.desk.said.emit("Play, and what you ride is written.")
            return
        self._taken.append((self.position_s, round(self.offset + by, 3)))
        self._write(SONG_END_S)

    def _look(self) -> None:
        """Where it plays at this very moment: on a busy machine the last tick may be long ago."""
        if self.writing and self.desk.ears.playing:
            self.tick(self.desk.player.position_s(), True)

    def _write(self, out_s: float) -> None:
        base, taken, strip, parameter = self._base, tuple(self._taken), self.strip, self.parameter
        if base is None or not taken or self.desk.document is not self._document:
            return
        made = ride_edits.write_ride(base, strip, parameter, taken, out_s)
        points = ride_edits.curve_of(made, strip, parameter)
        self.desk.try_edit(
            lambda s: ride_edits.set_curve(s, strip, parameter, points), merge=f"ride {self._rides} {strip} {parameter}"
        )

    def _out(self) -> None:
        """Punched out where it is now: back to the curve as it was."""
        if self._base is not None:
            self._write(self.position_s)
            if self._taken:
                self.desk.end_gesture()
        self._base, self._taken = None, []
        self.changed.emit()
