"""Common practice: the low end stands in the centre."""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import Lane

LOW_END_ROLES = frozenset(
    {"kick", "kick out", "bass", "bass DI", "bass amplifier", "sub bass", "synth bass", "double bass"}
)
CENTRAL = 0.1


def propose(look: Look) -> list[Proposal]:
    return [
        _centre(lane)
        for lane in look.session.lanes
        if lane.role in LOW_END_ROLES and abs(lane.pan) > CENTRAL and not lane.hidden
    ]


def _centre(lane: Lane) -> Proposal:
    return KIND.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"Bring {lane.name} to the centre",
        reason="Low frequencies from one side cost headroom on that side and shift on small speakers.",
        evidence={"pan": round(lane.pan, 3), "role": lane.role},
        metric=METRIC,
        arguments={"lane": lane.id},
        before=abs(lane.pan) * 100.0,
        expected=0.0,
        weight=4.0,
    )


KIND = Kind(
    "balance.centre", ("order", "names", "levels"), propose,
    lambda session, proposal: edits.change_strips(session, proposal.targets, pan=0.0),
)  # fmt: skip
METRIC = Metric(
    "off-centre", "distance from the centre", "%", 0, 0.0, ("levels",),
    lambda look, arguments: abs(look.session.lane(str(arguments["lane"])).pan) * 100.0,
)  # fmt: skip
