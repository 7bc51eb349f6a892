"""Recovery copies: what an open session has that its file has not, kept where a crash can't take it.

Each open document has one copy of its own, with a name nobody else has, and holds it with a lock of the
kernel, so that two windows never share one and a kill leaves nothing held. Only its own document deletes it.
A copy that nobody holds is an orphan: it belongs to a session file (and is offered when that is opened), or
to a session that was never saved (and is offered on the start page).
"""

import contextlib
import fcntl
import hashlib
import os
import secrets
from pathlib import Path

from all_even import places
from all_even.errors import UserError
from all_even.session.file import store
from all_even.session.model.session import Session

UNSAVED = "unsaved"
HELD = ".held"


class Copy:
    """The copy of one open document; nothing is written before `write`."""

    def __init__(self, of: Path | None) -> None:
        """of: the session's file, None for one that was never saved."""
        self._token = secrets.token_hex(6)
        self.path = Path(f"{_key(of)}-{self._token}{store.SUFFIX}")
        self._fd: int | None = None
        with contextlib.suppress(UserError):  # no place for copies: work goes on, and `write` says it
            self.path = _folder() / self.path
            self._fd = _hold(self.path)

    def write(self, session: Session) -> None:
        """UserError where the disk refuses it."""
        if not self.path.is_absolute():
            self.path = _folder() / self.path
            self._fd = _hold(self.path)
        store.save(session, self.path, previous=False)

    def delete(self) -> None:
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)

    def adopt(self, orphan: Path) -> None:
        """Takes an orphan's place: it is this document's copy from now on."""
        with contextlib.suppress(OSError):
            orphan.replace(self.path)

    def belongs_to(self, of: Path) -> None:
        """The document was saved to another file."""
        old, old_fd = self.path, self._fd
        new = old.with_name(f"{_key(of)}-{self._token}{store.SUFFIX}")
        if new == old:
            return
        if not old.is_absolute():
            self.path = new
            return
        self._fd, self.path = _hold(new), new
        with contextlib.suppress(OSError):
            old.replace(new)
        _let_go(old, old_fd)

    def release(self) -> None:
        """The document is closed; a copy that was written stays, for whoever opens it next."""
        if self._fd is not None:
            _let_go(self.path, self._fd)
            self._fd = None


def orphans(of: Path | None) -> list[Path]:
    """Copies that nobody holds, newest first: of a session file, or of sessions that were never saved."""
    try:
        folder = _folder()
    except UserError:
        return []
    found = []
    for path in folder.glob(f"{_key(of)}*{store.SUFFIX}"):
        with contextlib.suppress(OSError):
            if not _is_held(path):
                found.append((path.stat().st_mtime, path))
    for mark in folder.glob(f"*{HELD}"):
        if not mark.with_name(mark.name.removesuffix(HELD)).exists():
            _is_held(mark.with_name(mark.name.removesuffix(HELD)))  # takes the mark away where nobody holds it
    return [path for _, path in sorted(found, reverse=True)]


def newer_than(path: Path, session: Session) -> tuple[Session, Path] | None:
    """The newest orphan of a session file that is younger than it and differs, as (what it holds, its place).

    Others that differ become copies of their own, offered on the start page; equal ones are deleted.
    """
    best: tuple[Session, Path] | None = None
    for orphan in orphans(path):
        try:
            kept = store.load(orphan)
        except UserError:
            continue
        if kept == session:
            orphan.unlink(missing_ok=True)
        elif best is None and orphan.stat().st_mtime > path.stat().st_mtime:
            best = kept, orphan
        else:
            orphan.rename(orphan.with_name(f"{UNSAVED}-{secrets.token_hex(6)}{store.SUFFIX}"))
    return best


def _folder() -> Path:
    return places.data_folder("recovery")


def _key(of: Path | None) -> str:
    if of is None:
        return UNSAVED
    return hashlib.blake2b(os.fsencode(os.path.realpath(of)), digest_size=8).hexdigest()


def _mark(path: Path) -> Path:
    return path.with_name(path.name + HELD)


def _hold(path: Path) -> int | None:
    """A lock that the kernel keeps while the document is open; None where there can be none."""
    mark = _mark(path)
    with contextlib.suppress(OSError):
        while True:
            fd = os.open(mark, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
            fcntl.flock(fd, fcntl.LOCK_EX)
            with contextlib.suppress(FileNotFoundError):
                if os.stat(mark).st_ino == os.fstat(fd).st_ino:  # not swept away in between
                    return fd
            os.close(fd)
    return None


def _let_go(path: Path, fd: int | None) -> None:
    with contextlib.suppress(OSError):
        _mark(path).unlink(missing_ok=True)
    if fd is not None:
        os.close(fd)


def _is_held(path: Path) -> bool:
    return places.is_held(_mark(path), take_away=True)
