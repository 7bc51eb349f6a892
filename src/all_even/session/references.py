"""Finished mixes of one's own choice to compare with, known on this machine: a list of files, none of them copied."""

import contextlib
import os
from collections.abc import Iterable
from pathlib import Path

from all_even import outputs, places
from all_even.errors import UserError

FILE = "references.txt"
MOST = 100


def known() -> list[Path]:
    """All that are on the list and still there."""
    try:
        lines = (places.data_folder("") / FILE).read_bytes().decode("utf-8", "surrogateescape").splitlines()
    except (OSError, UserError):
        return []
    found = []
    for line in lines[:MOST]:
        with contextlib.suppress(OSError, ValueError):
            if Path(line).is_file():
                found.append(Path(line))
    return found


def keep(paths: Iterable[Path]) -> list[Path]:
    """These and no others from now on; each once. Returns the list."""
    wanted = list(dict.fromkeys(Path(os.path.abspath(path)) for path in paths))[:MOST]
    text = "".join(f"{path}\n" for path in wanted if "\n" not in str(path))
    try:
        outputs.write_whole(places.data_folder("") / FILE, text.encode("utf-8", "surrogateescape"))
    except OSError:
        raise UserError("The list of references can't be kept: the disk refuses it.") from None
    return wanted


def add(paths: Iterable[Path]) -> list[Path]:
    """These as well."""
    return keep([*known(), *paths])
