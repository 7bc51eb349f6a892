"""What rides have in common: what they move, their words as data, and how they are put upon a curve."""

from collections.abc import Iterable, Sequence

import numpy as np

from all_even.figures.rides.rides import Riding
from all_even.moves import accounts
from all_even.moves.rides.figures import is_plain
from all_even.session.editing import ride_edits
from all_even.session.model.ledger import Parameters, Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane


def parameter_of(session: Session) -> str:
    """What is ridden: a school."""
    return "level_db" if session.settings.ride_by == "fader" else "clip_gain_db"


def stands(session: Session, kinds: Iterable[str], lane_id: str) -> bool:
    """Whether a move of one of these kinds, by id, was made for a line and holds. What a hand has drawn is no such
    move: what is off still is offered then."""
    ids = set(kinds)
    return any(move.kind in ids and lane_id in move.targets for move in accounts.standing(session).values())


def is_predicted(session: Session, lane: Lane) -> bool:
    """Whether what a ride does is arithmetic; else it is tried out."""
    return parameter_of(session) == "level_db" and is_plain(session, lane)


def words(session: Session, line: Riding, rides_db: np.ndarray) -> Parameters:
    """The units of a line with what each is ridden by, as a proposal holds them."""
    return {
        "by": (parameter_of(session),),
        "starts_s": tuple(f"{value:.3f}" for value in line.words.starts_s),
        "ends_s": tuple(f"{value:.3f}" for value in line.words.ends_s),
        "relations_db": tuple(f"{value:.3f}" for value in line.relation_db),
        "sections": tuple(str(int(value)) for value in line.section),
        "rides_db": tuple(f"{value:.1f}" for value in rides_db),
    }


def column(proposal: Proposal, name: str) -> np.ndarray:
    """Numbers of a proposal, one for each unit; none where it has none of that name."""
    texts_of = proposal.parameters.get(name, ())
    found = [float(text) for text in texts_of] if isinstance(texts_of, tuple) else []
    return np.array(found, dtype=np.float64)


def ridden(session: Session, proposal: Proposal, curve: Sequence[tuple[float, float]]) -> Session:
    """The session with a curve of changes put upon the setting that the proposal moves."""
    by = proposal.parameters.get("by")
    parameter = by[0] if isinstance(by, tuple) and by else "level_db"
    return ride_edits.add_ride(session, proposal.targets[0], parameter, curve) if curve else session
