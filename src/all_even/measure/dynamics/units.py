"""Units of a line: its notes, words or strokes, each with one level; and how far these lie apart.

A unit begins and ends where the level, averaged over 50 ms, rises out of and falls into the pauses (Otsu's threshold
over the top 60 dB, 6 dB of hysteresis), and wherever it dips by 6 dB between two tops. Its level is the RMS from 20 to
500 ms of it: what the ear takes for its loudness, without the stroke that begins it. The units of a struck part are its
hits, each with the RMS of its first 150 ms. The spread of a line is the 90th percentile of these less the 10th.
What is short and far under the others is no unit: a breath, fingers on strings.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

HOP_S = 0.01
SMOOTH_HOPS = 5
TOP_DB, HYSTERESIS_DB, DIP_DB = 60.0, 6.0, 6.0
LOUD_PERCENT, SOFT_DB = 95, 18.0
"""A line without pauses has no two heaps to part: what lies less than this under its loud moments is always in."""
SHORTEST_S = 0.06
NO_NOTE_DB, NO_NOTE_S = 18.0, 0.4
"""A unit this much under the median, and shorter than this, is a breath or a noise of playing. Our own rule."""
FROM_S, TO_S = 0.02, 0.50
HIT_S = 0.15
FEWEST = 8
"""Fewer units have no spread."""
FLOOR = 1e-16
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Units:
    """starts_s, ends_s, levels_db: (units,), in order; levels in dB RMS. from_s: so much of each does not count."""

    starts_s: Array
    ends_s: Array
    levels_db: Array
    from_s: float = FROM_S

    def __len__(self) -> int:
        return len(self.starts_s)

    @property
    def spread_db(self) -> float | None:
        """P90 - P10 of the levels; None with fewer than eight."""
        return spread_db(self.levels_db)

    def levels_in(self, power: Array) -> Array:
        """Their levels in another version of the sound, dB."""
        return _levels(power, self.starts_s, self.ends_s, self.from_s)


def spread_db(levels_db: Array) -> float | None:
    """P90 - P10 of levels; None with fewer than eight."""
    if len(levels_db) < FEWEST:
        return None
    low, high = np.percentile(levels_db, (10, 90))
    return float(high - low)


def find_units(power: Array) -> Units:
    """power: mean squares of hops of 10 ms."""
    if not len(power) or power.max() <= FLOOR:
        return Units(np.zeros(0), np.zeros(0), np.zeros(0))
    level = 10.0 * np.log10(np.convolve(power, np.ones(SMOOTH_HOPS) / SMOOTH_HOPS, "same") + FLOOR)
    found = [part for start, stop in _islands(level) for part in _split(level, start, stop)]
    found = [(start, stop) for start, stop in found if (stop - start) * HOP_S >= SHORTEST_S]
    starts, ends = (np.array([part[i] for part in found], dtype=np.float64) * HOP_S for i in (0, 1))
    levels = _levels(power, starts, ends, FROM_S)
    kept = ~_beside_notes(ends - starts, levels)
    return Units(starts[kept], ends[kept], levels[kept])


def _beside_notes(lengths_s: Array, levels_db: Array) -> NDArray[np.bool_]:
    """What is short and far under the others: breaths, fingers, ends of words."""
    if not len(levels_db):
        return np.zeros(0, dtype=bool)
    return np.asarray((levels_db < np.median(levels_db) - NO_NOTE_DB) & (lengths_s < NO_NOTE_S))


def hits_as_units(power: Array, hits_s: Sequence[float]) -> Units:
    """Each hit with its first 150 ms, or as far as to the next."""
    starts = np.array([hit for hit in hits_s if hit < len(power) * HOP_S], dtype=np.float64)
    following = np.append(starts[1:], np.inf)
    ends = np.maximum(np.minimum(starts + HIT_S, following), starts + HOP_S)
    return Units(starts, ends, _levels(power, starts, ends, 0.0), 0.0)


def _levels(power: Array, starts_s: Array, ends_s: Array, from_s: float) -> Array:
    summed = np.concatenate(([0.0], np.cumsum(power)))
    begin = np.minimum(starts_s + from_s, ends_s - HOP_S)
    first = np.clip(np.round(begin / HOP_S).astype(int), 0, len(power))
    last = np.clip(np.round(np.minimum(ends_s, starts_s + TO_S) / HOP_S).astype(int), 0, len(power))
    last = np.maximum(last, np.minimum(first + 1, len(power)))
    mean = (summed[last] - summed[first]) / np.maximum(1, last - first)
    return np.asarray(10.0 * np.log10(np.maximum(mean, FLOOR)))


def _islands(level: Array) -> list[tuple[int, int]]:
    """Stretches of sound between pauses, in hops."""
    opens = min(otsu(np.maximum(level, level.max() - TOP_DB)), float(np.percentile(level, LOUD_PERCENT)) - SOFT_DB)
    closes = opens - HYSTERESIS_DB
    above = level > closes
    edges = np.flatnonzero(np.diff(np.concatenate(([0], above.astype(np.int8), [0]))))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True) if level[a:b].max() > opens]


def _split(level: Array, start: int, stop: int) -> list[tuple[int, int]]:
    """An island cut at every dip that lies 6 dB under the tops on both sides of it."""
    cuts: list[int] = []
    top = low = start
    for i in range(start, stop):
        if level[i] < level[low]:
            low = i
        if level[top] - level[low] >= DIP_DB and level[i] - level[low] >= DIP_DB:
            cuts.append(low)
            top = low = i
        elif level[i] > level[top]:
            top = low = i
    edges = [start, *cuts, stop]
    return list(pairwise(edges))


def otsu(values: Array) -> float:
    """The threshold that splits values into two classes best (N. Otsu, IEEE Trans. Systems, Man and Cybernetics 9,
    1979): between-class variance at its greatest, over a histogram of half decibels."""
    low, high = float(values.min()), float(values.max())
    if high - low < 1.0:
        return low - 1.0
    counts, edges = np.histogram(values, bins=max(2, round((high - low) / 0.5)))
    middles = 0.5 * (edges[:-1] + edges[1:])
    weight = np.cumsum(counts)[:-1] / counts.sum()
    mean = np.cumsum(counts * middles)[:-1] / counts.sum()
    whole = float((counts * middles).sum() / counts.sum())
    between = (whole * weight - mean) ** 2 / np.maximum(weight * (1.0 - weight), 1e-12)
    return float(edges[1 + int(np.argmax(between))])
