"""Timers of the interface thread, and what is counted while it turns."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QEventLoop, QObject, QTimer
from PyQt6.QtWidgets import QWidget


def timer(parent: QObject, interval_ms: int, run: Callable[[], object], *, once: bool = False) -> QTimer:
    """Calls `run` every so often once it is started; once: only the first time after each start."""
    made = QTimer(parent)
    made.setInterval(interval_ms)
    made.setSingleShot(once)
    made.timeout.connect(run)
    return made


def pictures_during(widget: QWidget, seconds: float) -> int:
    """Turns the event loop for so long, as the program does; how often a widget was painted meanwhile."""
    counter, loop = _Pictures(), QEventLoop()
    widget.installEventFilter(counter)
    QTimer.singleShot(round(1000.0 * seconds), loop.quit)
    loop.exec()
    widget.removeEventFilter(counter)
    return counter.count


class _Pictures(QObject):
    count = 0

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        self.count += event is not None and event.type() == QEvent.Type.Paint
        return False
