"""Where the application keeps what is not the user's document: caches, recovery, preferences.

`ALL_EVEN_HOME` moves all of it under one folder; tests and headless runs use that.
"""

import itertools
import os
from pathlib import Path

import platformdirs

_counter = itertools.count()


def beside(path: Path) -> Path:
    """A hidden name in the same folder that nobody else writes to, to be renamed when it is whole."""
    return path.with_name(f".{path.stem}.{os.getpid()}-{next(_counter)}.part{path.suffix}")


def cache_folder(name: str) -> Path:
    """A folder for things that can be made again; created where it is missing."""
    return _folder("cache", platformdirs.user_cache_dir("all-even"), name)


def data_folder(name: str) -> Path:
    """A folder for things that must survive: recovery copies, recent sessions, preferences."""
    return _folder("data", platformdirs.user_data_dir("all-even"), name)


def _folder(kind: str, default: str, name: str) -> Path:
    home = os.environ.get("ALL_EVEN_HOME")
    folder = (Path(home) / kind if home else Path(default)) / name
    folder.mkdir(parents=True, exist_ok=True)
    return folder
