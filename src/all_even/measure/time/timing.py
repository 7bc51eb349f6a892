"""Timing: how hits and notes lie against the grid, and bass against drums."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from all_even.measure.time.tempo import Tempo

NEAREST_SHARE = 0.4
"""Of a step: further off, an onset belongs to no step (a triplet, an ornament)."""
TOGETHER_S = 0.060
"""Onsets of two parts within this are meant to be together (common practice)."""
FEWEST = 4


@dataclass(frozen=True, slots=True)
class Timing:
    """late_ms: median, positive = late. spread_ms: half of the onsets lie within this of the median.

    count: onsets that could be placed. attack_ms: how long its notes take to come up: what is late by no more may only
    speak slowly.
    """

    late_ms: float
    spread_ms: float
    count: int
    attack_ms: float = 0.0


def against_grid(times_s: Sequence[float], tempo: Tempo, *, steps: int = 4) -> Timing | None:
    """Onsets against the nearest division of the beat; None for fewer than four."""
    grid = tempo.grid_s(steps)
    if len(grid) < 2 or not len(times_s):
        return None
    times = np.array(times_s)
    return _summary(_off(times, grid)[np.abs(_off(times, grid)) < NEAREST_SHARE * float(np.median(np.diff(grid)))])


def against_each_other(times_s: Sequence[float], reference_s: Sequence[float]) -> Timing | None:
    """Onsets against those of another part that they are meant to meet; None for fewer than four."""
    if not len(times_s) or len(reference_s) < 2:
        return None
    off = _off(np.array(times_s), np.sort(np.array(reference_s)))
    return _summary(off[np.abs(off) < TOGETHER_S])


def _off(times: np.ndarray, grid: np.ndarray) -> np.ndarray:
    """Distance in seconds to the nearest grid time, positive = late."""
    index = np.clip(np.searchsorted(grid, times), 1, len(grid) - 1)
    index = index - (times - grid[index - 1] < grid[index] - times)
    return np.asarray(times - grid[index])


def _summary(off: np.ndarray) -> Timing | None:
    if len(off) < FEWEST:
        return None
    middle = float(np.median(off))
    return Timing(1000.0 * middle, 1000.0 * float(np.median(np.abs(off - middle))), len(off))
