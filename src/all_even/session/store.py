"""The session's file: written so that no crash can lose it, read as the untrusted input it is.

Writing: beside the target, fsync, keep the previous version, rename, fsync the folder. Reading:
size, depth and field checks, each with one sentence. A lock that the kernel holds tells a second
window on the same session; a kill leaves none behind.
"""

import fcntl
import hashlib
import os
import re
import threading
from pathlib import Path, PurePosixPath

import msgspec
from msgspec.structs import replace

from all_even import places
from all_even.errors import UserError
from all_even.session import routing
from all_even.session.model import FORMAT_VERSION, Folder, Lane, Session

SUFFIX = ".alleven"
LARGEST_BYTES = 64 << 20
DEEPEST = 32
PREVIOUS = ".previous"
_SAVING = threading.Lock()


class SessionFileError(UserError):
    """A session file that can't be opened or written, in one sentence."""


def encode(session: Session) -> bytes:
    """The session as indented JSON with a final newline."""
    return msgspec.json.format(msgspec.json.encode(session), indent=1) + b"\n"


def decode(data: bytes, name: str) -> Session:
    """Reads JSON; `name` is used in the sentence of an error."""
    if len(data) > LARGEST_BYTES:
        raise SessionFileError(f"{name} is too large to be a session: over {LARGEST_BYTES >> 20} MB.")
    if _depth(data) > DEEPEST:
        raise SessionFileError(f"{name} is not a session: it is nested deeper than any session is.")
    try:
        session = msgspec.json.decode(data, type=Session)
    except msgspec.ValidationError as error:
        newer = _newer_version(data)
        if newer:
            raise SessionFileError(
                f"{name} was written by a newer All Even (format {newer}; this one reads {FORMAT_VERSION})."
            ) from None
        raise SessionFileError(f"{name} is not a usable session: {_plain(str(error))}.") from None
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        raise SessionFileError(f"{name} is not a session: it is damaged or no JSON at all.") from None
    if session.format_version > FORMAT_VERSION:
        raise SessionFileError(
            f"{name} was written by a newer All Even "
            f"(format {session.format_version}; this one reads {FORMAT_VERSION})."
        )
    _check(session, name)
    return replace(session, format_version=FORMAT_VERSION)


def load(path: Path) -> Session:
    """Opens a session file; its folders come back as absolute paths."""
    try:
        if path.is_dir():
            raise SessionFileError(f"{path.name} is a folder, not a session file.")
        if path.stat().st_size > LARGEST_BYTES:
            raise SessionFileError(f"{path.name} is too large to be a session: over {LARGEST_BYTES >> 20} MB.")
        data = path.read_bytes()
    except FileNotFoundError:
        raise SessionFileError(f"{path.name} is not there: {path.parent} has no such file.") from None
    except OSError as error:
        raise SessionFileError(f"{path.name} can't be read: {_reason(error)}.") from None
    session = decode(data, path.name)
    home = path.resolve().parent
    folders = tuple(replace(folder, path=str(_found_folder(folder, home))) for folder in session.folders)
    return replace(session, folders=folders)


def save(session: Session, path: Path) -> None:
    """Writes the session; at every moment either the old or the new file is whole at `path`.

    Links are followed. The version before stays beside it as `NAME.previous`. Saves of one process
    wait for each other, so that the last one asked for is the one that stays.
    """
    with _SAVING:
        _save(session, path)


def _save(session: Session, path: Path) -> None:
    target = Path(os.path.realpath(path))
    folders = tuple(replace(folder, relative=os.path.relpath(folder.path, target.parent)) for folder in session.folders)
    data = encode(replace(session, folders=folders))
    beside = places.beside(target)
    try:
        with beside.open("wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if target.exists():
            previous = target.with_name(target.name + PREVIOUS)
            previous_part = places.beside(previous)
            try:
                os.link(target, previous_part)
                previous_part.replace(previous)
            except OSError:  # a file system without hard links: the new file is still safe
                previous_part.unlink(missing_ok=True)
        beside.replace(target)
        folder_fd = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(folder_fd)
        finally:
            os.close(folder_fd)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise SessionFileError(f"{path.name} can't be written: {_reason(error)}.") from None


def source_paths(session: Session) -> set[Path]:
    """The recordings of a session, resolved; nothing may ever be written over them."""
    found = set()
    for lane in session.lanes:
        try:
            found.add(lane_path(session, lane).resolve())
        except SessionFileError:
            continue  # refused entries are not read either
    return found


def lane_path(session: Session, lane: Lane) -> Path:
    """Where the lane's file is; an entry that climbs out of its listed folder is a SessionFileError."""
    inner = PurePosixPath(lane.file)
    if lane.folder >= len(session.folders) or inner.is_absolute() or ".." in inner.parts:
        raise SessionFileError(f"{lane.file} is refused: it is not inside the session's listed folders.")
    folder = Path(session.folders[lane.folder].path)
    path = folder / inner
    # A symbolic link may lead elsewhere only if the folder itself does.
    if path.is_symlink() and not path.resolve().is_relative_to(folder.resolve()):
        raise SessionFileError(f"{lane.file} is refused: it is a link out of the session's listed folder.")
    return path


class Lock:
    """Holds a session file for one window; `held` is False where another window has it.

    The lock file lies in the user's data folder, named after the session's place, and stays there:
    only the kernel's lock on it counts.
    """

    def __init__(self, path: Path) -> None:
        key = hashlib.blake2b(os.fsencode(os.path.realpath(path)), digest_size=16).hexdigest()
        self._fd: int | None = None
        self.held = True
        try:
            self._fd = os.open(places.data_folder("locks") / key, os.O_RDWR | os.O_CREAT, 0o600)
            fcntl.flock(self._fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.held = False
        except OSError:
            pass  # no place for locks: then there is no second window to find either

    def release(self) -> None:
        """Lets go; harmless when called twice."""
        if self._fd is not None:
            os.close(self._fd)
            self._fd = None
        self.held = False


def _found_folder(folder: Folder, home: Path) -> Path:
    """The place beside the session file first, so that a moved pair of them still fits together."""
    if folder.relative is not None:
        beside = Path(os.path.normpath(home / folder.relative))
        if beside.is_dir():
            return beside
    return Path(folder.path)


def _check(session: Session, name: str) -> None:
    ids = [lane.id for lane in session.lanes]
    if len(set(ids)) != len(ids):
        raise SessionFileError(f"{name} is not a usable session: two lanes have one id.")
    for lane in session.lanes:
        if lane.folder >= len(session.folders):
            raise SessionFileError(f"{name} is not a usable session: {lane.name} is in a folder it does not list.")
    stations = [station.id for chain in (*(s.chain for s in session.strips), session.mix.chain) for station in chain]
    if len(set(stations)) != len(stations):
        raise SessionFileError(f"{name} is not a usable session: two stations have one id.")
    try:
        routing.check(session)
    except routing.RoutingError as error:
        raise SessionFileError(f"{name} is not a usable session: {error}") from None


def _depth(data: bytes) -> int:
    """How deeply brackets are nested outside of strings."""
    bare = re.sub(rb'"(?:[^"\\]|\\.)*"', b"", data)
    deepest = depth = 0
    for bracket in re.findall(rb"[\[\]{}]", bare):
        depth += 1 if bracket in b"[{" else -1
        deepest = max(deepest, depth)
    return deepest


def _newer_version(data: bytes) -> int | None:
    class OnlyVersion(msgspec.Struct):
        format_version: int = 0

    try:
        version = msgspec.json.decode(data, type=OnlyVersion).format_version
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None
    return version if version > FORMAT_VERSION else None


def _plain(sentence: str) -> str:
    """The checker's words without its notation: `Expected ... - at `$.lanes[3].pan``."""
    what, _, where = sentence.partition(" - at ")
    place = where.strip("`").removeprefix("$").removeprefix(".")
    place = re.sub(r"\[(\d+)\]", lambda match: f" {int(match[1]) + 1}", place).replace(".", ", ")
    what = what[:1].lower() + what[1:].replace("`", "“", 1).replace("`", "”", 1)
    return f"{what} in {place}" if place and place != "[...]" else what


def _reason(error: OSError) -> str:
    return os.strerror(error.errno or 5).lower()
