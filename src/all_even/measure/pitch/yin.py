"""Pitch of a single voice, frame by frame.

YIN (A. de Cheveigne and H. Kawahara, "YIN, a fundamental frequency estimator for speech and music",
J. Acoust. Soc. Am. 111, 2002, steps 1 to 5): the squared difference of the sound and itself a lag later,
divided by its running mean, dips at the period. The integration is 60 ms *beside* the longest lag: with
the lag inside it, a note of 31 Hz reads 43 cents sharp. The difference is two energies less twice the
correlation, which comes from Fourier transforms of many frames at once.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel

HOP_S = 0.010
HOPS = 6
"""The integration: 60 ms."""
LOWEST_HZ = 28.0
FIRST_DIP = 0.15
"""The first dip under this is the period (the paper's absolute threshold is 0.1)."""


def pitch_track(
    samples: NDArray[np.floating], rate: int, *, highest_hz: float, quiet_db: float = -50.0, every: int = 1
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Hz, aperiodicity 0 to 1) per 10 ms; 0 Hz where there is next to nothing. samples: (frames,), mono.

    Times: frame i is centred at i * 10 ms. quiet_db: under the loudest 60 ms, frames are skipped. every: look
    at each so manieth frame only; the others stay at 0 Hz.
    """
    hop = round(HOP_S * rate)
    window = HOPS * hop
    longest = int(np.ceil(rate / LOWEST_HZ)) + 2
    shortest = max(2, int(rate / highest_hz))
    before = (window + longest) // 2
    padded = np.concatenate((np.zeros(before), np.asarray(samples, dtype=np.float64), np.zeros(before + longest)))
    count = len(samples) // hop
    frequency, aperiodicity = np.zeros(count), np.ones(count)
    power = np.concatenate(([0.0], np.cumsum(padded * padded)))
    starts = np.arange(count) * hop
    energy = power[starts + window + longest] - power[starts]
    heard = np.flatnonzero(energy > 10.0 ** (quiet_db / 10.0) * energy.max(initial=0.0))
    heard = heard[heard % every == 0]
    # Single precision is a thousand times finer than the dips ask for.
    _track(padded.astype(np.float32), hop, shortest, longest, float(rate), heard, frequency, aperiodicity)
    return frequency, aperiodicity


@kernel
def _track(sound, hop, shortest, longest, rate, frames, frequency, aperiodicity):  # type: ignore[no-untyped-def]
    """Writes pitch and depth of the dip at each of `frames`, in order; frame i starts at i hops."""
    ring = np.zeros((HOPS, longest + 1), dtype=np.float32)
    there = np.full(HOPS, -1)
    difference = np.empty(longest + 1, dtype=np.float32)
    for frame in frames:
        for block in range(frame, frame + HOPS):
            if there[block % HOPS] != block:
                _square_differences(sound[block * hop : (block + 1) * hop + longest], ring[block % HOPS])
                there[block % HOPS] = block
        for lag in range(longest + 1):
            total = ring[0, lag]
            for row in range(1, HOPS):
                total += ring[row, lag]
            difference[lag] = total
        frequency[frame], aperiodicity[frame] = _first_dip(difference, shortest, rate)


@kernel
def _square_differences(sound, out):  # type: ignore[no-untyped-def]
    """Sums the squared difference of the first samples and those each lag (0 to the last of `out`) later."""
    lags = len(out)
    total = np.zeros(lags, dtype=np.float32)
    for i in range(len(sound) - lags + 1):
        x = sound[i]
        for lag in range(lags):
            apart = x - sound[i + lag]
            total[lag] += apart * apart
    for lag in range(lags):  # an assignment of all at once takes seconds to compile, for the text of its error
        out[lag] = total[lag]


@kernel
def _first_dip(difference, shortest, rate):  # type: ignore[no-untyped-def]
    """Hz and depth of the first dip. difference: (lags,)."""
    longest = len(difference) - 1
    normal = np.ones(longest + 1)
    running = 0.0
    for lag in range(1, longest + 1):
        running += difference[lag]
        normal[lag] = difference[lag] * lag / running if running > 0.0 else 1.0
    best = 0
    for lag in range(shortest, longest):
        if normal[lag] <= normal[lag + 1] and normal[lag] <= normal[lag - 1]:
            # Between two lags the dip is deeper: short periods would lose it to their double.
            bend = normal[lag - 1] - 2.0 * normal[lag] + normal[lag + 1]
            lean = normal[lag - 1] - normal[lag + 1]
            if normal[lag] - lean * lean / (8.0 * bend + 1e-12) < FIRST_DIP:
                best = lag
                break
    if best == 0:
        lowest = 2.0
        for lag in range(shortest, longest):
            if normal[lag] < lowest:
                lowest = normal[lag]
                best = lag
    a, b, c = difference[best - 1], difference[best], difference[best + 1]
    bend = a - 2.0 * b + c
    shift = 0.5 * (a - c) / bend if bend > 0.0 else 0.0
    return rate / (best + min(0.5, max(-0.5, shift))), min(1.0, normal[best])
