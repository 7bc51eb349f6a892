"""Moves that set pans: what they do lane by lane, and doing it. Their pans are the parameter `pans`, by lane id."""

from all_even.dsp.parameter import PAN
from all_even.moves.kind import per_strip, values_of
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

PANS = "pans"


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Each lane and where it goes."""
    pans = values_of(proposal, PANS)
    return [(i, f"{session.lane(i).name} to {PAN.text(pan)}") for i, pan in pans.items() if session.is_lane(i)]


def edit(session: Session, proposal: Proposal) -> Session:
    """Lanes that are gone, or left out, stay out."""
    for lane_id, pan in per_strip(proposal, PANS).items():
        if session.is_lane(lane_id):
            session = edits.change_strips(session, (lane_id,), pan=round(pan, 3))
    return session
