"""Which rules speak in which stage, and how a move is made and checked."""

from collections.abc import Callable

from all_even.moves.balance import all_even
from all_even.moves.gather import order
from all_even.moves.move import Move, Situation
from all_even.session import edits
from all_even.session.model import Session

Rule = Callable[[Situation], list[Move]]

STAGES = ("gather", "balance", "print")
"""Stages that work so far, in the order of the work."""

RULES: dict[str, tuple[Rule, ...]] = {
    "gather": (order.moves,),
    "balance": (all_even.moves, all_even.mix_peak_moves, all_even.low_end_moves),
    "print": (all_even.mix_peak_moves,),
}


def propose(situation: Situation, stage: str) -> list[Move]:
    """The stage's moves that were not declined, most important first."""
    declined = {item.move_id for item in situation.session.declined}
    found = [move for rule in RULES[stage] for move in rule(situation)]
    return sorted((move for move in found if move.id not in declined), key=lambda move: -move.weight)


def apply(session: Session, move: Move) -> Session:
    """Makes a move and writes it into the ledger."""
    return edits.record(move.edit(session), move.title, reason=move.reason, move=move.record())


def verify(session: Session, move: Move, after: Situation) -> Session:
    """Writes the figure measured afterwards beside the expectation."""
    return edits.record_result(session, move.id, move.measure(after))
