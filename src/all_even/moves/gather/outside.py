"""What is for players and for comparing is no part of the mix: clicks, triggers, rough mixes lead nowhere.

They can still be keyed from, soloed and compared with; nothing is deleted.
"""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.editing import routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.roles import NOT_IN_THE_MIX


def inside(session: Session) -> list[Lane]:
    """Those that lead to the mix."""
    return [lane for lane in session.lanes if lane.role in NOT_IN_THE_MIX and lane.destination != NOWHERE]


def propose(look: Look) -> list[Proposal]:
    lanes = inside(look.session)
    if not lanes:
        return []
    names = ", ".join(lane.name for lane in lanes[:4])
    return [
        KIND.move(
            targets=tuple(lane.id for lane in lanes),
            title=f"Keep {len(lanes)} track{'s' if len(lanes) > 1 else ''} out of the mix",
            reason=f"{names}{' …' if len(lanes) > 4 else ''}: for the players, for keys or to compare with, not to be "
            "heard in the sum. They stay in the session and lead nowhere.",
            evidence={lane.name[:60]: lane.role for lane in lanes[:20]},
            metric=METRIC,
            before=float(len(lanes)),
            expected=0.0,
            weight=7.0,
        )
    ]


def parts(session: Session, _proposal: Proposal) -> list[tuple[str, str]]:
    return [(lane.id, f"{lane.name}: {lane.role}") for lane in inside(session)]


def edit(session: Session, proposal: Proposal) -> Session:
    out = left_out(proposal)
    wanted = [lane.id for lane in inside(session) if lane.id in proposal.targets and lane.id not in out]
    return routing_edits.route(session, wanted, NOWHERE) if wanted else session


KIND = Kind("gather.outside", ("order", "names", "routing"), propose, edit, parts=parts)
METRIC = Metric(
    "inside-the-mix", "tracks in the mix that are none of it", "", 0, 0.0, ("order", "routing"),
    lambda look, _: float(len(inside(look.session))),
)  # fmt: skip
