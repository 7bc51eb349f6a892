"""What gain a compressor applies, without making its sound: for fits that try many settings on one sound.

What the detector hears is worked out once for all settings that share its filters (`detector_power`); each trial is
then the static curve and the smoothing alone. The same kernels in the same pieces as in the compressor: the gains are
those of `Single(station)(sound)` to the last bit.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sound_file import Samples
from all_even.dsp.dynamics.compressor import CHUNK, HEAD, Compressor, hear, smooth_reduction, wanted_reduction
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import NOTHING, coefficients_of, finite
from all_even.kernels import kernel

Array = NDArray[np.float64]


def is_simple(station: Compressor) -> bool:
    """Whether its gain is of this form: both channels together, their peaks, nothing looked ahead, heard or keyed."""
    plain = station.level != "RMS" and station.link >= 100.0 and not station.listen and not station.bypass
    return plain and station.latency_frames(48_000) == 0 and station.key is None


def detector_power(samples: Samples, sample_rate: int, station: Compressor) -> Array:
    """(frames,): what a simple compressor's static curve is asked about, full scale 1. samples: (frames, channels)."""
    power = np.empty(len(samples))
    c = coefficients_of(station, sample_rate)
    _detect(np.array(samples, dtype=np.float64, order="C", ndmin=2), NOTHING, c, np.zeros(8), power)
    return power


def gain_db(power: Array, sample_rate: int, station: Compressor, every: int = 1) -> Array:
    """(frames // every,): the gain that a simple compressor applies, dB, as means of so many frames. power: from
    `detector_power` with its filters."""
    gain = np.zeros(len(power) // every)
    _reduce(power, coefficients_of(station, sample_rate), np.zeros(4), every, gain)
    return gain


@kernel
def _detect(block, no_key, c, state, power):  # type: ignore[no-untyped-def]
    frames, channels = block.shape
    if c[19] == 0.0:
        for i in range(frames):
            x, z = finite(block[i, 0]), finite(block[i, channels - 1])
            power[i] = max(x * x, z * z)
        return
    heard = np.empty((CHUNK, channels))
    for start in range(0, frames, CHUNK):
        part = block[start : start + CHUNK]
        clean(part)
        hear(part, no_key, True, c[HEAD : HEAD + 10], state, heard)
        for i in range(len(part)):
            x, z = heard[i, 0], heard[i, channels - 1]
            power[start + i] = max(x * x, z * z)


@kernel
def _reduce(power, c, state, every, gain):  # type: ignore[no-untyped-def]
    summed, held, at = 0.0, 0, 0
    for start in range(0, len(power), CHUNK):
        part = power[start : start + CHUNK].copy()
        wanted_reduction(part, c)
        smooth_reduction(part, c, state)
        if every == 1:
            for i in range(len(part)):
                gain[start + i] = -part[i]
            continue
        for i in range(len(part)):
            summed += part[i]
            held += 1
            if held == every:
                gain[at] = -summed / every
                summed, held, at = 0.0, 0, at + 1
