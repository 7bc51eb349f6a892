"""Whether a decay has ended when the next hit comes.

The *drop*: energy between 350 Hz and 5.6 kHz in the 80 ms from the next kick on, against that in the loudest 60 ms
within 200 ms of the hit: a large place takes so long to answer. A tail that falls by 60 dB in T has dropped by
60 (D - pre + 10 ms) / T where the kick comes D after the snare (tried: within 2 dB; up to 5 dB too good where D is
under 300 ms).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]

LOWEST_HZ, HIGHEST_HZ = 350.0, 5600.0
FIRST_S, LATER_S = 0.06, 0.08
BETWEEN_S = 0.01
"""The middle of the later window lies this much further from its start than that of the first."""
ANSWER_S, STEP_S = 0.2, 0.01


def decay_for_drop_s(until_s: float, predelay_s: float, drop_db: float) -> float:
    """The decay time in which it drops so far."""
    return 60.0 * (until_s - predelay_s + BETWEEN_S) / drop_db


def distances_s(hits_s: Sequence[float], walls_s: Sequence[float], *, shortest_s: float = 0.05) -> Array:
    """From each hit to the next wall (a kick) after it; hits without one, or with one at once, are left out."""
    walls = np.sort(np.asarray(walls_s, dtype=np.float64))
    hits = np.asarray(hits_s, dtype=np.float64)
    after = np.searchsorted(walls, hits + shortest_s)
    there = after < len(walls)
    return walls[after[there]] - hits[there]


def drops_db(samples: Array, sample_rate: int, hits_s: Sequence[float], until_s: Array) -> Array:
    """The measured drop after each hit, dB; NaN where the file ends before. samples: a return, (frames, channels)."""
    edges = (LOWEST_HZ, min(HIGHEST_HZ, 0.45 * sample_rate))
    sections = scipy.signal.butter(4, edges, "bandpass", fs=sample_rate, output="sos")
    power = (scipy.signal.sosfilt(sections, samples, axis=0) ** 2).sum(axis=1)
    summed = np.concatenate(([0.0], np.cumsum(power)))

    def mean(start_s: float, length_s: float) -> float:
        start, end = round(start_s * sample_rate), round((start_s + length_s) * sample_rate)
        return float((summed[end] - summed[start]) / (end - start)) if 0 <= start < end < len(summed) else float("nan")

    def loudest(hit_s: float, until: float) -> float:
        starts = np.arange(0.0, max(STEP_S, min(ANSWER_S, until - FIRST_S)), STEP_S)
        return max(mean(hit_s + float(start), FIRST_S) for start in starts)

    pairs = zip(hits_s, until_s, strict=True)
    found = [(loudest(hit, float(until)), mean(hit + until, LATER_S)) for hit, until in pairs]
    first, later = np.array(found, dtype=np.float64).reshape(-1, 2).T
    return 10.0 * np.log10((first + 1e-20) / (later + 1e-20))
