"""Lanes, buses, folder groups and the mix bus: what is set on each, in the order of the signal."""

from typing import Annotated, Literal

from msgspec import Meta

from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.processor import Identifier
from all_even.session.model.settings import Weight
from all_even.session.model.values import ChannelNumber, ClipGainDb, LevelDb, Name, Pan, Seconds, Text, TrimDb, Value

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
    points: Annotated[tuple[Point, ...], Meta(min_length=1, max_length=100_000)]


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
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=128)] = ()
    level_db: LevelDb = 0.0
    pan: Pan = 0.0
    polarity_inverted: bool = False
    mute: bool = False
    solo: bool = False
    destination: Identifier = MIX
    sends: Annotated[tuple[Send, ...], Meta(max_length=1_000)] = ()
    group: Identifier | None = None
    automation: Annotated[tuple[Automation, ...], Meta(max_length=1_000)] = ()


class HitChanges(Value, frozen=True, kw_only=True):
    """What the user changed about the measured hits of a lane, in seconds of its file, rising.

    A measured hit within 15 ms of a time in `removed_s` does not count; those in `added_s` do.
    """

    added_s: Annotated[tuple[Seconds, ...], Meta(max_length=100_000)] = ()
    removed_s: Annotated[tuple[Seconds, ...], Meta(max_length=100_000)] = ()


class Printed(Value, frozen=True, kw_only=True):
    """What a lane is the printed sound of. bus: the summing group. strips: what else leads there, `nowhere` while the
    printed lane plays. stations: those of the group's chain that sleep meanwhile, as the sound holds them."""

    bus: Identifier
    strips: Annotated[tuple[Identifier, ...], Meta(max_length=10_000)] = ()
    stations: Annotated[tuple[Identifier, ...], Meta(max_length=128)] = ()


BACK_ROW = 4


class Lane(Strip, frozen=True, kw_only=True):
    """One track. `file`: path inside `folders[folder]`, with forward slashes.

    take: channels of the file that are used, counted from 1; None takes all. start_s: where the file
    begins on the session's time line. clip_gain_db: on the recording, before the chain. alternative: lanes of one
    such word are candidates for one part, of which one plays. seat_row: how far back it sits, 0 in front, None where
    its role puts it; its bearing is `pan`. importance: how much it matters, None where its role says it. source: lanes
    of one such word were said to be microphones of one source, lanes of different words different players; None where
    the sound says it. role_said: whether people said that this is its role. own_room: whether it has a room of its own
    in the recording; None where the sound says it, or nobody knows. printed: where it is the printed sound of a group.
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
    source: Identifier | None = None
    role_said: bool = False
    own_room: bool | None = None
    printed: Printed | None = None


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
    """One level, mute and solo for lanes and buses that only move together; no sound passes through it. automation: of
    its level and mute."""

    id: Identifier
    name: Name
    level_db: LevelDb = 0.0
    mute: bool = False
    solo: bool = False
    group: Identifier | None = None
    automation: Annotated[tuple[Automation, ...], Meta(max_length=1_000)] = ()

    @property
    def role(self) -> str:
        return "folder group"

    @property
    def hidden(self) -> bool:
        return False


class MixSettings(Value, frozen=True, kw_only=True):
    """What happens to the sum. trim_db: one gain at the head of the mix bus, before its chain."""

    trim_db: TrimDb = 0.0
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=128)] = ()
    automation: Annotated[tuple[Automation, ...], Meta(max_length=1_000)] = ()
