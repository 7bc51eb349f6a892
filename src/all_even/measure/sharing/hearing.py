"""Scales and filters of hearing that masking and focus share.

ERB: equivalent rectangular bandwidth of the ear's filters, and the ERB-number scale, after B. R. Glasberg
and B. C. J. Moore, "Derivation of auditory filter shapes from notched-noise data", Hear. Res. 47 (1990),
equations 3 and 4. roex: their rounded exponential filter, W(g) = (1 + p g) exp(-p g), p = 4 f / ERB.
A-weighting: IEC 61672-1, annex E (analytic form).
"""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def erb_hz(frequency_hz: Array | float) -> Array:
    """Bandwidth of the ear's filter at a frequency: 24.7 (4.37 f + 1), f in kHz."""
    return np.asarray(24.7 * (4.37 * np.asarray(frequency_hz, dtype=np.float64) / 1000.0 + 1.0))


def erb_number(frequency_hz: Array | float) -> Array:
    """Place on the ERB scale: 21.4 log10(4.37 f + 1), f in kHz."""
    return np.asarray(21.4 * np.log10(4.37 * np.asarray(frequency_hz, dtype=np.float64) / 1000.0 + 1.0))


def frequency_of(number: Array | float) -> Array:
    """Inverse of `erb_number`, Hz."""
    return np.asarray((10.0 ** (np.asarray(number, dtype=np.float64) / 21.4) - 1.0) * 1000.0 / 4.37)


def band_centres_hz(low_hz: float, high_hz: float, step_erb: float) -> Array:
    """Frequencies `step_erb` apart on the ERB scale, from `low_hz` up to `high_hz`."""
    return frequency_of(np.arange(float(erb_number(low_hz)), float(erb_number(high_hz)) + 1e-9, step_erb))


def roex(centre_hz: Array, frequency_hz: Array) -> Array:
    """(centres, frequencies): power that the filter at each centre lets through."""
    centre = np.asarray(centre_hz)[:, np.newaxis]
    p = 4.0 * centre / erb_hz(centre)
    g = np.abs(np.asarray(frequency_hz)[np.newaxis, :] - centre) / centre
    return np.asarray((1.0 + p * g) * np.exp(-p * g))


def a_weighting(frequency_hz: Array | float) -> Array:
    """Power factor of A-weighting; 1 at 1 kHz."""
    f2 = np.square(np.asarray(frequency_hz, dtype=np.float64))
    magnitude = (12194.0**2 * f2**2) / ((f2 + 20.6**2) * np.sqrt((f2 + 107.7**2) * (f2 + 737.9**2)) * (f2 + 12194.0**2))
    return np.asarray((magnitude * 10.0 ** (2.0 / 20.0)) ** 2)


def triangular_bands(centres_hz: Array, size: int, sample_rate: int) -> Array:
    """(bands, bins): weights of a spectrum's bins, triangles on the ERB scale that overlap to 1."""
    numbers = erb_number(centres_hz)
    step = float(numbers[1] - numbers[0])
    bins = erb_number(np.arange(size // 2 + 1) * sample_rate / size)
    weights: Array = np.maximum(0.0, 1.0 - np.abs(bins[np.newaxis, :] - numbers[:, np.newaxis]) / step)
    # A low band may be narrower than a bin: the bin that is nearest then stands for it.
    for band in np.flatnonzero(weights.sum(axis=1) == 0.0):
        weights[band, int(np.argmin(np.abs(bins - numbers[band])))] = 1.0
    return weights
