"""Kernels are compiled by processes of their own while the window is open; who needs one before it is there waits."""

import json
import subprocess
import sys
import threading

from PyQt6.QtCore import QObject, pyqtSignal

from all_even import kernels

COMMAND = (sys.executable, "-m", "all_even.cli.warm")


class Warming(QObject):
    """Runs only where this version's kernels were never compiled on this machine.

    Lines of the compiling process say what there is and what is done; until the first one comes, all is waited for.
    """

    progressed = pyqtSignal(float)
    """Share done, 0 to 1."""
    ended = pyqtSignal()

    def __init__(self, parent: QObject | None = None, command: tuple[str, ...] = COMMAND) -> None:
        super().__init__(parent)
        self._places: dict[str, tuple[str, ...]] | None = None
        self._done: set[str] = set()
        self._process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL, text=True
        )
        kernels.awaited = self.is_awaited
        self._thread = threading.Thread(target=self._follow, name="warming", daemon=True)
        self._thread.start()

    def is_awaited(self, place: str) -> bool:
        """Whether kernels that stand there are still to come."""
        if self._places is None:
            return kernels.awaited is not None
        return any(
            name not in self._done and any(place == item or place.startswith(f"{item}.") for item in items)
            for name, items in self._places.items()
        )

    def stop(self) -> None:
        """Nobody waits any more; the process ends."""
        kernels.awaited = None
        self._process.terminate()
        self._thread.join()

    def _follow(self) -> None:
        assert self._process.stdout is not None
        for line in self._process.stdout:
            told = json.loads(line)
            if "all" in told:
                self._places = told["all"]
            else:
                self._done.add(told["done"])
            if self._places:
                self.progressed.emit(len(self._done) / len(self._places))
        self._process.wait()
        kernels.awaited = None
        self.ended.emit()
