"""Candidates for one part: lanes of which one plays while the others wait."""

from collections.abc import Sequence

from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane


def together(session: Session, lane_ids: Sequence[str]) -> Session:
    """Makes lanes candidates for one part; the first plays."""
    if len(lane_ids) < 2:
        return session
    taken = {lane.alternative for lane in session.lanes}
    name = next(f"part-{number}" for number in range(1, len(session.lanes) + 2) if f"part-{number}" not in taken)
    session = edits.change_strips(session, lane_ids, alternative=name, mute=True)
    return edits.change_strips(session, (lane_ids[0],), mute=False)


def candidates(session: Session, lane_id: str) -> tuple[Lane, ...]:
    """All candidates for the part of a lane, itself among them; none where it is no candidate."""
    word = session.lane(lane_id).alternative
    return tuple(lane for lane in session.lanes if word is not None and lane.alternative == word)


def play_next(session: Session, lane_id: str) -> Session:
    """The next candidate plays in place of the one that does now."""
    group = candidates(session, lane_id)
    if len(group) < 2:
        return session
    now = next((index for index, lane in enumerate(group) if not lane.mute), -1)
    chosen = group[(now + 1) % len(group)]
    session = edits.change_strips(session, [lane.id for lane in group], mute=True)
    return edits.change_strips(session, (chosen.id,), mute=False)


def apart(session: Session, lane_id: str) -> Session:
    """Makes them layers again: all play."""
    group = [lane.id for lane in candidates(session, lane_id)]
    return edits.change_strips(session, group, alternative=None, mute=False) if group else session


def waiting(session: Session) -> frozenset[str]:
    """Lanes that wait for another one of their part."""
    playing = {lane.alternative for lane in session.lanes if lane.alternative is not None and not lane.mute}
    return frozenset(lane.id for lane in session.lanes if lane.mute and lane.alternative in playing)
