"""One pass over the samples, every 10 ms: the raw material of nearly all level figures.

Per hop and channel: the K-weighted mean square (ITU-R BS.1770-5), the plain mean square, the lowest
and highest sample and the mean; and the mean product of left and right. Loudness, its range, activity, noise
floor, balance, correlation and the drawn overview all come from these.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import brief, kernel

HOP_S = 0.01
DENORMAL_GUARD = 1e-25


@dataclass(frozen=True, slots=True)
class Hops:
    """Arrays over 10 ms hops. weighted, power, low, high, mean: (hops, channels); cross: (hops,)."""

    weighted: NDArray[np.float32]
    power: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    mean: NDArray[np.float32]
    cross: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.cross)


def k_weighting(sample_rate: float) -> NDArray[np.float64]:
    """The two biquads of ITU-R BS.1770-5 at any rate: (2, 5) of b0 b1 b2 a1 a2.

    The Recommendation tabulates 48 kHz only. The analogue parameters that give exactly that table
    through the bilinear transform are common knowledge among open implementations (from memory);
    the test compares the result at 48 kHz with the Recommendation's tables.
    """
    f0, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = math.tan(math.pi * f0 / sample_rate)
    vh = 10.0 ** (gain_db / 20.0)
    vb = vh**0.4996667741545416
    a0 = 1.0 + k / q + k * k
    shelf = [
        (vh + vb * k / q + k * k) / a0,
        2.0 * (k * k - vh) / a0,
        (vh - vb * k / q + k * k) / a0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / q + k * k) / a0,
    ]
    f0, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f0 / sample_rate)
    a0 = 1.0 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0]
    return np.array([shelf, high_pass])


class HopMeter:
    """Feeds blocks of any length, collects hops; `frames_per_hop` is 10 ms rounded to samples."""

    def __init__(self, sample_rate: int, channels: int, *, short: bool = False) -> None:
        """short: of blocks of some milliseconds, called by the engine thread."""
        self._kernel = brief(_hop_kernel) if short else _hop_kernel
        self.frames_per_hop = max(1, round(sample_rate * HOP_S))
        self._coefficients = k_weighting(sample_rate)
        self._state = np.zeros((channels, 4))
        # Of the open hop: sums of weighted and power, low, high, sum of samples per channel.
        self._open = np.zeros((channels, 5))
        # Sum of left times right, and how many frames the open hop has.
        self._tail = np.zeros(2)
        self._parts: list[NDArray[np.float32]] = []
        self._channels = channels

    def add(self, block: NDArray[np.floating]) -> NDArray[np.float32]:
        """Takes (frames, channels); returns the finished hops, (hops, 5 * channels + 1)."""
        most = len(block) // self.frames_per_hop + 1
        out = np.empty((most, 5 * self._channels + 1), dtype=np.float32)
        count = self._kernel(block, self.frames_per_hop, self._coefficients, self._state, self._open, self._tail, out)
        done = out[:count]
        self._parts.append(done)
        return done

    def result(self) -> Hops:
        """All hops so far; a last incomplete hop counts from half a hop on, or where it is all there is."""
        parts = list(self._parts)
        count = self._tail[1]
        if count * 2 >= self.frames_per_hop or (count and not any(len(part) for part in parts)):
            sums = self._open / (count, count, 1.0, 1.0, count)
            row = np.concatenate((sums.T.ravel(), [self._tail[0] / count]))
            parts.append(row[np.newaxis].astype(np.float32))
        return as_hops(parts, self._channels)


def as_hops(parts: list[NDArray[np.float32]], channels: int) -> Hops:
    """Joins the rows that `HopMeter.add` returned."""
    rows = np.concatenate(parts) if parts else np.empty((0, 5 * channels + 1), dtype=np.float32)
    weighted, power, low, high, mean = (rows[:, i * channels : (i + 1) * channels].copy() for i in range(5))
    return Hops(weighted, power, low, high, mean, rows[:, -1].copy())


@kernel
def _hop_kernel(block, frames_per_hop, coefficients, state, open_, tail, out):  # type: ignore[no-untyped-def]
    """Filters every channel (transposed direct form II, float64) and closes a hop when it is full."""
    frames, channels = block.shape
    b0, b1, b2, a1, a2 = coefficients[0]
    d0, d1, d2, c1, c2 = coefficients[1]
    done = 0
    count = tail[1]
    position = 0
    while position < frames:
        take = min(frames - position, int(frames_per_hop - count))
        for channel in range(channels):
            s1, s2, t1, t2 = state[channel]
            weighted, power = open_[channel, 0], open_[channel, 1]
            low, high = open_[channel, 2], open_[channel, 3]
            total = open_[channel, 4]
            if count == 0.0:
                low = high = float(block[position, channel])
            for i in range(position, position + take):
                x = float(block[i, channel])
                y = b0 * x + s1
                s1 = b1 * x - a1 * y + s2
                s2 = b2 * x - a2 * y
                z = d0 * y + t1
                t1 = d1 * y - c1 * z + t2
                t2 = d2 * y - c2 * z
                weighted += z * z
                power += x * x
                total += x
                low = min(low, x)
                high = max(high, x)
            if abs(s1) + abs(s2) + abs(t1) + abs(t2) < DENORMAL_GUARD:
                s1 = s2 = t1 = t2 = 0.0
            state[channel, 0], state[channel, 1], state[channel, 2], state[channel, 3] = s1, s2, t1, t2
            open_[channel, 0], open_[channel, 1] = weighted, power
            open_[channel, 2], open_[channel, 3] = low, high
            open_[channel, 4] = total
        if channels == 2:
            product = 0.0
            for i in range(position, position + take):
                product += float(block[i, 0]) * float(block[i, 1])
            tail[0] += product
        position += take
        count += take
        if count >= frames_per_hop:
            for channel in range(channels):
                out[done, channel] = open_[channel, 0] / count
                out[done, channels + channel] = open_[channel, 1] / count
                out[done, 2 * channels + channel] = open_[channel, 2]
                out[done, 3 * channels + channel] = open_[channel, 3]
                out[done, 4 * channels + channel] = open_[channel, 4] / count
                open_[channel, :] = 0.0
            out[done, 5 * channels] = tail[0] / count
            tail[0] = 0.0
            done += 1
            count = 0.0
    tail[1] = count
    return done
