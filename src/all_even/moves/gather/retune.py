"""One constant retune of a part that is out of tune with the others, into a file of its own.

For a part that is flat or sharp all along: a transposed clock, a tape at another speed, an instrument tuned by itself.
Notes one by one are not our work.
"""

import dataclasses
from pathlib import Path

from msgspec.structs import replace

from all_even.audio import retune as retuning
from all_even.dsp.parameter import signed
from all_even.engine.sources import Sources
from all_even.figures.book.look import Look
from all_even.figures.song import SONG
from all_even.measure.recording import files
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.song.performance import FLAT_CENTS
from all_even.session.tracks.roles import FAMILIES, family_of

FILE = "file"


def propose(look: Look) -> list[Proposal]:
    session = look.session
    if not retuning.is_there():
        return []
    return [
        _retune(session, lane_id, cents)
        for lane_id, cents in look.get(SONG).tuning_cents.items()
        if FLAT_CENTS <= abs(cents) <= retuning.MOST_CENTS
        and not session.lane(lane_id).hidden and not session.lane(lane_id).mute
        and family_of(session.lane(lane_id).role) in FAMILIES[2:8]
    ]  # fmt: skip


def _retune(session: Session, lane_id: str, cents: float) -> Proposal:
    name = session.lane(lane_id).name
    way = "flat" if cents < 0.0 else "sharp"
    return KIND.move(
        targets=(lane_id,),
        of=lane_id,
        title=f"Retune {name} by {signed(-cents, 0)} cents",
        reason=f"It is {abs(cents):.0f} cents {way} against the others all along. A copy of the file is made beside it "
        f"in “{retuning.FOLDER}” and used instead; the recording stays. Listen: pitch shifting is never free.",
        parameters={"cents": round(-cents, 1)},
        evidence={"tuning_cents": cents},
        metric=METRIC,
        arguments={"lane": lane_id},
        before=cents,
        expected=0.0,
        weight=1.5,
    )


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """Makes the copy."""
    lane = look.session.lane(proposal.targets[0])
    cents = proposal.parameters["cents"]
    assert isinstance(cents, float | int)
    path = store.lane_path(look.session, lane)
    copy = retuning.retune(path, lane.take, float(cents), look.cancelled, store.recordings(look.session))
    inside = copy.relative_to(Path(look.session.folders[lane.folder].path)).as_posix()
    ready = replace(proposal, parameters={**proposal.parameters, FILE: inside})
    if isinstance(look.book.sources, Sources):  # so that it can be heard before it is made
        made = edit(look.session, ready)
        look.book.sources.open_lane(made, made.lane(lane.id))
    return ready


def edit(session: Session, proposal: Proposal) -> Session:
    """Everything else of the lane stays, hits by hand too: they are where they were."""
    inside = proposal.parameters.get(FILE)
    if not isinstance(inside, str):
        raise KeyError(FILE)
    return edits.change_strips(session, proposal.targets, file=inside, take=None)


def tuning_cents(look: Look, arguments: Arguments) -> float | None:
    """A lane's tuning against the others, cents; its file is measured where it was not yet."""
    lane = look.session.lane(str(arguments["lane"]))
    if lane.id not in look.reports:
        report = files.measure_file(store.lane_path(look.session, lane), take=lane.take, cancelled=look.cancelled)
        look = dataclasses.replace(look, reports={**look.reports, lane.id: report})
    return look.get(SONG).tuning_cents.get(lane.id)


KIND = Kind("gather.retune", ("files", "order", "names"), propose, edit, prepare)
METRIC = Metric("tuning", "tuning against the others", "cents", 0, 6.0, ("files", "order"), tuning_cents)
