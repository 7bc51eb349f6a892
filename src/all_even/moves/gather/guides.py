"""Guides out of sight: scratch voices helped the players, and are no part of the mix once the real part is there.

Common practice: kept, muted and hidden.
"""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

GUIDE = "scratch voice"
PARTS = frozenset({"lead voice", "voice"})


def guides(session: Session) -> list[Lane]:
    """Those in sight, where the part they guided to is there."""
    there = any(lane.role in PARTS and not lane.mute and not lane.hidden for lane in session.lanes)
    return [lane for lane in session.lanes if lane.role == GUIDE and not lane.hidden] if there else []


def propose(look: Look) -> list[Proposal]:
    return [
        KIND.move(
            targets=(lane.id,),
            of=lane.id,
            title=f"Hide {lane.name}: a guide",
            reason="It helped the players find the part; the real one is there. Muted and hidden, not deleted.",
            evidence={"role": lane.role},
            metric=METRIC,
            arguments={"lane": lane.id},
            before=1.0,
            expected=0.0,
            weight=0.8,
        )
        for lane in guides(look.session)
    ]


KIND = Kind(
    "gather.guide", ("order", "names", "routing"), propose,
    lambda session, proposal: edits.change_strips(session, proposal.targets, hidden=True, mute=True),
)  # fmt: skip
METRIC = Metric(
    "guide-in-sight", "guide tracks shown", "", 0, 0.0, ("order",),
    lambda look, arguments: float(not look.session.lane(str(arguments["lane"])).hidden),
)  # fmt: skip
