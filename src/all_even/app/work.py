"""Long work off the interface thread: results as signals, stale results dropped.

There are three lines of work, so that nothing waits for what it has nothing to do with: *files* opens and saves;
*quick* is for what the eye or the ear waits for; *long* measures and renders, and yields to
playing.

A job is named; starting one with the same name cancels the one before. A job belongs to a document, or to
nobody: when its document is closed it is cancelled and its result is dropped, whatever it was. A job that
`completes` (a save) can't be cancelled: it ends for its own document, and so does what follows it. What a
job returns reaches the interface thread as a call; what a user can cause to go wrong arrives as a sentence.
"""

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal

from all_even import places
from all_even.errors import Cancelled, UserError
from all_even.priority import step_back


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
Line = Literal["files", "quick", "long"]


@dataclass(frozen=True, slots=True, eq=False)
class _Running:
    """A job under way. owner: the document it belongs to. completes: it is never cancelled."""

    name: str
    owner: object
    completes: bool
    done: Callable[[Any], None]
    partial: Callable[[Any], None] | None
    cancelled: threading.Event = field(repr=False)


class Work(QObject):
    """Runs jobs and tells about them; lives in the interface thread."""

    progressed = pyqtSignal(str, float, str)
    """Job name, share done 0 to 1 (negative: unknown), what is being done."""
    started = pyqtSignal(str)
    ended = pyqtSignal(str)
    failed = pyqtSignal(str, str)
    _finished = pyqtSignal(int, object, object)
    _partial = pyqtSignal(int, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pools: dict[Line, ThreadPoolExecutor] = {
            "files": ThreadPoolExecutor(2, thread_name_prefix="files", initializer=step_back),
            "quick": ThreadPoolExecutor(2, thread_name_prefix="quick"),
            "long": ThreadPoolExecutor(2, thread_name_prefix="long", initializer=step_back),
        }
        self._running: dict[int, _Running] = {}
        self._count = 0
        self._closing = False
        self._finished.connect(self._on_finished)
        self._partial.connect(self._on_partial)

    def start(
        self,
        name: str,
        job: Job,
        done: Callable[[Any], None],
        partial: Callable[[Any], None] | None = None,
        *,
        owner: object = None,
        completes: bool = False,
        line: Line = "long",
    ) -> None:
        """Runs `job(report)`; `done(result)` and `partial(value)` are called in the interface thread.

        owner: the document it belongs to. completes: it is never cancelled. line: which work it waits for.
        """
        if self._closing:
            return
        self.cancel(name)
        self._count += 1
        ticket = self._count
        report = Report(
            lambda share, text: self._emit(self.progressed, name, share, text),
            lambda value: self._emit(self._partial, ticket, value),
        )
        self._running[ticket] = _Running(name, owner, completes, done, partial, report.cancelled)
        self.started.emit(name)

        def run() -> None:
            try:
                if report.cancelled.is_set():
                    raise Cancelled
                result, error = job(report), None
            except Cancelled:
                result, error = None, "cancelled"
            except UserError as problem:
                result, error = None, str(problem)
            except Exception as defect:
                if not report.cancelled.is_set():
                    places.note_defect(defect)
                result, error = None, f"Something went wrong inside All Even while it worked ({type(defect).__name__})."
            self._emit(self._finished, ticket, result, error)

        self._pools[line].submit(run)

    def cancel(self, name: str) -> None:
        """Asks a job to stop and forgets it; its result will not arrive. One that completes goes on."""
        self._drop(lambda job: job.name == name)

    def cancel_owned(self, owner: object) -> None:
        """Forgets all that belongs to a document, except what completes."""
        self._drop(lambda job: job.owner is owner)

    def _drop(self, which: Callable[[_Running], bool]) -> None:
        for ticket, job in list(self._running.items()):
            if which(job) and not job.completes:
                del self._running[ticket]
                job.cancelled.set()
                self.ended.emit(job.name)

    def busy(self, name: str | None = None) -> bool:
        return bool(self._running) if name is None else any(job.name == name for job in self._running.values())

    def close(self) -> None:
        """Cancels everything that can be, waits for the rest, and for the threads."""
        self._drop(lambda _job: True)
        self._closing = True
        for pool in self._pools.values():
            pool.shutdown(wait=True)

    def _emit(self, signal: Any, *values: Any) -> None:
        try:
            signal.emit(*values)
        except RuntimeError:  # the window is gone
            return

    def _on_finished(self, ticket: int, result: Any, error: str | None) -> None:
        job = self._running.pop(ticket, None)
        if job is None:
            return
        self.ended.emit(job.name)
        if error is None:
            job.done(result)
        elif error != "cancelled":
            self.failed.emit(job.name, error)

    def _on_partial(self, ticket: int, value: Any) -> None:
        job = self._running.get(ticket)
        if job is not None and job.partial is not None:
            job.partial(value)
