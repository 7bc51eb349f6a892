"""What outlives a window: recovery copies of unsaved work, and the list of recent sessions."""

import hashlib
import os
from datetime import datetime
from pathlib import Path

from all_even import places
from all_even.session import store

_RUN = f"{datetime.now():%Y-%m-%d %H.%M.%S} {os.getpid()}"
"""Tells this run's recovery copy from those of others."""


def recent_sessions() -> list[Path]:
    """Sessions opened last that are still there, newest first."""
    try:
        lines = (places.data_folder("") / "recent.txt").read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError):
        return []
    return [path for line in lines[:8] if (path := Path(line)).is_file()]


def unsaved_recoveries() -> list[Path]:
    """Recovery copies of sessions that never had a file, newest first."""
    copies = places.data_folder("recovery").glob("unsaved-*.alleven")
    return sorted(copies, key=lambda path: path.stat().st_mtime, reverse=True)


def remember_recent(path: Path) -> None:
    """Puts a session at the head of the list of recent ones."""
    absolute = path.resolve()
    lines = [str(absolute), *(str(old) for old in recent_sessions() if old != absolute)]
    try:
        (places.data_folder("") / "recent.txt").write_text("\n".join(lines[:8]) + "\n", encoding="utf-8")
    except OSError:
        return


def recovery_path(path: Path | None) -> Path:
    """Where the recovery copy of a session file lies, or that of this run's unsaved session."""
    folder = places.data_folder("recovery")
    if path is None:
        return folder / f"unsaved-{_RUN}{store.SUFFIX}"
    key = hashlib.blake2b(str(path.resolve()).encode(), digest_size=8).hexdigest()
    return folder / f"{key}{store.SUFFIX}"
