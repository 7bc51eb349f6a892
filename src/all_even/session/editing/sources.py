"""Microphones of one source, and players apart, as people say it; where nothing is said the sound says it."""

from collections.abc import Sequence

from all_even.session.editing import edits
from all_even.session.model.session import Session


def one_source(session: Session, lane_ids: Sequence[str]) -> Session:
    """Makes lanes microphones of one source."""
    return edits.change_strips(session, lane_ids, source=_free_words(session, 1)[0]) if len(lane_ids) > 1 else session


def apart(session: Session, lane_ids: Sequence[str]) -> Session:
    """Makes each lane a player of its own."""
    if len(lane_ids) < 2:
        return session
    for lane_id, word in zip(lane_ids, _free_words(session, len(lane_ids)), strict=True):
        session = edits.change_strips(session, (lane_id,), source=word)
    return session


def as_found(session: Session, lane_ids: Sequence[str]) -> Session:
    """Nothing is said any more."""
    return edits.change_strips(session, lane_ids, source=None)


def _free_words(session: Session, count: int) -> list[str]:
    taken = {lane.source for lane in session.lanes}
    free = (f"source-{number}" for number in range(1, len(session.lanes) + count + 1))
    return [word for word in free if word not in taken][:count]
