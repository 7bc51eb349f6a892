"""The opened files of a session and of its snapshots, each by what it is: place, rate, channels.

A lane of a snapshot may read another file, or other channels of it, than the lane of the same id does now.
So sounds are kept by what is read, not by who reads it: asking for one state never changes what another
one plays, and two lanes that read the same share it. Nothing is closed while something may still read it.
Safe to use from any thread.
"""

import contextlib
import threading
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeAlias

from all_even.audio import decoded, sound_file
from all_even.audio.content import content_hash
from all_even.audio.decoded import Frames
from all_even.errors import UserError, short_name
from all_even.session.file import store
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Opened: TypeAlias = "Sources | Mapping[str, Frames]"
"""The sounds of a session: opened files, or sounds in memory by lane id."""

LONGEST_SONG_S = 6 * 3600.0
"""A lane that would end later is left out: rendering days of silence helps nobody."""

Entry = tuple[str, str, int, tuple[int, ...] | None]
"""Folder, file inside it, session rate, channels."""
Content = tuple[int, int, int, int, int, int, tuple[int, ...] | None]
"""Device, inode, size and both times of change of a file, rate, channels."""


@dataclass(frozen=True, slots=True)
class _Found:
    """content: which sound it was when it was opened. One of frames and problem is there."""

    content: Content | None
    frames: Frames | None = None
    problem: str | None = None


class Sources:
    """A file that can't be opened has a sentence instead."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._entries: dict[Entry, _Found] = {}
        self._sounds: dict[Content, Frames] = {}
        self._identities: dict[Content, str] = {}
        _allow_many_files()

    def update(self, session: Session) -> None:
        """Opens what the session needs and is not open; decodes and resamples where needed (slow)."""
        for lane in session.lanes:
            self.open_lane(session, lane)

    def open_lane(self, session: Session, lane: Lane) -> None:
        """Opens one lane's file, anew where the file is not the one it was."""
        entry = _entry(session, lane)
        content = None
        try:
            path = store.lane_path(session, lane)
            with contextlib.suppress(OSError, ValueError):  # `inspect` says why
                status = path.stat()
                content = (
                    status.st_dev, status.st_ino, status.st_size, status.st_mtime_ns, status.st_ctime_ns,
                    session.sample_rate, lane.take,
                )  # fmt: skip
            with self._lock:
                known = self._entries.get(entry)
                if known is not None and known.frames is not None and known.content == content:
                    return
                frames = self._sounds.get(content) if content is not None else None
            if frames is None:
                info = sound_file.inspect_pair(path, lane.take) if lane.take else sound_file.inspect(path)
                frames = decoded.open_frames(info, session.sample_rate, lane.take)
            found = _Found(content, frames)
        except UserError as error:
            found = _Found(content, problem=str(error))
        except (OSError, RuntimeError):  # the decoder's own errors are RuntimeErrors
            found = _Found(content, problem=f"{short_name(lane.file)} can't be opened: the disk refuses it.")
        with self._lock:
            self._entries[entry] = found
            if content is not None and found.frames is not None:
                self._sounds[content] = found.frames

    def frames(self, session: Session) -> dict[str, Frames]:
        """What the lanes of this state read, by lane id; lanes that are not open, or end too late, are left out."""
        with self._lock:
            found = {lane.id: self._entries.get(_entry(session, lane)) for lane in session.lanes}
        return {
            lane.id: entry.frames
            for lane in session.lanes
            if (entry := found[lane.id]) is not None
            and entry.frames is not None
            and _end_s(session, lane, entry.frames) <= LONGEST_SONG_S
        }

    def identities(self, session: Session) -> dict[str, str]:
        """Which sound each open lane reads, by lane id: the same words, the same sound, wherever the file lies."""
        with self._lock:
            found = {lane.id: (lane, self._entries.get(_entry(session, lane))) for lane in session.lanes}
        return {
            lane_id: self._identity(session, lane, entry)
            for lane_id, (lane, entry) in found.items()
            if entry is not None and entry.frames is not None
        }

    def _identity(self, session: Session, lane: Lane, entry: _Found) -> str:
        """By content; by place and time where the file can't be read any more."""
        known = self._identities.get(entry.content) if entry.content is not None else None
        if known is None:
            try:
                known = f"{content_hash(store.lane_path(session, lane))} {session.sample_rate} {lane.take}"
            except (OSError, UserError, ValueError):
                known = str(entry.content)
            if entry.content is not None:
                self._identities[entry.content] = known
        return known

    def problems(self, session: Session) -> dict[str, str]:
        """The sentence of each lane that can't be heard, by lane id."""
        sentences = {}
        for lane in session.lanes:
            with self._lock:
                entry = self._entries.get(_entry(session, lane))
            if entry is None:
                continue
            if entry.problem is not None:
                sentences[lane.id] = entry.problem
            elif entry.frames is not None and _end_s(session, lane, entry.frames) > LONGEST_SONG_S:
                sentences[lane.id] = (
                    f"{short_name(lane.name)} is left out: it would end after "
                    f"{LONGEST_SONG_S / 3600:.0f} hours, and no song is as long."
                )
        return sentences


def frames_of(session: Session, sources: Opened) -> Mapping[str, Frames]:
    """What the lanes of a session read, by lane id; sounds in memory are taken as they are."""
    return sources.frames(session) if isinstance(sources, Sources) else sources


def _entry(session: Session, lane: Lane) -> Entry:
    folder = session.folders[lane.folder].path if lane.folder < len(session.folders) else ""
    return folder, lane.file, session.sample_rate, lane.take


def _end_s(session: Session, lane: Lane, frames: Frames) -> float:
    return lane.start_s + frames.frames / session.sample_rate


def _allow_many_files() -> None:
    """Each plain file stays open; a session may have more of them than a process may open at first."""
    with contextlib.suppress(ImportError, OSError, ValueError):
        import resource

        soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
        wanted = 8192 if hard == resource.RLIM_INFINITY else min(hard, 8192)
        if soft != resource.RLIM_INFINITY and soft < wanted:
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
