"""Hits of a lane: those that were measured, as the user has put them right.

A session keeps only what was changed by hand, so that better measuring reaches old sessions too. Times
in the session are those of the lane's file; what is returned is on the song's time line.
"""

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from all_even.measure.recording.character import Character, Struck
from all_even.session.model.session import Session
from all_even.session.model.strips import HitChanges, Lane
from all_even.session.tracks.roles import family_of

SAME_S = 0.015
"""A measured hit this near to a removed one is that one."""


def is_struck(role: str) -> bool:
    """Whether a role's onsets are hits; other roles begin notes."""
    return family_of(role) in ("drums", "percussion")


def is_kick(role: str) -> bool:
    """Whether a role's hits are those of a kick, whatever else the track holds."""
    return role.startswith("kick") or role == "drums"


def struck(character: Character, role: str) -> Struck:
    """The reading of a track's hits that fits its role."""
    return character.as_kick if is_kick(role) else character.own


def hits_s(lane: Lane, measured_s: Sequence[float]) -> tuple[float, ...]:
    """The hits of a lane on the song's time line, rising. measured_s: as measured, in s of its file."""
    removed = np.array(lane.hits.removed_s)
    kept = [time for time in measured_s if not len(removed) or np.abs(removed - time).min() > SAME_S]
    return tuple(sorted(time + lane.start_s for time in {*kept, *lane.hits.added_s}))


def lane_hits_s(lane: Lane, character: Character) -> tuple[float, ...]:
    """The hits of a lane on the song's time line, from what was measured on its file."""
    return hits_s(lane, struck(character, lane.role).hits.times_s)


def add_hit(session: Session, lane_id: str, time_s: float) -> Session:
    """A hit that was not heard. time_s: on the song's time line; before the file's beginning nothing happens."""
    lane = session.lane(lane_id)
    time = time_s - lane.start_s
    if time < 0.0:
        return session
    removed = tuple(other for other in lane.hits.removed_s if abs(other - time) > SAME_S)
    if len(removed) < len(lane.hits.removed_s):
        return _with(session, lane, lane.hits.added_s, removed)
    return _with(session, lane, (*lane.hits.added_s, time), removed)


def remove_hit(session: Session, lane_id: str, time_s: float) -> Session:
    """A hit that is none. time_s: on the song's time line."""
    lane = session.lane(lane_id)
    time = max(0.0, time_s - lane.start_s)
    added = tuple(other for other in lane.hits.added_s if abs(other - time) > SAME_S)
    if len(added) < len(lane.hits.added_s):
        return _with(session, lane, added, lane.hits.removed_s)
    return _with(session, lane, added, (*lane.hits.removed_s, time))


def move_hit(session: Session, lane_id: str, time_s: float, to_s: float) -> Session:
    """A hit heard at the wrong time: the one at `time_s` goes, one at `to_s` comes."""
    session = remove_hit(session, lane_id, time_s)
    lane = session.lane(lane_id)
    return _with(session, lane, (*lane.hits.added_s, max(0.0, to_s - lane.start_s)), lane.hits.removed_s)


def _with(session: Session, lane: Lane, added: Sequence[float], removed: Sequence[float]) -> Session:
    changes = HitChanges(added_s=tuple(sorted(set(added))), removed_s=tuple(sorted(set(removed))))
    lanes = tuple(replace(other, hits=changes) if other.id == lane.id else other for other in session.lanes)
    return replace(session, lanes=lanes)
