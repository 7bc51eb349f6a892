"""The key of a song: which of 24 fits the pitch classes that sound, and how much better than the next.

Power of a mix between 60 Hz and 2 kHz is gathered into twelve pitch classes (equal temperament, A4 = 440 Hz or the
song's own tuning), frame by frame, and correlated with the profiles of listeners' ratings: C. L. Krumhansl and E. J.
Kessler, "Tracing the dynamic changes in perceived tonal organization", Psychological Review 89 (1982), values from
memory. Near keys share most notes, so a lead of less than 0.05 over the next is said to be unsure.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]
MAJOR = (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88)
MINOR = (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17)
NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
LOW_HZ, HIGH_HZ = 60.0, 2000.0
FRAME_S = 0.35
SURE = 0.05
COMPRESSION = 0.5
"""Of power: a loud note counts more, not alone."""


@dataclass(frozen=True, slots=True)
class SongKey:
    """name: "D minor". lead: of its correlation over the next. next: that one."""

    name: str
    lead: float
    next: str

    @property
    def is_sure(self) -> bool:
        return self.lead >= SURE


def pitch_classes(sound: NDArray[np.floating], sample_rate: int, a4_hz: float = 440.0) -> Array:
    """(12,) what sounds of each pitch class, C first; sums to 1, zeros in silence. sound: (frames,) mono."""
    size = int(2 ** round(np.log2(FRAME_S * sample_rate)))
    if len(sound) < size:
        return np.zeros(12)
    hertz, _, spectra = scipy.signal.stft(sound, sample_rate, nperseg=size, noverlap=size // 2)
    inside = (hertz >= LOW_HZ) & (hertz < HIGH_HZ)
    power = np.abs(spectra[inside]) ** 2
    peaks = power * (power >= np.roll(power, 1, axis=0)) * (power >= np.roll(power, -1, axis=0))
    note = np.round(12.0 * np.log2(hertz[inside] / a4_hz)).astype(int) + 9
    found = np.zeros(12)
    np.add.at(found, note % 12, (peaks**COMPRESSION).sum(axis=1))
    return found / max(float(found.sum()), 1e-12)


def key_of(classes: Array) -> SongKey | None:
    """The key that fits best; None in silence. classes: (12,) of `pitch_classes`."""
    if not np.any(classes > 0.0) or float(np.std(classes)) <= 0.0:
        return None
    fits = []
    for mode, profile in (("major", MAJOR), ("minor", MINOR)):
        for tonic in range(12):
            fits.append((float(np.corrcoef(classes, np.roll(profile, tonic))[0, 1]), f"{NAMES[tonic]} {mode}"))
    (best, name), (second, other) = sorted(fits, reverse=True)[:2]
    return SongKey(name, best - second, other)
