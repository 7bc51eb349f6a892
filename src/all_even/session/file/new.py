"""A session from a folder: every file that can be read becomes a lane, with a name and a guessed role."""

import dataclasses
import os
import re
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from all_even import inputs
from all_even.audio import sound_file
from all_even.audio.retune import FOLDER as RETUNED
from all_even.audio.sound_file import SoundFileError, SoundInfo
from all_even.dsp.space.convolution import ResponseFile
from all_even.errors import UserError, system_reason
from all_even.session.editing import edits
from all_even.session.model.session import Folder, Reference, Session, Use
from all_even.session.model.strips import HitChanges, Lane
from all_even.session.tracks import naming
from all_even.session.tracks.roles import display_name, guess_role

MOST_FILES = 2_000
LONGEST_NAME = 200
"""Letters of a song's or a track's name (`session.model.values.Name`)."""
LONGEST_GAP_S = 3600.0
"""BWF time references further apart than this belong to different takes and are not used."""


def sound_paths(folder: Path) -> list[Path]:
    """The folder's files with a sound file's ending, two levels deep, in natural order."""
    if not inputs.is_folder(folder):
        try:
            folder.stat()
            reason = "it is something else"
        except OSError as error:
            reason = system_reason(error)
        raise UserError(f"{sound_file.told_name(folder)} is not a folder that can be opened: {reason}.")
    folder = Path(os.path.abspath(folder))
    found: list[Path] = []
    for root, folders, names in os.walk(folder):
        depth = len(Path(root).relative_to(folder).parts)
        inside = (name for name in folders if not name.startswith(".") and name != RETUNED)
        folders[:] = sorted(inside) if depth < 2 else []
        found += [
            Path(root) / name for name in names if not name.startswith(".") and sound_file.is_sound_name(Path(name))
        ]
    return sorted(found, key=lambda path: _natural(str(path.relative_to(folder))))[:MOST_FILES]


def inspect_all(paths: Sequence[Path]) -> tuple[list[SoundInfo], list[tuple[Path, SoundFileError]]]:
    """What can be read, and what can't with its sentence."""
    good: list[SoundInfo] = []
    bad: list[tuple[Path, SoundFileError]] = []
    for path in paths:
        try:
            str(path).encode("utf-8")
            good.append(sound_file.inspect(path))
        except UnicodeEncodeError:
            name = sound_file.told_name(path)
            sentence = f"{name} can't be used: its name or its folder's is not UTF-8 text; rename it."
            bad.append((path, SoundFileError(sentence)))
        except SoundFileError as error:
            bad.append((path, error))
    return good, bad


def new_session(folder: Path, infos: Sequence[SoundInfo], name: str | None = None) -> Session:
    """The defaults of a new session: faders 0 dB, pan centre, nothing processed, no move made.

    The rate is the most frequent one among the files. Files with a BWF time reference are placed by
    it, relative to the earliest.
    """
    folder = Path(os.path.abspath(folder))
    try:
        str(folder).encode("utf-8")
    except UnicodeEncodeError:
        raise UserError(f"{sound_file.told_name(folder)} has a name that is not UTF-8 text: rename it.") from None
    rates = Counter(info.sample_rate for info in infos)
    session = Session(
        name=(name or display_name(folder.name) or "Untitled")[:LONGEST_NAME],
        sample_rate=rates.most_common(1)[0][0] if rates else 48_000,
        folders=(Folder(path=str(folder)),),
    )
    return add_files(session, 0, folder, infos)


def add_files(session: Session, folder_index: int, folder: Path, infos: Sequence[SoundInfo]) -> Session:
    """Adds a lane for each file, after the lanes that are there."""
    starts = _starts_s(infos)
    for info in infos:
        stem = sound_file.display_name(info.path).rsplit(".", 1)[0]
        inside = info.path.relative_to(folder).parent.name
        taken = {lane.name.lower() for lane in session.lanes}
        lane = Lane(
            id=edits.free_id(session, "lane-"),
            name=naming.first_name(stem, inside, taken)[:LONGEST_NAME],
            folder=folder_index,
            file=info.path.relative_to(folder).as_posix(),
            role=guess_role(stem),
            start_s=starts.get(info.path, 0.0),
        )
        session = edits.add_lanes(session, (lane,))
    return session


def add_from_anywhere(session: Session, infos: Sequence[SoundInfo]) -> Session:
    """Adds a lane for each file, wherever it lies; a folder that the session does not know yet becomes one of its."""
    places: dict[int, list[SoundInfo]] = {}
    for info in infos:
        path = Path(os.path.abspath(info.path))
        session, folder_index = _listed(session, path)
        places.setdefault(folder_index, []).append(dataclasses.replace(info, path=path))
    for index, found in places.items():
        session = add_files(session, index, Path(session.folders[index].path), found)
    return session


def add_response(session: Session, path: Path) -> tuple[Session, str]:
    """A recorded response that stations may be linked to; returns its id, an older one where it is listed already."""
    path = Path(os.path.abspath(path))
    session, index = _listed(session, path)
    inside = path.relative_to(session.folders[index].path).as_posix()
    for known in session.responses:
        if (known.folder, known.file) == (index, inside):
            return session, known.id
    response_id = edits.free_id(session, "response")
    name = display_name(path.stem)[:LONGEST_NAME]
    made = ResponseFile(id=response_id, name=name, folder=index, file=inside)
    return replace(session, responses=(*session.responses, made)), response_id


def add_reference(session: Session, path: Path, use: Use = "reference") -> Session:
    """A finished mix to compare with, kept by its place; one that is listed already stays as it is."""
    path = Path(os.path.abspath(path))
    session, index = _listed(session, path)
    inside = path.relative_to(session.folders[index].path).as_posix()
    if any((known.folder, known.file) == (index, inside) for known in session.references):
        return session
    return replace(session, references=(*session.references, Reference(folder=index, file=inside, use=use)))


def _listed(session: Session, path: Path) -> tuple[Session, int]:
    """The session with a folder that holds this file among its listed ones, and which that is."""
    known = [i for i, folder in enumerate(session.folders) if path.is_relative_to(folder.path)]
    if known:
        return session, known[0]
    return replace(session, folders=(*session.folders, Folder(path=str(path.parent)))), len(session.folders)


def replace_file(session: Session, lane_id: str, info: SoundInfo) -> Session:
    """A lane reads another file from now on; name, role and all settings stay. Changes of hits by hand go: they were
    of the other sound."""
    path = Path(os.path.abspath(info.path))
    session, index = _listed(session, path)
    inside = path.relative_to(session.folders[index].path).as_posix()
    return edits.change_strips(session, (lane_id,), folder=index, file=inside, take=None, hits=HitChanges())


def _starts_s(infos: Sequence[SoundInfo]) -> dict[Path, float]:
    stamped = {info.path: info.start_frame / info.sample_rate for info in infos if info.start_frame is not None}
    if not stamped:
        return {}
    first = min(stamped.values())
    if max(stamped.values()) - first > LONGEST_GAP_S:
        return {}
    return {path: start - first for path, start in stamped.items()}


def _natural(text: str) -> list[tuple[int, int | str]]:
    """Sorts `2 kick` before `10 bass`."""
    parts = re.split(r"(\d+)", text.lower())
    return [(0, int(part)) if part.isdigit() else (1, part) for part in parts if part]
