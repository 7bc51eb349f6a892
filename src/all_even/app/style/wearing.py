"""Putting a theme on: at once on what is seen, bit by bit on all else, which at once would be felt."""

from PyQt6 import sip
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication, QWidget

from all_even.app.style import theme
from all_even.app.timers import timer

STEP_MS, AT_ONCE = 10, 40


class Wearing:
    """Of one window."""

    def __init__(self, parent: QObject, app: QApplication) -> None:
        self._app = app
        self._left: list[QWidget] = []
        self._timer = timer(parent, STEP_MS, self._go_on)

    @property
    def busy(self) -> bool:
        """Whether something that is not seen still wears the theme before."""
        return bool(self._left)

    def put_on(self) -> None:
        """The present theme on everything that is seen; the rest follows."""
        widgets = self._app.allWidgets()
        theme.wear(self._app, [widget for widget in widgets if widget.isVisible()])
        self._left = [widget for widget in widgets if not widget.isVisible()]
        self._timer.start()

    def finish(self) -> None:
        """All of it, before another part of the window is shown."""
        if self._left:
            self._go_on(len(self._left))

    def _go_on(self, count: int = AT_ONCE) -> None:
        some, self._left = self._left[:count], self._left[count:]
        theme.wear(self._app, [widget for widget in some if not sip.isdeleted(widget)])
        if not self._left:
            self._timer.stop()
