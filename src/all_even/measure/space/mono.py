"""What a sound of two sides loses in mono: third octave by third octave, since a comb hides in the whole.

Two sides that are not alike add up by power; where they are alike and late against each other some bands vanish. The
deviation of the mono sum from the power sum, per third octave (centres of IEC 61260-1), tells.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]

CENTRES_HZ = 1000.0 * 10.0 ** (np.arange(-10, 11) / 10.0)
WORST_DB = -3.0
"""A band that loses more than this is told."""
UNHEARD_DB = 40.0
"""Bands this much under the strongest do not count."""


def deviation_db(samples: Array, sample_rate: int) -> Array:
    """Of each third octave from 100 Hz to 10 kHz, dB; NaN where there is next to nothing. samples: (frames, 2)."""
    window = 1 << 14
    hz, power = scipy.signal.welch(samples, sample_rate, nperseg=min(window, len(samples)), axis=0)
    _, mono = scipy.signal.welch(samples.sum(axis=1), sample_rate, nperseg=min(window, len(samples)))
    low, high = CENTRES_HZ * 10.0**-0.05, CENTRES_HZ * 10.0**0.05
    bands = (hz[:, np.newaxis] >= low) & (hz[:, np.newaxis] < high)
    apart, together = power.sum(axis=1) @ bands, mono @ bands
    heard = apart > apart.max(initial=0.0) * 10.0 ** (-UNHEARD_DB / 10.0)
    result = np.full(len(CENTRES_HZ), np.nan)
    result[heard] = 10.0 * np.log10(together[heard] / apart[heard] + 1e-12)
    return result


def worst_db(samples: Array, sample_rate: int) -> float | None:
    """What the band loses that loses most, dB; None in silence."""
    found = deviation_db(samples, sample_rate)
    return float(np.nanmin(found)) if np.isfinite(found).any() else None
