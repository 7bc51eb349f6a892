"""Noise floor: what a track holds where nobody plays."""

import math

import numpy as np
from numpy.typing import NDArray

from all_even.measure.level import loudness
from all_even.measure.level.hops import Hops

BLOCK_HOPS = 5  # 50 ms
PERCENTILE = 5.0
SURROUND_STEPS = 2  # a played 400 ms window keeps its own 200 ms either side out of the floor


def noise_floor_dbfs(hops: Hops) -> float | None:
    """5th percentile of the 50 ms RMS in inactive parts, direct current left out.

    None where there are no inactive parts or they are digital zero.
    """
    active = loudness.active_steps(hops.weighted)
    count = len(hops) // BLOCK_HOPS
    if not len(active) or not count:
        return None

    def per_block(values: NDArray[np.float32]) -> NDArray[np.float64]:
        """(blocks, channels): means over 50 ms."""
        kept = values[: count * BLOCK_HOPS].astype(np.float64)
        means: NDArray[np.float64] = kept.reshape(count, BLOCK_HOPS, -1).mean(axis=1)
        return means

    blocks = np.maximum(per_block(hops.power) - per_block(hops.mean) ** 2, 0.0).mean(axis=1)
    # Step s covers hops 10 s to 10 s + 40, that is 50 ms blocks 2 s to 2 s + 8.
    played = np.zeros(count, dtype=bool)
    for step in np.flatnonzero(active):
        played[max(0, 2 * step - SURROUND_STEPS) : 2 * step + 8 + SURROUND_STEPS] = True
    quiet = blocks[~played]
    if not len(quiet):
        return None
    floor = float(np.percentile(quiet, PERCENTILE))
    return 10.0 * math.log10(floor) if floor > 0.0 else None
