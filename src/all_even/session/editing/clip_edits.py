"""Clip gain section by section: steps of one automation, a lane's own level before its chain.

Between two sections it changes within 10 ms before the later one begins, so that nothing clicks.
"""

from collections.abc import Iterable

import numpy as np

from all_even import decibels
from all_even.dsp.parameter import CLIP_GAIN
from all_even.measure.time.sections import Section
from all_even.session.editing import curves, edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Automation, Lane, Point

PARAMETER = "clip_gain_db"
RAMP_S = 0.010
SAME_DB = 0.05


def _points(lane: Lane) -> curves.Curve:
    found = next((item for item in lane.automation if item.parameter == PARAMETER), None)
    return curves.of_points(found.points) if found is not None else []


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


def set_section_gain(
    session: Session, lane_id: str, sections: tuple[Section, ...], index: int, gain_db: float
) -> Session:
    """Another clip gain from a section's beginning to its end; KeyError for a lane that is not there. Where it is
    then the same all along, the lane has one clip gain again; what was finer than the sections becomes theirs."""
    lane = session.lane(lane_id)
    gains = list(section_gains_db(lane, sections))
    gains[index] = CLIP_GAIN.clamped(gain_db)
    others = tuple(item for item in lane.automation if item.parameter != PARAMETER)
    if max(gains) - min(gains) < SAME_DB:
        return edits.change_strips(session, (lane_id,), automation=others, clip_gain_db=gains[0])
    points = [Point(time_s=0.0, value=gains[0])]
    for section, before, after in zip(sections[1:], gains, gains[1:], strict=False):
        if before != after:
            points.append(Point(time_s=max(0.0, section.start_s - RAMP_S), value=before))
            points.append(Point(time_s=section.start_s, value=after))
    moving = Automation(parameter=PARAMETER, points=tuple(points))
    return edits.change_strips(session, (lane_id,), automation=(*others, moving))


def faders_at_rest(before: Session, after: Session) -> Session:
    """The later session with the faders it moved at 0 dB again, and their change in the clip gains: as loud as with the
    faders. A fader stays moved where its track is off, sends before its fader, has a clip gain that moves or a
    processor that answers to level, or where the clip gain would not reach."""
    known = {lane.id: lane.level_db for lane in before.lanes}
    for lane in after.lanes:
        gain_db = lane.clip_gain_db + lane.level_db
        if lane.level_db == known.get(lane.id, lane.level_db) or not CLIP_GAIN.low <= gain_db <= CLIP_GAIN.high:
            continue
        held = lane.level_db <= decibels.OFF_DB or moves(lane) or any(send.pre_fader for send in lane.sends)
        if not held and not any(station.LEVEL_DEPENDENT and not station.bypass for station in lane.chain):
            after = edits.change_strips(after, (lane.id,), level_db=0.0, clip_gain_db=gain_db)
    return after


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
