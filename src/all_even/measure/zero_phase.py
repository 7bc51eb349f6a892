"""Second-order Butterworth bands without phase, as gains of a whole sound's spectrum.

A filter run forwards and backwards has the squared magnitude of one run and no phase. Of a Butterworth filter
that magnitude is known in closed form (textbook; frequencies warped by w = tan(pi f / rate), as by the bilinear
transform), so that one transform there and one back do what four passes over the samples would. Before its first
and after its last sample a sound is taken to be silent.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]

RING_S = 0.5
"""Silence put behind a sound, so that its end does not ring into its beginning."""


def band_gain(frequency_hz: Array, band_hz: tuple[float, float], sample_rate: int) -> Array:
    """Gain of a band-pass, forwards and backwards, at frequencies from 0 to half the rate."""
    w, low, high = (np.tan(np.pi * np.minimum(f / sample_rate, 0.4999)) for f in (frequency_hz, *band_hz))
    w = np.maximum(w, 1e-12)
    return np.asarray(1.0 / (1.0 + ((w * w - low * high) / ((high - low) * w)) ** 4))


def analytic_band(
    sound: NDArray[np.floating], band_hz: tuple[float, float] | None, sample_rate: int, every: int = 1
) -> NDArray[np.complex128]:
    """Analytic signal of a band of (frames,), `every` so manieth frame; None: of the whole sound.

    every: has to leave room for the band under half the rate it gives.
    """
    size = scipy.fft.next_fast_len(-(-(len(sound) + round(RING_S * sample_rate)) // every)) * every
    kept = size // every // 2
    spectrum = scipy.fft.rfft(sound, size)[: kept + 1]
    if band_hz is not None:
        spectrum *= band_gain(np.arange(len(spectrum)) * (sample_rate / size), band_hz, sample_rate)
    both = np.zeros(size // every, dtype=spectrum.dtype)
    both[: kept + 1] = 2.0 / every * spectrum
    both[0] *= 0.5
    if len(both) % 2 == 0:
        both[kept] *= 0.5
    return np.asarray(scipy.fft.ifft(both)[: -(-len(sound) // every)])


def above(sound: Array, frequency_hz: float, sample_rate: int, ring_s: float = RING_S) -> Array:
    """What of (..., frames) lies over a frequency: a high-pass, forwards and backwards. ring_s: silence behind it."""
    frames = sound.shape[-1]
    size = scipy.fft.next_fast_len(frames + round(ring_s * sample_rate), real=True)
    spectrum = scipy.fft.rfft(sound, size)
    w = np.tan(np.pi * np.minimum(np.arange(spectrum.shape[-1]) / size, 0.4999))
    edge = np.tan(np.pi * frequency_hz / sample_rate)
    spectrum *= w**4 / (w**4 + edge**4)
    return np.asarray(scipy.fft.irfft(spectrum, size)[..., :frames])
