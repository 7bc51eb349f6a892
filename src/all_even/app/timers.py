"""Timers of the interface thread."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


def timer(parent: QObject, interval_ms: int, run: Callable[[], object], *, once: bool = False) -> QTimer:
    """Calls `run` every so often once it is started; once: only the first time after each start."""
    made = QTimer(parent)
    made.setInterval(interval_ms)
    made.setSingleShot(once)
    made.timeout.connect(run)
    return made
