"""Whether what lies over a place of the spectrum is only noise: it has nothing to do with what is played.

Only noise: over that place a sound is as loud in its pauses as while it plays. Where strings, fingers, breath or a pick
are to be heard up there, it moves with the notes. Our own thresholds.
"""

import numpy as np
from numpy.typing import NDArray

LOUD_DB, QUIET_DB = 15.0, 35.0
"""How far under its loudest (P95) a sound still counts as playing, and from where as pausing."""
FEWEST_FRAMES = 10
STEADY_DB = 4.0
SILENCE = 1e-18
Array = NDArray[np.float64]
Mask = NDArray[np.bool_]


def playing_and_pausing(whole: Array) -> tuple[Mask, Mask]:
    """Of frames, by their power."""
    sounding = whole[whole > SILENCE]
    top = float(np.percentile(sounding, 95)) if len(sounding) else 0.0
    return whole > top * 10.0 ** (-LOUD_DB / 10.0), whole < top * 10.0 ** (-QUIET_DB / 10.0)


def is_only_noise(whole: Array, over: Array, *, without_pauses: bool = False) -> bool:
    """whole, over: power of frames, all of it and what is over the place. without_pauses: what answers for a sound that
    has none: then noise is what does not move at all."""
    playing, pausing = playing_and_pausing(whole)
    levels = 10.0 * np.log10(np.maximum(over, 1e-20))
    if np.count_nonzero(pausing) >= FEWEST_FRAMES and playing.any():
        return bool(np.percentile(levels[playing], 90) - np.median(levels[pausing]) < STEADY_DB)
    return without_pauses and bool(np.ptp(np.percentile(levels, (5, 95))) < STEADY_DB)
