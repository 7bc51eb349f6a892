"""Levels along a chain: power and peak per hop of 10 ms, and the level while playing.

A track that rests half the song has a mean level that nobody hears. *Playing* here are the hops whose
power is no more than 20 dB under the mean of all hops over -70 dBFS, in the manner of the gate of EBU
Tech 3342 but without weighting; the RMS while playing is their mean. This is the level that a threshold
meets.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.kernels import kernel
from all_even.measure.level.hops import HOP_S, Hops

Array = NDArray[np.float64]

ABSOLUTE_GATE_DBFS = -70.0
RELATIVE_GATE_DB = -20.0
SPREAD_LOW_DBFS, SPREAD_STEP_DB = -60.0, 1.5


@dataclass(frozen=True, slots=True)
class Level:
    """dBFS; None in silence. A full-scale sine has -3.01 RMS and 0 peak."""

    rms_dbfs: float | None
    peak_dbfs: float | None

    def raised(self, by_db: float) -> "Level":
        """The same behind a gain; silence where that is off."""
        if by_db <= decibels.OFF_DB:
            return Level(None, None)
        return Level(*(None if value is None else value + by_db for value in (self.rms_dbfs, self.peak_dbfs)))


def file_hops(hops: Hops) -> Array:
    """(hops, 2) mean square and peak of a file that was measured."""
    power = hops.power.astype(np.float64).mean(axis=1)
    peaks = np.maximum(np.abs(hops.low), np.abs(hops.high)).astype(np.float64).max(axis=1)
    return np.stack((power, peaks), axis=1)


def file_level(hops: Hops) -> Level:
    """Level while playing of a file that was measured."""
    return level_of(file_hops(hops))


def peak_spread(hops: Array) -> tuple[Array, Array]:
    """How often the peaks of the hops lie at each level: (lower edges in dBFS, share of all hops over -60 dBFS).

    hops: (hops, 2) power and peak. 40 bins of 1.5 dB; what is over full scale counts in the last.
    """
    edges = np.arange(SPREAD_LOW_DBFS, SPREAD_STEP_DB / 2.0, SPREAD_STEP_DB)
    peaks = 20.0 * np.log10(np.maximum(hops[:, 1], 1e-6))
    heard = np.minimum(peaks[peaks > SPREAD_LOW_DBFS], -1e-9)
    counts, _ = np.histogram(heard, edges)
    return edges[:-1], counts / max(1, len(heard))


class LevelMeter:
    """Feeds blocks of any length; `power` and `peaks` are the hops that are full."""

    def __init__(self, sample_rate: int) -> None:
        self.frames_per_hop = max(1, round(sample_rate * HOP_S))
        self._open = np.zeros(3)
        self._parts: list[Array] = []

    def add(self, block: NDArray[np.floating]) -> None:
        """Takes (frames, channels)."""
        out = np.empty((len(block) // self.frames_per_hop + 1, 2))
        count = _level_kernel(block, self.frames_per_hop, self._open, out)
        if count:
            self._parts.append(out[:count])

    @property
    def hops(self) -> Array:
        """(hops, 2): mean square over all channels, and largest magnitude."""
        return np.concatenate(self._parts) if self._parts else np.zeros((0, 2))

    def level(self) -> Level:
        return level_of(self.hops)


class GainMeter:
    """Feeds gains in dB; collects the mean of each hop, and the strongest gain."""

    def __init__(self, sample_rate: int) -> None:
        self.frames_per_hop = max(1, round(sample_rate * HOP_S))
        self._open = np.zeros(3)
        self._parts: list[Array] = []

    def add(self, gain_db: Array) -> None:
        """Takes (frames,)."""
        out = np.empty((len(gain_db) // self.frames_per_hop + 1, 2))
        count = _gain_kernel(gain_db, self.frames_per_hop, self._open, out)
        if count:
            self._parts.append(out[:count])

    @property
    def hops(self) -> Array:
        """(hops, 2): mean gain in dB, and the one furthest from 0."""
        return np.concatenate(self._parts) if self._parts else np.zeros((0, 2))


def level_of(hops: Array, playing: NDArray[np.bool_] | None = None) -> Level:
    """Level while playing of (hops, 2) power and peak.

    playing: which hops count, found elsewhere: along a chain those of its entrance, so that a station that
    turns quiet passages down is seen to do so.
    """
    power = hops[:, 0]
    peak = float(hops[:, 1].max(initial=0.0))
    if playing is None:
        playing = playing_hops(power)
    count = min(len(power), len(playing))
    power, playing = power[:count], playing[:count]
    rms = decibels.known(decibels.power_db(float(power[playing].mean()))) if playing.any() else None
    return Level(rms, decibels.level_db(peak) if peak > 0.0 else None)


def playing_hops(power: Array) -> NDArray[np.bool_]:
    """Which hops count as playing."""
    over = power > 10.0 ** (ABSOLUTE_GATE_DBFS / 10.0)
    if not over.any():
        return over
    return power > max(
        10.0 ** (ABSOLUTE_GATE_DBFS / 10.0), float(power[over].mean()) * 10.0 ** (RELATIVE_GATE_DB / 10.0)
    )


@kernel
def _level_kernel(block, frames_per_hop, open_, out):  # type: ignore[no-untyped-def]
    frames, channels = block.shape
    power, peak, count = open_[0], open_[1], open_[2]
    done = 0
    for i in range(frames):
        for channel in range(channels):
            x = block[i, channel]
            power += x * x
            peak = max(peak, abs(x))
        count += 1.0
        if count >= frames_per_hop:
            out[done, 0] = power / (count * channels)
            out[done, 1] = peak
            done += 1
            power = peak = count = 0.0
    open_[0], open_[1], open_[2] = power, peak, count
    return done


@kernel
def _gain_kernel(gain_db, frames_per_hop, open_, out):  # type: ignore[no-untyped-def]
    total, furthest, count = open_[0], open_[1], open_[2]
    done = 0
    for i in range(len(gain_db)):
        g = gain_db[i]
        total += g
        if abs(g) > abs(furthest):
            furthest = g
        count += 1.0
        if count >= frames_per_hop:
            out[done, 0] = total / count
            out[done, 1] = furthest
            done += 1
            total = furthest = count = 0.0
    open_[0], open_[1], open_[2] = total, furthest, count
    return done
