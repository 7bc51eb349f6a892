"""What may be written over, and how a file appears whole: one decision and one way for every writer.

A recording can't be made again. So a writer first asks `allowed`, which refuses any existing file that is
not of the kind that is being written, any file that a lane of the session reads (told by device and inode,
so through links and other names too), and any other recording in the session's folders: a sound file there
is replaced only if it bears our own mark. Then it writes a file with a random name beside the target, which
takes the target's place when it is whole (`Beside`).
"""

import contextlib
import os
import re
import secrets
import stat
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from all_even.errors import UserError, short_name, system_reason

MARK = b"All Even"
"""Stands in the head of the sound files we print."""
HEAD_BYTES = 1 << 16
LONGEST_NAME_BYTES = 255
STALE_S = 86_400.0
"""What a killed run left is swept when it is older than a day; a print under way is younger."""
_LEFT_BEHIND = re.compile(r"\.all-even-[0-9a-f]{16}\.part|\..+\.\d+-\d+\.part(\.\w+)?")


@dataclass(frozen=True, slots=True)
class Recordings:
    """What nothing is written over. identities: (device, inode) of files; folders: resolved, of a session."""

    identities: frozenset[tuple[int, int]] = frozenset()
    folders: tuple[Path, ...] = ()


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of file that is written. what: for sentences. is_one: whether a head of bytes is of this kind."""

    what: str
    suffixes: tuple[str, ...]
    is_one: Callable[[bytes], bool]


def _begins(*starts: bytes) -> Callable[[bytes], bool]:
    return lambda head: head.removeprefix(b"\xef\xbb\xbf").lstrip().lower().startswith(starts)


def _is_session(head: bytes) -> bool:
    text = head.lstrip()
    return text.startswith(b"{") and (b'"format_version"' in head or b'"sample_rate"' in head)


def _is_sound(head: bytes) -> bool:
    return (head[:4] in (b"RIFF", b"RF64") and head[8:12] == b"WAVE") or head[:4] == b"fLaC"


NO_RECORDINGS = Recordings()
SESSION = Kind("session", (".alleven",), _is_session)
SOUND = Kind("sound file", (".wav", ".flac"), _is_sound)
PDF = Kind("PDF page", (".pdf",), _begins(b"%pdf"))
TEXT = Kind("list of files", (".txt",), _begins(b"all even"))
HTML = Kind("HTML page", (".html",), _begins(b"<!doctype html", b"<html"))
CSV = Kind("recall sheet", (".csv",), _begins(b"name,file,role,", b"mix,value", b"\r\nmix,value"))
JSON = Kind("recall sheet", (".json",), lambda head: head.lstrip().startswith(b"{") and b'"song"' in head)


def recordings(paths: Iterable[Path], folders: Iterable[Path] = ()) -> Recordings:
    """The protection of these files (those that are there) and of the recordings in these folders."""
    found = set()
    for path in paths:
        with contextlib.suppress(OSError, ValueError):
            status = path.stat()
            found.add((status.st_dev, status.st_ino))
    real = []
    for folder in folders:
        with contextlib.suppress(OSError, ValueError, RuntimeError):
            real.append(folder.resolve())
    return Recordings(frozenset(found), tuple(real))


def allowed(path: Path, kind: Kind, protected: Recordings = NO_RECORDINGS) -> Path:
    """The real place to write to, links followed; a UserError that says why where it may not be written."""
    name = short_name(path.name)
    if path.suffix.lower() not in kind.suffixes:
        endings = " or ".join(kind.suffixes)
        raise UserError(f"{name} can't be written: the name of a {kind.what} has to end in {endings}.")
    if len(os.fsencode(path.name)) > LONGEST_NAME_BYTES:
        raise UserError(f"{name} can't be written: the name is longer than the {LONGEST_NAME_BYTES} bytes a name has.")
    try:
        target = Path(os.path.realpath(path))
        if not target.parent.is_dir():
            raise UserError(f"{name} can't be written: there is no folder {short_name(str(target.parent))}.")
        status = target.stat() if os.path.lexists(target) else None
        if status is None:
            return target
        if not stat.S_ISREG(status.st_mode):
            raise UserError(f"{name} can't be written: something that is no file is there.")
        if (status.st_dev, status.st_ino) in protected.identities:
            raise UserError(f"{name} is one of the session's recordings: choose another name.")
        if status.st_size == 0:
            return target
        with target.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except (OSError, ValueError) as error:
        reason = system_reason(error) if isinstance(error, OSError) else "the name can't be used"
        raise UserError(f"{name} can't be written: {reason}.") from None
    if not kind.is_one(head):
        raise UserError(f"{name} is there already and is no {kind.what}: choose another name.")
    if kind is SOUND and MARK not in head and any(target.is_relative_to(folder) for folder in protected.folders):
        raise UserError(f"{name} is a recording in the session's folder, not a print of ours: choose another name.")
    return target


class Beside:
    """A file that is not there yet: open under a random name in the target's folder until it is whole."""

    def __init__(self, target: Path) -> None:
        """Raises OSError where the folder refuses it. Follows no link and meets no file that is there."""
        sweep(target.parent)
        self.target = target
        self.path = target.with_name(f".all-even-{secrets.token_hex(8)}.part")
        flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        self.file: BinaryIO = os.fdopen(os.open(self.path, flags, 0o666), "w+b")
        with contextlib.suppress(OSError):  # a file that is replaced keeps who may read it
            os.fchmod(self.file.fileno(), stat.S_IMODE(target.stat().st_mode))

    def keep(self) -> None:
        """Puts it into its place: after this it is there whole, also when the power fails."""
        self.file.flush()
        os.fsync(self.file.fileno())
        self.file.close()
        self.path.replace(self.target)
        sync_folder(self.target.parent)

    def discard(self) -> None:
        """Leaves nothing behind of a file that was not kept; harmless afterwards."""
        with contextlib.suppress(OSError):
            self.file.close()
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)


def write_whole(target: Path, data: bytes) -> None:
    """Writes a file that is either the old or the new one at every moment. OSError where it can't.

    Asks nothing: for places of our own, or where `allowed` was asked.
    """
    beside = Beside(target)
    try:
        beside.file.write(data)
        beside.keep()
    finally:
        beside.discard()


def sync_folder(folder: Path) -> None:
    fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)


_swept: set[Path] = set()


def sweep(folder: Path) -> None:
    """Deletes what killed runs left unfinished in a folder more than a day ago; once while the program runs."""
    if folder in _swept:
        return
    _swept.add(folder)
    oldest = time.time() - STALE_S
    with contextlib.suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.startswith(".") and _LEFT_BEHIND.fullmatch(entry.name):
                with contextlib.suppress(OSError):
                    status = entry.stat(follow_symlinks=False)
                    if stat.S_ISREG(status.st_mode) and status.st_mtime < oldest:
                        os.unlink(entry.path)
