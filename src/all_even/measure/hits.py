"""Hits of a percussive track: when something is struck, to the sample it begins at.

The magnitude is taken over 1 ms; a hit is where it rises to more than twice its recent past (the largest of
the 3 to 30 ms before, fading) and passes a floor 24 dB under the loud hits of the track, so that bleed is not
taken for hits. The start is then looked for in the samples: the first over a fifth of the hit's peak. Doubles
from 45 ms apart are kept.
"""

import numpy as np
from numpy.typing import NDArray

FRAME_S = 0.001
FLOOR_DB = -24.0
RISE = 2.0
CLOSEST_S = 0.045
LOUD_PERCENTILE = 90
START_SHARE = 0.2


def hits_s(samples: NDArray[np.floating], sample_rate: int) -> tuple[float, ...]:
    """Times of the hits in seconds. samples: (frames, channels), full scale = 1.0."""
    if not len(samples):
        return ()
    magnitude = np.abs(samples).max(axis=1).astype(np.float64)
    step = max(1, round(FRAME_S * sample_rate))
    count = len(magnitude) // step
    frames = magnitude[: count * step].reshape(count, step).max(axis=1)
    tops = _local_tops(frames)
    if not len(tops):
        return ()
    # The loud hits set the floor: bleed is more frequent than it is loud.
    strong = frames[tops]
    strong = strong[strong > strong.max() * 10.0 ** (-40.0 / 20.0)]
    floor = float(np.percentile(strong, LOUD_PERCENTILE)) * 10.0 ** (FLOOR_DB / 20.0)
    closest = round(CLOSEST_S / FRAME_S)
    found: list[float] = []
    last = -closest
    recent = 0.0
    for i in range(count):
        if frames[i] > floor and frames[i] > RISE * recent and i - last >= closest:
            found.append(_start(magnitude, i * step, step) / sample_rate)
            last = i
        recent = max(0.93 * recent, frames[max(0, i - 3)])
    return tuple(found)


def beat_grid_s(bpm: float, first_s: float, end_s: float) -> tuple[float, ...]:
    """Times of the beats of a steady tempo, from `first_s` up to `end_s`."""
    if not bpm > 0.0:
        return ()
    beat_s = 60.0 / bpm
    return tuple(first_s + index * beat_s for index in range(max(0, int(np.ceil((end_s - first_s) / beat_s)))))


def _local_tops(frames: NDArray[np.float64]) -> NDArray[np.int64]:
    width = 50
    padded = np.pad(frames, width)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * width + 1)
    return np.flatnonzero((frames == windows.max(axis=1)) & (frames > 0.0))


def _start(magnitude: NDArray[np.float64], at: int, step: int) -> int:
    window = magnitude[max(0, at - 4 * step) : at + 8 * step]
    return max(0, at - 4 * step) + int(np.argmax(window > START_SHARE * window.max()))
