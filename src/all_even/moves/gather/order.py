"""Sections together. Common practice: lanes of one family stand together, so that they are found and judged faster."""

from itertools import pairwise

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import FAMILIES, ROLES, family_of

_ROLE_ORDER: dict[str, float] = {role.name: float(index) for index, role in enumerate(ROLES)}
# The main microphone of a source first.
_ROLE_ORDER["kick"] = _ROLE_ORDER["kick out"] - 0.5
_ROLE_ORDER["snare top"] = _ROLE_ORDER["snare bottom"] - 0.5
_ROLE_ORDER["bass DI"] = _ROLE_ORDER["bass amplifier"] - 0.5


def breaks(session: Session) -> int:
    """How often a family ends although more of it follows later; 0 when sections are together."""
    families = [family_of(lane.role) for lane in session.lanes if not lane.hidden]
    changes = sum(a != b for a, b in pairwise(families))
    return changes - max(0, len(set(families)) - 1)


def role_key(lane: Lane) -> tuple[int, float]:
    return FAMILIES.index(family_of(lane.role)), _ROLE_ORDER.get(lane.role, float(len(ROLES)))


def propose(look: Look) -> list[Proposal]:
    broken = breaks(look.session)
    if not broken:
        return []
    return [
        KIND.move(
            title="Bring the sections together",
            reason="Tracks of one family stand apart; together they are found and judged faster.",
            evidence={"family_breaks": broken, "lanes": len(look.session.lanes)},
            metric=METRIC,
            weight=3.0,
        )
    ]


KIND = Kind(
    "gather.sections",
    ("order",),
    propose,
    lambda session, _: edits.order_lanes(session, role_key),
    heard=False,
    bookkeeping=True,
)
METRIC = Metric(
    "family-breaks", "family breaks", "", 0, 0.0, ("order",), lambda look, _: float(breaks(look.session))
)  # fmt: skip
