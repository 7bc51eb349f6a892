"""One channel where both are the same: it is then panned by the pan law like any mono lane."""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import Lane


def propose(look: Look) -> list[Proposal]:
    found = []
    for lane in look.session.lanes:
        measures = look.measures(lane.id)
        if measures is not None and measures.identical_channels and lane.take is None:
            found.append(_use_one(lane, measures.correlation, measures.channels))
    return found


def _use_one(lane: Lane, correlation: float | None, channels: int) -> Proposal:
    return KIND.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"Use one channel of {lane.name}",
        reason="Both channels hold the same sound. As a mono track it is panned by the pan law like the others. "
        "In the centre it is then 3 dB lower than now.",
        evidence={"correlation": correlation, "channels": channels},
        metric=METRIC,
        arguments={"lane": lane.id},
        before=2.0,
        expected=1.0,
        weight=0.5,
    )


KIND = Kind(
    "gather.mono", ("files", "names"), propose,
    lambda session, proposal: edits.change_strips(session, proposal.targets, take=(1,)),
)  # fmt: skip
METRIC = Metric(
    "channels-used", "channels used", "", 0, 0.0, ("files",),
    lambda look, arguments: float(len(look.session.lane(str(arguments["lane"])).take or (1, 2))),
)  # fmt: skip
