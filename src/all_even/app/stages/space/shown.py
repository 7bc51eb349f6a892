"""What lanes and bench of Space show; asked for when the hand rests, kept on the screen until it is known anew."""

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from PyQt6.QtCore import QObject, pyqtSignal

from all_even.app.desk import Desk
from all_even.app.timers import timer
from all_even.app.work import Report
from all_even.session.model import Session

if TYPE_CHECKING:
    from all_even.engine.depth import Depth
    from all_even.engine.space_view import ReturnView, SpaceView

AT_REST_MS = 150


class Shown(QObject):
    """changed: something else is to be shown. view: None before it is known first."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.view: SpaceView | None = None
        self.session: Session | None = None
        """The one that it was measured of."""
        self._asked: tuple[object, Session] | None = None
        self._soon = timer(self, AT_REST_MS, self._measure, once=True)
        desk.mix_measured.connect(self.refresh)

    def is_stale(self) -> bool:
        """Whether what is shown is of a moment ago."""
        return self.desk.is_open and self.session is not self.desk.session

    def depth(self, lane_id: str) -> "Depth | None":
        return self.view.depths.get(lane_id) if self.view is not None else None

    def of(self, bus_id: str) -> "ReturnView | None":
        return self.view.returns.get(bus_id) if self.view is not None else None

    def refresh(self) -> None:
        """Asks for the present session."""
        desk = self.desk
        if not desk.is_open:
            return
        if self._asked is not None and self._asked[0] is not desk.document:
            self.view, self.session, self._asked = None, None, None
            self.changed.emit()
        if self._asked is None or self._asked[1] is not desk.session:
            self._soon.start()

    def _measure(self) -> None:
        desk = self.desk
        look = desk.figures.look() if desk.is_open else None
        if look is None or desk.stage != "space" or len(desk.reports) < len(desk.session.lanes):
            return
        session = desk.session
        self._asked = (desk.document, session)

        def job(report: Report) -> "SpaceView":
            from all_even.engine.space_view import space_view

            return space_view(look.with_cancel(report.cancelled), report.send)

        def show(found: "SpaceView") -> None:
            self.view = found
            self.changed.emit()

        def done(found: "SpaceView") -> None:
            if desk.is_open and desk.session is session:
                self.session = session
            show(found)

        desk.start("space", job, done, show)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
