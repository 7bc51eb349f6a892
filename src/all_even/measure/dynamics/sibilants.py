"""Sibilants of a voice: where its treble stands over everything else in it, for as long as an s lasts.

Power of 4.5 to 10 kHz over that of 0.2 to 4 kHz, every 10 ms while the voice sounds. Sibilants are told from vowels by
the threshold that parts these ratios best (Otsu). Where the median sibilant lies less than 6 dB over the 95th
percentile of the rest they can't be told apart, and none are named.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.dynamics.signal import signal_of
from all_even.measure.dynamics.units import HOP_S, otsu

TREBLE_HZ, REST_HZ = (4500.0, 10_000.0), (200.0, 4000.0)
SOUNDING_DB = 35.0
"""What lies further under the voice's loud moments is no part of a word."""
LENGTH_S = (0.03, 0.35)
CLEAR_DB = 6.0
FEWEST = 5
LOWEST_RATIO_DB, RANGE_DB = -40.0, 60.0
FLOOR = 1e-14
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Sibilants:
    """starts_s, ends_s: of each; over_db: its treble against that of the median vowel, whole band. clear_db: median
    sibilant over the 95th percentile of the rest, by ratio."""

    starts_s: Array
    ends_s: Array
    over_db: Array
    clear_db: float

    def __len__(self) -> int:
        return len(self.starts_s)

    @property
    def sure(self) -> bool:
        """Whether they can be told from vowels."""
        return len(self) >= FEWEST and self.clear_db >= CLEAR_DB


NONE = Sibilants(np.zeros(0), np.zeros(0), np.zeros(0), 0.0)


def band_power(samples: NDArray[np.floating], sample_rate: int, band_hz: tuple[float, float]) -> Array:
    """Mean squares of 10 ms in a band, zero-phase. samples: (frames, channels)."""
    high = min(band_hz[1], 0.48 * sample_rate)
    sections = scipy.signal.butter(4, (band_hz[0], high), "bandpass", fs=sample_rate, output="sos")
    band = scipy.signal.sosfiltfilt(sections, samples.astype(np.float64), axis=0)
    return signal_of(band, sample_rate).power


def find_sibilants(samples: NDArray[np.floating], sample_rate: int) -> Sibilants:
    """samples: (frames, channels) of a voice. NONE for one without treble, or without vowels."""
    if sample_rate < 2.2 * TREBLE_HZ[0] or len(samples) < sample_rate:
        return NONE
    treble = band_power(samples, sample_rate, TREBLE_HZ)
    rest = band_power(samples, sample_rate, REST_HZ)
    whole = treble + rest
    if whole.max(initial=0.0) <= FLOOR:
        return NONE
    sounding = whole > np.percentile(whole[whole > FLOOR], 95) * 10.0 ** (-SOUNDING_DB / 10.0)
    ratio = 10.0 * np.log10((treble + FLOOR) / (rest + FLOOR))
    values = np.clip(ratio[sounding], LOWEST_RATIO_DB, LOWEST_RATIO_DB + RANGE_DB)
    if len(values) < 10 * FEWEST:
        return NONE
    over = otsu(values)
    hissing = sounding & (ratio > over)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], hissing.astype(np.int8), [0]))))
    spans = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True)
             if LENGTH_S[0] <= (b - a) * HOP_S <= LENGTH_S[1]]  # fmt: skip
    vowels = sounding & ~hissing
    if not spans or np.count_nonzero(vowels) < FEWEST:
        return NONE
    tops = np.array([np.median(ratio[a:b]) for a, b in spans])
    clear = float(np.median(tops) - np.percentile(ratio[vowels], 95))
    vowel = float(np.median(whole[vowels]))
    loud = np.array([10.0 * np.log10(treble[a:b].mean() / vowel + FLOOR) for a, b in spans])
    starts, ends = (np.array([span[i] for span in spans], dtype=np.float64) * HOP_S for i in (0, 1))
    return Sibilants(starts, ends, loud, clear)
