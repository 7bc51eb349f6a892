"""Doubling: a second and a third voice a little later, whose lateness moves slowly, one on each side.

With 17 and 23 ms and 12 dB under the sound it is width that a mono loudspeaker hardly changes (-1.0 to +1.7 dB in
third octaves, tried); with more level and faster movement it is a chorus. The movement is anchored in song time.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import BEHIND_FRAMES, GRID_FRAMES, Processor, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

RIGHT_RATE = 0.784
"""The right voice moves this much slower: both never go together for long."""


class Doubling(Processor, frozen=True, kw_only=True, tag_field="kind", tag="doubling"):
    """Two moving voices beside the sound."""

    LABEL: ClassVar[str] = "Doubling"
    SHORT: ClassVar[str] = "Double"
    REMEMBERS_LONG: ClassVar[bool] = True
    WORDS: ClassVar[str] = "chorus modulation width voices detune space"
    FIRST: ClassVar[tuple[str, ...]] = ("voices_db", "left_ms", "right_ms", "depth_ms", "rate_hz")

    voices_db: Annotated[float, setting("Voices", "dB", -40.0, 6.0, step=0.5)] = -12.0
    left_ms: Annotated[float, setting("Left", "ms", 5.0, 60.0, step=0.5, decimals=1, fixed=True)] = 17.0
    right_ms: Annotated[float, setting("Right", "ms", 5.0, 60.0, step=0.5, decimals=1, fixed=True)] = 23.0
    depth_ms: Annotated[float, setting("Depth", "ms", 0.0, 4.0, step=0.1, decimals=2)] = 1.2
    rate_hz: Annotated[float, setting("Rate", "Hz", 0.05, 5.0, step=3.0, scale="log", decimals=2)] = 0.37
    dry_db: Annotated[float, setting("Sound itself", "dB", -60.0, 0.0, step=0.5)] = 0.0

    def settling_s(self) -> float:
        return (max(self.left_ms, self.right_ms) + 8.0) / 1000.0

    def state_size(self, sample_rate: int) -> int:
        return 1

    def _ring(self, sample_rate: int) -> int:
        return math.ceil((max(self.left_ms, self.right_ms) + 5.0) * sample_rate / 1000.0) + GRID_FRAMES + BEHIND_FRAMES

    def history_size(self, sample_rate: int) -> int:
        return 2 * self._ring(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        per_ms = sample_rate / 1000.0
        dry = 10.0 ** (self.dry_db / 20.0) if self.dry_db > -60.0 else 0.0
        step = 2.0 * math.pi * self.rate_hz / sample_rate
        return np.array([
            self.left_ms * per_ms, self.right_ms * per_ms, self.depth_ms * per_ms, step, step * RIGHT_RATE,
            10.0 ** (self.voices_db / 20.0), dry,
        ])  # fmt: skip

    @classmethod
    def kernels(cls) -> Any:
        return _double


@kernel
def _double(block, key, gain, c, state, position, history):  # type: ignore[no-untyped-def]
    """state: the place in both rings, as a frame count. Between the points of the song's grid lateness is linear."""
    clean(block)
    channels = block.shape[1]
    rings = history.reshape((2, len(history) // 2))
    place = int(state[0]) if 0.0 <= state[0] < 4e15 else 0
    done = 0
    while done < len(block):
        offset = (position + done) % GRID_FRAMES
        frames = min(GRID_FRAMES - offset, len(block) - done)
        part = block[done : done + frames]
        for side in range(2):
            to = place % rings.shape[1]
            for i in range(frames):
                rings[side, to] = part[i, min(side, channels - 1)]
                to = to + 1 if to + 1 < rings.shape[1] else 0
        for i in range(frames):
            for channel in range(channels):
                part[i, channel] *= c[6]
        for side in range(2):
            _add_voice(part, c, side, place, offset, position + done - offset, rings[side])
        place += frames
        done += frames
    state[0] = place


@kernel
def _add_voice(part, c, side, place, offset, grid, ring):  # type: ignore[no-untyped-def]
    """One side's voice, read between the frames. grid: the song frame of the grid's point before."""
    step = c[3 + side]
    here = c[2] * np.sin(step * grid + 1.7 * side)
    slope = (c[2] * np.sin(step * (grid + GRID_FRAMES) + 1.7 * side) - here) / GRID_FRAMES
    to, share = (0, 0.5) if part.shape[1] == 1 else (side, 1.0)
    for i in range(len(part)):
        delay = c[side] + here + slope * (offset + i)
        whole = int(delay)
        f = delay - whole
        now = (place + i - whole) % len(ring)
        after, once, twice = (now + 1) % len(ring), (now - 1) % len(ring), (now - 2) % len(ring)
        part[i, to] += (
            share
            * c[5]
            * (
                (f + 1.0) * (f - 1.0) * (f - 2.0) / 2.0 * ring[now]
                - (f + 1.0) * f * (f - 2.0) / 2.0 * ring[once]
                + (f + 1.0) * f * (f - 1.0) / 6.0 * ring[twice]
                - f * (f - 1.0) * (f - 2.0) / 6.0 * ring[after]
            )
        )
