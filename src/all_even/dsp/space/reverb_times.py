"""When a reverb's sound comes back: the lengths of its lines, and its early reflections.

The counts are compiled into the `@kernel` loops of `reverb`.
"""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

LINES = 16
SPREAD_OCTAVES = 1.3
JITTER = (0.37, -0.21, 0.12, -0.43, 0.29, -0.08, 0.46, -0.33, 0.05, -0.27, 0.41, -0.14, 0.23, -0.48, 0.17, -0.39)
"""How far each line's length stands from an even spread, as a share of the way to the next."""
EARLY_TAPS = 16
EARLY_FALL_DB = 10.0


@lru_cache(maxsize=256)
def line_frames(size_ms: float, sample_rate: int) -> tuple[int, ...]:
    """Lengths of the lines: primes, spread over 1.3 octaves around the size, neighbours far apart."""
    even = (np.arange(LINES) + 0.5 + np.array(JITTER)) / LINES - 0.5
    wanted = size_ms * sample_rate / 1000.0 * 2.0 ** (SPREAD_OCTAVES * even)
    primes = _primes(int(wanted.max()) + 400)
    found: list[int] = []
    for length in wanted:
        free = primes[~np.isin(primes, found)]
        found.append(int(free[np.argmin(np.abs(free - length))]))
    return tuple(found[5 * k % LINES] for k in range(LINES))


def _primes(most: int) -> NDArray[np.int64]:
    open_ = np.ones(most + 1, dtype=bool)
    open_[:2] = False
    for number in range(2, math.isqrt(most) + 1):
        if open_[number]:
            open_[number * number :: number] = False
    return np.flatnonzero(open_)


def early_taps(side: int, span_frames: int) -> tuple[Array, Array]:
    """Times in frames and gains of one side's early reflections: one in each cell, unlike signs, of energy 1."""
    number = np.arange(EARLY_TAPS)
    within = (0.61803399 * (3 * number + 1) + 0.37 * side + 0.13 * number * number) % 1.0
    share = (number + within) / EARLY_TAPS
    signs = np.where((number * number * (3 + 2 * side) + 5 * number) // 3 % 2 == 0, 1.0, -1.0)
    gains = signs * 10.0 ** (-EARLY_FALL_DB * share / 20.0)
    return np.floor(share * span_frames), gains / np.sqrt(np.sum(gains**2))
