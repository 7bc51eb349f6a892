"""Plain names. Common practice: one name per track that says what it is."""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import naming

FEWEST = 3


def unnamed(session: Session) -> int:
    """Lanes whose name is not the written-out one."""
    names = naming.plain_names(session)
    return sum(lane.name != names.get(lane.id, lane.name) for lane in session.lanes)


def propose(look: Look) -> list[Proposal]:
    session = look.session
    wanted = naming.plain_names(session)
    differing = [lane for lane in session.lanes if lane.id in wanted and lane.name != wanted[lane.id]]
    if len(differing) < FEWEST or len(differing) * 2 < len(wanted):
        return []
    shown = "; ".join(f"{lane.name} → {wanted[lane.id]}" for lane in differing[:3])
    return [
        KIND.move(
            title=f"Write out the names of {len(differing)} tracks",
            reason=f"{shown} … Every word that tells tracks apart stays; the file's own name is shown on hover.",
            evidence={"lanes_to_rename": len(differing), "roles_known": len(wanted)},
            metric=METRIC,
            weight=2.0,
        )
    ]


def parts(session: Session, _proposal: Proposal) -> list[tuple[str, str]]:
    """Each lane's new name."""
    wanted = naming.plain_names(session)
    return [
        (lane.id, f"{lane.name} → {wanted[lane.id]}")
        for lane in session.lanes
        if lane.id in wanted and lane.name != wanted[lane.id]
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    return naming.renamed(session, left_out(proposal))


KIND = Kind(
    "gather.names", ("order", "names", "routing"), propose, edit, heard=False, parts=parts, bookkeeping=True,
)  # fmt: skip
METRIC = Metric(
    "unnamed", "names to write out", "", 0, 0.0, ("order", "names", "routing"),
    lambda look, _: float(unnamed(look.session)),
)  # fmt: skip
