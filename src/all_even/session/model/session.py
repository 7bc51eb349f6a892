"""The session: one immutable value that holds all that the user decided.

An edit is a function from a session to a session (`session.editing`). Nothing measured lives here
except what a move promised and found, because that is part of the ledger. The file format is this
model as JSON; docs/session-format.md is made from it.
"""

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.pan import PanLaw
from all_even.dsp.processor import Identifier
from all_even.session.model.approaches import Approaches
from all_even.session.model.folder import Folder as Folder
from all_even.session.model.folder import Folders, References
from all_even.session.model.folder import Reference as Reference
from all_even.session.model.folder import Use as Use
from all_even.session.model.ledger import (
    MOST_LINES,
    Buses,
    Decline,
    FolderGroups,
    Lanes,
    LedgerEntry,
    Responses,
    Shapes,
    StageDone,
)  # fmt: skip
from all_even.session.model.on_time_line import Loop, Note, SongMap
from all_even.session.model.settings import WorkSettings
from all_even.session.model.strips import MIX, NOWHERE, Bus, FolderGroup, Lane, MixSettings, Strip
from all_even.session.model.values import Name, Serial, Text, Value

FORMAT_VERSION = 20
"""2: chains, routing, automation. 3: hits changed by hand. 4: moves as data. 5: targets and
weights. 6: clip gain, alternatives, seats, the song by hand. 7: anchor. 8: targets of the low
end. 9: clicks to key from. 10: importance of a lane, schools of sharing. 11: stations of Dynamics. 12: of Space, and
responses. 13: mutes as automation, school of rides. 14: references, blind comparisons, faults heard
elsewhere. 15: states of the ledger with folders, responses, references, wider limits. 16: keys that follow the mute.
17: what was said of microphones and players.
18: automation of folder groups.
`session.file.older` reads older files."""


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
    lanes: Lanes
    mix: MixSettings
    buses: Buses = ()
    folder_groups: FolderGroups = ()
    shapes: Shapes = ()
    serial: Serial | None = None


class Session(Value, frozen=True, kw_only=True):
    """Everything. Limits keep a hostile file from filling memory; edits keep them (`session.file.limits`), and
    `session.file.store` checks the size.

    anchor: the lane whose fader stays where it is when a starting point places the others; None: the peak of the mix
    says where all of them come to stand. responses: recorded ones that stations may convolve with.
    """

    format_version: Annotated[int, Meta(ge=1)] = FORMAT_VERSION
    name: Name
    sample_rate: Annotated[int, Meta(ge=4_000, le=384_000)]
    folders: Folders = ()
    lanes: Lanes = ()
    buses: Buses = ()
    folder_groups: FolderGroups = ()
    shapes: Shapes = ()
    responses: Responses = ()
    mix: MixSettings = MixSettings()
    pan_law: PanLaw = "-3 dB"
    settings: WorkSettings = WorkSettings()
    approaches: Approaches = Approaches()
    song: SongMap = SongMap()
    anchor: Identifier | None = None
    loop: Loop | None = None
    notes: Annotated[tuple[Note, ...], Meta(max_length=20_000)] = ()
    references: References = ()
    blinds: Annotated[tuple[Blind, ...], Meta(max_length=2_000)] = ()
    snapshots: Annotated[tuple[Snapshot, ...], Meta(max_length=1_000)] = ()
    declined: Annotated[tuple[Decline, ...], Meta(max_length=20_000)] = ()
    done: Annotated[tuple[StageDone, ...], Meta(max_length=50)] = ()
    ledger: Annotated[tuple[LedgerEntry, ...], Meta(max_length=MOST_LINES)] = ()

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
