"""Printed reverberation: whether held notes end in a room.

Where a held instrument stops, a dry sound falls alike in every band and after every note; a room scatters the falls:
each band decays by its own modes. So falls are collected from many bands, and their spread tells. Sounds that die away
by themselves (plucked and struck ones, basses, sections) fall scattered without any room: of those nothing can be said,
and who knows the role has to keep from asking (`session.tracks.roles.is_held`). It detects; the time reads low (0.3 to
0.4 s for a room of 0.6 s). Constants were found by trial on recorded and synthetic instruments.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy

WINDOW_S, HOP_S = 1024 / 48_000, 0.005
LOWEST_HZ, HIGHEST_HZ, PER_OCTAVE = 250.0, 6000.0, 6
SMOOTH_FRAMES = 5
WITHIN_DB = 18.0
"""A fall begins at a local maximum this near to the 95th percentile of its band."""
FROM_DB, TO_DB = 8.0, 23.0
RISE_DB, OVER_FLOOR_DB = 3.0, 6.0
FEWEST_FALLS = 15
LEAST_SCATTER = 2.1
"""Median of the falls over their 5th percentile."""
LEAST_S = 0.27
LONGEST_S = 8.0
BATCH = 256
Array = NDArray[np.float32]


class ReverbMeter:
    """Feeds blocks of any length, (frames, channels) of float32, finite. Keeps bands only, 200 rows a second."""

    def __init__(self, sample_rate: int) -> None:
        self._window_frames = max(16, round(WINDOW_S * sample_rate))
        self._hop = max(1, round(HOP_S * sample_rate))
        size = 1 << (self._window_frames - 1).bit_length()
        self._size = size
        window = np.hanning(self._window_frames + 1)[:-1].astype(np.float32)
        self._window = window / np.float32(window.sum())
        self._bands = _triangles(size, sample_rate)
        self._waiting = np.zeros(0, dtype=np.float32)
        self._rows: list[Array] = []

    def add(self, block: NDArray[np.float32]) -> None:
        mono = block[:, 0] if block.shape[1] == 1 else block.mean(axis=1)
        sound = np.concatenate((self._waiting, mono))
        count = max(0, (len(sound) - self._window_frames) // self._hop + 1)
        if count:
            frames = np.lib.stride_tricks.sliding_window_view(sound, self._window_frames)[:: self._hop][:count]
            for start in range(0, count, BATCH):
                spectrum = scipy.fft.rfft(frames[start : start + BATCH] * self._window, self._size, axis=1)
                power = spectrum.real**2 + spectrum.imag**2
                self._rows.append(power @ self._bands)
        self._waiting = sound[count * self._hop :].copy()

    def result(self) -> float | None:
        """Decay time (60 dB) of printed reverberation in s; None where the sound is dry or too little of it falls."""
        if not self._rows or not self._bands.shape[1]:
            return None
        power = np.concatenate(self._rows)
        smooth = scipy.ndimage.uniform_filter1d(power, SMOOTH_FRAMES, axis=0, mode="nearest")
        level = 10.0 * np.log10(np.maximum(smooth, 1e-20))
        falls = np.concatenate([_falls(np.ascontiguousarray(level[:, band])) for band in range(level.shape[1])])
        return told_s(falls)


def told_s(falls_s: NDArray[np.floating]) -> float | None:
    """What the falls of all bands say together. falls_s: each carried on to 60 dB."""
    if len(falls_s) < FEWEST_FALLS:
        return None
    low, middle = (float(value) for value in np.percentile(falls_s, (5, 50)))
    return min(middle, LONGEST_S) if middle >= LEAST_S and middle >= LEAST_SCATTER * low else None


def _triangles(size: int, sample_rate: int) -> Array:
    """(bins, bands) weights of a sixth of an octave each way; bands over half the rate are left out."""
    count = int(np.log2(HIGHEST_HZ / LOWEST_HZ) * PER_OCTAVE) + 1
    centres = LOWEST_HZ * 2.0 ** (np.arange(count) / PER_OCTAVE)
    centres = centres[centres < 0.45 * sample_rate]
    octaves = np.log2(np.maximum(np.arange(size // 2 + 1) * sample_rate / size, 1.0))
    distance = np.abs(octaves[:, np.newaxis] - np.log2(centres)[np.newaxis, :]) * PER_OCTAVE
    # A low band is narrower than a bin: it takes at least the nearest one.
    weights = np.maximum(0.0, 1.0 - distance)
    weights[np.argmin(distance, axis=0), np.arange(len(centres))] = 1.0
    return weights.astype(np.float32)


def _falls(level_db: NDArray[np.floating]) -> NDArray[np.float64]:
    """The falls of one band, s for 60 dB each."""
    loud, floor = (float(value) for value in np.percentile(level_db, (95, 1)))
    frames = _fall_frames(level_db.astype(np.float64), loud - WITHIN_DB, floor + OVER_FLOOR_DB)
    return np.asarray(frames * HOP_S * 60.0 / (TO_DB - FROM_DB))


@kernel
def _fall_frames(level, least, floor):  # type: ignore[no-untyped-def]
    """Frames from 8 to 23 dB under each local maximum over `least`, where nothing rises by over 3 dB on the way."""
    found = np.empty(len(level))
    count = 0
    i = 1
    while i < len(level) - 1:
        top = level[i]
        if top < least or top < level[i - 1] or top <= level[i + 1] or top - 23.0 < floor:
            i += 1
            continue
        lowest, begin, end = top, -1, -1
        j = i + 1
        while j < len(level):
            x = level[j]
            if x > lowest + 3.0:
                break
            if x < lowest:
                lowest = x
            if begin < 0 and x <= top - 8.0:
                begin = j
            if x <= top - 23.0:
                end = j
                break
            j += 1
        if end >= 0:
            found[count] = max(1, end - begin)
            count += 1
        i = max(i + 1, j)
    return found[:count]
