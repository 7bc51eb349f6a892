"""The session's file: written so that no crash can lose it, read as the untrusted input it is.

Writing: beside the target, fsync, keep the previous version, rename, fsync the folder. Reading:
size, depth and field checks, each with one sentence. Who has it open: `session.file.lock`.
"""

import contextlib
import hashlib
import os
import threading
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Self

import msgspec
from msgspec.structs import replace

from all_even import inputs, outputs
from all_even.errors import UserError, short_name, system_reason
from all_even.outputs import Recordings
from all_even.session.file import checks, limits, older
from all_even.session.model.ledger import LedgerEntry
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


def decode(data: bytes, name: str, repairs: list[str] | None = None) -> Session:
    """Reads JSON; `name` is used in the sentence of an error. repairs: takes a sentence for everything that earlier
    versions wrote and that can't be as it is; without it that is an error too."""
    try:
        checks.scan(data)
    except checks.NotASession as error:
        raise SessionFileError(f"{short_name(name)} {error}") from None
    return _decoded(data, short_name(name), repairs)


def _decoded(data: bytes, name: str, repairs: list[str] | None = None) -> Session:
    """`decode` of bytes that are known to be no larger and no deeper than a session."""
    try:
        try:
            session = _present(data)
        except msgspec.ValidationError:
            if repairs is None:
                raise
            plain = limits.plain(data)
            found = limits.cut(plain)
            if not found:
                raise
            session = _present(msgspec.json.encode(plain))
            repairs += found
        if session.format_version <= FORMAT_VERSION:
            return replace(checks.checked(session, repairs), format_version=FORMAT_VERSION)
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


@dataclass(frozen=True, slots=True)
class Loaded:
    """repairs: what could not stay as the file had it, a sentence each. seen: the file as it was read."""

    session: Session
    repairs: tuple[str, ...]
    seen: "Seen"


def load(path: Path) -> Session:
    """Opens a session file; its folders come back as absolute paths."""
    return read(path).session


def read(path: Path) -> Loaded:
    """Opens a session file, and tells what had to be repaired."""
    repairs: list[str] = []
    data = _bytes(path)
    session = decode(data, path.name, repairs)
    home = path.resolve().parent
    folders = tuple(replace(folder, path=str(_found_folder(folder, home))) for folder in session.folders)
    moved = {old.path: new.path for old, new in zip(session.folders, folders, strict=True)}
    ledger = tuple(_with_folders(entry, moved) for entry in session.ledger)
    return Loaded(replace(session, folders=folders, ledger=ledger), tuple(repairs), Seen.of(data))


def _with_folders(entry: LedgerEntry, moved: dict[str, str]) -> LedgerEntry:
    """A line whose state looks for its files where the session's are now."""
    if entry.state is None or not entry.state.folders or all(old == new for old, new in moved.items()):
        return entry
    folders = tuple(replace(item, path=moved.get(item.path, item.path)) for item in entry.state.folders)
    return replace(entry, state=replace(entry.state, folders=folders))


@dataclass(frozen=True, slots=True)
class Seen:
    """A session file's content as somebody saw it last."""

    digest: bytes

    @classmethod
    def of(cls, data: bytes) -> Self:
        return cls(hashlib.blake2b(data, digest_size=16).digest())

    def is_still(self, path: Path) -> bool:
        """Whether the file holds the same still; also where it is gone, or can't be read: then nothing is lost."""
        try:
            return Seen.of(_bytes(path)) == self
        except SessionFileError:
            return True


def _bytes(path: Path) -> bytes:
    try:
        return inputs.whole(path, checks.LARGEST_BYTES, "a session")
    except inputs.Unreadable as error:
        raise SessionFileError(str(error)) from None


def save(session: Session, path: Path, *, previous: bool = True) -> Seen:
    """Writes the session; at every moment either the old or the new file is whole at `path`. Returns what is there now.

    Links are followed. The version before stays beside it as `NAME.previous` (previous). What would not open again is
    not written; nor is anything over a file that is no session (`outputs.allowed`). Saves of one process
    wait for each other, so that the last one asked for is the one that stays.
    """
    with _SAVING:
        return _save(session, path, previous)


def _save(session: Session, path: Path, previous: bool) -> Seen:
    name = short_name(path.name)
    try:
        target = outputs.allowed(path, outputs.SESSION, recordings(session))
    except UserError as error:
        raise SessionFileError(str(error)) from None
    folders = tuple(replace(folder, relative=_relative(folder.path, target.parent)) for folder in session.folders)
    try:
        limits.check(session)
        data = encode(replace(session, folders=folders))
        checks.count(data)  # how deep it is, the types say
        _decoded(data, name)
    except limits.LimitError as error:
        raise SessionFileError(f"{name} can't be written: {str(error)[0].lower()}{str(error)[1:]}") from None
    except checks.NotASession:
        raise SessionFileError(
            f"{name} can't be written: the session has grown larger than can be opened again; remove snapshots."
        ) from None
    except SessionFileError as error:
        raise SessionFileError(f"{name} can't be written, it would not open again: {error}") from None
    try:
        if previous and target.exists():
            _keep_previous(target)
        outputs.write_whole(target, data)
    except OSError as error:
        raise SessionFileError(f"{name} can't be written: {system_reason(error)}.") from None
    return Seen.of(data)


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


def _found_folder(folder: Folder, home: Path) -> Path:
    """The place beside the session file first, so that a moved pair of them still fits together."""
    if folder.relative is not None:
        beside = Path(os.path.normpath(home / folder.relative))
        if inputs.is_folder(beside):
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
