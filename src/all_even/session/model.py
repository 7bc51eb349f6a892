"""The session: one immutable value that holds all that the user decided.

An edit is a function from a session to a session (`session.edits`). Nothing measured lives here
except what a move promised and found, because that is part of the ledger. The file format is this
model as JSON; docs/session-format.md is made from it.
"""

from typing import Annotated, Literal

import msgspec
from msgspec import Meta, Struct

from all_even.decibels import OFF_DB
from all_even.dsp.convolution import ResponseFile
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.pan import PanLaw
from all_even.dsp.parameter import CLIP_GAIN, LEVEL, TRIM
from all_even.dsp.processor import Identifier
from all_even.dsp.shaped import DuckShape
from all_even.session.settings import Weight, WorkSettings

FORMAT_VERSION = 14
"""2: chains, routing, automation. 3: hits changed by hand. 4: moves as data. 5: targets and
weights. 6: clip gain, alternatives, seats, the song by hand. 7: anchor. 8: targets of the low
end. 9: clicks to key from. 10: importance of a lane, schools of sharing. 11: stations of Dynamics. 12: of Space, and
responses. 13: mutes as automation, school of rides. 14: references, blind comparisons, faults heard
elsewhere. `session.older` reads older files."""

Text = Annotated[str, Meta(max_length=4000)]
Name = Annotated[str, Meta(max_length=200)]
LevelDb = Annotated[float, Meta(ge=OFF_DB, le=LEVEL.high)]
TrimDb = Annotated[float, Meta(ge=TRIM.low, le=TRIM.high)]
ClipGainDb = Annotated[float, Meta(ge=CLIP_GAIN.low, le=CLIP_GAIN.high)]
Pan = Annotated[float, Meta(ge=-1.0, le=1.0)]
LONGEST_S = 1e6
Seconds = Annotated[float, Meta(ge=0.0, le=LONGEST_S)]
Serial = Annotated[int, Meta(ge=0)]
"""Of a line of the ledger, counted from 1; 0 is before the first."""
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


BACK_ROW = 4


class Lane(Strip, frozen=True, kw_only=True):
    """One track. `file`: path inside `folders[folder]`, with forward slashes.

    take: channels of the file that are used, counted from 1; None takes all. start_s: where the file
    begins on the session's time line. clip_gain_db: on the recording, before the chain. alternative: lanes of one
    such word are candidates for one part, of which one plays. seat_row: how far back it sits, 0 in front, None where
    its role puts it; its bearing is `pan`. importance: how much it matters, None where its role says it.
    """

    folder: Annotated[int, Meta(ge=0)] = 0
    file: Text
    role: Name = "unknown"
    take: Annotated[tuple[ChannelNumber, ...], Meta(min_length=1, max_length=2)] | None = None
    start_s: Seconds = 0.0
    hidden: bool = False
    hits: HitChanges = HitChanges()
    clip_gain_db: ClipGainDb = 0.0
    alternative: Identifier | None = None
    seat_row: Annotated[int, Meta(ge=0, le=BACK_ROW)] | None = None
    importance: Weight | None = None


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


class SectionMark(Value, frozen=True, kw_only=True):
    """Where a section begins, and what it is called."""

    start_s: Seconds
    name: Name


class SongMap(Value, frozen=True, kw_only=True):
    """What the user says about the song's time; None and empty: as it was found.

    tempo_bpm: of a beat. bar_s: where a bar begins. sections: rising in time, the first may begin late.
    """

    tempo_bpm: Annotated[float, Meta(ge=20.0, le=400.0)] | None = None
    bar_s: Seconds | None = None
    beats_per_bar: Annotated[int, Meta(ge=1, le=32)] = 4
    sections: Annotated[tuple[SectionMark, ...], Meta(max_length=1_000)] = ()


class Loop(Value, frozen=True, kw_only=True):
    """A section that repeats while `active`."""

    start_s: Seconds
    end_s: Seconds
    active: bool = False


class Note(Value, frozen=True, kw_only=True):
    """A remark with its place in the song and its date (ISO 8601).

    heard_on: of a fault that was heard elsewhere, where (a car, a phone, another room); it comes back when the session
    is opened, until it is settled. settled: when it was; empty before.
    """

    text: Text
    position_s: Seconds
    written: Name
    heard_on: Name = ""
    settled: Name = ""

    @property
    def is_open(self) -> bool:
        """Whether it is a fault heard elsewhere that nobody has settled."""
        return bool(self.heard_on) and not self.settled


Use = Literal["reference", "rough mix"]


class Reference(Value, frozen=True, kw_only=True):
    """A finished mix to compare with: a file inside `folders[folder]`, with forward slashes. It is never copied, and
    never part of the mix. use: somebody else's song, or the rough mix of this one."""

    folder: Annotated[int, Meta(ge=0)] = 0
    file: Text
    use: Use = "reference"


class Blind(Value, frozen=True, kw_only=True):
    """A blind comparison that was finished. way: a vote for the best of several, or which of two X is.

    options: what was compared, by name. trials: fixed beforehand. answers: of each trial, the number of the option that
    was chosen. right: of each trial of X, the number that it was; empty for votes. notes: what was written meanwhile,
    by the blind letters. verdict: the result with its chance, in words.
    """

    when: Name
    way: Literal["vote", "which is X"]
    options: Annotated[tuple[Name, ...], Meta(min_length=2, max_length=8)]
    trials: Annotated[int, Meta(ge=1, le=200)]
    answers: Annotated[tuple[Annotated[int, Meta(ge=0, le=7)], ...], Meta(max_length=200)]
    right: Annotated[tuple[Annotated[int, Meta(ge=0, le=7)], ...], Meta(max_length=200)] = ()
    notes: Annotated[tuple[Text, ...], Meta(max_length=200)] = ()
    verdict: Text = ""


class Snapshot(Value, frozen=True, kw_only=True):
    """A named state of lanes and mix bus, to come back to and to compare with.

    serial: of the ledger's last line when it was taken; None in files that did not note it.
    """

    name: Name
    taken: Name
    lanes: tuple[Lane, ...]
    mix: MixSettings
    buses: tuple[Bus, ...] = ()
    folder_groups: tuple[FolderGroup, ...] = ()
    shapes: tuple[DuckShape, ...] = ()
    serial: Serial | None = None


class State(Value, frozen=True, kw_only=True):
    """All of a session that its sound and order rest on, as it was at one moment."""

    lanes: Annotated[tuple[Lane, ...], Meta(max_length=2_000)]
    mix: MixSettings
    buses: Annotated[tuple[Bus, ...], Meta(max_length=500)] = ()
    folder_groups: Annotated[tuple[FolderGroup, ...], Meta(max_length=500)] = ()
    shapes: Annotated[tuple[DuckShape, ...], Meta(max_length=200)] = ()
    pan_law: PanLaw = "-3 dB"


Evidence = Annotated[dict[Name, float | int | Text | None], Meta(max_length=200)]


PerStrip = Annotated[dict[Name, float], Meta(max_length=20_000)]
"""Numbers by lane; or moments in s by their number."""
Names = Annotated[tuple[Name, ...], Meta(max_length=2_000)]
Parameters = Annotated[dict[Name, float | Text | PerStrip | Names | None], Meta(max_length=200)]


class Proposal(Value, frozen=True, kw_only=True):
    """A move as data: what it would do to whom, why, and what is expected of it.

    kind: the rule that knows how to make it (`stages`). targets: lanes or buses, or `mix`; none where it is about the
    whole session. parameters: what the edit is made with. metric, arguments: the figure it is judged by. before,
    expected: that figure now and afterwards, within `tolerance`; None where it can't be known yet. source: from figures
    alone (`predicted`) or from a rendered trial. rests_on: fingerprints of what was looked at; where one of
    them is another one now, the proposal is stale. weight: rank within its stage, high first.
    """

    id: Identifier
    kind: Identifier
    stage: Name
    title: Text
    reason: Text
    metric: Name
    targets: Annotated[tuple[Identifier, ...], Meta(max_length=2_000)] = ()
    parameters: Parameters = {}
    evidence: Evidence = {}
    arguments: Evidence = {}
    before: float | None = None
    expected: float | None = None
    tolerance: Annotated[float, Meta(ge=0.0)] = 0.0
    source: Literal["predicted", "trial"] = "predicted"
    rests_on: Annotated[dict[Name, Name], Meta(max_length=50)] = {}
    weight: float = 0.0

    @property
    def target(self) -> str:
        """The one it is about, else `session`."""
        return self.targets[0] if len(self.targets) == 1 else "session"


class Result(Value, frozen=True, kw_only=True):
    """What was measured on the session as a move left it. value: None where it can't be known. ground: the
    fingerprint of what it rests on."""

    value: float | None
    ground: Name = ""


class LedgerEntry(Value, frozen=True, kw_only=True):
    """One change in a sentence, with its time (ISO 8601) and, for a move, the move.

    serial: its number. undoes, redoes: the line that it takes back, or makes again. back_to: the line after which
    the session was as it is now, where a snapshot was brought back. audible: whether it changed what is heard.
    result: of a move, once it is measured; state: the session right after the move, kept until then.
    """

    when: Name
    text: Text
    reason: Text = ""
    move: Proposal | None = None
    serial: Serial = 0
    undoes: Serial | None = None
    redoes: Serial | None = None
    back_to: Serial | None = None
    audible: bool = False
    result: Result | None = None
    state: State | None = None


class StageDone(Value, frozen=True, kw_only=True):
    """A stage that was ticked off. ground: the fingerprint of all that it looks at, as it was then."""

    stage: Name
    ground: Name


class Decline(Value, frozen=True, kw_only=True):
    """A move the user said no to, and why."""

    move_id: Identifier
    reason: Text = ""


class Session(Value, frozen=True, kw_only=True):
    """Everything. Limits keep a hostile file from filling memory; `session.store` checks the size.

    anchor: the lane whose fader stays where it is when a starting point places the others; None: the peak of the mix
    says where all of them come to stand. responses: recorded ones that stations may convolve with.
    """

    format_version: Annotated[int, Meta(ge=1)] = FORMAT_VERSION
    name: Name
    sample_rate: Annotated[int, Meta(ge=4_000, le=384_000)]
    folders: Annotated[tuple[Folder, ...], Meta(max_length=100)] = ()
    lanes: Annotated[tuple[Lane, ...], Meta(max_length=2_000)] = ()
    buses: Annotated[tuple[Bus, ...], Meta(max_length=500)] = ()
    folder_groups: Annotated[tuple[FolderGroup, ...], Meta(max_length=500)] = ()
    shapes: Annotated[tuple[DuckShape, ...], Meta(max_length=200)] = ()
    responses: Annotated[tuple[ResponseFile, ...], Meta(max_length=200)] = ()
    mix: MixSettings = MixSettings()
    pan_law: PanLaw = "-3 dB"
    settings: WorkSettings = WorkSettings()
    song: SongMap = SongMap()
    anchor: Identifier | None = None
    loop: Loop | None = None
    notes: Annotated[tuple[Note, ...], Meta(max_length=10_000)] = ()
    references: Annotated[tuple[Reference, ...], Meta(max_length=200)] = ()
    blinds: Annotated[tuple[Blind, ...], Meta(max_length=1_000)] = ()
    snapshots: Annotated[tuple[Snapshot, ...], Meta(max_length=200)] = ()
    declined: Annotated[tuple[Decline, ...], Meta(max_length=10_000)] = ()
    done: Annotated[tuple[StageDone, ...], Meta(max_length=50)] = ()
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

    def is_lane(self, strip_id: str) -> bool:
        return any(lane.id == strip_id for lane in self.lanes)

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


DECODER = msgspec.json.Decoder(Session)
"""Made once, before any thread: what a type needs to be decoded or converted is worked out at its first use, and
threads that come to that at the same time crash the process."""
