"""What outlives a window beside recovery copies (`session.file.recovery`): the list of recent sessions."""

import contextlib
from pathlib import Path

from all_even import path_list
from all_even.app.machine import desktop_list
from all_even.errors import UserError

FILE = "recent.txt"
MOST = 8


def recent_sessions() -> list[Path]:
    """Sessions opened last that are still there, newest first."""
    return path_list.read(FILE, MOST)


def remember_recent(path: Path) -> None:
    """Puts a session at the head of the list of recent ones."""
    absolute = path.resolve()
    with contextlib.suppress(OSError, UserError):
        path_list.write(FILE, [absolute, *(old for old in recent_sessions() if old != absolute)][:MOST])
    desktop_list.tell_desktop(absolute)
