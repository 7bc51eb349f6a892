"""Automation as the engine uses it: curves by frame, exact at their breakpoints.

A curve is straight between its points, in the unit of its setting (dB for levels), and level outside
them; of two points at one frame the later counts from that frame on. Levels and pans are worked out for
every frame. Other settings reach a processor in steps: at each point, and on a grid of 32 frames that is
anchored at the start of the song, so that the result does not depend on how the song is cut into blocks.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.decibels import OFF_DB
from all_even.dsp import pan
from all_even.dsp.pan import PanLaw
from all_even.dsp.processor import GRID_FRAMES
from all_even.kernels import brief, cancelling, kernel
from all_even.session.model.known import known_of
from all_even.session.model.strips import Automation

Array = NDArray[np.float64]
SHORT_FRAMES = 4096
"""So few values are worked out without giving the interpreter away."""


@kernel
def point_after(frames, now):  # type: ignore[no-untyped-def]
    """The first breakpoint after a frame."""
    low, high = 0, len(frames)
    while low < high:
        middle = (low + high) // 2
        if frames[middle] <= now:
            low = middle + 1
        else:
            high = middle
    return low


@cancelling
def _evaluate(frames, values, now, out):  # type: ignore[no-untyped-def]
    """The values at the frames `now`, (count,), into `out`: straight between breakpoints, level outside them."""
    points = len(frames)
    after = 0
    for i in range(len(now)):
        frame = now[i]
        if i == 0 or frame < now[i - 1]:
            after = point_after(frames, frame)
        else:
            while after < points and frames[after] <= frame:
                after += 1
        left, right = max(0, after - 1), min(points - 1, after)
        width = frames[right] - frames[left]
        part = min(1.0, max(0.0, (frame - frames[left]) / width)) if width > 0 else 0.0
        out[i] = values[left] + part * (values[right] - values[left])


_evaluate_brief = brief(_evaluate)


@kernel
def level_between(frames, values, ends, start, gain):  # type: ignore[no-untyped-def]
    """Linear gains of some curves in dB together, (count,) from song frame `start` on; False, and nothing written,
    where none of them moves. frames, values: their breakpoints one curve after the other, each up to one of `ends`."""
    first, moves = 0, False
    for end in ends:
        at = point_after(frames[first:end], start) + first
        last = point_after(frames[first:end], start + len(gain) - 1) + first
        moves = moves or last != at or (first < at < end and values[at - 1] != values[at])
        first = end
    if moves:
        gain[:] = 1.0
        first = 0
        for end in ends:
            follow(frames[first:end], values[first:end], start, gain)
            first = end
    return moves


@kernel
def follow(frames, values, start, gain):  # type: ignore[no-untyped-def]
    """Multiplies gains, (count,) from song frame `start` on, by a curve in dB: straight between its breakpoints, so
    that each gain is the one eight frames before it times a number; level outside; nothing where it is off."""
    points, after, i = len(frames), point_after(frames, start), 0
    turns = np.empty(len(gain))
    while i < len(gain):
        now = start + i
        while after < points and frames[after] <= now:
            after += 1
        run = len(gain) - i if after == points else min(len(gain) - i, frames[after] - now)
        left, right = values[max(0, after - 1)], values[min(points - 1, after)]
        if after == 0 or after == points or left == right:
            level = 0.0 if left <= OFF_DB else 10.0 ** (left / 20.0)
            for k in range(i, i + run):
                gain[k] *= level
        else:
            step = (right - left) / (frames[after] - frames[after - 1])
            first_db = left + step * (now - frames[after - 1])
            if left <= OFF_DB or right <= OFF_DB:
                for k in range(run):
                    level_db = first_db + step * k
                    gain[i + k] *= 0.0 if level_db <= OFF_DB else 10.0 ** (level_db / 20.0)
            else:
                turns[0], turn = 10.0 ** (first_db / 20.0), 10.0 ** (step / 20.0)
                for k in range(1, min(8, run)):
                    turns[k] = turns[k - 1] * turn
                eight = turn * turn
                eight *= eight
                eight *= eight
                for k in range(8, run):
                    turns[k] = turns[k - 8] * eight
                for k in range(run):
                    gain[i + k] *= turns[k]
        i += run


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """Breakpoints: frames rising (repeats make a step), values."""

    frames: NDArray[np.int64]
    values: Array

    def at(self, frame: int) -> float:
        """The value at one frame."""
        return float(self.between(frame, 1)[0])

    def between(self, start: int, count: int) -> Array:
        """The values of `count` frames from `start` on."""
        return self.values_at(np.arange(start, start + count))

    def values_at(self, now: NDArray[np.int64]) -> Array:
        """The values at these frames."""
        result = np.empty(len(now))
        (_evaluate if len(now) > SHORT_FRAMES else _evaluate_brief)(self.frames, self.values, now, result)
        return result

    def still(self, start: int, count: int) -> bool:
        """Whether nothing moves in these frames."""
        first = np.searchsorted(self.frames, start, side="right")
        last = np.searchsorted(self.frames, start + count - 1, side="right")
        if first != last:
            return False
        if first in (0, len(self.frames)):
            return True
        return bool(self.values[first - 1] == self.values[first])


@known_of(512)
def curve(automation: Automation, sample_rate: int) -> Curve:
    """The curve of an automation at a sample rate."""
    frames = np.array([round(point.time_s * sample_rate) for point in automation.points], dtype=np.int64)
    return Curve(frames, np.array([point.value for point in automation.points], dtype=np.float64))


MUTE_S = 0.005
"""In which an automated mute closes or opens: nothing clicks."""


@known_of(256)
def mute_curve(automation: Automation, sample_rate: int) -> Curve:
    """A mute over time as a level in dB: each point holds until the next, and what changes takes 5 ms."""
    muted = automation.points[0].value >= 0.5
    frames, values = [round(automation.points[0].time_s * sample_rate)], [OFF_DB if muted else 0.0]
    fade = round(MUTE_S * sample_rate)
    for point in automation.points:
        before, muted = muted, point.value >= 0.5
        if muted != before:
            begin = max(round(point.time_s * sample_rate), frames[-1])
            frames += [begin, begin + fade]
            values += [OFF_DB if before else 0.0, OFF_DB if muted else 0.0]
    return Curve(np.array(frames, dtype=np.int64), np.array(values))


def steps(curves: tuple[Curve, ...], start: int, count: int) -> list[tuple[int, int, int]]:
    """Cuts `count` frames from `start` into (from, to, anchor): settings hold from the anchor's frame.

    from, to: counted from `start`. anchor: a song frame, at or before `start + from`.
    """
    cuts = set(range(GRID_FRAMES * (start // GRID_FRAMES), start + count, GRID_FRAMES))
    for item in curves:
        inside = item.frames[(item.frames >= start - GRID_FRAMES) & (item.frames < start + count)]
        cuts.update(int(frame) for frame in inside)
    anchors = sorted(cuts)
    pieces = []
    for index, anchor in enumerate(anchors):
        end = anchors[index + 1] if index + 1 < len(anchors) else start + count
        if end > start:
            pieces.append((max(0, anchor - start), min(count, end - start), anchor))
    return pieces


@dataclass(frozen=True, eq=False)
class MovingGains:
    """Gains of a feed whose level or pan is automated.

    base_db: the sum of all levels that stand still. levels: curves in dB that add to it. scale: polarity.
    """

    channels: int
    law: PanLaw
    base_db: float
    levels: tuple[Curve, ...]
    pan: float
    pan_curve: Curve | None
    scale: float

    @cached_property
    def breakpoints(self) -> tuple[NDArray[np.int64], Array, NDArray[np.int64]]:
        """Frames and values of all levels, one curve after the other, and where each ends."""
        frames, values = ([getattr(item, name) for item in self.levels] for name in ("frames", "values"))
        return np.concatenate(frames), np.concatenate(values), np.cumsum([len(item) for item in frames])

    @cached_property
    def standing(self) -> Array:
        """(channels, 2) gains of all that stands still, where the pan does."""
        return decibels.gain(self.base_db) * self.scale * pan.matrix(self.channels, self.pan, self.law)

    def between(self, start: int, count: int) -> Array:
        """(count, channels, 2) gains from song frame `start` on."""
        return self.gains_at(np.arange(start, start + count))

    def resting(self, start: int, count: int) -> Array | None:
        """(channels, 2) gains where none of them moves in `count` frames from `start` on; None where one does."""
        curves = self.levels if self.pan_curve is None else (*self.levels, self.pan_curve)
        if not all(item.still(start, count) for item in curves):
            return None
        return np.ascontiguousarray(self.between(start, 1)[0])

    def gains_at(self, now: NDArray[np.int64]) -> Array:
        """(frames, channels, 2) gains at these song frames."""
        level_db = np.full(len(now), self.base_db)
        off = np.full(len(now), self.base_db <= OFF_DB)
        for item in self.levels:
            values = item.values_at(now)
            off |= values <= OFF_DB
            level_db += values
        gain = np.where(off, 0.0, self.scale * 10.0 ** (level_db / 20.0))
        if self.pan_curve is None:
            return gain[:, np.newaxis, np.newaxis] * pan.matrix(self.channels, self.pan, self.law)
        moving = pan.matrices(self.channels, self.pan_curve.values_at(now), self.law)
        return gain[:, np.newaxis, np.newaxis] * moving
