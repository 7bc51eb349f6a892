"""Crossover: two to five bands that add up to an all-pass.

Linkwitz-Riley of fourth order (S. Linkwitz, "Active Crossover Networks for Noncoincident Drivers",
J. Audio Eng. Soc. 24, 1976): each side is two equal second-order Butterworth filters, -6 dB at the
crossover, and low + high is an all-pass of second order. The lower bands pass through the all-passes of
the crossovers above them, so that all bands stay in phase. Bilinear sections, so that this is exact.
"""

import math

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import HIGHEST
from all_even.kernels import kernel

Array = NDArray[np.float64]

MOST_BANDS = 5
LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0
"""Where crossovers may stand."""
SECTIONS = 3
"""Per crossover: low-pass, high-pass, all-pass."""
STATE_PER_BAND = 4 * (4 + MOST_BANDS)
STATE = STATE_PER_BAND * MOST_BANDS


def sections(crossovers_hz: tuple[float, ...], sample_rate: int) -> Array:
    """(crossovers, 3, 5): low-pass, high-pass and all-pass of each crossover."""
    found = []
    for frequency_hz in crossovers_hz:
        k = math.tan(math.pi * min(HIGHEST, frequency_hz / sample_rate))
        norm = 1.0 / (1.0 + math.sqrt(2.0) * k + k * k)
        a1, a2 = 2.0 * (k * k - 1.0) * norm, (1.0 - math.sqrt(2.0) * k + k * k) * norm
        low = (k * k * norm, 2.0 * k * k * norm, k * k * norm, a1, a2)
        high = (norm, -2.0 * norm, norm, a1, a2)
        found.append((low, high, (a2, a1, 1.0, a1, a2)))
    result = np.array(found).reshape(-1, SECTIONS, 5)
    result.setflags(write=False)  # as all coefficients are: one kind of array, compiled once
    return result


def ring_s(crossovers_hz: tuple[float, ...]) -> float:
    return sum(3.0 * 18.4 * math.sqrt(2.0) / (2.0 * math.pi * f) for f in crossovers_hz)


@kernel
def _section(x, c, state, s):  # type: ignore[no-untyped-def]
    y = c[0] * x + state[s]
    state[s] = c[1] * x - c[3] * y + state[s + 1]
    state[s + 1] = c[2] * x - c[4] * y
    return y


@kernel
def split(block, bands, parts, state):  # type: ignore[no-untyped-def]
    """Splits (frames, channels) into bands (count, frames, channels). parts: `sections`; state: `STATE`."""
    frames, channels = block.shape
    crossings = len(parts)
    for channel in range(channels):
        for i in range(frames):
            rest = block[i, channel]
            for k in range(crossings):
                s = k * STATE_PER_BAND + channel * 2
                low = _section(rest, parts[k, 0], state, s)
                low = _section(low, parts[k, 0], state, s + 4)
                high = _section(rest, parts[k, 1], state, s + 8)
                rest = _section(high, parts[k, 1], state, s + 12)
                for above in range(k + 1, crossings):
                    low = _section(low, parts[above, 2], state, s + 16 + 4 * (above - 1))
                bands[k, i, channel] = low
            bands[crossings, i, channel] = rest
    for k in range(len(state)):
        if abs(state[k]) < 1e-25:
            state[k] = 0.0
