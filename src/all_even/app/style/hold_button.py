"""A button that does something as long as it is held, by mouse or by key."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QPushButton

from all_even import texts
from all_even.app.style import theme

KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)


class HoldButton(QPushButton):
    """`held` when it is pressed, `let_go` when it is released, or loses the keyboard."""

    def __init__(
        self, text: str, tip: str, held: Callable[[], object], let_go: Callable[[], object], icon: str = ""
    ) -> None:
        super().__init__(f" {text}" if icon else text)
        self._held, self._let_go, self._down = held, let_go, False
        self.setAccessibleName(text)
        self.setToolTip(texts.tip(tip))
        self.setMinimumHeight(theme.TARGET)
        self.setProperty("icon_name", icon)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.pressed.connect(self.hold)
        self.released.connect(self.release)

    def hold(self) -> None:
        if not self._down:
            self._down = True
            self._held()

    def release(self) -> None:
        if self._down:
            self._down = False
            self._let_go()

    def event(self, event: QEvent | None) -> bool:
        """Space is held here; nowhere else does it then mean play."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in KEYS:
            if not event.isAutoRepeat():
                self.setDown(True)
                self.hold()
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in KEYS:
            if not event.isAutoRepeat():
                self.setDown(False)
                self.release()
            return
        super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.setDown(False)
        self.release()
