"""Finished mixes of one's own choice to compare with, known on this machine: a list of files, none of them copied."""

import os
from collections.abc import Iterable
from pathlib import Path

from all_even import path_list
from all_even.errors import UserError

FILE = "references.txt"
MOST = 100


def known() -> list[Path]:
    """All that are on the list and still there."""
    return path_list.read(FILE, MOST)


def keep(paths: Iterable[Path]) -> list[Path]:
    """These and no others from now on; each once. Returns the list. A UserError where the disk refuses."""
    wanted = list(dict.fromkeys(Path(os.path.abspath(path)) for path in paths))[:MOST]
    try:
        path_list.write(FILE, wanted)
    except OSError:
        raise UserError("The list of references can't be kept: the disk refuses it.") from None
    return wanted


def add(paths: Iterable[Path]) -> list[Path]:
    """These as well."""
    return keep([*known(), *paths])
