"""What an earlier delivery left in a folder: stems of tracks that have another name now must not lie beside new ones.

A file is taken away only if all of this holds: the former text of the same song lists it, it bears our mark, and it is
a plain file inside the folder. Any other sound file that is not of this delivery stays and is named.
"""

import contextlib
from collections.abc import Collection, Iterator
from pathlib import Path, PurePosixPath

from all_even import inputs, outputs
from all_even.audio.sound_file import is_sound_name
from all_even.errors import UserError

LIST_HEAD = "file"
"""The last word of the line over the list of files in a delivery's text."""
LARGEST_TEXT_BYTES = 4 << 20


def cleared(folder: Path, made: Collection[Path], text: Path) -> tuple[Path, ...]:
    """Takes away what the former text lists and was not made now; returns the sound files that are strange here."""
    keep = {path.resolve() for path in made}
    for path in _listed(folder, text):
        if path.resolve() not in keep and _is_ours(path):
            with contextlib.suppress(OSError):
                path.unlink()
    return strange(folder, made)


def strange(folder: Path, made: Collection[Path]) -> tuple[Path, ...]:
    """Sound files in a folder, and in folders inside it that something was made in, that were not made now."""
    keep = {path.resolve() for path in made}
    folders = sorted({folder, *(path.parent for path in made if path.is_relative_to(folder))})
    found = []
    for place in folders:
        with contextlib.suppress(OSError):
            found += [
                path for path in sorted(place.iterdir())
                if is_sound_name(path) and not path.name.startswith(".") and path.resolve() not in keep
            ]  # fmt: skip
    return tuple(found)


def _listed(folder: Path, text: Path) -> Iterator[Path]:
    """The files that a text of ours lists, inside its folder."""
    try:
        content = inputs.whole(text, LARGEST_TEXT_BYTES, "a text of ours").decode("utf-8", "replace")
    except UserError:
        return
    lines = content.split("\n")
    if not outputs.TEXT.is_one(content.encode()):
        return
    heads = [place for place, line in enumerate(lines) if line.split()[-1:] == [LIST_HEAD]]
    for line in lines[heads[-1] + 1 :] if heads else ():
        parts = line.rsplit(" (", 1)[0].split(None, 2)
        inner = PurePosixPath(parts[2]) if len(parts) == 3 else None
        if inner is not None and not inner.is_absolute() and ".." not in inner.parts:
            yield folder / inner


def _is_ours(path: Path) -> bool:
    """A plain file that we printed; no link, and none that leads to one on its way."""
    try:
        if path.is_symlink() or path.parent.is_symlink() or not path.is_file():
            return False
        with path.open("rb") as file:
            return outputs.MARK in file.read(outputs.HEAD_BYTES)
    except OSError:
        return False
