"""Clip gain section by section: steps of one automation, a lane's own level before its chain.

Between two sections it changes within 10 ms before the later one begins, so that nothing clicks.
"""

from collections.abc import Iterable

import numpy as np

from all_even.dsp.parameter import CLIP_GAIN
from all_even.measure.time.sections import Section
from all_even.session import edits
from all_even.session.model import Automation, Lane, Point, Session

PARAMETER = "clip_gain_db"
RAMP_S = 0.010


def _points(lane: Lane) -> list[tuple[float, float]]:
    found = next((item for item in lane.automation if item.parameter == PARAMETER), None)
    return [(point.time_s, point.value) for point in found.points] if found is not None else []


def gain_at_db(lane: Lane, time_s: float) -> float:
    """The clip gain at a time of the song."""
    points = _points(lane)
    if not points:
        return lane.clip_gain_db
    times, values = zip(*points, strict=True)
    return float(np.interp(time_s, times, values))


def section_gains_db(lane: Lane, sections: tuple[Section, ...]) -> tuple[float, ...]:
    """The clip gain in the middle of each section."""
    return tuple(gain_at_db(lane, 0.5 * (section.start_s + section.end_s)) for section in sections)


def set_section_gain(session: Session, lane_id: str, section: Section, gain_db: float) -> Session:
    """Another clip gain from a section's beginning to its end; KeyError for a lane that is not there. Where it is
    then the same all along, the lane has one clip gain again."""
    lane = session.lane(lane_id)
    gain_db = CLIP_GAIN.clamped(gain_db)
    start_s, end_s = section.start_s, section.end_s
    before, after = gain_at_db(lane, max(0.0, start_s - 2.0 * RAMP_S)), gain_at_db(lane, end_s + RAMP_S)
    points = [point for point in _points(lane) if point[0] < start_s - RAMP_S]
    points += [(start_s - RAMP_S, before)] if start_s > RAMP_S else []
    points += [(start_s, gain_db), (max(start_s, end_s - RAMP_S), gain_db), (end_s, after)]
    points += [point for point in _points(lane) if point[0] > end_s]
    values = [value for _, value in points]
    others = tuple(item for item in lane.automation if item.parameter != PARAMETER)
    if max(values) - min(values) < 0.05 and (start_s <= RAMP_S or abs(before - gain_db) < 0.05):
        return edits.change_strips(session, (lane_id,), automation=others, clip_gain_db=values[0])
    moving = Automation(parameter=PARAMETER, points=tuple(Point(time_s=time, value=value) for time, value in points))
    return edits.change_strips(session, (lane_id,), automation=(*others, moving))


def reset(session: Session, lane_ids: Iterable[str]) -> Session:
    """No clip gain at all on these lanes, at rest or over time."""
    for lane_id in lane_ids:
        if session.is_lane(lane_id):
            others = tuple(item for item in session.lane(lane_id).automation if item.parameter != PARAMETER)
            session = edits.change_strips(session, (lane_id,), clip_gain_db=0.0, automation=others)
    return session


def moves(lane: Lane) -> bool:
    """Whether the clip gain is another from section to section."""
    return any(item.parameter == PARAMETER for item in lane.automation)
