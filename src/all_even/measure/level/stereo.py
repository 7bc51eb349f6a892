"""What left and right have to do with each other: balance and correlation."""

import math

import numpy as np

from all_even.measure.level import loudness
from all_even.measure.level.hops import Hops

CORRELATION_HOPS = 40  # 400 ms


def balance_db(hops: Hops) -> float | None:
    """Loudness of the left minus that of the right in dB, over what passes -70 LUFS; None for mono.

    Positive: the left is louder. None where one side is silent.
    """
    if hops.weighted.shape[1] != 2:
        return None
    sides = [
        loudness.windowed(hops.weighted[:, i : i + 1], loudness.MOMENTARY_HOPS, loudness.STEP_HOPS) for i in (0, 1)
    ]
    passed = (sides[0] + sides[1]) > 10.0 ** ((loudness.ABSOLUTE_GATE_LUFS - loudness.OFFSET_LU) / 10.0)
    left, right = (float(side[passed].sum()) for side in sides)
    if left <= 0.0 or right <= 0.0:
        return None
    return 10.0 * math.log10(left / right)


def correlation(hops: Hops) -> float | None:
    """Zero-lag correlation of left and right, -1 to 1, in 400 ms windows weighted by their energy."""
    if hops.power.shape[1] != 2 or not len(hops):
        return None
    size = min(CORRELATION_HOPS, len(hops))
    count = len(hops) // size * size

    def summed(values: np.ndarray) -> np.ndarray:
        return values[:count].astype(np.float64).reshape(-1, size).sum(axis=1)

    left, right, cross = summed(hops.power[:, 0]), summed(hops.power[:, 1]), summed(hops.cross)
    scale = np.sqrt(left * right)
    weight = left + right
    usable = scale > 0.0
    if not usable.any():
        return None
    value = np.sum(cross[usable] / scale[usable] * weight[usable]) / np.sum(weight[usable])
    return float(np.clip(value, -1.0, 1.0))
