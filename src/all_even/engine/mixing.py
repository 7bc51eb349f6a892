"""The inner loops of the mix: adding a lane with gains that may move, and the protective ceiling."""

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import brief, kernel

CEILING = 10.0 ** (-1.0 / 20.0)
"""The device path never passes -1 dBFS; prints are not touched by this."""
CEILING_RELEASE_S = 0.15


@kernel
def add_lane(out, samples, from_gains, to_gains, done, total):  # type: ignore[no-untyped-def]
    """Adds (frames, channels) to (frames, 2) and returns the largest magnitude and the sum of squares.

    The gains go on a straight line from `from_gains` to `to_gains` over `total` frames, of which
    `done` have passed before this block; total = 0 means `to_gains` throughout.
    """
    frames, channels = samples.shape
    peak = 0.0
    square = 0.0
    for i in range(frames):
        part = 1.0
        if done + i < total:
            part = (done + i) / total
        left = 0.0
        right = 0.0
        for channel in range(channels):
            x = float(samples[i, channel])
            g0, g1 = to_gains[channel, 0], to_gains[channel, 1]
            if part < 1.0:
                g0 = from_gains[channel, 0] + part * (g0 - from_gains[channel, 0])
                g1 = from_gains[channel, 1] + part * (g1 - from_gains[channel, 1])
            left += g0 * x
            right += g1 * x
        out[i, 0] += left
        out[i, 1] += right
        peak = max(peak, abs(left), abs(right))
        square += left * left + right * right
    return peak, square


add_lane_brief = brief(add_lane)


@kernel
def _protect(block, gain, release, ceiling):  # type: ignore[no-untyped-def]
    held = False
    for i in range(len(block)):
        highest = max(abs(block[i, 0]), abs(block[i, 1]))
        if not highest <= 1e9:  # NaN and infinity become silence
            block[i, 0] = 0.0
            block[i, 1] = 0.0
            highest = 0.0
        gain = min(1.0, gain + release * (1.0 - gain) + 1e-9)
        if highest * gain > ceiling:
            gain = ceiling / highest
            held = True
        block[i, 0] *= gain
        block[i, 1] *= gain
    return gain, held


class ProtectiveCeiling:
    """Keeps what goes to a loudspeaker under -1 dBFS, at once; lets go within about 150 ms.

    Transparent (bit for bit) while nothing passes the ceiling.
    """

    def __init__(self, sample_rate: int) -> None:
        self._gain = 1.0
        self._release = 1.0 - float(np.exp(-1.0 / (CEILING_RELEASE_S * sample_rate)))

    def __call__(self, block: NDArray[np.float64]) -> bool:
        """Changes (frames, 2) in place; returns whether the ceiling held something back."""
        self._gain, held = _protect(block, self._gain, self._release, CEILING)
        if self._gain > 1.0 - 1e-6:
            self._gain = 1.0
        return bool(held)
