"""The relation of a line to its backing, unit by unit, and the ride that brings each unit to where they usually are.

Relation: K-weighted level of a unit's own moments within 20 dB of its loudest, less that of all else over at least two
seconds around it, dB. A ride is the usual relation less the unit's own: what is wrong is not that a singer is
loud or soft, but that the arrangement covers some of it. Rides under 1.5 dB are left (an even voice gives up to 1.7 by
itself), over 6 dB they stop. What a whole section needs is its own ride, told apart: there the backing changed, not the
singer. Tried: spread of the relation 4.2 to 8.6 dB became 0.7 to 2.7.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

WITHIN_DB = 20.0
BACKING_S = 2.0
LEAST_DB, MOST_DB = 1.5, 6.0
FEWEST = 5
"""With fewer units, of a song or of a section, there is no usual relation."""
USUAL_WITHIN_DB, USUAL_ROUNDS, USUAL_FEWEST = 3.0, 3, 3
MERGE_DB, MERGE_S = 1.0, 1.0
BEFORE_S = 0.02
"""A ramp ends so long before the unit it leads to."""
LONGEST_RAMP_S = 0.3
SHORTEST_RAMP_S = 0.01
REST_S = 2.0
"""In a longer pause the ride goes back to nothing."""
Array = NDArray[np.float64]
Points = list[tuple[float, float]]


def relations_db(own: Array, backing: Array, frame_s: float, starts_s: Array, ends_s: Array) -> Array:
    """(units,) level over the backing, dB; NaN where there is no backing or nothing of the unit.

    own, backing: (frames,) K-weighted power; frames are centred at multiples of frame_s.
    """
    summed = np.concatenate(([0.0], np.cumsum(backing)))
    found = np.full(len(starts_s), np.nan)
    for index, (start_s, end_s) in enumerate(zip(starts_s, ends_s, strict=True)):
        first, last = span(start_s, end_s, frame_s, len(own))
        there = own[first:last]
        loud = there[there > there.max(initial=0.0) * 10.0 ** (-WITHIN_DB / 10.0)]
        wider = max(0.0, 0.5 * (BACKING_S - (end_s - start_s)))
        a, b = span(start_s - wider, end_s + wider, frame_s, len(backing))
        behind = (summed[b] - summed[a]) / max(1, b - a)
        if len(loud) and loud.mean() > 0.0 and behind > 0.0:
            found[index] = 10.0 * np.log10(loud.mean() / behind)
    return found


def span(start_s: float, end_s: float, frame_s: float, count: int) -> tuple[int, int]:
    """Frames whose middles lie in a stretch; at least one where there are any."""
    first = min(max(0, int(np.ceil(start_s / frame_s))), max(0, count - 1))
    last = min(count, int(np.floor(end_s / frame_s)) + 1)
    return first, max(last, min(count, first + 1))


def usual_db(relations: Array) -> float:
    """The relation that is usual: the median of those within 3 dB of the median, and so on three times. Where a quarter
    of the words is off to one side the median goes along: of nine words with 1 dB of their own 1.4 in 48 even ones were
    then ridden, this way 0.8 (drawn at random). NaN without any."""
    known = relations[np.isfinite(relations)]
    if not len(known):
        return float("nan")
    found = float(np.median(known))
    for _ in range(USUAL_ROUNDS):
        near = known[np.abs(known - found) <= USUAL_WITHIN_DB]
        found = float(np.median(near)) if len(near) >= USUAL_FEWEST else found
    return found


def centres_db(relations: Array, sections: NDArray[np.int64]) -> Array:
    """(units,) the relation that is usual where each unit is: in its section where that has five units or more, else in
    the song. sections: (units,) the number of the section each lies in. NaN without any unit."""
    known = np.isfinite(relations)
    found = np.full(len(relations), usual_db(relations))
    for section in np.unique(sections):
        there = sections == section
        if (known & there).sum() >= FEWEST:
            found[there] = usual_db(relations[there])
    return found


def spread_db(relations: Array, sections: NDArray[np.int64] | None = None) -> float | None:
    """P90 - P10 of the relations, dB; None with fewer than five. sections: then of what each unit lies off what is
    usual in its section, so that a fuller chorus is no unevenness of the singer."""
    off = relations if sections is None else relations - centres_db(relations, sections)
    known = off[np.isfinite(off)]
    return float(np.ptp(np.percentile(known, (10, 90)))) if len(known) >= FEWEST else None


def furthest_db(relations: Array, sections: NDArray[np.int64]) -> float | None:
    """The furthest that any unit lies off what is usual in its section, dB; None with fewer than five."""
    off = np.abs(relations - centres_db(relations, sections))
    known = off[np.isfinite(off)]
    return float(known.max()) if len(known) >= FEWEST else None


@dataclass(frozen=True, slots=True, eq=False)
class Rides:
    """usual_db: the usual relation. units_db: (units,) what each is ridden by, 0 where it is left; section_db:
    (units,) what its section lies off the whole song's usual relation, where that is worth a ride of its own."""

    usual_db: float
    units_db: Array
    section_db: Array


def rides(
    relations: Array, starts_s: Array, ends_s: Array, sections: NDArray[np.int64], *,
    least_db: float = LEAST_DB, most_db: float = MOST_DB, up_db: float = MOST_DB,
) -> Rides | None:  # fmt: skip
    """What each unit needs to lie where its section's units usually do. sections as for `centres_db`. up_db: how far up
    the fader goes still. None with fewer than five units."""
    known = np.isfinite(relations)
    if known.sum() < FEWEST:
        return None
    usual = usual_db(relations)
    centre = centres_db(relations, sections)
    whole = np.where(np.abs(usual - centre) >= least_db, np.clip(usual - centre, -most_db, most_db), 0.0)
    needed = _together(np.where(known, centre - relations, 0.0), known, starts_s, ends_s)
    kept = np.where(np.abs(needed) < least_db, 0.0, np.clip(needed, -most_db, min(most_db, up_db)))
    return Rides(usual, np.asarray(np.round(kept, 1)), np.asarray(np.round(whole, 1)))


def _together(needed: Array, known: NDArray[np.bool_], starts_s: Array, ends_s: Array) -> Array:
    """Neighbours that need nearly the same go together: one ride for a phrase, not one for each of its words."""
    found = needed.copy()
    group = [0] if len(needed) else []
    for index in range(1, len(needed) + 1):
        near = (
            index < len(needed) and known[index] and known[index - 1]
            and starts_s[index] - ends_s[index - 1] < MERGE_S
            and abs(needed[index] - np.mean(needed[group])) < MERGE_DB
        )  # fmt: skip
        if near:
            group.append(index)
            continue
        found[group] = np.mean(needed[group])
        group = [index]
    return found


def ride_curve(
    starts_s: Sequence[float], ends_s: Sequence[float], rides_db: Sequence[float]
) -> list[tuple[float, float]]:
    """(seconds, dB) of a ride: each unit at its value; on the way there a ramp that lies in the gap and ends 20 ms
    before the unit, so that a breath in the gap is never moved further than its neighbours. In a pause of over two
    seconds the ride goes back to nothing. Empty where nothing is ridden."""
    if not np.any(rides_db):
        return []
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    value, last_end = 0.0, 0.0
    for start_s, end_s, ride in zip(starts_s, ends_s, rides_db, strict=True):
        if value and start_s - last_end > REST_S:
            points += [(last_end + BEFORE_S, value), (last_end + BEFORE_S + LONGEST_RAMP_S, 0.0)]
            value, last_end = 0.0, last_end + BEFORE_S + LONGEST_RAMP_S
        if ride != value:
            end = max(start_s - BEFORE_S, last_end + SHORTEST_RAMP_S)
            begin = max(last_end, end - LONGEST_RAMP_S)
            points += [(begin, value), (max(end, begin + SHORTEST_RAMP_S), float(ride))]
            value = float(ride)
        last_end = float(end_s)
    if value:
        points += [(last_end + BEFORE_S, value), (last_end + BEFORE_S + LONGEST_RAMP_S, 0.0)]
    return _rising(points)


def _rising(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    found: list[tuple[float, float]] = []
    for at_s, value in points:
        at = round(max(at_s, found[-1][0] if found else 0.0), 4)
        if not found or (at, value) != found[-1]:
            found.append((at, value))
    return found


def dips(
    starts_s: Array, ends_s: Array, by_db: float, *, down_s: float = 0.3, back_s: float = 0.3, after_s: float = 0.05,
    merge_s: float = 1.0,
) -> list[tuple[float, float]]:  # fmt: skip
    """(seconds, dB) of a part that steps back while another one sounds: down by `by_db` 20 ms before each stretch, back
    from 50 ms after it; gaps under a second are not worth coming back for."""
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    for start_s, end_s in stretches(starts_s, ends_s, merge_s):
        low = max(0.0, start_s - BEFORE_S)
        begin = max(points[-1][0], low - down_s)
        points += [(begin, 0.0), (max(begin, low), -by_db), (end_s + after_s, -by_db), (end_s + after_s + back_s, 0.0)]
    return _rising(points) if len(points) > 1 else []


def stretches(starts_s: Array, ends_s: Array, merge_s: float) -> list[tuple[float, float]]:
    """Spans with those closer than `merge_s` taken together, (start s, end s)."""
    found: list[tuple[float, float]] = []
    for start_s, end_s in zip(starts_s.tolist(), ends_s.tolist(), strict=True):
        if found and start_s - found[-1][1] < merge_s:
            found[-1] = (found[-1][0], max(found[-1][1], end_s))
        else:
            found.append((start_s, end_s))
    return found
