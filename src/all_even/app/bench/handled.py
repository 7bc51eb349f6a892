"""A drawing that answers to the hand: the toolkit's events of mouse, wheel and keys in a drawing's own words."""

from typing import Any, ClassVar

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QInputEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from all_even.app.style import fields


class Handled(QWidget):
    """What the left button takes hold of stays in the hand until it is let go; over a handle the pointer says so.

    Subclasses say where handles lie and what is done with them; this stands first among their bases. held: what
    `handle_at` found, or what `press` puts there; None where nothing is in the hand.
    """

    released = pyqtSignal()
    """A handle was let go, or moved by a key: the gesture ends."""
    OVER: ClassVar[Qt.CursorShape] = Qt.CursorShape.SizeAllCursor

    def __init__(self, *drawing: Any) -> None:
        super().__init__(*drawing)
        self.held: Any = None
        self._wheel = 0
        """What the wheel has turned and that made no notch yet."""

    # What a drawing does.

    def handle_at(self, at: QPointF) -> Any:
        """What can be taken hold of there; None where nothing can."""
        return None

    def press(self, at: QPointF) -> None:
        """The left button went down, on a handle or beside one."""

    def drag(self, at: QPointF, *, fine: bool) -> None:
        """What is held is moved to there."""

    def drop(self, held: Any, at: QPointF) -> None:
        """What was held is let go; the hand is empty."""
        self.released.emit()

    def hover(self, at: QPointF) -> None:
        """The pointer moves over it with an empty hand."""
        if self.hasMouseTracking():
            self.setCursor(self.OVER if self.handle_at(at) is not None else Qt.CursorShape.ArrowCursor)

    def double(self, at: QPointF) -> None:
        """A double click."""

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        """The wheel, up or down; whether it meant something here."""
        return False

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        """Whether a key meant something here. fine: Shift."""
        return False

    # Events.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.held = self.handle_at(event.position())
            self.press(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self.held is None:
            self.hover(event.position())
        else:
            self.drag(event.position(), fine=_is_fine(event))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self.held = self.held, None
        if event is not None and held is not None:
            self.drop(held, event.position())
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.held = None
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.double(event.position())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turned = self._wheel + (event.angleDelta().y() or event.angleDelta().x())
        notches = int(turned / fields.NOTCH)
        self._wheel = turned - notches * fields.NOTCH
        event.setAccepted(not notches or self.turn(event.position(), notches, fine=_is_fine(event)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if not self.key(Qt.Key(event.key()), fine=_is_fine(event), control=control):
            super().keyPressEvent(event)


def _is_fine(event: QInputEvent) -> bool:
    return bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
