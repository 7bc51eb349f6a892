"""Mains hum: steady lines at multiples of 50 or 60 Hz that stay when the music pauses or changes.

Spectra of four seconds each, fine enough to part a line from the skirts of the notes; per line the level
that it holds nearly all the time. A note is not there all through a track, and a held drone on G lies a
whole hertz and more beside 50, 100 and 150. Hits that repeat exactly have a comb of lines too, some of
which may fall on the mains'; but between the hits they are gone, and a hum is not.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.time.traces import LOW_RATE

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
SHORT_FRAME, SHORT_HOP = 1_024, 256
"""A quarter of a second: what lies between two hits..."""
FADES_DB = 9.0
"""...must not sink by more than this under the line."""
PAUSE_FRAME, PAUSE_HOP = 2_048, 1_024
PAUSE_SHARE, FEWEST_PAUSES, MOST_PAUSES = 0.1, 6, 0.7
"""Quietest share of the half seconds, how many at least, and the share of them in which a line has to be."""
PAUSE_DB = 12.0
"""They lie this much under the loud ones; else there are no pauses."""
PAUSE_WITHIN_HZ, PAUSE_BESIDE_HZ, PAUSE_OVER_DB = 0.6, (8.0, 20.0), 10.0
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

    Looked for under everything, and in the pauses between loud sounds, which drown it in a long spectrum.
    """
    return _under_everything(low) or _in_pauses(low)


def _under_everything(low: NDArray[np.floating]) -> Hum | None:
    if len(low) < 2 * FRAME:
        return None
    window = np.hanning(FRAME + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(np.asarray(low, dtype=np.float32), FRAME)[::HOP]
    frames = frames[np.max(np.abs(frames), axis=1) > 0.0]
    if len(frames) < 2:
        return None
    power = np.abs(np.fft.rfft(frames * window.astype(np.float32), axis=1)) ** 2
    power *= 2.0 / (FRAME * np.sum(window**2))  # mean square; a line is spread over three bins
    held: NDArray[np.float64] = np.percentile(power, HELD_PERCENTILE, axis=0)
    frequency = np.arange(len(held)) * LOW_RATE / FRAME

    def lines(mains: float) -> list[tuple[float, float]]:
        standing = []
        for k in range(1, HARMONICS + 1):
            near = np.abs(frequency - k * mains)
            line = float(held[near <= WITHIN_HZ].max())
            beside = float(np.median(held[(near > BESIDE_HZ[0]) & (near < BESIDE_HZ[1])]))
            if line > beside * 10.0 ** (STANDS_OUT_DB / 10.0):
                level = float(np.percentile(power[:, near <= LINE_HZ].sum(axis=1), HELD_PERCENTILE))
                standing.append((k * mains, level))
        if len(standing) < FEWEST_LINES:
            return []
        quietest = _quietest(low, [hz for hz, _ in standing])
        fades = 10.0 ** (-FADES_DB / 10.0)
        return [(hz, level) for (hz, level), least in zip(standing, quietest, strict=True) if least > level * fades]

    return _loudest(lines)


def _loudest(lines: Callable[[float], list[tuple[float, float]]]) -> Hum | None:
    """The louder of both mains whose lines are enough. lines: (Hz, mean square) of those that stand out."""
    best: Hum | None = None
    for mains in MAINS_HZ:
        found = [(hz, power) for hz, power in lines(mains) if 10.0 * np.log10(max(power, 1e-20)) > LOWEST_DBFS]
        if len(found) >= FEWEST_LINES and found[0][0] <= 2 * mains:
            level_dbfs = float(10.0 * np.log10(sum(power for _, power in found)))
            if best is None or level_dbfs > best.level_dbfs:
                best = Hum(mains, level_dbfs, tuple(hz for hz, _ in found))
    return best


def _quietest(low: NDArray[np.floating], lines_hz: list[float]) -> NDArray[np.float64]:
    """Mean square that each line hardly ever sinks under, over a quarter of a second each, (lines,)."""
    frames = np.lib.stride_tricks.sliding_window_view(np.asarray(low, dtype=np.float32), SHORT_FRAME)[::SHORT_HOP]
    frames = frames[np.max(np.abs(frames), axis=1) > 0.0]
    window = np.hanning(SHORT_FRAME + 1)[:-1]
    time = np.arange(SHORT_FRAME) / LOW_RATE
    turning = window * np.exp(-2j * np.pi * np.array(lines_hz)[:, np.newaxis] * time) / window.sum()
    parts = frames @ np.concatenate((turning.real, turning.imag)).T.astype(np.float32)
    squares = parts[:, : len(lines_hz)] ** 2 + parts[:, len(lines_hz) :] ** 2
    return np.asarray(np.percentile(2.0 * squares, HELD_PERCENTILE, axis=0), dtype=np.float64)


def _in_pauses(low: NDArray[np.floating]) -> Hum | None:
    """Hum in the quietest half seconds: lines at the mains' multiples, to half a hertz, in nearly all of them."""
    if len(low) < 8 * PAUSE_FRAME:
        return None
    frames = np.lib.stride_tricks.sliding_window_view(np.asarray(low, dtype=np.float32), PAUSE_FRAME)[::PAUSE_HOP]
    level: NDArray[np.float64] = np.mean(np.square(frames, dtype=np.float32), axis=1, dtype=np.float64)
    sounding = np.min(np.max(np.abs(frames.reshape(len(frames), 4, -1)), axis=2), axis=1) > 0.0
    frames, level = frames[sounding], level[sounding]
    if len(level) < FEWEST_PAUSES:
        return None
    quiet = np.argsort(level)[: max(FEWEST_PAUSES, int(PAUSE_SHARE * len(level)))]
    if np.median(level[quiet]) > np.percentile(level, 95) * 10.0 ** (-PAUSE_DB / 10.0):
        return None
    window = np.hanning(PAUSE_FRAME + 1)[:-1]
    spectra = np.abs(np.fft.rfft(frames[quiet] * window.astype(np.float32), 4 * PAUSE_FRAME, axis=1)) ** 2
    spectra *= 2.0 / window.sum() ** 2  # mean square of a line
    step_hz = LOW_RATE / (4 * PAUSE_FRAME)

    def lines(mains: float) -> list[tuple[float, float]]:
        found = []
        for k in range(1, HARMONICS + 1):
            near = slice(int((k * mains - 3.0) / step_hz), int((k * mains + 3.0) / step_hz) + 2)
            beside = np.median(spectra[:, _beside(k * mains, step_hz)], axis=1)
            peak = spectra[:, near].max(axis=1)
            at_hz = (near.start + spectra[:, near].argmax(axis=1)) * step_hz
            there = (peak > beside * 10.0 ** (PAUSE_OVER_DB / 10.0)) & (np.abs(at_hz - k * mains) < PAUSE_WITHIN_HZ)
            if np.mean(there) > MOST_PAUSES:
                found.append((k * mains, float(np.median(peak))))
        return found

    return _loudest(lines)


def _beside(frequency_hz: float, step_hz: float) -> NDArray[np.int64]:
    """Bins 8 to 20 Hz on both sides."""
    low, high = (int(width / step_hz) for width in PAUSE_BESIDE_HZ)
    middle = round(frequency_hz / step_hz)
    return np.concatenate((np.arange(max(0, middle - high), middle - low), np.arange(middle + low, middle + high)))
