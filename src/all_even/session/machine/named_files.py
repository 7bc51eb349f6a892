"""What is kept on this machine under names of people: templates, chains; a JSON file each, in a folder of their kind.

A file is called after the plain letters of its name and a hash of it, so that names that read the same are one, and any
name can be a file. What is read is checked like a session file.
"""

import hashlib
import re
import unicodedata
from functools import lru_cache
from pathlib import Path
from typing import Any, Generic, Protocol, TypeVar, cast

import msgspec

from all_even import inputs, outputs, places
from all_even.errors import UserError, short_name
from all_even.session.file import checks

SUFFIX = ".json"
PLAIN_LETTERS = 40


class Named(Protocol):
    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=Named)


def key(name: str) -> str:
    """What tells names apart, as it stands in ids and file names: the same for names that read the same. What of the
    name is plain letters comes first, for whoever looks into the folder."""
    plain = unicodedata.normalize("NFC", " ".join(name.split())).casefold()
    digest = hashlib.blake2b(plain.encode("utf-8", "surrogatepass"), digest_size=6).hexdigest()
    return "-".join([*re.findall(r"[a-z0-9]+", plain[:PLAIN_LETTERS]), digest])


class NamedFiles(Generic[T]):
    """folder: below the data folder. holds: what a file is. what: in sentences, such as `template`."""

    def __init__(self, folder: str, holds: type[T], what: str) -> None:
        self._folder, self._holds, self._what = folder, holds, what

    def keep(self, item: T) -> Path:
        """Writes one, in place of one of the same name. A UserError where the disk refuses."""
        path = places.data_folder(self._folder) / f"{key(item.name)}{SUFFIX}"
        try:
            outputs.write_whole(path, msgspec.json.format(msgspec.json.encode(item), indent=1) + b"\n")
        except OSError:
            sentence = f"The {self._what} {short_name(item.name)} can't be kept: the disk refuses it."
            raise UserError(sentence) from None
        for older in self._places_of(item.name):
            if older != path:
                older.unlink(missing_ok=True)
        return path

    def known(self) -> list[T]:
        """All of this machine, by name; files that are none are passed over."""
        found = [item for path in self._files() if (item := self._read(path)) is not None]
        return sorted(found, key=lambda item: item.name.lower())

    def find(self, name: str) -> T:
        """One by its name; KeyError where there is none."""
        for item in self.known():
            if key(item.name) == key(name):
                return item
        raise KeyError(name)

    def forget(self, name: str) -> None:
        """Removes one; KeyError where there is none. A UserError where the disk refuses."""
        held = self._places_of(name)
        if not held:
            raise KeyError(name)
        try:
            for path in held:
                path.unlink(missing_ok=True)
        except OSError:
            sentence = f"The {self._what} {short_name(name)} can't be removed: the disk refuses it."
            raise UserError(sentence) from None

    def _files(self) -> list[Path]:
        try:
            return sorted(places.data_folder(self._folder).glob(f"*{SUFFIX}"))
        except (OSError, UserError):
            return []

    def _places_of(self, name: str) -> list[Path]:
        """The files that hold this name: one, but for what earlier versions kept under another file name."""
        return [
            path for path in self._files() if (found := self._read(path)) is not None and key(found.name) == key(name)
        ]

    def _read(self, path: Path) -> T | None:
        try:
            status = path.stat()
        except OSError:
            return None
        return cast(
            "T | None", _parsed(self._holds, self._what, path, status.st_mtime_ns, status.st_size, status.st_ino)
        )


@lru_cache(maxsize=128)
def _parsed(holds: type[Any], what: str, path: Path, *_changed: int) -> object | None:
    """What a file holds, as long as it is the same one."""
    try:
        data = inputs.whole(path, checks.LARGEST_BYTES, f"a {what}")
        checks.scan(data)
        return cast("object", msgspec.json.decode(data, type=holds))
    except (msgspec.MsgspecError, UnicodeError, RecursionError, UserError):
        return None
