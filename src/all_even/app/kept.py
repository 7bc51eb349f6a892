"""What outlives a window beside recovery copies (`session.recovery`): the list of recent sessions."""

import contextlib
from pathlib import Path

from all_even import outputs, places
from all_even.app import desktop_list
from all_even.errors import UserError

MOST = 8


def recent_sessions() -> list[Path]:
    """Sessions opened last that are still there, newest first."""
    try:
        lines = (places.data_folder("") / "recent.txt").read_bytes().decode("utf-8", "surrogateescape").splitlines()
    except (OSError, UserError):
        return []
    found = []
    for line in lines[:MOST]:
        with contextlib.suppress(OSError, ValueError):
            if Path(line).is_file():
                found.append(Path(line))
    return found


def remember_recent(path: Path) -> None:
    """Puts a session at the head of the list of recent ones."""
    absolute = path.resolve()
    lines = [str(absolute), *(str(old) for old in recent_sessions() if old != absolute)]
    text = "".join(f"{line}\n" for line in lines[:MOST] if "\n" not in line)
    with contextlib.suppress(OSError, UserError):
        outputs.write_whole(places.data_folder("") / "recent.txt", text.encode("utf-8", "surrogateescape"))
    desktop_list.tell_desktop(absolute)
