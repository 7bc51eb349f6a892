"""Two sounds of one source added: what their low sum gains or loses, hit by hit, for any delay and polarity.

Over each hit, in a low band: gain = 10 log10((Ea + Eb ± 2 C(t)) / (Ea + Eb)), with both sounds brought to the same
energy over all hits, so that faders have no say. What is chosen on half of the hits is tested on the other half:
between sounds that have nothing to do with each other the best delay is noise and gains nothing there.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.late import scipy

RATE = 4_000
FURTHEST_MS, STEP_MS = 10.0, 0.05
FEWEST_HITS = 12
LEAST_GAIN_DB = 0.5
LEAST_T = 3.0
"""Mean over its standard error."""
LEAST_RATIO = 0.01
"""20 dB less is as good as nothing."""
BAND_HZ = (30.0, 160.0)
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class PhaseGains:
    """gains_db: of the sum at each hit, (hits,), with the delay and polarity that were asked for; mean_db, spread_db:
    their mean and standard deviation."""

    gains_db: Array

    @property
    def mean_db(self) -> float:
        return float(self.gains_db.mean()) if len(self.gains_db) else 0.0

    @property
    def spread_db(self) -> float:
        return float(self.gains_db.std()) if len(self.gains_db) else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Sum:
    """Two sounds cut into hits. a, b: (hits, frames) at 4 kHz, band-passed, of equal energy over all hits."""

    a: Array
    b: Array

    def gains(self, delay_a_ms: float = 0.0, polarity: int = 1) -> PhaseGains:
        """The sum's gain per hit, dB, with the first sound later by some ms and the second's polarity as given."""
        energy = (self.a**2).sum(axis=1) + (self.b**2).sum(axis=1)
        cross = (_shifted(self.a, delay_a_ms) * self.b).sum(axis=1)
        ratio = (energy + 2.0 * polarity * cross) / np.maximum(energy, 1e-30)
        return PhaseGains(10.0 * np.log10(np.maximum(ratio, LEAST_RATIO)))

    def proven_db(self, delay_a_ms: float, polarity: int) -> float | None:
        """What a change gains on held-out hits over the sounds as they are, dB: of delays near the one asked for, the
        best on odd hits, tested on even ones. None where there are too few hits, or the gain is not sure."""
        if len(self.a) < FEWEST_HITS:
            return None
        now = self.gains().gains_db
        tried = [self.gains(delay_a_ms + ms, polarity).gains_db for ms in np.arange(-0.3, 0.31, STEP_MS)]
        best = max(tried, key=lambda gains: float(gains[::2].mean()))
        gained = best[1::2] - now[1::2]
        error = float(gained.std(ddof=1)) / np.sqrt(len(gained)) if len(gained) > 1 else np.inf
        mean = float(gained.mean())
        return mean if mean >= LEAST_GAIN_DB and mean > LEAST_T * error else None


def low_sum(
    a: NDArray[np.floating], b: NDArray[np.floating], sample_rate: int, hits_s: Sequence[float], length_s: float,
    band_hz: tuple[float, float] = BAND_HZ,
) -> Sum | None:  # fmt: skip
    """a, b: (frames,) mono on one time line. hits_s: where hits begin; length_s: how long each is looked at.

    Hits in which one of the two is silent are left out; None where none is left.
    """
    low_a, low_b = (_low(sound, sample_rate, band_hz) for sound in (a, b))
    length = max(1, round(length_s * RATE))
    starts = [round(time * RATE) for time in hits_s]
    starts = [start for start in starts if start >= 0 and start + length <= min(len(low_a), len(low_b))]
    if not starts:
        return None
    cut_a, cut_b = (np.stack([side[start : start + length] for start in starts]) for side in (low_a, low_b))
    energy_a, energy_b = (cut_a**2).sum(axis=1), (cut_b**2).sum(axis=1)
    loud = (energy_a > 1e-3 * energy_a.max()) & (energy_b > 1e-3 * energy_b.max())
    if not loud.any() or energy_a.max() <= 0.0 or energy_b.max() <= 0.0:
        return None
    cut_a, cut_b = cut_a[loud], cut_b[loud]
    return Sum(cut_a / np.sqrt((cut_a**2).sum()), cut_b / np.sqrt((cut_b**2).sum()))


def _low(sound: NDArray[np.floating], sample_rate: int, band_hz: tuple[float, float]) -> Array:
    low = soxr.resample(np.asarray(sound, dtype=np.float32), sample_rate, RATE, quality="HQ").astype(np.float64)
    sections = scipy.signal.butter(2, band_hz, "bandpass", fs=RATE, output="sos")
    padded = min(len(low) - 1, RATE)
    return np.asarray(scipy.signal.sosfiltfilt(sections, low, padlen=max(0, padded))) if len(low) > 16 else low


def _shifted(hits: Array, delay_ms: float) -> Array:
    """Each row later by a part of a sample or more, in the spectrum; what leaves at the end is lost."""
    if delay_ms == 0.0:
        return hits
    room = round(2.0 * FURTHEST_MS * 0.001 * RATE) + abs(round(delay_ms * 0.001 * RATE))
    size = scipy.fft.next_fast_len(hits.shape[1] + 2 * room, real=True)
    spectrum = np.fft.rfft(hits, size, axis=1)
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size, 1.0 / RATE) * delay_ms * 0.001)
    return np.asarray(np.fft.irfft(spectrum * turn, size, axis=1)[:, : hits.shape[1]])
