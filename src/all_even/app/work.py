"""Long work off the interface thread: one pool, results as signals, stale results dropped.

A job is named; starting one with the same name cancels the one before. What a job returns reaches
the interface thread as a call; what a user can cause to go wrong arrives as a sentence.
"""

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from all_even.errors import Cancelled, UserError


class Report:
    """What a job is given: how to say how far it is, how to send parts, and whether it should stop."""

    def __init__(self, progress: Callable[[float, str], None], send: Callable[[Any], None]) -> None:
        self.cancelled = threading.Event()
        self._progress, self.send = progress, send

    def progress(self, share: float, text: str = "") -> None:
        """share: 0 to 1; negative where it is unknown."""
        if not self.cancelled.is_set():
            self._progress(share, text)


Job = Callable[[Report], Any]


class Work(QObject):
    """Runs jobs and tells about them; lives in the interface thread."""

    progressed = pyqtSignal(str, float, str)
    """Job name, share done 0 to 1 (negative: unknown), what is being done."""
    started = pyqtSignal(str)
    ended = pyqtSignal(str)
    failed = pyqtSignal(str, str)
    _finished = pyqtSignal(str, int, object, object)
    _partial = pyqtSignal(str, int, object)

    def __init__(self, parent: QObject | None = None, workers: int = 3) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(workers, thread_name_prefix="work")
        self._running: dict[str, tuple[int, threading.Event, Callable[[Any], None], Callable[[Any], None] | None]] = {}
        self._count = 0
        self._finished.connect(self._on_finished)
        self._partial.connect(self._on_partial)

    def start(
        self, name: str, job: Job, done: Callable[[Any], None], partial: Callable[[Any], None] | None = None
    ) -> None:
        """Runs `job(report)`; `done(result)` and `partial(value)` are called in the interface thread."""
        self.cancel(name)
        self._count += 1
        ticket = self._count
        report = Report(
            lambda share, text: self._emit(self.progressed, name, share, text),
            lambda value: self._emit(self._partial, name, ticket, value),
        )
        self._running[name] = (ticket, report.cancelled, done, partial)
        self.started.emit(name)

        def run() -> None:
            try:
                result, error = job(report), None
            except Cancelled:
                result, error = None, "cancelled"
            except UserError as problem:
                result, error = None, str(problem)
            except Exception as defect:
                if not report.cancelled.is_set():
                    import traceback

                    traceback.print_exc()
                result, error = None, f"Something went wrong inside All Even while it worked ({type(defect).__name__})."
            self._emit(self._finished, name, ticket, result, error)

        self._pool.submit(run)

    def cancel(self, name: str) -> None:
        """Asks a job to stop and forgets it; its result will not arrive."""
        entry = self._running.pop(name, None)
        if entry is not None:
            entry[1].set()
            self.ended.emit(name)

    def busy(self, name: str | None = None) -> bool:
        return bool(self._running) if name is None else name in self._running

    def close(self) -> None:
        """Cancels everything and waits for the threads."""
        for name in list(self._running):
            self.cancel(name)
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _emit(self, signal: Any, *values: Any) -> None:
        try:
            signal.emit(*values)
        except RuntimeError:  # the window is gone
            return

    def _on_finished(self, name: str, ticket: int, result: Any, error: str | None) -> None:
        entry = self._running.get(name)
        if entry is None or entry[0] != ticket:
            return
        del self._running[name]
        self.ended.emit(name)
        if error is None:
            entry[2](result)
        elif error != "cancelled":
            self.failed.emit(name, error)

    def _on_partial(self, name: str, ticket: int, value: Any) -> None:
        entry = self._running.get(name)
        if entry is not None and entry[0] == ticket and entry[3] is not None:
            entry[3](value)
