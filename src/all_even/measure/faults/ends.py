"""Cuts at the ends of a file: a sound that is already there at the first sample or still there at the last.

A file that begins with a stroke begins from rest: its first sample is next to nothing, and it is brighter
than what follows. It was cut when the first sample lies out and the level goes on as it began; it was cut
at its end when the last quarter of a millisecond lies far out (a fade of 5 ms would have taken it down)
while the last 20 ms are not much softer than the rest. Direct current is left out.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

KEPT_S = 0.1
FIRST_S, LAST_S = 0.025, 0.020
"""The first holds a whole period of a low E: over less, its level says where in the wave it was cut."""
EDGE_S = 0.00025
OUT_START, FAR_OUT_END = 0.03, 0.06
"""The first sample, and the largest of the last 0.25 ms, of the largest in the first 25 and the last 20 ms."""
STEADY_DB, BRIGHTER_DB = 5.0, 4.0
QUIETEST_DBFS = -50.0
UNDER_LOUD_DB = 35.0


@dataclass(frozen=True, slots=True)
class Cuts:
    """Level of the sound that was cut, dBFS RMS; None where the end is not cut."""

    start_dbfs: float | None
    end_dbfs: float | None


class EndMeter:
    """Feeds blocks of any length, (frames, channels) of float32; keeps a tenth of a second of both ends."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self._rate = sample_rate
        self._kept = round(KEPT_S * sample_rate)
        self._edge = max(1, round(EDGE_S * sample_rate))
        self._first = np.empty((0, channels), dtype=np.float32)
        self._last = np.empty((0, channels), dtype=np.float32)

    def add(self, block: NDArray[np.float32]) -> None:
        if len(self._first) < self._kept:
            self._first = np.concatenate((self._first, block[: self._kept - len(self._first)]))
        self._last = np.concatenate((self._last, block[-self._kept :]))[-self._kept :]

    def result(self, mean: NDArray[np.float64], loud_dbfs: float) -> Cuts:
        """mean: of each channel, taken off. loud_dbfs: level of the track's loud parts."""
        if len(self._first) < self._kept:
            return Cuts(None, None)
        lowest = max(QUIETEST_DBFS, loud_dbfs - UNDER_LOUD_DB)
        return Cuts(self._start(self._first - mean, lowest), self._end(self._last - mean, lowest))

    def _start(self, x: NDArray[np.float64], lowest_dbfs: float) -> float | None:
        first = x[: round(FIRST_S * self._rate)]
        level, later, last = (
            _level_db(part) for part in (first, x[len(first) : len(x) // 2], x[len(x) // 2 :])
        )  # fmt: skip
        steady = abs(level - later) < STEADY_DB and abs(later - last) < STEADY_DB
        out = np.abs(x[0]).max() > OUT_START * np.abs(first).max()
        # A stroke that falls on the first sample has an attack; a sound that goes on is as bright as later.
        brighter = _level_db(np.diff(first, axis=0)) - _level_db(np.diff(x[len(first) :], axis=0))
        return level if steady and out and brighter < BRIGHTER_DB and later > lowest_dbfs else None

    def _end(self, x: NDArray[np.float64], lowest_dbfs: float) -> float | None:
        last = x[-round(LAST_S * self._rate) :]
        level = _level_db(last)
        far_out = np.abs(x[-self._edge :]).max() > FAR_OUT_END * np.abs(last).max()
        return level if far_out and level > lowest_dbfs else None


def _level_db(x: NDArray[np.float64]) -> float:
    return float(10.0 * np.log10(max(float(np.mean(np.square(x, dtype=np.float64))), 1e-20)))
