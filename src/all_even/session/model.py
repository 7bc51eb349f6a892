"""The session: one immutable value that holds all that the user decided.

An edit is a function from a session to a session (`session.edits`). Nothing measured lives here
except what a move promised and found, because that is part of the ledger. The file format is this
model as JSON; docs/session-format.md is made from it.
"""

from typing import Annotated, Literal

from msgspec import Meta, Struct

from all_even.decibels import OFF_DB
from all_even.dsp.ducker import DuckShape
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.pan import PanLaw
from all_even.dsp.parameter import LEVEL, TRIM
from all_even.dsp.processor import Identifier

FORMAT_VERSION = 3
"""2: chains, routing, automation. 3: hits changed by hand. Older files are read as sessions without them."""

Text = Annotated[str, Meta(max_length=4000)]
Name = Annotated[str, Meta(max_length=200)]
LevelDb = Annotated[float, Meta(ge=OFF_DB, le=LEVEL.high)]
TrimDb = Annotated[float, Meta(ge=TRIM.low, le=TRIM.high)]
Pan = Annotated[float, Meta(ge=-1.0, le=1.0)]
LONGEST_S = 1e6
Seconds = Annotated[float, Meta(ge=0.0, le=LONGEST_S)]
ChannelNumber = Annotated[int, Meta(ge=1, le=1024)]


class Value(Struct, frozen=True, forbid_unknown_fields=True):
    """Base of everything in a session: frozen, compared by value, unknown fields refused."""


class Folder(Value, frozen=True, kw_only=True):
    """A folder of source files: where it was, and where that is from the session file."""

    path: Text
    relative: Text | None = None


MIX = "mix"
"""The mix bus, as a destination and as a strip."""
NOWHERE = "nowhere"
"""The destination of a silent trigger: computed for its keys only."""


class Point(Value, frozen=True, kw_only=True):
    """One breakpoint; two at the same time make a step."""

    time_s: Seconds
    value: Annotated[float, Meta(ge=-1e6, le=1e6)]


class Automation(Value, frozen=True, kw_only=True):
    """A setting over time, straight between its points and level outside them.

    parameter: `level_db`, `pan`, `send:ID` (the level of the send to that bus), or `STATION.FIELD`,
    `STATION.bands.N.FIELD`. Points rise in time.
    """

    parameter: Name
    points: Annotated[tuple[Point, ...], Meta(min_length=1, max_length=20_000)]


class Send(Value, frozen=True, kw_only=True):
    """A copy to another bus. After fader and pan; pre_fader: before the fader, with the pan."""

    to: Identifier
    level_db: LevelDb = 0.0
    pre_fader: bool = False
    on: bool = True


class Strip(Value, frozen=True, kw_only=True):
    """What lanes and buses have in common, in the order of the signal.

    chain: stations before the fader. level_db: fader; -120 is off. pan: -1 left to 1 right; balance of a
    stereo sound. destination: a bus, `mix`, or `nowhere`. group: the folder group that holds it.
    """

    id: Identifier
    name: Name
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=64)] = ()
    level_db: LevelDb = 0.0
    pan: Pan = 0.0
    polarity_inverted: bool = False
    mute: bool = False
    solo: bool = False
    destination: Identifier = MIX
    sends: Annotated[tuple[Send, ...], Meta(max_length=64)] = ()
    group: Identifier | None = None
    automation: Annotated[tuple[Automation, ...], Meta(max_length=500)] = ()


class HitChanges(Value, frozen=True, kw_only=True):
    """What the user changed about the measured hits of a lane, in seconds of its file, rising.

    A measured hit within 15 ms of a time in `removed_s` does not count; those in `added_s` do.
    """

    added_s: Annotated[tuple[Seconds, ...], Meta(max_length=100_000)] = ()
    removed_s: Annotated[tuple[Seconds, ...], Meta(max_length=100_000)] = ()


class Lane(Strip, frozen=True, kw_only=True):
    """One track. `file`: path inside `folders[folder]`, with forward slashes.

    take: channels of the file that are used, counted from 1; None takes all. start_s: where the file
    begins on the session's time line.
    """

    folder: Annotated[int, Meta(ge=0)] = 0
    file: Text
    role: Name = "unknown"
    take: Annotated[tuple[ChannelNumber, ...], Meta(min_length=1, max_length=2)] | None = None
    start_s: Seconds = 0.0
    hidden: bool = False
    hits: HitChanges = HitChanges()


class Bus(Strip, frozen=True, kw_only=True):
    """A sum with a chain of its own. use: summing group, parallel bus or return; they work alike."""

    use: Literal["group", "parallel", "return"] = "group"

    @property
    def role(self) -> str:
        return {"group": "summing group", "parallel": "parallel bus", "return": "return"}[self.use]

    @property
    def hidden(self) -> bool:
        return False


class FolderGroup(Value, frozen=True, kw_only=True):
    """One level, mute and solo for lanes and buses that only move together; no sound passes through it."""

    id: Identifier
    name: Name
    level_db: LevelDb = 0.0
    mute: bool = False
    solo: bool = False
    group: Identifier | None = None

    @property
    def role(self) -> str:
        return "folder group"

    @property
    def hidden(self) -> bool:
        return False


class MixSettings(Value, frozen=True, kw_only=True):
    """What happens to the sum. trim_db: one gain at the head of the mix bus, before its chain."""

    trim_db: TrimDb = 0.0
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=64)] = ()
    automation: Annotated[tuple[Automation, ...], Meta(max_length=500)] = ()


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
    buses: tuple[Bus, ...] = ()
    folder_groups: tuple[FolderGroup, ...] = ()
    shapes: tuple[DuckShape, ...] = ()


Evidence = Annotated[dict[Name, float | int | Text | None], Meta(max_length=200)]


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
    buses: Annotated[tuple[Bus, ...], Meta(max_length=500)] = ()
    folder_groups: Annotated[tuple[FolderGroup, ...], Meta(max_length=500)] = ()
    shapes: Annotated[tuple[DuckShape, ...], Meta(max_length=200)] = ()
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

    def bus(self, bus_id: str) -> Bus:
        """The bus with this id; KeyError where there is none."""
        for bus in self.buses:
            if bus.id == bus_id:
                return bus
        raise KeyError(bus_id)

    @property
    def strips(self) -> tuple[Strip, ...]:
        """Lanes, then buses."""
        return (*self.lanes, *self.buses)

    def strip(self, strip_id: str) -> Strip:
        """The lane or bus with this id; KeyError where there is none."""
        for strip in self.strips:
            if strip.id == strip_id:
                return strip
        raise KeyError(strip_id)

    @property
    def members(self) -> tuple[Strip | FolderGroup, ...]:
        """All that has a level, mute and solo: lanes, buses, folder groups."""
        found: list[Strip | FolderGroup] = [*self.lanes, *self.buses, *self.folder_groups]
        return tuple(found)

    def member(self, member_id: str) -> Strip | FolderGroup:
        """The lane, bus or folder group with this id; KeyError where there is none."""
        for item in self.members:
            if item.id == member_id:
                return item
        raise KeyError(member_id)

    def chain(self, strip_id: str) -> tuple[AnyProcessor, ...]:
        """The stations of a lane, a bus, or the mix bus."""
        return self.mix.chain if strip_id == MIX else self.strip(strip_id).chain

    def strip_name(self, strip_id: str) -> str:
        """What people call a lane, bus, folder group or destination."""
        if strip_id in (MIX, NOWHERE):
            return "the mix" if strip_id == MIX else "nowhere"
        return next((item.name for item in self.members if item.id == strip_id), strip_id)
