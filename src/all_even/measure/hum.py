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
SECOND = 4_096
QUIET_DB = 20.0
QUIET_HZ = (0.8, (4.0, 12.0), 2.5)
"""The same widths for a single second."""
HARMONICS = 8
WITHIN_HZ, BESIDE_HZ, LINE_HZ = 0.4, (1.5, 6.0), 0.75
"""Where a line is looked for; what it has to stand out of; over what its level is summed."""
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
    """Hum in the mono sound at 4 kHz; None where there is none or the sound is too short to say.

    Looked for under the whole of it, and in its quietest second: where a track pauses but rarely, the held level
    is that of the music.
    """
    window = np.hanning(FRAME + 1)[:-1]
    found = None
    if len(low) >= 2 * FRAME:
        frames = np.lib.stride_tricks.sliding_window_view(np.asarray(low, dtype=np.float32), FRAME)[::HOP]
        frames = frames[np.max(np.abs(frames), axis=1) > 0.0]
        if len(frames) >= 2:
            found = _in_frames(frames, window, WITHIN_HZ, BESIDE_HZ, LINE_HZ)
    quiet = _quietest(low)
    if found is None and quiet is not None:
        found = _in_frames(quiet[np.newaxis, :], np.hanning(SECOND + 1)[:-1], *QUIET_HZ)
    return found


def _quietest(low: NDArray[np.floating]) -> NDArray[np.float32] | None:
    """The quietest second, where it lies well under the loud parts and is not digital silence."""
    if len(low) < 2 * SECOND:
        return None
    step = SECOND // 8
    count = len(low) // step
    energy = np.square(low[: count * step].astype(np.float64)).reshape(count, step).sum(axis=1)
    seconds = np.convolve(energy, np.ones(8), mode="valid")
    sounding = np.flatnonzero(np.min(np.lib.stride_tricks.sliding_window_view(energy, 8), axis=1) > 0.0)
    if not len(sounding):
        return None
    at = int(sounding[np.argmin(seconds[sounding])])
    if seconds[at] > np.percentile(seconds, 95) * 10.0 ** (-QUIET_DB / 10.0):
        return None
    return np.asarray(low[at * step : at * step + SECOND], dtype=np.float32)


def _in_frames(
    frames: NDArray[np.float32],
    window: NDArray[np.float64],
    within_hz: float,
    beside_hz: tuple[float, float],
    line_hz: float,
) -> Hum | None:
    power = np.abs(np.fft.rfft(frames * window.astype(np.float32), axis=1)) ** 2
    power *= 2.0 / (len(window) * np.sum(window**2))  # mean square; a line is spread over three bins
    held = np.percentile(power, HELD_PERCENTILE, axis=0)
    frequency = np.arange(len(held)) * LOW_RATE / len(window)
    best: Hum | None = None
    for mains in MAINS_HZ:
        lines, total = [], 0.0
        for k in range(1, HARMONICS + 1):
            near = np.abs(frequency - k * mains)
            line = held[near <= within_hz].max()
            beside = np.median(held[(near > beside_hz[0]) & (near < beside_hz[1])])
            if 10.0 * np.log10(max(line, 1e-20) / max(beside, 1e-20)) > STANDS_OUT_DB:
                level = float(np.percentile(power[:, near <= line_hz].sum(axis=1), HELD_PERCENTILE))
                if 10.0 * np.log10(max(level, 1e-20)) > LOWEST_DBFS:
                    lines.append(k * mains)
                    total += level
        if len(lines) >= FEWEST_LINES and lines[0] <= 2 * mains:
            level_dbfs = float(10.0 * np.log10(total))
            if best is None or level_dbfs > best.level_dbfs:
                best = Hum(mains, level_dbfs, tuple(lines))
    return best
