"""A short list of files in the data folder, a path a line: recent sessions, references."""

import contextlib
from collections.abc import Iterable
from pathlib import Path

from all_even import outputs, places
from all_even.errors import UserError


def read(name: str, most: int) -> list[Path]:
    """The files of a list that are still there, at most so many, in its order; none where it can't be read."""
    try:
        lines = (places.data_folder("") / name).read_bytes().decode("utf-8", "surrogateescape").splitlines()
    except (OSError, UserError):
        return []
    found = []
    for line in lines[:most]:
        with contextlib.suppress(OSError, ValueError):
            if Path(line).is_file():
                found.append(Path(line))
    return found


def write(name: str, paths: Iterable[Path]) -> None:
    """Keeps a list; a name that would break it is passed over. Raises OSError or UserError where the disk refuses."""
    text = "".join(f"{path}\n" for path in paths if "\n" not in str(path))
    outputs.write_whole(places.data_folder("") / name, text.encode("utf-8", "surrogateescape"))
