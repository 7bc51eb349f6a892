"""What a move of the balance costs of loudness at one peak: told when it is made, and a stage may lose that much more.

Who goes to a side leaves the middle, and the peak of a side rises; that is no reason to leave everybody in the middle,
since the peaks are held when the buses are made. But it is told.
"""

from collections.abc import Callable

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

COSTS = "costs "
"""What the evidence of a move begins with that says what it costs of a figure of the whole."""
PLR = f"{COSTS}plr_db"
WORTH_SAYING_DB = 0.3


def of_peak_db(look: Look, then: Session) -> float:
    """How much further the peak of the mix stands over its loudness then, dB; 0 where no further."""
    before, after = look.mix, look.at(then).mix
    if before is None or after is None or before.plr_db is None or after.plr_db is None:
        return 0.0
    return max(0.0, after.plr_db - before.plr_db)


def words(costs_db: float) -> str:
    """A sentence; empty where it is not worth saying."""
    return f" It costs {number(costs_db)} dB of loudness at one peak." if costs_db >= WORTH_SAYING_DB else ""


def told_by(edit: Callable[[Session, Proposal], Session]) -> Callable[[Look, Proposal], Proposal]:
    """Gets a move ready: with its cost, measured on the mix that its edit makes, which is then known already."""

    def prepare(look: Look, proposal: Proposal) -> Proposal:
        if PLR in proposal.evidence:
            return proposal
        costs_db = of_peak_db(look, edit(look.session, proposal))
        told = {**proposal.evidence, PLR: costs_db}
        return replace(proposal, reason=proposal.reason + words(costs_db), evidence=told)

    return prepare
