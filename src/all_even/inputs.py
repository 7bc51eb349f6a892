"""Reading a file that somebody gave us: whole, never more than it may have, never of what is no regular file.

A pipe that nobody writes to would never open, a link to a device never end. So a file is opened without waiting, looked
at before it is read, and read no further than a limit.
"""

import contextlib
import os
import stat
from pathlib import Path

from all_even.errors import UserError, short_name, system_reason


class Unreadable(UserError):
    """A file that can't be read, in one sentence."""


def whole(path: Path, most_bytes: int, what: str) -> bytes:
    """All bytes of a regular file of at most so many. what: with its article, for sentences ("a session")."""
    name = short_name(path.name)
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with contextlib.ExitStack() as closing:
            closing.callback(os.close, fd)
            status = os.fstat(fd)
            if stat.S_ISDIR(status.st_mode):
                raise Unreadable(f"{name} is a folder, not {what}.")
            if not stat.S_ISREG(status.st_mode):
                raise Unreadable(f"{name} is not a regular file, and not {what}.")
            if status.st_size > most_bytes:
                raise Unreadable(f"{name} is too large to be {what}: over {most_bytes >> 20} MB.")
            with open(fd, "rb", closefd=False) as file:
                return file.read(most_bytes + 1)
    except FileNotFoundError:
        raise Unreadable(f"{name} is not there: {short_name(str(path.parent))} has no such file.") from None
    except OSError as error:
        raise Unreadable(f"{name} can't be read: {system_reason(error)}.") from None
    except ValueError:
        raise Unreadable(f"{name} can't be read: no file can have that name.") from None


def is_folder(path: Path) -> bool:
    """Whether it is a folder that can be looked at; also of a place that refuses it. Never raises."""
    return os.path.isdir(path)


def files_of(folder: Path) -> list[Path]:
    """What lies in a folder, by name; nothing where it refuses."""
    try:
        return sorted(folder.iterdir())
    except OSError:
        return []


def is_file(path: Path) -> bool:
    """Whether it is a regular file that can be looked at. Never raises."""
    return os.path.isfile(path)
