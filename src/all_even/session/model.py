"""The session: one immutable value that holds all that the user decided.

An edit is a function from a session to a session (`session.edits`). Nothing measured lives here
except what a move promised and found, because that is part of the ledger. The file format is this
model as JSON; docs/session-format.md is made from it.
"""

from typing import Annotated, Literal

from msgspec import Meta, Struct

from all_even.decibels import OFF_DB
from all_even.dsp.pan import PanLaw
from all_even.dsp.parameter import LEVEL, TRIM

FORMAT_VERSION = 1

Text = Annotated[str, Meta(max_length=4000)]
Name = Annotated[str, Meta(max_length=200)]
Identifier = Annotated[str, Meta(max_length=80, pattern="^[A-Za-z0-9_.:-]+$")]
LevelDb = Annotated[float, Meta(ge=OFF_DB, le=LEVEL.high)]
TrimDb = Annotated[float, Meta(ge=TRIM.low, le=TRIM.high)]
Pan = Annotated[float, Meta(ge=-1.0, le=1.0)]
Seconds = Annotated[float, Meta(ge=0.0, le=1e6)]
ChannelNumber = Annotated[int, Meta(ge=1, le=1024)]


class Value(Struct, frozen=True, forbid_unknown_fields=True):
    """Base of everything in a session: frozen, compared by value, unknown fields refused."""


class Folder(Value, frozen=True, kw_only=True):
    """A folder of source files: where it was, and where that is from the session file."""

    path: Text
    relative: Text | None = None


class Lane(Value, frozen=True, kw_only=True):
    """One track. `file`: path inside `folders[folder]`, with forward slashes.

    take: channels of the file that are used, counted from 1; None takes all. start_s: where the file
    begins on the session's time line. level_db: fader; -120 is off. pan: -1 left to 1 right.
    """

    id: Identifier
    name: Name
    folder: Annotated[int, Meta(ge=0)] = 0
    file: Text
    role: Name = "unknown"
    take: Annotated[tuple[ChannelNumber, ...], Meta(min_length=1, max_length=2)] | None = None
    start_s: Seconds = 0.0
    level_db: LevelDb = 0.0
    pan: Pan = 0.0
    mute: bool = False
    solo: bool = False
    polarity_inverted: bool = False
    hidden: bool = False


class MixSettings(Value, frozen=True, kw_only=True):
    """What happens to the sum. trim_db: one gain at the head of the mix bus."""

    trim_db: TrimDb = 0.0


class Loop(Value, frozen=True, kw_only=True):
    """A section that repeats while `active`."""

    start_s: Seconds
    end_s: Seconds
    active: bool = False


class Note(Value, frozen=True, kw_only=True):
    """A remark with its place in the song and its date (ISO 8601)."""

    text: Text
    position_s: Seconds
    written: Name


class Snapshot(Value, frozen=True, kw_only=True):
    """A named state of lanes and mix bus, to come back to and to compare with."""

    name: Name
    taken: Name
    lanes: tuple[Lane, ...]
    mix: MixSettings


Evidence = dict[str, float | int | str | None]


class MoveRecord(Value, frozen=True, kw_only=True):
    """A move that was made: what it rested on, what it promised, what was measured afterwards.

    expected_from: `predicted` from figures alone, or `trial` from a rendered trial. after is None
    until it has been measured.
    """

    id: Identifier
    stage: Name
    target: Name
    title: Text
    reason: Text
    evidence: Evidence
    metric: Name
    before: float | None
    expected: float | None
    expected_from: Literal["predicted", "trial"]
    after: float | None = None


class LedgerEntry(Value, frozen=True, kw_only=True):
    """One change in a sentence, with its time (ISO 8601) and, for a move, the move."""

    when: Name
    text: Text
    reason: Text = ""
    move: MoveRecord | None = None


class Decline(Value, frozen=True, kw_only=True):
    """A move the user said no to, and why."""

    move_id: Identifier
    reason: Text = ""


class Session(Value, frozen=True, kw_only=True):
    """Everything. Limits keep a hostile file from filling memory; `session.store` checks the size."""

    format_version: Annotated[int, Meta(ge=1)] = FORMAT_VERSION
    name: Name
    sample_rate: Annotated[int, Meta(ge=4_000, le=384_000)]
    folders: Annotated[tuple[Folder, ...], Meta(max_length=100)] = ()
    lanes: Annotated[tuple[Lane, ...], Meta(max_length=2_000)] = ()
    mix: MixSettings = MixSettings()
    pan_law: PanLaw = "-3 dB"
    loop: Loop | None = None
    notes: Annotated[tuple[Note, ...], Meta(max_length=10_000)] = ()
    snapshots: Annotated[tuple[Snapshot, ...], Meta(max_length=200)] = ()
    declined: Annotated[tuple[Decline, ...], Meta(max_length=10_000)] = ()
    ledger: Annotated[tuple[LedgerEntry, ...], Meta(max_length=100_000)] = ()

    def lane(self, lane_id: str) -> Lane:
        """The lane with this id; KeyError where there is none."""
        for lane in self.lanes:
            if lane.id == lane_id:
                return lane
        raise KeyError(lane_id)

    @property
    def any_solo(self) -> bool:
        return any(lane.solo for lane in self.lanes)

    def sounding(self, lane: Lane) -> bool:
        """Whether the lane is heard: not muted, not off, and soloed where anything is."""
        return not lane.mute and lane.level_db > OFF_DB and (lane.solo or not self.any_solo)
