"""The gain path: a lane's level at every point from its file to the mix bus, and where it first goes wrong.

Only what answers to level is judged: a level that is harmless before an equaliser is no fault. Where such a station
meets a level outside the useful range, the place to put it right is the earliest point from which the level stays
outside on its way there.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.processor import Processor, key_of
from all_even.dsp.tone.saturation import Saturation
from all_even.engine.clip_gain import clip_gains, has_clip_gain
from all_even.figures.book.flow import Flow, StripFlow
from all_even.measure.level.hops import HOP_S
from all_even.measure.level.levels import Level, file_hops, level_of, playing_hops
from all_even.measure.recording.track import TrackMeasures
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.settings import WORKING_WITHIN_DB, WorkSettings
from all_even.session.model.strips import MIX, NOWHERE, Lane, Strip

PEAK_WITHIN_DB = 1.5
FILE, CLIP, FADER, ARRIVAL = "file", "clip", "fader", "mix"
"""Points that are no station."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Point:
    """One point on the way. place: `file`, `clip` (where the chain begins), the id of a station (its output), `fader`,
    `mix`. low_dbfs, high_dbfs: 10th and 90th percentile of the level while playing; None where it is unknown.
    judged: whether the station *into* which this level goes answers to level."""

    place: str
    name: str
    level: Level
    low_dbfs: float | None
    high_dbfs: float | None
    judged: bool = False

    def raised(self, place: str, name: str, by_db: float) -> "Point":
        """The next point, behind a gain."""
        if by_db <= decibels.OFF_DB:
            return Point(place, name, Level(None, None), None, None)
        low, high = (None if value is None else value + by_db for value in (self.low_dbfs, self.high_dbfs))
        return Point(place, name, self.level.raised(by_db), low, high)


@dataclass(frozen=True, slots=True)
class Trouble:
    """into: index of the point whose level a station meets badly; begins: index of the earliest point to put it right;
    station: what meets it; change_db: what brings it to the working level."""

    into: int
    begins: int
    station: Processor
    change_db: float


def is_judged(station: Processor) -> bool:
    """Whether the level it meets matters: it answers to level, works, and is not steered by another track. Saturation
    is often driven hot on purpose: colour, no fault of level (common practice)."""
    return station.LEVEL_DEPENDENT and not station.bypass and key_of(station) is None and not is_colour(station)


def is_colour(station: Processor) -> bool:
    """Whether its drive is chosen by ear, whatever level it meets."""
    return isinstance(station, Saturation)


def point_of(place: str, name: str, hops: Array, playing: NDArray[np.bool_]) -> Point:
    """From (hops, 2) power and peak; playing: which hops count."""
    count = min(len(hops), len(playing))
    power = hops[:count, 0][playing[:count]]
    low, high = (None, None)
    if len(power):
        low, high = (decibels.known(decibels.power_db(float(value))) for value in np.percentile(power, (10, 90)))
    return Point(place, name, level_of(hops, playing), low, high)


def gain_path(
    session: Session, lane: Lane, measures: TrackMeasures | None, flow: Flow | None
) -> tuple[Point, ...] | None:
    """All points of a lane, in order; None while it is not measured."""
    if measures is None:
        return None
    hops = file_hops(measures.hops)
    playing = playing_hops(hops[:, 0])
    points = [point_of(FILE, "File", hops, playing)]
    known = flow.strip(session, lane.id) if flow is not None else None
    if lane.chain and known is None:
        return None
    points.append(_clip_point(lane, hops, playing, points[0], known))
    if known is not None:
        played = playing_hops(known.before[:, 0])
        for item in known.stations:
            points.append(point_of(item.station.id, item.station.SHORT, item.after, played))
    for index, station in enumerate(lane.chain):
        if is_judged(station):
            points[1 + index] = _judged(points[1 + index])
    fader_db = routing.level_db(session, lane)
    points.append(points[-1].raised(FADER, "Fader", fader_db))
    points.append(points[-1].raised(ARRIVAL, "Mix", _onward_db(session, lane)))
    return tuple(points)


def trouble(path: Sequence[Point], chain: Sequence[Processor], settings: WorkSettings) -> Trouble | None:
    """The first station that meets a level outside the useful range, and where to put it right."""
    for index, station in enumerate(chain):
        into = index + 1
        side = outside(path[into], settings)
        if not is_judged(station) or side == 0:
            continue
        begins = into
        while begins > 0 and outside(path[begins - 1], settings) == side:
            begins -= 1
        return Trouble(into, begins, station, _change_db(path[into], settings))
    return None


def outside(point: Point, settings: WorkSettings) -> int:
    """-1: under the useful range, 1: over it, 0: inside or unknown."""
    rms, peak = point.level.rms_dbfs, point.level.peak_dbfs
    if rms is None or peak is None:
        return 0
    if rms > settings.working_rms_dbfs + WORKING_WITHIN_DB or peak > settings.working_peak_dbfs + PEAK_WITHIN_DB:
        return 1
    # A sound with high peaks can't come nearer to the working level than they let it.
    room = settings.working_peak_dbfs - peak
    return -1 if min(settings.working_rms_dbfs - rms, room) > WORKING_WITHIN_DB else 0


def _change_db(point: Point, settings: WorkSettings) -> float:
    rms, peak = point.level.rms_dbfs, point.level.peak_dbfs
    assert rms is not None
    assert peak is not None
    return min(settings.working_rms_dbfs - rms, settings.working_peak_dbfs - peak)


def to_working_level_db(point: Point, settings: WorkSettings) -> float | None:
    """The gain that brings a point to the working level, as far as its peaks let it; None in silence."""
    return None if point.level.rms_dbfs is None else _change_db(point, settings)


def _judged(point: Point) -> Point:
    return Point(point.place, point.name, point.level, point.low_dbfs, point.high_dbfs, True)


def _clip_point(lane: Lane, hops: Array, playing: NDArray[np.bool_], file: Point, known: StripFlow | None) -> Point:
    if known is not None:
        return point_of(CLIP, "Clip", known.before, playing_hops(known.before[:, 0]))
    if not has_clip_gain(lane):
        return file.raised(CLIP, "Clip", 0.0)
    lead = round(lane.start_s / HOP_S)
    gains = clip_gains(lane, lead + len(hops), HOP_S)[lead:]
    return point_of(CLIP, "Clip", hops * np.stack((gains**2, gains), axis=1), playing)


def _onward_db(session: Session, lane: Strip) -> float:
    """What the groups' faders and the trim add on the way to the mix; their chains are left aside."""
    total, seen, strip = session.mix.trim_db, {lane.id}, lane
    while strip.destination not in (MIX, NOWHERE) and strip.destination not in seen:
        strip = session.bus(strip.destination)
        seen.add(strip.id)
        total += routing.level_db(session, strip)
    return decibels.OFF_DB if strip.destination == NOWHERE else total


Histogram = tuple[tuple[float, ...], tuple[float, ...]]
"""Levels in dBFS rising, and the share of the playing time at each."""
BIN_DB, LOWEST_DB = 1.5, -90.0


def histograms(
    session: Session, lane: Lane, measures: TrackMeasures | None, flow: Flow | None
) -> tuple[Histogram | None, ...]:
    """How long the lane is how loud at each point of its path, in the same order; None where it is unknown."""
    path = gain_path(session, lane, measures, flow)
    if path is None or measures is None:
        return ()
    known = flow.strip(session, lane.id) if flow is not None else None
    own = file_hops(measures.hops)
    found = [histogram(own[:, 0], own[:, 0], 0.0)]
    if known is None:
        clip_db = (path[1].level.rms_dbfs or 0.0) - (path[0].level.rms_dbfs or 0.0)
        found.append(histogram(own[:, 0], own[:, 0], clip_db))
        last, reference, behind = own[:, 0], own[:, 0], path[1]
        offset = clip_db
    else:
        reference = known.before[:, 0]
        found.append(histogram(reference, reference, 0.0))
        found += [histogram(item.after[:, 0], reference, 0.0) for item in known.stations]
        last, offset, behind = (known.stations[-1].after[:, 0] if known.stations else reference), 0.0, path[-3]
    for point in path[-2:]:
        if point.level.rms_dbfs is None or behind.level.rms_dbfs is None:
            found.append(None)
        else:
            found.append(histogram(last, reference, offset + point.level.rms_dbfs - behind.level.rms_dbfs))
    return tuple(found)


def histogram(power: Array, reference: Array, by_db: float) -> Histogram | None:
    """How long a sound is how loud while it plays; None where it never comes over what is shown.

    power, reference: (hops,) mean squares, what is told of and what tells when it plays. by_db: a gain behind it.
    """
    playing = playing_hops(reference)
    count = min(len(power), len(playing))
    played = power[:count][playing[:count]]
    if not len(played):
        return None
    levels = 10.0 * np.log10(np.maximum(played, 1e-12)) + by_db
    if levels.max() <= LOWEST_DB:
        return None
    low = np.floor(max(LOWEST_DB, float(levels.min())) / BIN_DB) * BIN_DB
    edges = np.arange(low - BIN_DB, float(levels.max()) + 2.0 * BIN_DB, BIN_DB)
    counts, _ = np.histogram(levels, edges)
    middles = 0.5 * (edges[:-1] + edges[1:])
    return tuple(middles.tolist()), tuple((counts / len(played)).tolist())
