"""The ledger: each change in a sentence, and each move as data: what it promised, and what was found."""

from typing import Annotated, Literal

from msgspec import Meta

from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.pan import PanLaw
from all_even.dsp.processor import Identifier
from all_even.dsp.space.convolution import ResponseFile
from all_even.session.model.folder import Folders, References
from all_even.session.model.strips import Bus, FolderGroup, Lane, MixSettings
from all_even.session.model.values import Name, Serial, Text, Value

Lanes = Annotated[tuple[Lane, ...], Meta(max_length=4_000)]
Buses = Annotated[tuple[Bus, ...], Meta(max_length=1_000)]
FolderGroups = Annotated[tuple[FolderGroup, ...], Meta(max_length=1_000)]
Shapes = Annotated[tuple[DuckShape, ...], Meta(max_length=400)]
Responses = Annotated[tuple[ResponseFile, ...], Meta(max_length=1_000)]


class State(Value, frozen=True, kw_only=True):
    """All of a session that its sound and order rest on, as it was at one moment.

    folders, and responses and references that lie in them: None in files that did not keep them: those that the session
    has now.
    """

    lanes: Lanes
    mix: MixSettings
    buses: Buses = ()
    folder_groups: FolderGroups = ()
    shapes: Shapes = ()
    pan_law: PanLaw = "-3 dB"
    folders: Folders | None = None
    responses: Responses | None = None
    references: References | None = None


Evidence = Annotated[dict[Name, float | int | Text | None], Meta(max_length=200)]


PerStrip = Annotated[dict[Name, float], Meta(max_length=20_000)]
"""Numbers by lane; or moments in s by their number."""
Names = Annotated[tuple[Name, ...], Meta(max_length=4_000)]
Parameters = Annotated[dict[Name, float | Text | PerStrip | Names | None], Meta(max_length=200)]


Source = Literal["predicted", "trial", "worked out"]
"""From figures alone, from a rendered trial, or by the same computation that measures it afterwards."""


class Proposal(Value, frozen=True, kw_only=True):
    """A move as data: what it would do to whom, why, and what is expected of it.

    kind: the rule that knows how to make it (`stages`). targets: lanes or buses, or `mix`; none where it is about the
    whole session. parameters: what the edit is made with. metric, arguments: the figure it is judged by. before,
    expected: that figure now and afterwards, within `tolerance`; None where it can't be known yet. source: see
    `Source`. rests_on: fingerprints of what was looked at; where one of them is another one now, the proposal is stale.
    weight: rank within its stage, high first.
    """

    id: Identifier
    kind: Identifier
    stage: Name
    title: Text
    reason: Text
    metric: Name
    targets: Annotated[tuple[Identifier, ...], Meta(max_length=4_000)] = ()
    parameters: Parameters = {}
    evidence: Evidence = {}
    arguments: Evidence = {}
    before: float | None = None
    expected: float | None = None
    tolerance: Annotated[float, Meta(ge=0.0)] = 0.0
    source: Source = "predicted"
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


MOST_LINES = 200_000
"""Of a ledger. At its end the oldest lines that are no move make room (`edits.record`)."""
MOST_TRIED = 400


class LedgerEntry(Value, frozen=True, kw_only=True):
    """One change in a sentence, with its time (ISO 8601) and, for a move, the move.

    serial: its number. undoes, redoes: the line that it takes back, or makes again. back_to: the line after which
    the session was as it is now, where a snapshot was brought back. audible: whether it changed what is heard.
    result: of a move, once it is measured; state: the session right after the move, kept until then.
    tried: ids of moves that a first mix tried at this line, and left out since the whole would have lost by them.
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
    tried: Annotated[tuple[Identifier, ...], Meta(max_length=MOST_TRIED)] = ()


class StageDone(Value, frozen=True, kw_only=True):
    """A stage that was ticked off. ground: the fingerprint of all that it looks at, as it was then."""

    stage: Name
    ground: Name


class Decline(Value, frozen=True, kw_only=True):
    """A move the user said no to, and why."""

    move_id: Identifier
    reason: Text = ""
