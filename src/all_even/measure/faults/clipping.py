"""Clipped runs: places where the waveform was held at its limit while it still wanted to go on.

A run is three or more consecutive samples at one value within 0.1 dB of the file's peak on that
side, *and* the slope into or out of the run, carried on, would have passed the held level by 0.1 dB:
a slow tone in 16 bits holds its top for several samples without being clipped.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel

SHORTEST_RUN = 3
NEAR_PEAK = 10.0 ** (-0.1 / 20.0)
OVERSHOOT = 10.0 ** (0.1 / 20.0)
SAME = 2e-5
"""Samples closer than this (about -94 dBFS) count as equal, so that dither does not hide a clip."""


class ClipMeter:
    """Feeds blocks of any length, (frames, channels); `runs()` counts at the end."""

    def __init__(self, channels: int) -> None:
        # Per channel: the last three samples, the run's value, its length and whether its entry overshoots.
        self._state = np.zeros((channels, 6))
        self._found: list[NDArray[np.float64]] = []

    def add(self, block: NDArray[np.float32]) -> None:
        """Collects held runs, whatever their level; the file's peak is only known at the end."""
        out = np.empty((len(block) * block.shape[1] // SHORTEST_RUN + block.shape[1], 2))
        count = _clip_kernel(block, self._state, out)
        if count:
            self._found.append(out[:count].copy())

    def runs(self, lowest: float, highest: float) -> int:
        """How many held runs lie at the file's `lowest` or `highest` sample value."""
        if not self._found:
            return 0
        value = np.concatenate(self._found)[:, 0]
        top = (value > 0) & (value >= highest * NEAR_PEAK)
        bottom = (value < 0) & (value <= lowest * NEAR_PEAK)
        return int(np.count_nonzero(top | bottom))


@kernel
def _clip_kernel(block, state, out):  # type: ignore[no-untyped-def]
    frames, channels = block.shape
    count = 0
    for channel in range(channels):
        third, second, last, held = state[channel, 0], state[channel, 1], state[channel, 2], state[channel, 3]
        length, overshoots = int(state[channel, 4]), state[channel, 5] > 0.0
        for i in range(frames):
            x = float(block[i, channel])
            if abs(x - held) <= SAME:
                length += 1
                if length == 2:
                    # Entering: the slope of the two samples before, followed forwards.
                    ahead = 2.0 * second - third
                    overshoots = ahead * held > 0.0 and abs(ahead) > abs(held) * OVERSHOOT
            else:
                if length >= SHORTEST_RUN and abs(held) > 0.01:
                    # Leaving: the slope out of the run, followed backwards, is x - held per sample.
                    step_out = abs(held) - abs(x)
                    if overshoots or abs(held) + step_out > abs(held) * OVERSHOOT:
                        out[count, 0] = held
                        out[count, 1] = length
                        count += 1
                held = x
                length = 1
            third, second, last = second, last, x
        state[channel, 0], state[channel, 1], state[channel, 2], state[channel, 3] = third, second, last, held
        state[channel, 4], state[channel, 5] = length, 1.0 if overshoots else 0.0
    return count
