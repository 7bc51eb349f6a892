"""What tells a good reverberation from a poor one: four figures of an impulse response.

- *Echo density*: the share of samples outside one standard deviation, in a sliding window, over that of Gaussian
  noise. 1: so dense that no echo is heard alone. J. S. Abel and P. Huang, "A simple, robust measure of reverberation
  echo density", AES convention 121 (2006).
- *Evenness of the spectrum*: the spectrum of a stretch whose decay was made up for, against its own third octaves.
  In dense noise, magnitudes are Rayleigh distributed: 5.57 dB standard deviation. More is coloured or metallic. Also
  the highest peak over what the highest of so many Rayleigh numbers is expected to be.
- *Decay time* per octave by backward integration: M. R. Schroeder, "New method of measuring reverberation time", JASA
  37 (1965), evaluated from -5 to -35 dB as T30 in ISO 3382-2:2008; and how far the fall leaves a straight line.
- *Correlation* of left and right by octave.

Sources from memory. Samples are (frames,) or (frames, 2) float64 with the direct sound at frame 0.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]

DENSITY_WINDOW_S = 0.02
DENSITY_STEP_S = 0.001
GAUSSIAN_OUTSIDE = 0.317310507863
"""Share of normally distributed numbers beyond one standard deviation: erfc(1/sqrt 2)."""
FULL_DENSITY = 0.9
LOWEST_HZ, HIGHEST_HZ = 200.0, 10_000.0
OCTAVES_HZ = (63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
FALL_FROM_DB, FALL_TO_DB = -5.0, -35.0
ONSET = 1e-4


def echo_density(samples: Array, sample_rate: int) -> tuple[Array, Array]:
    """Times in s and the density there; samples: (frames,)."""
    length = round(DENSITY_WINDOW_S * sample_rate) | 1
    window = np.hanning(length + 2)[1:-1]
    window /= window.sum()
    padded = np.concatenate((np.zeros(length // 2), samples, np.zeros(length // 2)))
    starts = np.arange(0, len(samples), max(1, round(DENSITY_STEP_S * sample_rate)))
    density = np.empty(len(starts))
    for index, start in enumerate(starts):
        part = padded[start : start + length]
        deviation = np.sqrt(window @ part**2)
        density[index] = window @ (np.abs(part) > deviation) / GAUSSIAN_OUTSIDE
    return starts / sample_rate, density


def full_density_s(samples: Array, sample_rate: int) -> float | None:
    """From the first sound to where the density reaches 0.9; None where it never does."""
    present = np.flatnonzero(np.abs(samples) > ONSET * np.abs(samples).max(initial=0.0))
    if not len(present):
        return None
    times, density = echo_density(samples[present[0] :], sample_rate)
    full = np.flatnonzero(density >= FULL_DENSITY)
    return float(times[full[0]]) if len(full) else None


@dataclass(frozen=True, slots=True)
class Evenness:
    """Of the spectrum of a stretch. std_db: 5.57 is that of dense noise. peak_db: the highest over its expectation."""

    std_db: float
    peak_db: float


def evenness(samples: Array, sample_rate: int, start_s: float, length_s: float, decay_s: float) -> Evenness:
    """Of a stretch of a tail that falls by 60 dB in `decay_s`; samples: (frames,)."""
    start, length = round(start_s * sample_rate), round(length_s * sample_rate)
    time = np.arange(length) / sample_rate
    power = (
        np.abs(scipy.fft.rfft(samples[start : start + length] * 10.0 ** (3.0 * time / decay_s) * np.hanning(length)))
        ** 2
    )
    hz = np.fft.rfftfreq(length, 1.0 / sample_rate)
    summed = np.concatenate(([0.0], np.cumsum(power)))
    inside = np.flatnonzero((hz >= LOWEST_HZ) & (hz <= min(HIGHEST_HZ, 0.45 * sample_rate)))
    low = np.searchsorted(hz, hz[inside] / 2.0 ** (1.0 / 6.0))
    high = np.searchsorted(hz, hz[inside] * 2.0 ** (1.0 / 6.0))
    around = (summed[high] - summed[low]) / (high - low)
    level_db = 10.0 * np.log10(power[inside] / around + 1e-30)
    # A Hann window leaves two bins of three independent; the highest of n exponential numbers lies near ln n + 0.577.
    expected_db = 10.0 * np.log10(np.log(len(inside) / 1.5) + 0.5772)
    return Evenness(float(level_db.std()), float(level_db.max() - expected_db))


@dataclass(frozen=True, slots=True)
class Decay:
    """Of one band. decay_s: for 60 dB. bend_db: how far the fall leaves a straight line."""

    decay_s: float
    bend_db: float


def decay(samples: Array, sample_rate: int) -> Decay | None:
    """By backward integration, from -5 to -35 dB; None where it does not fall that far.

    samples: (frames,), or (frames, responses): then of their mean energy, which chance bends less.
    """
    power = samples**2 if samples.ndim == 1 else (samples**2).sum(axis=1)
    left = np.cumsum(power[::-1])[::-1]
    if not left[0] > 0.0:
        return None
    level_db = 10.0 * np.log10(left / left[0] + 1e-30)
    start, end = np.argmax(level_db < FALL_FROM_DB), np.argmax(level_db < FALL_TO_DB)
    if end <= start + 8:
        return None
    time = np.arange(start, end) / sample_rate
    slope, offset = np.polyfit(time, level_db[start:end], 1)
    bend = np.abs(level_db[start:end] - (slope * time + offset)).max()
    return Decay(float(-60.0 / slope), float(bend))


def octave(samples: Array, sample_rate: int, centre_hz: float) -> Array:
    """One octave of a sound, (frames, …), through a filter of the fourth order."""
    edges = (centre_hz / 2.0**0.5, min(centre_hz * 2.0**0.5, 0.49 * sample_rate))
    sections = scipy.signal.butter(4, edges, "bandpass", fs=sample_rate, output="sos")
    result: Array = scipy.signal.sosfilt(sections, samples, axis=0)
    return result


def decay_by_octave(samples: Array, sample_rate: int) -> dict[float, Decay]:
    """Octave centres in Hz and their decay; those that don't fall far enough are left out. samples: as in `decay`."""
    found = {hz: decay(octave(samples, sample_rate, hz), sample_rate) for hz in OCTAVES_HZ if hz < 0.35 * sample_rate}
    return {hz: one for hz, one in found.items() if one is not None}
