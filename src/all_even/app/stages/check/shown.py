"""What lanes and bench of Check show: what is left of each source elsewhere, and the mix beside others."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching

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

    def measure(self, look: "Look", first: str | None, send: Callable[[object], None]) -> "Beside":
        from all_even.figures.elsewhere.references import beside
        from all_even.figures.elsewhere.translation import translation

        send(translation(look))
        return beside(look)

    def take(self, part: "Translation") -> None:
        self.translation = part

    def take_last(self, part: "Beside") -> None:
        self.beside = part
