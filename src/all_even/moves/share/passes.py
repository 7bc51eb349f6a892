"""What a high-pass and a low-pass for several sources have in common: one frequency for each lane, and its promise."""

from collections.abc import Callable

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.moves.kind import left_out, per_strip, values_of
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

FREQUENCY = "frequency_hz"
"""The parameter: Hz by lane id."""


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Every lane with its frequency."""
    corners = values_of(proposal, FREQUENCY)
    return [(i, f"{session.lane(i).name} at {number(hz, 0)} Hz") for i, hz in corners.items() if session.is_lane(i)]


def put_first(session: Session, proposal: Proposal, station: Callable[[float], HighPass | LowPass]) -> Session:
    """At the head of each chain: what comes behind should not answer to rumble, nor make hiss louder first."""
    for lane_id, hz in per_strip(proposal, FREQUENCY).items():
        if session.is_lane(lane_id):
            session = chain_edits.add_station(session, lane_id, station(hz), 0)
    return session


def promised(proposal: Proposal, evidence: str) -> Proposal:
    """What was worked out holds for all lanes together; with some left out it is not known before it is made."""
    value = proposal.evidence.get(evidence)
    known = isinstance(value, float) and not left_out(proposal)
    return replace(proposal, expected=float(value or 0.0) if known else None)
