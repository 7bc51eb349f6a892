"""What lanes and bench of this stage show: what moves in each strip, strip by strip as it is measured.

What was measured stays on the screen until it is measured again; while a hand moves something nothing is asked for.
"""

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from all_even.app.desk import Desk
from all_even.app.work import Report
from all_even.session.model import MIX, Session

if TYPE_CHECKING:
    from all_even.measure.dynamics.movement import Movement

AT_REST_MS = 150
"""So long after the last change what changed is heard again."""


class Shown(QObject):
    """changed: something else is to be shown. movements: by strip; None where nothing is heard."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.movements: dict[str, Movement | None] = {}
        self.session: Session | None = None
        """The one that all of it was measured of; None before, and while it is being measured."""
        self._asked: tuple[object, Session] | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(AT_REST_MS)
        self._soon.timeout.connect(self._measure)

    def of(self, strip_id: str) -> "Movement | None":
        return self.movements.get(strip_id)

    def is_stale(self) -> bool:
        """Whether what is shown is of a moment ago."""
        return self.desk.is_open and self.session is not self.desk.session

    def refresh(self) -> None:
        """Asks for what moves in the present session."""
        desk = self.desk
        if not desk.is_open:
            return
        if self._asked is not None and self._asked[0] is not desk.document:
            self.movements, self.session, self._asked = {}, None, None
            self.changed.emit()
        if self._asked is None or self._asked[1] is not desk.session:
            self._soon.start()

    def _measure(self) -> None:
        desk = self.desk
        look = desk.figures.look() if desk.is_open else None
        if look is None or desk.stage != "dynamics":
            return
        session = desk.session
        self._asked = (desk.document, session)
        strips = [*(lane.id for lane in session.lanes if not lane.hidden), *(bus.id for bus in session.buses)]
        first = desk.current
        wanted = sorted((*strips, MIX), key=lambda strip_id: strip_id != first)

        def job(report: Report) -> None:
            from all_even.engine.dynamics import moving

            heard = look.with_cancel(report.cancelled)
            for strip_id in wanted:
                report.send((strip_id, moving(heard, strip_id)))

        def partial(found: "tuple[str, Movement | None]") -> None:
            strip_id, movement = found
            if strip_id not in self.movements or self.movements[strip_id] is not movement:
                self.movements[strip_id] = movement
                self.changed.emit()

        def done(_none: None) -> None:
            if desk.is_open and desk.session is session:
                self.session = session
            self.changed.emit()

        desk.start("movement", job, done, partial)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
