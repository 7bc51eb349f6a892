"""A second ear, for second opinions: power behind a bank of gammatone filters, one ERB apart.

|H(f)|² = (1 + ((f - fc) / b)²)^-4 with b = 1.019 ERB: the filter of fourth order of R. D. Patterson et al., "An
efficient auditory filterbank based on the gammatone function" (1988), as M. Slaney wrote it down in 1993 (an efficient
implementation of it). Its skirts are the ear's spreading; short frames (43 ms, every 21 ms) keep hits apart. Of all
moves only Polish looks through these filters: what else is judged by them was not fitted on them.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from all_even.measure.sharing import hearing
from all_even.measure.sharing.masking import BandPowerMeter, Bands

FRAME_S = 2_048 / 48_000
LOWEST_HZ, HIGHEST_HZ = 40.0, 15_000.0
ORDER, BANDWIDTH = 4, 1.019
Array = NDArray[np.float64]


@lru_cache(maxsize=1)
def centres_hz() -> Array:
    """Middle frequencies of the bands."""
    return hearing.band_centres_hz(LOWEST_HZ, HIGHEST_HZ, 1.0)


def response(frequency_hz: Array) -> Array:
    """(bands, frequencies) power that each filter lets through; 1 at its middle."""
    centres = centres_hz()[:, np.newaxis]
    beside = (np.asarray(frequency_hz)[np.newaxis, :] - centres) / (BANDWIDTH * hearing.erb_hz(centres))
    return np.asarray((1.0 + beside**2) ** -ORDER)


def frame_frames(sample_rate: int) -> int:
    """Frames of sound in one frame."""
    return int(2 ** round(np.log2(FRAME_S * sample_rate)))


def hop_frames(sample_rate: int) -> int:
    """Frames of sound from one frame to the next."""
    return frame_frames(sample_rate) // 2


@lru_cache(maxsize=8)
def _filters(sample_rate: int) -> Bands:
    size = frame_frames(sample_rate)
    usable = centres_hz() < 0.5 * sample_rate
    let_through = response(np.arange(size // 2 + 1) * sample_rate / size) * usable[:, np.newaxis]
    return np.ascontiguousarray(let_through.T.astype(np.float32))


def meter(sample_rate: int, channels: int) -> BandPowerMeter:
    """Collects (frames, channels); gives (channels, frames, bands)."""
    return BandPowerMeter(sample_rate, channels, size=frame_frames(sample_rate), filters=_filters(sample_rate))


def power_of(samples: NDArray[np.floating], sample_rate: int) -> Bands:
    """(frames, bands) mean power of the channels of samples held in memory, (frames, channels)."""
    measured = meter(sample_rate, samples.shape[1])
    for start in range(0, len(samples), 1 << 16):
        measured.add(samples[start : start + (1 << 16)])
    found: Bands = measured.result().mean(axis=0)
    return found
