"""What a hand does with the mouse."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from all_even.app.style import fields


def drag(widget: QWidget, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    for part in (0.5, 1.0):
        QTest.mouseMove(widget, start + (end - start) * part)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def turn(widget: QWidget, at: QPointF, notches: float, modifiers=Qt.KeyboardModifier.NoModifier) -> bool:
    """The wheel, up or down; whether it meant something there."""
    event = QWheelEvent(
        at, widget.mapToGlobal(at.toPoint()).toPointF(), QPoint(), QPoint(0, round(fields.NOTCH * notches)),
        Qt.MouseButton.NoButton, modifiers, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)
    return event.isAccepted()
