"""Noise floor: what a track holds where nobody plays."""

import math

import numpy as np
from numpy.typing import NDArray

from all_even.measure import loudness
from all_even.measure.hops import Hops

BLOCK_HOPS = 5  # 50 ms
PERCENTILE = 5.0
SURROUND_STEPS = 2  # a played 400 ms window keeps its own 200 ms either side out of the floor


def noise_floor_dbfs(hops: Hops, mean: NDArray[np.float64]) -> float | None:
    """5th percentile of the 50 ms RMS in inactive parts; None where there are none or they are digital zero.

    mean: (channels,), the direct current that is left out of the floor.
    """
    active = loudness.active_steps(hops.weighted)
    count = len(hops) // BLOCK_HOPS
    if not len(active) or not count:
        return None
    power = np.maximum(hops.power[: count * BLOCK_HOPS] - mean**2, 0.0)
    blocks = power.mean(axis=1).reshape(count, BLOCK_HOPS).mean(axis=1)
    # Step s covers hops 10 s to 10 s + 40, that is 50 ms blocks 2 s to 2 s + 8.
    played = np.zeros(count, dtype=bool)
    for step in np.flatnonzero(active):
        played[max(0, 2 * step - SURROUND_STEPS) : 2 * step + 8 + SURROUND_STEPS] = True
    quiet = blocks[~played]
    if not len(quiet):
        return None
    floor = float(np.percentile(quiet, PERCENTILE))
    return 10.0 * math.log10(floor) if floor > 0.0 else None
