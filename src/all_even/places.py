"""Where the application keeps what is not the user's document: caches, recovery, preferences.

`ALL_EVEN_HOME` moves all of it under one folder; tests and headless runs use that. Where a folder can't
be made (a read-only disk, a file in its way) caches go to a temporary folder and the program goes on.
"""

import atexit
import contextlib
import fcntl
import os
import shutil
import stat
import tempfile
import time
import traceback
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import platformdirs

from all_even.errors import UserError

LARGEST_LOG_BYTES = 1 << 20
TEMPORARY, HELD = "all-even-", ".held"
STALE_S = 86_400.0
"""What a killed run left is swept when it is older than a day."""


def cache_folder(name: str) -> Path:
    """A folder for things that can be made again; created where it is missing, else a temporary one."""
    try:
        return _folder("cache", platformdirs.user_cache_dir("all-even"), name)
    except OSError:
        return temporary_folder(name)


def temporary_folder(name: str) -> Path:
    """One for each name while the program runs, and gone with it."""
    return _temporary(os.environ.get("ALL_EVEN_HOME", ""), name)


@contextlib.contextmanager
def passing_folder(name: str) -> Iterator[Path]:
    """A folder for one piece of work. What a killed run left is swept when it is older than a day."""
    folder, held = _made(name)
    try:
        yield folder
    finally:
        _remove(folder, held)


def data_folder(name: str) -> Path:
    """A folder for things that must survive: recovery copies, recent sessions, preferences.

    UserError where it can't be made.
    """
    try:
        return _folder("data", platformdirs.user_data_dir("all-even"), name)
    except OSError:
        raise UserError("All Even's folder for recovery copies can't be made: no permission, or a full disk.") from None


def note_defect(error: BaseException) -> Path | None:
    """Adds what went wrong inside the program to a log of its own; returns where, None where it can't be."""
    try:
        log = data_folder("") / "defects.log"
        if log.exists() and log.stat().st_size > LARGEST_LOG_BYTES:
            log.replace(log.with_name("defects.previous.log"))
        with log.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.writelines(traceback.format_exception(error))
    except (OSError, UserError):
        return None
    return log


def _folder(kind: str, default: str, name: str) -> Path:
    home = os.environ.get("ALL_EVEN_HOME")
    root = Path(home) / kind if home else Path(default)
    folder = root / name
    if not folder.is_dir():
        # What lies here is read again by us, so nobody else may write into it.
        root.mkdir(mode=0o700, parents=True, exist_ok=True)
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder


@cache
def _temporary(home: str, name: str) -> Path:
    """home: tells the homes of tests apart."""
    folder, held = _made(name or "cache")
    atexit.register(_remove, folder, held)
    return folder


def _made(name: str) -> tuple[Path, int | None]:
    """A new folder among the system's temporary ones, and a lock in it that the kernel keeps while we live. OSError
    where there can be none."""
    _sweep_temporary()
    folder = Path(tempfile.mkdtemp(prefix=f"{TEMPORARY}{name}-"))
    held = None
    with contextlib.suppress(OSError):
        held = os.open(folder / HELD, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        fcntl.flock(held, fcntl.LOCK_EX)
    return folder, held


def _remove(folder: Path, held: int | None) -> None:
    shutil.rmtree(folder, ignore_errors=True)
    if held is not None:
        os.close(held)


def _sweep_temporary() -> None:
    """Takes away folders of ours that a killed run left more than a day ago; one that somebody holds stays."""
    oldest = time.time() - STALE_S
    with contextlib.suppress(OSError), os.scandir(tempfile.gettempdir()) as entries:
        for entry in entries:
            if not entry.name.startswith(TEMPORARY):
                continue
            with contextlib.suppress(OSError):
                status = entry.stat(follow_symlinks=False)
                if not stat.S_ISDIR(status.st_mode) or status.st_uid != os.getuid() or status.st_mtime > oldest:
                    continue
                if not is_held(Path(entry.path) / HELD):
                    shutil.rmtree(entry.path, ignore_errors=True)


def is_held(mark: Path, *, take_away: bool = False) -> bool:
    """Whether a living process has a lock on a mark. take_away: a mark that nobody holds goes, while we hold it."""
    try:
        fd = os.open(mark, os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW)
    except OSError:
        return False
    try:
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if take_away:
            mark.unlink(missing_ok=True)
    except OSError:
        return True
    finally:
        os.close(fd)
    return False
