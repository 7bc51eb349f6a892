"""How loud a track is while others play: partial loudness, a witness that no search chases.

After B. C. J. Moore, B. R. Glasberg and T. Baer, "A model for the prediction of thresholds, loudness, and partial
loudness", J. Audio Eng. Soc. 45 (1997), equations 17 to 20 (from memory), simplified: excitations as for masking,
cochlear gain 1, the threshold in quiet is the floor of the mix. Only ratios mean something.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.measure.sharing import masking

ALPHA = 0.2
A_OVER_QUIET = 2.04
"""A against the excitation at threshold in quiet, above 500 Hz."""
ACTIVE_DB = 25.0
Array = NDArray[np.float64]


def partial_loudness(spread: NDArray[np.floating], total: NDArray[np.floating], floor: float) -> float:
    """Mean over the frames in which a track plays; no unit. spread: of the track, total: of all, (frames, bands)."""
    own = np.asarray(spread, dtype=np.float64)
    noise = np.maximum(0.0, np.asarray(total, dtype=np.float64) - own)
    level = own.sum(axis=1)
    loud = float(np.percentile(level[level > 0.0], 95)) if np.any(level > 0.0) else 0.0
    playing = level > loud * 10.0 ** (-ACTIVE_DB / 10.0)
    if not playing.any() or floor <= 0.0:
        return 0.0
    return float(specific(own[playing] / floor, noise[playing] / floor, masking.threshold_factor()).sum(axis=1).mean())


def specific(signal: Array, noise: Array, factor: Array) -> Array:
    """Partial specific loudness. signal, noise: excitations against the threshold in quiet; factor: K(f)."""
    quiet, a = 1.0, A_OVER_QUIET
    threshold = factor * noise + quiet
    both = (signal + noise + a) ** ALPHA
    above_noise = (noise * (1.0 + factor) + quiet + a) ** ALPHA
    over = both - a**ALPHA - (above_noise - (quiet + a) ** ALPHA) * (threshold / np.maximum(signal, 1e-12)) ** 0.3
    rise = np.maximum(above_noise - (noise + a) ** ALPHA, 1e-12)
    under = (
        (2.0 * signal / (signal + threshold)) ** 1.5
        * ((quiet + a) ** ALPHA - a**ALPHA) / rise * (both - (noise + a) ** ALPHA)
    )  # fmt: skip
    return np.where(signal > threshold, over, under)
