"""Where the application keeps what is not the user's document: caches, recovery, preferences.

`ALL_EVEN_HOME` moves all of it under one folder; tests and headless runs use that. Where a folder can't
be made (a read-only disk, a file in its way) caches go to a temporary folder and the program goes on.
"""

import os
import tempfile
import traceback
from functools import cache
from pathlib import Path

import platformdirs

from all_even.errors import UserError

LARGEST_LOG_BYTES = 1 << 20


def cache_folder(name: str) -> Path:
    """A folder for things that can be made again; created where it is missing, else a temporary one."""
    try:
        return _folder("cache", platformdirs.user_cache_dir("all-even"), name)
    except OSError:
        return temporary_folder(name)


def temporary_folder(name: str) -> Path:
    """One for each name while the program runs, and gone with it."""
    return Path(_temporary(os.environ.get("ALL_EVEN_HOME", ""), name).name)


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
def _temporary(home: str, name: str) -> tempfile.TemporaryDirectory[str]:
    """home: tells the homes of tests apart."""
    return tempfile.TemporaryDirectory(prefix=f"all-even-{name or 'cache'}-", ignore_cleanup_errors=True)
