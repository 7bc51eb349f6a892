"""What a hand does with the mouse."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest


def drag(widget, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    for part in (0.5, 1.0):
        QTest.mouseMove(widget, start + (end - start) * part)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)
