"""The inner loops of the mix: adding a lane with gains that may move, and the protective ceiling."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import inside
from all_even.kernels import brief, cancelling, kernel

CEILING = 10.0 ** (-1.0 / 20.0)
"""The device path never passes -1 dBFS; prints are not touched by this."""
CEILING_RELEASE_S = 0.15


@kernel
def take(samples, out, gain):  # type: ignore[no-untyped-def]
    """Copies (frames, channels) at a gain, from any precision to any."""
    for i in range(samples.shape[0]):
        for channel in range(samples.shape[1]):
            out[i, channel] = gain * samples[i, channel]


@kernel
def peaks(samples):  # type: ignore[no-untyped-def]
    """Largest magnitudes of (frames, 2)."""
    left = 0.0
    right = 0.0
    for i in range(samples.shape[0]):
        left = max(left, abs(samples[i, 0]))
        right = max(right, abs(samples[i, 1]))
    return left, right


take_brief, peaks_brief = brief(take), brief(peaks)


def copied(samples: NDArray[Any], gain: float = 1.0, precision: type[np.floating[Any]] = np.float64) -> NDArray[Any]:
    """A copy for the engine thread. Of more than 500 numbers NumPy gives the interpreter away, and has to wait for it
    again: where others are busy that takes longer than a block."""
    out = np.empty(samples.shape, precision)
    take_brief(samples, out, gain)
    return out


@cancelling
def add_lane(out, samples, gains, metered):  # type: ignore[no-untyped-def]
    """Adds (frames, channels) to (frames, 2) with gains (channels, 2).

    Returns the largest magnitude that was added where it is `metered`, else 0.
    """
    frames, channels = samples.shape
    g00, g01 = gains[0, 0], gains[0, 1]
    if channels == 1:
        for i in range(frames):
            out[i, 0] += g00 * samples[i, 0]
            out[i, 1] += g01 * samples[i, 0]
    else:
        g10, g11 = gains[1, 0], gains[1, 1]
        if g01 == 0.0 and g10 == 0.0:
            for i in range(frames):
                out[i, 0] += g00 * samples[i, 0]
                out[i, 1] += g11 * samples[i, 1]
        else:
            for i in range(frames):
                out[i, 0] += g00 * samples[i, 0] + g10 * samples[i, 1]
                out[i, 1] += g01 * samples[i, 0] + g11 * samples[i, 1]
    peak = 0.0
    if metered:
        for i in range(frames):
            left = 0.0
            right = 0.0
            for channel in range(channels):
                left += gains[channel, 0] * samples[i, channel]
                right += gains[channel, 1] * samples[i, channel]
            peak = max(peak, abs(left), abs(right))
    return peak


add_lane_brief = brief(add_lane)


@cancelling
def add_late(out, samples, gains, metered, delay, memory):  # type: ignore[no-untyped-def]
    """As `add_lane`, of what came `delay` frames ago: at least one. memory: as of `dsp.utility.delay_line`."""
    frames, channels = samples.shape
    ring, place = memory[1 : 1 + 2 * delay], inside(memory[0], delay)
    waiting = min(frames, delay)
    first = np.empty((waiting, channels))
    for i in range(waiting):
        for channel in range(channels):
            first[i, channel] = ring[2 * place + channel]
            if frames < delay:
                ring[2 * place + channel] = samples[i, channel]
        place = place + 1 if place + 1 < delay else 0
    peak = add_lane(out[:waiting], first, gains, metered)
    if frames >= delay:
        peak = max(peak, add_lane(out[delay:], samples[: frames - delay], gains, metered))
        for i in range(delay):
            for channel in range(channels):
                ring[2 * i + channel] = samples[frames - delay + i, channel]
        place = 0
    memory[0] = place
    return peak


add_late_brief = brief(add_late)


@cancelling
def add_each(out, samples, gains, level, metered):  # type: ignore[no-untyped-def]
    """As `add_lane`, each frame with a gain of its own besides: level, (frames,) linear."""
    frames, channels = samples.shape
    g00, g01 = gains[0, 0], gains[0, 1]
    if channels == 1:
        for i in range(frames):
            x = level[i] * samples[i, 0]
            out[i, 0] += g00 * x
            out[i, 1] += g01 * x
    else:
        g10, g11 = gains[1, 0], gains[1, 1]
        if g01 == 0.0 and g10 == 0.0:
            for i in range(frames):
                out[i, 0] += g00 * (level[i] * samples[i, 0])
                out[i, 1] += g11 * (level[i] * samples[i, 1])
        else:
            for i in range(frames):
                x, z = level[i] * samples[i, 0], level[i] * samples[i, 1]
                out[i, 0] += g00 * x + g10 * z
                out[i, 1] += g01 * x + g11 * z
    peak = 0.0
    if metered:
        for i in range(frames):
            left, right = 0.0, 0.0
            for channel in range(channels):
                left += gains[channel, 0] * samples[i, channel]
                right += gains[channel, 1] * samples[i, channel]
            peak = max(peak, abs(level[i] * left), abs(level[i] * right))
    return peak


@cancelling
def add_moving(out, samples, gains):  # type: ignore[no-untyped-def]
    """Adds (frames, channels) to (frames, 2) with gains (frames, channels, 2); returns the largest magnitude."""
    frames, channels = samples.shape
    peak = 0.0
    for i in range(frames):
        left = 0.0
        right = 0.0
        for channel in range(channels):
            left += gains[i, channel, 0] * samples[i, channel]
            right += gains[i, channel, 1] * samples[i, channel]
        out[i, 0] += left
        out[i, 1] += right
        peak = max(peak, abs(left), abs(right))
    return peak


@kernel
def largest_gain(gain):  # type: ignore[no-untyped-def]
    """Of gains in dB (count,), at least one, the one furthest from 0; of two as far, the reduction."""
    lowest, highest = gain[0], gain[0]
    for i in range(1, len(gain)):
        lowest = min(lowest, gain[i])
        highest = max(highest, gain[i])
    return lowest if -lowest >= highest else highest


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


_protect_brief = brief(_protect)


class ProtectiveCeiling:
    """Keeps what goes to a loudspeaker under -1 dBFS, at once; lets go within about 150 ms.

    Transparent (bit for bit) while nothing passes the ceiling.
    """

    def __init__(self, sample_rate: int) -> None:
        self._gain = 1.0
        self._release = 1.0 - float(np.exp(-1.0 / (CEILING_RELEASE_S * sample_rate)))

    def __call__(self, block: NDArray[np.float64]) -> bool:
        """Changes (frames, 2) in place; returns whether the ceiling held something back."""
        self._gain, held = _protect_brief(block, self._gain, self._release, CEILING)
        if self._gain > 1.0 - 1e-6:
            self._gain = 1.0
        return bool(held)
