"""Faults of recordings that were noted and put aside: nothing mends them, and nobody needs to hear of them again."""

from collections.abc import Iterable

from msgspec.structs import replace

from all_even.session.model.ledger import Decline
from all_even.session.model.session import Session

PREFIX, NOTED = "fault", "noted"


def fault_id(kind: str, lane_id: str) -> str:
    """The name of one kind of fault of one lane."""
    return f"{PREFIX}:{kind}:{lane_id}"[:80]


def put_aside(session: Session, faults: Iterable[str]) -> Session:
    """These are known from now on."""
    known = {item.move_id for item in session.declined}
    new = tuple(Decline(move_id=fault, reason=NOTED) for fault in dict.fromkeys(faults) if fault not in known)
    return replace(session, declined=(*session.declined, *new))


def take_up(session: Session) -> Session:
    """All that were put aside are spoken of again."""
    kept = tuple(item for item in session.declined if not item.move_id.startswith(f"{PREFIX}:"))
    return replace(session, declined=kept)


def put_aside_already(session: Session) -> frozenset[str]:
    return frozenset(item.move_id for item in session.declined if item.move_id.startswith(f"{PREFIX}:"))
