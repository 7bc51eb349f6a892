"""Third-octave levels of the parts where a track plays, in the bands of IEC 61260-1 (base ten).

Midbands are 1000 * 10^(n/10) Hz, edges a factor 10^(1/20) either side. Power comes from 16384-point
Hann frames (scaled to the rate) with half overlap; a bin that an edge cuts is shared by width.
"""

from collections.abc import Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

from all_even.decibels import power_db_array
from all_even.kernels import kernel
from all_even.late import scipy

FIRST_BAND, LAST_BAND = -16, 13  # 25 Hz to 20 kHz
MIDBANDS_HZ: NDArray[np.float64] = 1000.0 * 10.0 ** (np.arange(FIRST_BAND, LAST_BAND + 1) / 10.0)
NOMINAL_HZ = (
    25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600,
    2000, 2500, 3150, 4000, 5000, 6300, 8000, 10000, 12500, 16000, 20000,
)  # fmt: skip
EDGE = 10.0 ** (1.0 / 20.0)
FRAME_S = 0.34
ACTIVE_RANGE_DB = 20.0


def frame_length(sample_rate: int) -> int:
    """The power of two nearest to 0.34 s: 16384 at 44.1 and 48 kHz."""
    return int(2 ** round(np.log2(sample_rate * FRAME_S)))


@cache
def _edges(sample_rate: int) -> NDArray[np.float64]:
    """(2, bands): lower and upper edges of the bands, in bins, where bin k reaches from k to k + 1."""
    width = sample_rate / frame_length(sample_rate)
    edges = np.array([MIDBANDS_HZ / EDGE, MIDBANDS_HZ * EDGE]) / width + 0.5
    return np.minimum(edges, frame_length(sample_rate) // 2 + 1)


class ThirdOctaveMeter:
    """Feeds blocks of any length, (frames, channels)."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self._length = frame_length(sample_rate)
        self._hop = self._length // 2
        self._window = np.hanning(self._length + 1)[:-1].astype(np.float32)
        self._scale = 2.0 / (self._length * float(np.sum(self._window.astype(np.float64) ** 2)))
        edges = _edges(sample_rate)
        self._bins = np.minimum(edges.astype(np.int64), self._length // 2)
        self._shares = edges - self._bins
        self._usable = sample_rate / 2 >= MIDBANDS_HZ
        self._rest = np.empty((0, channels), dtype=np.float32)
        self._rows: list[NDArray[np.float64]] = []

    def add(self, block: NDArray[np.float32]) -> None:
        joined = np.concatenate((self._rest, block)) if len(self._rest) else block
        count = max(0, (len(joined) - self._length) // self._hop + 1)
        if count:
            frames = np.lib.stride_tricks.sliding_window_view(joined, self._length, axis=0)[:: self._hop]
            self._frames(frames)
        self._rest = joined[count * self._hop :].copy()

    def result_db(self) -> list[float | None]:
        """Level per band over the active frames, dBFS (RMS over channels); None above Nyquist or silent.

        Active frames are those within 20 dB of the loudest tenth.
        """
        if len(self._rest) and (not self._rows or 2 * len(self._rest) > self._length):
            padded = np.zeros((self._length, self._rest.shape[1]), dtype=np.float32)
            padded[: len(self._rest)] = self._rest
            self._frames(padded.T[np.newaxis], len(self._rest))
            self._rest = self._rest[:0]
        if not self._rows:
            return [None] * len(MIDBANDS_HZ)
        rows = np.array(self._rows)
        total = rows.sum(axis=1)
        loud = float(np.percentile(total, 90))
        active = rows[total >= loud * 10.0 ** (-ACTIVE_RANGE_DB / 10.0)]
        levels = power_db_array(active.mean(axis=0))
        return [
            float(level) if usable and np.isfinite(level) else None
            for level, usable in zip(levels, self._usable, strict=True)
        ]

    def _frames(self, frames: NDArray[np.float32], filled: int | None = None) -> None:
        """frames: (count, channels, length). filled: how many of their samples hold sound, if not all."""
        scale = self._scale * (self._length / filled if filled else 1.0)
        spectra = np.ascontiguousarray(scipy.fft.rfft(frames * self._window, axis=2), dtype=np.complex64)
        rows = np.empty((len(spectra), len(MIDBANDS_HZ)))
        _band_powers(spectra.view(np.float32), self._bins, self._shares, scale / spectra.shape[1], rows)
        self._rows.extend(rows)


@kernel
def _band_powers(spectra, bins, shares, scale, rows):  # type: ignore[no-untyped-def]
    """Sums |X|² over each band and all channels into rows (frames, bands).

    spectra: (frames, channels, 2·bins), real and imaginary parts in turn. bins, shares: (2, bands), the bin in
    which a band's lower and upper edge lies and which part of it lies under the edge.
    """
    rows[:] = 0.0
    for frame in range(len(spectra)):
        for channel in range(spectra.shape[1]):
            parts = spectra[frame, channel]
            for band in range(rows.shape[1]):
                low, high = bins[0, band], bins[1, band]
                power = 0.0
                for i in range(2 * low, 2 * high):
                    power += parts[i] * parts[i]
                power -= shares[0, band] * (parts[2 * low] ** 2 + parts[2 * low + 1] ** 2)
                power += shares[1, band] * (parts[2 * high] ** 2 + parts[2 * high + 1] ** 2)
                rows[frame, band] += scale * power


LOW_END_HZ, LOW_END_DB = 110.0, -20.0


def has_low_end(third_octave_db: Sequence[float | None]) -> bool:
    """Whether a track has anything to speak of under 110 Hz: within 20 dB of all it has. third_octave_db: of its
    midbands."""
    powers = np.array([0.0 if level is None else 10.0 ** (level / 10.0) for level in third_octave_db])
    low = float(powers[MIDBANDS_HZ[: len(powers)] < LOW_END_HZ].sum())
    return low > 10.0 ** (LOW_END_DB / 10.0) * float(powers.sum())
