"""What lanes and bench of a stage show together: asked for when the hand rests, off this thread, and kept on the
screen until it is known anew. Where another song is opened nothing of the old one stays.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, ClassVar

from PyQt6.QtCore import QObject, pyqtSignal

from all_even.app.desk import Desk
from all_even.app.timers import timer
from all_even.app.work import Report
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.figures.book.look import Look

AT_REST_MS = 150
"""How long after the last change it is measured again."""


class Watching(QObject):
    """Subclasses say what is measured, and take it in. changed: something else is to be shown."""

    changed = pyqtSignal()
    STAGE: ClassVar[str]
    """The key of the stage; nothing is asked for while another one is shown."""
    WHOLE: ClassVar[bool] = True
    """Whether every lane has to be measured first."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.session: Session | None = None
        """The one that all of it was measured of; None before the first, and after another song was opened."""
        self._asked: tuple[object, Session] | None = None
        self._soon = timer(self, AT_REST_MS, self._ask, once=True)
        if self.WHOLE:
            desk.mix_measured.connect(self.refresh)

    def measure(self, look: "Look", first: str | None, send: Callable[[Any], None]) -> Any:
        """Off the interface thread: sends parts as they are found, returns the last. first: the lane that is looked
        at."""
        raise NotImplementedError

    def take(self, part: Any) -> None:
        """Takes in a part that was sent."""
        raise NotImplementedError

    def take_last(self, part: Any) -> None:
        """Takes in what was returned."""
        self.take(part)

    def forget(self) -> None:
        """What is shown is of another song."""
        raise NotImplementedError

    def is_stale(self) -> bool:
        """Whether what is shown is of a moment ago."""
        return self.desk.is_open and self.session is not self.desk.session

    def refresh(self) -> None:
        """Asks for the present session."""
        desk = self.desk
        if not desk.is_open:
            return
        if self._asked is not None and self._asked[0] is not desk.document:
            self.session, self._asked = None, None
            self.forget()
            self.changed.emit()
        if self._asked is None or self._asked[1] is not desk.session:
            self._soon.start()

    def _ask(self) -> None:
        desk = self.desk
        look = desk.figures.look() if desk.is_open else None
        if look is None or desk.stage != self.STAGE:
            return
        if self.WHOLE and len(desk.reports) < len(desk.session.lanes):
            return
        self._asked = (desk.document, desk.session)
        session, first = desk.session, desk.current

        def job(report: Report) -> Any:
            return self.measure(look.with_cancel(report.cancelled), first, report.send)

        def show(part: Any) -> None:
            self.take(part)
            self.changed.emit()

        def done(part: Any) -> None:
            self.take_last(part)
            if desk.is_open and desk.session is session:
                self.session = session
            self.changed.emit()

        desk.start(self.STAGE, job, done, show)
