"""An open session as a document: its history, its file, its lock, its recovery copy.

Everything that is written for it goes through it and knows nothing of other documents: a save that is still
running when another session is opened completes for its own file, and its recovery copy is deleted by
nobody else. Writes are numbered when they are asked for; one that begins late never replaces a newer one.
"""

import itertools
import os
import threading
from pathlib import Path
from typing import Literal

from all_even.errors import UserError, short_name
from all_even.session.file import store
from all_even.session.file.history import History
from all_even.session.file.lock import Lock
from all_even.session.file.recovery import Copy
from all_even.session.model.session import Session


class ChangedMeanwhile(UserError):
    """The file holds what somebody else wrote since it was opened or saved here."""


class Document:
    """Lives in the interface thread, which never waits for a disk; `write` and `write_copy` may run in any.

    saved: the value that is in the file, None where there is no file. seen: what the file held when it was opened here;
    a save over anything else is refused, unless it is wanted so.
    """

    def __init__(self, session: Session, path: Path | None, seen: store.Seen | None = None) -> None:
        self.history = History(session)
        self.path = path
        self._seen = {os.path.realpath(path): seen} if path is not None and seen is not None else {}
        self.saved = session if path is not None else None
        self.kept: Session = session
        """The value that needs no recovery copy: opened, saved or copied last."""
        self.copy = Copy(path)
        self.lock = Lock(path) if path is not None else None
        self._numbers = itertools.count(1)
        self._writing = threading.Lock()  # held while the disk is written to
        self._counting = threading.Lock()  # held for a moment
        self._written: dict[str, int] = {}
        self._copied = 0
        self._pending = {"save": 0, "copy": 0}
        self._closed = False

    @property
    def session(self) -> Session:
        return self.history.session

    @property
    def unsaved(self) -> bool:
        return self.session != self.saved

    @property
    def worth_keeping(self) -> bool:
        """Whether there is something that its file does not hold."""
        return self.unsaved and bool(self.session.ledger)

    def begin(self, what: Literal["save", "copy"]) -> int:
        """The number of a write that is asked for now; `write` or `write_copy` has to follow."""
        with self._counting:
            self._pending[what] += 1
            return next(self._numbers)

    def lock_for(self, target: Path) -> Lock:
        """The lock on a file it is to be saved to; not `held` where another window has it."""
        if self.lock is not None and self.lock.held and self.path is not None and _same(self.path, target):
            return self.lock
        return Lock(target)

    def write(self, session: Session, target: Path, number: int, *, over: bool = False) -> None:
        """Saves; a copy that holds nothing newer is deleted. SessionFileError where it can't be; ChangedMeanwhile where
        somebody else wrote the file, unless it is to be saved `over` that."""
        try:
            with self._writing:
                place = os.path.realpath(target)
                if number < self._written.get(place, 0):
                    return
                seen = self._seen.get(place)
                if seen is not None and not over and not seen.is_still(target):
                    raise ChangedMeanwhile(
                        f"{short_name(target.name)} was changed by somebody else since it was opened."
                    )
                self._seen[place] = store.save(session, target)
                self._written[place] = number
                if self._copied <= number:
                    self._copied = number
                    self.copy.delete()
                self.copy.belongs_to(target)
        finally:
            self._ended("save")

    def write_copy(self, session: Session, number: int) -> None:
        """Keeps a recovery copy, unless something newer was written."""
        try:
            with self._writing:
                if number >= self._copied:
                    self.copy.write(session)
                    self._copied = number
        finally:
            self._ended("copy")

    def is_saved(self, session: Session, target: Path, lock: Lock) -> None:
        """The document's file is `target` from now on, and holds this."""
        with self._counting:
            if lock is not self.lock and self.lock is not None:
                self.lock.release()
            self.lock = lock
        self.path, self.saved, self.kept = target, session, session
        self._let_go()

    def close(self) -> None:
        """Lets go of the file as soon as nothing is saved to it any more, and of the copy when that is written."""
        self._closed = True
        with self._counting:
            idle = not any(self._pending.values())
        if idle and not self.unsaved:
            self.copy.delete()
        self._let_go()

    def _ended(self, what: Literal["save", "copy"]) -> None:
        with self._counting:
            self._pending[what] -= 1
        self._let_go()

    def _let_go(self) -> None:
        """By whoever comes last, the window that closes or the thread that writes; never by both at once."""
        if not self._closed:
            return
        with self._counting:
            saving, copying = self._pending["save"] > 0, self._pending["copy"] > 0
            if not saving and self.lock is not None:
                self.lock.release()
            if not saving and not copying:
                self.copy.release()


def _same(a: Path, b: Path) -> bool:
    return os.path.realpath(a) == os.path.realpath(b)
