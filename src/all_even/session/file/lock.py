"""Who has a session file open: one window or command at a time, by a lock that the kernel holds.

It tells a second window, and a command, who has the session; a kill leaves none behind.
"""

import contextlib
import fcntl
import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

from all_even import places
from all_even.errors import UserError, short_name
from all_even.session.file import store

LONGEST_HOLDER = 200


class Lock:
    """Holds a session file for one window or command; `held` is False where another one has it, `holder` says who.

    The lock file lies in the user's data folder, named after the session's place, and stays there:
    only the kernel's lock on it counts. Who holds it writes that into it.
    """

    def __init__(self, path: Path, who: str = "a window") -> None:
        key = hashlib.blake2b(os.fsencode(os.path.realpath(path)), digest_size=16).hexdigest()
        self._fd: int | None = None
        self.held, self.holder = True, who
        try:
            self._fd = os.open(places.data_folder("locks") / key, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            fcntl.flock(self._fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            os.ftruncate(self._fd, 0)
            os.pwrite(self._fd, f"{who} of All Even (process {os.getpid()})".encode(), 0)
        except BlockingIOError:
            self.held, self.holder = False, self._told()
        except (OSError, UserError):
            pass  # no place for locks: then there is no second window to find either

    def _told(self) -> str:
        """Who holds it, as it says itself."""
        told = b""
        with contextlib.suppress(OSError):
            told = os.pread(self._fd or 0, LONGEST_HOLDER, 0)
        return short_name(told.decode("utf-8", "replace")) or "another window of All Even"

    def release(self) -> None:
        """Lets go; harmless when called twice."""
        if self._fd is not None:
            os.close(self._fd)
            self._fd = None
        self.held = False


@contextlib.contextmanager
def holding(path: Path, who: str) -> Iterator[None]:
    """Nobody else writes a session file while this lasts. A SessionFileError says who has it, where somebody does."""
    lock = Lock(path, who)
    try:
        if not lock.held:
            where = f"{short_name(path.name)} is open in {lock.holder}"
            raise store.SessionFileError(f"{where}: close it there, or write to another file (-o).")
        yield
    finally:
        lock.release()
