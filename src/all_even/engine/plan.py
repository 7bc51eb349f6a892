"""The plan: what has to be computed for a session, as a value that threads can share.

A plan is built from the session and its opened sources. It holds no settings that could change
while it is used; an edit makes a new plan. Between two plans with the same lanes the player moves
every gain smoothly.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.audio import decoded, sound_file
from all_even.audio.decoded import Frames
from all_even.dsp import pan
from all_even.errors import UserError
from all_even.session import store
from all_even.session.model import Lane, Session


@dataclass(frozen=True, slots=True, eq=False)
class LanePlan:
    """One lane: its frames, where it starts on the time line, and its gains (channels, 2).

    gains: level, polarity, pan, mute and solo; the trim of the mix bus comes after the sum. audible:
    whether any of them is not 0.
    """

    lane_id: str
    source: Frames
    start_frame: int
    gains: NDArray[np.float64]
    audible: bool

    @property
    def end_frame(self) -> int:
        return self.start_frame + self.source.frames


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """All lanes and the mix bus. frames: the song's length."""

    sample_rate: int
    frames: int
    lanes: tuple[LanePlan, ...]
    trim: float

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate


@dataclass(slots=True)
class Sources:
    """The opened files of a session, by lane. A file that can't be opened has a sentence instead."""

    frames: dict[str, Frames] = field(default_factory=dict)
    problems: dict[str, str] = field(default_factory=dict)
    _opened_as: dict[str, tuple[str, int, tuple[int, ...] | None]] = field(default_factory=dict)

    def update(self, session: Session) -> None:
        """Opens what the session needs and is not open; decodes and resamples where needed (slow)."""
        for lane in session.lanes:
            self.open_lane(session, lane)

    def open_lane(self, session: Session, lane: Lane) -> None:
        try:
            path = store.lane_path(session, lane)
            wanted = (str(path), session.sample_rate, lane.take)
            if self._opened_as.get(lane.id) == wanted and lane.id in self.frames:
                return
            self.frames.pop(lane.id, None)
            info = sound_file.inspect_pair(path, lane.take) if lane.take else sound_file.inspect(path)
            self.frames[lane.id] = decoded.open_frames(info, session.sample_rate, lane.take)
            self._opened_as[lane.id] = wanted
            self.problems.pop(lane.id, None)
        except UserError as error:
            self.problems[lane.id] = str(error)
        except OSError:
            self.problems[lane.id] = f"{lane.file} can't be opened: the disk refuses it."


def lane_gains(session: Session, lane: Lane, channels: int) -> NDArray[np.float64]:
    """(channels, 2) gains of a lane as it goes to the mix bus; zeros where it is not heard."""
    if not session.sounding(lane):
        return np.zeros((channels, 2))
    gain = decibels.gain(lane.level_db) * (-1.0 if lane.polarity_inverted else 1.0)
    return gain * pan.matrix(channels, lane.pan, session.pan_law)


def make_plan(session: Session, sources: Sources | Mapping[str, Frames]) -> Plan:
    """The plan of a session; lanes without an opened file are left out."""
    opened = sources.frames if isinstance(sources, Sources) else sources
    lanes = []
    for lane in session.lanes:
        if lane.id in opened:
            source = opened[lane.id]
            gains = lane_gains(session, lane, source.channels)
            start_frame = round(lane.start_s * session.sample_rate)
            lanes.append(LanePlan(lane.id, source, start_frame, gains, bool(gains.any())))
    return Plan(
        sample_rate=session.sample_rate,
        frames=max((lane.end_frame for lane in lanes), default=0),
        lanes=tuple(lanes),
        trim=decibels.gain(session.mix.trim_db),
    )
