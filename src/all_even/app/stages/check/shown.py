"""What lanes and bench of Check show: what is left of each source elsewhere, and the mix beside others."""

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching
from all_even.app.work import Report
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.elsewhere.references import Beside
    from all_even.figures.elsewhere.translation import Translation


class Shown(Watching):
    """translation, beside: None until they are known."""

    STAGE = "check"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.translation: Translation | None = None
        self.beside: Beside | None = None
        self.key = "phone"
        """The system that is looked at closely."""
        desk.mix_measured.connect(self.refresh)

    def choose(self, key: str) -> None:
        """Another system is looked at."""
        if key != self.key:
            self.key = key
            self.changed.emit()

    def forget(self) -> None:
        self.translation = self.beside = None

    def ask_anew(self) -> None:
        """References came or went: they are no part of the sound, and are asked for again."""
        self._asked = None
        self.refresh()

    def ask(self, look: "Look", session: Session) -> None:
        def job(report: Report) -> "Beside":
            from all_even.figures.elsewhere.references import beside
            from all_even.figures.elsewhere.translation import translation

            heard = look.with_cancel(report.cancelled)
            report.send(translation(heard))
            return beside(heard)

        def partial(found: "Translation") -> None:
            self.translation = found
            self.changed.emit()

        def done(found: "Beside") -> None:
            self.beside = found
            self.known(session)

        self.desk.start("check", job, done, partial)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
