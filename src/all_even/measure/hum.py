"""Mains hum: steady lines at multiples of 50 or 60 Hz that stay when the music pauses or changes.

Spectra of four seconds each, fine enough to part a line from the skirts of the notes; per line the level
that it holds nearly all the time. A note is not there all through a track, and a held drone on G lies a
whole hertz and more beside 50, 100 and 150.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.traces import LOW_RATE

FRAME = 16_384
HOP = 8_192
HELD_PERCENTILE = 5.0
MAINS_HZ = (50.0, 60.0)
HARMONICS = 8
WITHIN_HZ = 0.4
BESIDE_HZ = (1.5, 6.0)
LINE_HZ = 0.75
STANDS_OUT_DB = 12.0
FEWEST_LINES = 3
LOWEST_DBFS = -90.0
"""Lines under this are below the noise of any converter."""


@dataclass(frozen=True, slots=True)
class Hum:
    """mains_hz: 50 or 60. level_dbfs: of all its lines together. lines_hz: those that stand out."""

    mains_hz: float
    level_dbfs: float
    lines_hz: tuple[float, ...]


def find_hum(low: NDArray[np.floating]) -> Hum | None:
    """Hum in the mono sound at 4 kHz; None where there is none or the sound is too short to say."""
    if len(low) < 2 * FRAME:
        return None
    window = np.hanning(FRAME + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(np.asarray(low, dtype=np.float32), FRAME)[::HOP]
    frames = frames[np.max(np.abs(frames), axis=1) > 0.0]
    if len(frames) < 2:
        return None
    power = np.abs(np.fft.rfft(frames * window.astype(np.float32), axis=1)) ** 2
    power *= 2.0 / (FRAME * np.sum(window**2))  # mean square; a line is spread over three bins
    held = np.percentile(power, HELD_PERCENTILE, axis=0)
    frequency = np.arange(len(held)) * LOW_RATE / FRAME
    best: Hum | None = None
    for mains in MAINS_HZ:
        lines, total = [], 0.0
        for k in range(1, HARMONICS + 1):
            near = np.abs(frequency - k * mains)
            line = held[near <= WITHIN_HZ].max()
            beside = np.median(held[(near > BESIDE_HZ[0]) & (near < BESIDE_HZ[1])])
            over_db = float(10.0 * np.log10(max(line, 1e-20) / max(beside, 1e-20)))
            if over_db > STANDS_OUT_DB:
                level = float(np.percentile(power[:, near <= LINE_HZ].sum(axis=1), HELD_PERCENTILE))
                if 10.0 * np.log10(max(level, 1e-20)) > LOWEST_DBFS:
                    lines.append(k * mains)
                    total += level
        if len(lines) >= FEWEST_LINES and lines[0] <= 2 * mains:
            level_dbfs = float(10.0 * np.log10(total))
            if best is None or level_dbfs > best.level_dbfs:
                best = Hum(mains, level_dbfs, tuple(lines))
    return best
