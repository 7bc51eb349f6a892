"""Curves of automation by hand: pure functions from breakpoints to breakpoints.

A curve is (seconds, value) pairs that rise in time, straight between them and level outside; of two at one time the
later counts from then on, which makes a step. An empty curve is one that is not there: `rest` says what counts then.
"""

from bisect import bisect_left, bisect_right
from collections import OrderedDict
from collections.abc import Callable, Iterable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from all_even.session.model.strips import Point

Curve = Sequence[tuple[float, float]]
Points = list[tuple[float, float]]
Array = NDArray[np.float64]
GRID_S = 0.05
"""How finely a curve is looked at to be smoothed."""
SAME = 1e-9


_pairs: OrderedDict[int, tuple[tuple[Point, ...], Curve]] = OrderedDict()
MOST_PAIRS = 64


def of_points(points: tuple[Point, ...]) -> Curve:
    """The curve of an automation, the same as long as its points are: thousands of them are not read with every move of
    a hand. Not to be changed."""
    known = _pairs.get(id(points))
    if known is None or known[0] is not points:
        known = _pairs[id(points)] = (points, [(point.time_s, point.value) for point in points])
        if len(_pairs) > MOST_PAIRS:
            _pairs.popitem(last=False)
    return known[1]


def value_at(curve: Curve, time_s: float, rest: float = 0.0) -> float:
    """The value at one moment; of a step the later one."""
    return _side(curve, time_s, rest, bisect_right)


def value_before(curve: Curve, time_s: float, rest: float = 0.0) -> float:
    """The value just before a moment; of a step the earlier one."""
    return _side(curve, time_s, rest, bisect_left)


def _side(curve: Curve, time_s: float, rest: float, bisect: Callable[..., int]) -> float:
    if not curve:
        return rest
    after = bisect(curve, time_s, key=lambda point: point[0])
    if after == 0:
        return curve[0][1]
    if after == len(curve):
        return curve[-1][1]
    (t0, v0), (t1, v1) = curve[after - 1], curve[after]
    return v0 if t1 <= t0 else v0 + (v1 - v0) * (time_s - t0) / (t1 - t0)


def values_at(curve: Curve, times_s: Array, rest: float = 0.0) -> Array:
    """The same at many moments."""
    if not curve:
        return np.full(len(times_s), rest)
    return between(np.array([point[0] for point in curve]), np.array([point[1] for point in curve]), times_s)


def between(at: Array, values: Array, times_s: Array) -> Array:
    """The same of a curve that is given as arrays, with one point at least."""
    after = np.searchsorted(at, times_s, side="right")
    left, right = np.maximum(0, after - 1), np.minimum(len(at) - 1, after)
    wide = at[right] - at[left]
    share = np.where(wide > 0.0, np.clip((times_s - at[left]) / np.where(wide > 0.0, wide, 1.0), 0.0, 1.0), 0.0)
    return np.asarray(values[left] + share * (values[right] - values[left]))


def added(curve: Curve, other: Curve, rest: float = 0.0) -> Points:
    """The sum of two curves, with the steps of both; `rest` where the first is not there."""
    times = sorted({point[0] for point in curve} | {point[0] for point in other})
    found: Points = []
    for time_s in times:
        before = value_before(curve, time_s, rest) + value_before(other, time_s)
        after = value_at(curve, time_s, rest) + value_at(other, time_s)
        if abs(before - after) > SAME:
            found.append((time_s, before))
        found.append((time_s, after))
    return found


def raised(curve: Curve, by: float) -> Points:
    """All of it up or down."""
    return [(time_s, value + by) for time_s, value in curve]


def trimmed(curve: Curve, start_s: float, end_s: float, by: float, *, ramp_s: float, rest: float = 0.0) -> Points:
    """A passage up or down by so much, with a ramp outside each end; a ramp that would begin before the song is a
    step."""
    lead = max(0.0, start_s - ramp_s)
    offset = [(lead, 0.0), (start_s, by), (end_s, by), (end_s + ramp_s, 0.0)]
    return added(curve, offset, rest)


def passage(curve: Curve, start_s: float, end_s: float, rest: float = 0.0) -> Points:
    """What of a curve lies between two moments, with its values at both."""
    inside = [point for point in curve if start_s < point[0] < end_s]
    return [(start_s, value_at(curve, start_s, rest)), *inside, (end_s, value_before(curve, end_s, rest))]


def replaced(curve: Curve, start_s: float, end_s: float, inside: Iterable[tuple[float, float]],
             rest: float = 0.0) -> Points:  # fmt: skip
    """Another course between two moments; outside it stays, with steps where they do not meet."""
    made = [point for point in curve if point[0] < start_s]
    made.append((start_s, value_before(curve, start_s, rest)))
    made += inside
    made.append((end_s, value_at(curve, end_s, rest)))
    made += [point for point in curve if point[0] > end_s]
    return _plain(made)


def copied(curve: Curve, source: tuple[float, float], to: Iterable[tuple[float, float]], rest: float = 0.0) -> Points:
    """A passage laid over others, from their beginnings on, as long as both last; times in s."""
    start_s, end_s = source
    part = passage(curve, start_s, end_s, rest)
    found = list(curve)
    for begin_s, stop_s in to:
        last_s = min(stop_s, begin_s + end_s - start_s)
        moved = [(begin_s + at - start_s, value) for at, value in part]
        inside = passage(moved, begin_s, last_s)
        found = replaced(found, begin_s, last_s, inside, rest)
    return found


def thinned(curve: Curve, within: float) -> Points:
    """Fewer points, nowhere further than `within` from the curve (Ramer, Computer Graphics and Image Processing 1,
    1972; Douglas and Peucker 1973; the distance is that of values). Steps stay."""
    points = list(curve)
    keep = [False] * len(points)
    edges = [0, len(points) - 1]
    for index in range(1, len(points)):
        if points[index][0] == points[index - 1][0]:
            edges += [index - 1, index]
    edges = sorted({edge for edge in edges if edge >= 0})
    for edge in edges:
        keep[edge] = True
    times = np.array([point[0] for point in points])
    values = np.array([point[1] for point in points])
    stack = list(pairwise(edges))
    while stack:
        first, last = stack.pop()
        if last - first < 2 or times[last] <= times[first]:
            continue
        share = (times[first : last + 1] - times[first]) / (times[last] - times[first])
        far = np.abs(values[first : last + 1] - values[first] - share * (values[last] - values[first]))
        worst = first + int(np.argmax(far))
        if far[worst - first] > within + SAME:
            keep[worst] = True
            stack += [(first, worst), (worst, last)]
    return [point for point, kept in zip(points, keep, strict=True) if kept]


def smoothed(curve: Curve, start_s: float, end_s: float, width_s: float, *, within: float) -> Points:
    """The passage between two moments averaged over a window (Hann) of a width, thinned to `within`; its ends stay."""
    count = max(3, round((end_s - start_s) / GRID_S) + 1)
    times = np.linspace(start_s, end_s, count)
    values = values_at(curve, times)
    half = max(1, round(0.5 * width_s / GRID_S))
    window = np.hanning(2 * half + 3)[1:-1]
    # The passage mirrored about its ends, so that these stay where they are.
    before = 2.0 * values[0] - values[1 : half + 1][::-1]
    behind = 2.0 * values[-1] - values[-half - 1 : -1][::-1]
    if len(before) < half or len(behind) < half:
        return list(curve)
    smooth = np.convolve(np.concatenate((before, values, behind)), window / window.sum(), "valid")
    inside = thinned(list(zip(times.tolist(), smooth.tolist(), strict=True)), within)
    return replaced(curve, start_s, end_s, inside)


def moved(curve: Curve, index: int, time_s: float, value: float) -> Points:
    """One point elsewhere, between its neighbours."""
    found = list(curve)
    low = found[index - 1][0] if index > 0 else 0.0
    high = found[index + 1][0] if index + 1 < len(found) else float("inf")
    found[index] = (min(high, max(low, time_s)), value)
    return found


def inserted(curve: Curve, time_s: float, value: float) -> tuple[Points, int]:
    """One point more, and where it now stands."""
    found = list(curve)
    at = bisect_right(found, time_s, key=lambda point: point[0])
    found.insert(at, (time_s, value))
    return found, at


def written(curve: Curve, taken: Sequence[tuple[float, float]], out_s: float, *, ramp_s: float, back_s: float,
            rest: float = 0.0) -> Points:  # fmt: skip
    """A ride that was taken while it played, put upon a curve. taken: (seconds, offset) from punching in on, each held
    until the next, with a ramp; at `out_s`, where it was punched out, the offset goes back to nothing within `back_s`.
    """
    offset: Points = []
    held = 0.0
    for at_s, by in taken:
        if at_s >= out_s:
            break
        begin = max(at_s, offset[-1][0] if offset else 0.0)
        offset += [(begin, held), (begin + ramp_s, by)]
        held = by
    if not offset:
        return list(curve)
    end = max(out_s, offset[-1][0])
    offset += [(end, held), (end + back_s, 0.0)]
    return added(curve, _plain(offset), rest)


def _plain(points: Points) -> Points:
    """Without points that say the same as both neighbours at one time."""
    found: Points = []
    for point in points:
        if found and abs(found[-1][0] - point[0]) <= SAME and abs(found[-1][1] - point[1]) <= SAME:
            continue
        if len(found) >= 2 and found[-2][0] == found[-1][0] == point[0]:
            found[-1] = point  # of three at one time the middle one is never heard
            continue
        found.append(point)
    return found
