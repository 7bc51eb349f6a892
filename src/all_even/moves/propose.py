"""Which rules speak in which stage, and how a move is made and checked."""

from collections.abc import Callable

from all_even.moves.balance import all_even
from all_even.moves.buses import ready_starts
from all_even.moves.gather import order
from all_even.moves.move import Move, Situation
from all_even.session import edits
from all_even.session.history import REDONE, UNDONE
from all_even.session.model import MoveRecord, Session

Rule = Callable[[Situation], list[Move]]

STAGES = ("gather", "balance", "buses", "print")
"""Stages that work so far, in the order of the work."""

RULES: dict[str, tuple[Rule, ...]] = {
    "gather": (order.moves,),
    "balance": (all_even.moves, all_even.mix_peak_moves, all_even.low_end_moves),
    "buses": (ready_starts.moves,),
    "print": (all_even.mix_peak_moves,),
}


STARTING_POINTS = frozenset({"balance.all-even", "buses.sections"})
"""Made once, they are left by intention: what the engineer then changes is no reason to propose them again."""


def propose(situation: Situation, stage: str) -> list[Move]:
    """The stage's moves that were not declined, most important first."""
    closed = {item.move_id for item in situation.session.declined}
    closed |= STARTING_POINTS & {record.id for record in standing(situation.session)}
    found = [move for rule in RULES[stage] for move in rule(situation)]
    return sorted((move for move in found if move.id not in closed), key=lambda move: -move.weight)


def standing(session: Session) -> list[MoveRecord]:
    """The moves that were made and not undone since, in order."""
    made: list[MoveRecord] = []
    undone: list[MoveRecord] = []
    for entry in session.ledger:
        if entry.move is not None:
            made.append(entry.move)
        elif entry.text.startswith(UNDONE) and made and entry.text == UNDONE + made[-1].title:
            undone.append(made.pop())
        elif entry.text.startswith(REDONE) and undone and entry.text == REDONE + undone[-1].title:
            made.append(undone.pop())
    return made


def prepared(move: Move, situation: Situation) -> Move:
    """The move as it is to be made: what it has to find on the sound is found now."""
    return move.prepare(situation) if move.prepare is not None else move


def apply(session: Session, move: Move) -> Session:
    """Makes a prepared move and writes it into the ledger."""
    return edits.record(move.edit(session), move.title, reason=move.reason, move=move.record())


def verify(session: Session, move: Move, after: Situation) -> Session:
    """Writes the figure measured afterwards beside the expectation."""
    return edits.record_result(session, move.id, move.measure(after))
