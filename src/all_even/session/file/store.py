"""The session's file: written so that no crash can lose it, read as the untrusted input it is.

Writing: beside the target, fsync, keep the previous version, rename, fsync the folder. Reading:
size, depth and field checks, each with one sentence. A lock that the kernel holds tells a second
window on the same session; a kill leaves none behind.
"""

import contextlib
import fcntl
import hashlib
import os
import stat
import threading
from pathlib import Path, PurePosixPath

import msgspec
from msgspec.structs import replace

from all_even import outputs, places
from all_even.errors import UserError, short_name, system_reason
from all_even.outputs import Recordings
from all_even.session.file import checks, older
from all_even.session.model.session import DECODER, FORMAT_VERSION, Folder, Session
from all_even.session.model.strips import Lane

SUFFIX = ".alleven"
PREVIOUS = ".previous"
_SAVING = threading.Lock()


class _Version(msgspec.Struct):
    format_version: int = FORMAT_VERSION


class SessionFileError(UserError):
    """A session file that can't be opened or written, in one sentence."""


def encode(session: Session) -> bytes:
    """The session as indented JSON with a final newline."""
    return msgspec.json.format(msgspec.json.encode(session), indent=1) + b"\n"


def decode(data: bytes, name: str) -> Session:
    """Reads JSON; `name` is used in the sentence of an error."""
    name = short_name(name)
    try:
        checks.scan(data)
        session = _present(data)
        if session.format_version <= FORMAT_VERSION:
            return replace(checks.checked(session), format_version=FORMAT_VERSION)
        newer: int | None = session.format_version
    except checks.NotASession as error:
        raise SessionFileError(f"{name} {error}") from None
    except msgspec.ValidationError as error:
        newer = _newer_version(data)
        if newer is None:
            raise SessionFileError(f"{name} is not a usable session: {checks.refusal(str(error))}.") from None
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        raise SessionFileError(f"{name} is not a session: it is damaged or no JSON at all.") from None
    raise SessionFileError(
        f"{name} was written by a newer All Even (format {newer}; this one reads {FORMAT_VERSION})."
    ) from None


def _present(data: bytes) -> Session:
    """The session in the present form, whatever its format."""
    version = msgspec.json.decode(data, type=_Version, strict=True).format_version
    if 1 <= version <= older.LAST_WITHOUT_MOVES:
        return older.upgraded(msgspec.json.decode(data, type=older.OlderSession))
    session = DECODER.decode(data)
    return session if version == FORMAT_VERSION else replace(session, format_version=FORMAT_VERSION)


def load(path: Path) -> Session:
    """Opens a session file; its folders come back as absolute paths."""
    session = decode(_bytes(path), path.name)
    home = path.resolve().parent
    folders = tuple(replace(folder, path=str(_found_folder(folder, home))) for folder in session.folders)
    return replace(session, folders=folders)


def _bytes(path: Path) -> bytes:
    """What is in the file: never more than a session may have, never of what is no regular file."""
    name = short_name(path.name)
    try:
        # Without waiting: a pipe that nobody writes to would never open.
        fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with contextlib.ExitStack() as closing:
            closing.callback(os.close, fd)
            status = os.fstat(fd)
            if stat.S_ISDIR(status.st_mode):
                raise SessionFileError(f"{name} is a folder, not a session file.")
            if not stat.S_ISREG(status.st_mode):
                raise SessionFileError(f"{name} is not a regular file, and no session.")
            if status.st_size > checks.LARGEST_BYTES:
                raise SessionFileError(f"{name} is too large to be a session: over {checks.LARGEST_BYTES >> 20} MB.")
            with open(fd, "rb", closefd=False) as file:
                return file.read(checks.LARGEST_BYTES + 1)
    except FileNotFoundError:
        folder = short_name(str(path.parent))
        raise SessionFileError(f"{name} is not there: {folder} has no such file.") from None
    except OSError as error:
        raise SessionFileError(f"{name} can't be read: {system_reason(error)}.") from None
    except ValueError:
        raise SessionFileError(f"{name} can't be read: no file can have that name.") from None


def save(session: Session, path: Path, *, previous: bool = True) -> None:
    """Writes the session; at every moment either the old or the new file is whole at `path`.

    Links are followed. The version before stays beside it as `NAME.previous` (previous). What would not open again is
    not written; nor is anything over a file that is no session (`outputs.allowed`). Saves of one process
    wait for each other, so that the last one asked for is the one that stays.
    """
    with _SAVING:
        _save(session, path, previous)


def _save(session: Session, path: Path, previous: bool) -> None:
    name = short_name(path.name)
    try:
        target = outputs.allowed(path, outputs.SESSION, recordings(session))
    except UserError as error:
        raise SessionFileError(str(error)) from None
    folders = tuple(replace(folder, relative=_relative(folder.path, target.parent)) for folder in session.folders)
    data = encode(replace(session, folders=folders))
    try:
        checks.scan(data)
    except checks.NotASession:
        raise SessionFileError(
            f"{name} can't be written: the session has grown larger than can be opened again; remove snapshots."
        ) from None
    try:
        if previous and target.exists():
            _keep_previous(target)
        outputs.write_whole(target, data)
    except OSError as error:
        raise SessionFileError(f"{name} can't be written: {system_reason(error)}.") from None


def _keep_previous(target: Path) -> None:
    """A second name for the version that is there; on a file system without hard links it is left out."""
    previous = target.with_name(target.name + PREVIOUS)
    with contextlib.suppress(OSError):
        beside = outputs.Beside(previous)
        try:
            beside.path.unlink()
            os.link(target, beside.path)
            beside.path.replace(previous)
        finally:
            beside.discard()


def _relative(folder: str, home: Path) -> str | None:
    """From the session file to the folder; None where that can't be said."""
    try:
        return os.path.relpath(folder, home)
    except ValueError:
        return None


def recordings(session: Session) -> Recordings:
    """What nothing may be written over: the files of all lanes, in snapshots too, and the folders' recordings."""
    lanes = {(lane.folder, lane.file): lane for lane in session.lanes}
    for snapshot in session.snapshots:
        lanes.update({(lane.folder, lane.file): lane for lane in snapshot.lanes})
    paths = []
    for lane in lanes.values():
        with contextlib.suppress(SessionFileError):  # refused entries are not read either
            paths.append(lane_path(session, lane))
    return outputs.recordings(paths, [Path(folder.path) for folder in session.folders])


def lane_path(session: Session, lane: Lane) -> Path:
    """Where the lane's file is; an entry that leaves its listed folder is a SessionFileError."""
    return listed_path(session, lane.folder, lane.file)


def listed_path(session: Session, folder_index: int, file: str) -> Path:
    """Where a file inside a listed folder is; an entry that leaves it is a SessionFileError.

    Also through a link anywhere on its way: a link may lead elsewhere only if the listed folder itself is one.
    """
    name = short_name(file)
    inner = PurePosixPath(file)
    if folder_index >= len(session.folders) or inner.is_absolute() or ".." in inner.parts:
        raise SessionFileError(f"{name} is refused: it is not inside the session's listed folders.")
    folder = Path(session.folders[folder_index].path)
    path = folder / inner
    try:
        real, real_folder = Path(os.path.realpath(path)), Path(os.path.realpath(folder))
    except (OSError, ValueError):
        raise SessionFileError(f"{name} can't be opened: no file can have that name.") from None
    if not real.is_relative_to(real_folder):
        raise SessionFileError(
            f"{name} is refused: a link on its way leads out of the listed folder {short_name(folder.name)}."
        )
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
        except (OSError, UserError):
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
        with contextlib.suppress(OSError, ValueError):
            if beside.is_dir():
                return beside
    return Path(folder.path)


def _newer_version(data: bytes) -> int | None:
    class OnlyVersion(msgspec.Struct):
        format_version: int = 0

    try:
        version = msgspec.json.decode(data, type=OnlyVersion).format_version
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None
    return version if version > FORMAT_VERSION else None
