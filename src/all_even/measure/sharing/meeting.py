"""How two low sounds meet: whether their waves add up or cancel, hit by hit.

Powers of two sounds that have nothing to do with each other add; of two tones in one octave the sum can be up to 3 dB
more than that, or any amount less, as their phases stand at that moment. Loudness figures and spectra do not show it.
Compared are the power of the real sum and the sum of both powers, under 150 Hz, from the hit on as long as it sounds.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

Array = NDArray[np.float64]
HIGHEST_HZ, ORDER = 150.0, 4
BEFORE_S = 0.02
"""Of a hit, that is shown before it."""
SHORT_S = 0.020
"""The worst moment is looked for in pieces this long..."""
NEAR_DB = 12.0
"""...in which neither of both is further than this under the other: elsewhere there is nothing to cancel."""


@dataclass(frozen=True, slots=True, eq=False)
class Meeting:
    """hits_s: those at which both sound. gains_db: of each, the real sum over the sum of powers: 0 where phases do not
    matter, 3.01 where both are the same wave, below 0 where they cancel; worst_db: of its worst 20 ms, NaN where both
    are nowhere near each other. waves: (hits, 2, frames) both sounds around each hit, full scale = 1; times_s: of each
    frame, from the hit."""

    hits_s: Array
    gains_db: Array
    worst_db: Array
    waves: NDArray[np.float32]
    times_s: Array


def meeting(one: Array, other: Array, sample_rate: int, hits_s: Sequence[float], sounds_s: float) -> Meeting | None:
    """one, other: (frames,) mono, full scale = 1. hits_s: of the first, rising. sounds_s: how long a hit sounds, > 0.

    None where there is no hit at which both sound.
    """
    frames = min(len(one), len(other))
    before, length = round(BEFORE_S * sample_rate), max(2, round(sounds_s * sample_rate))
    if not frames or not len(hits_s):
        return None
    sections = scipy.signal.butter(ORDER, HIGHEST_HZ, fs=sample_rate, output="sos")
    both = scipy.signal.sosfiltfilt(sections, np.stack((one[:frames], other[:frames])), axis=1)
    starts = np.round(np.asarray(hits_s) * sample_rate).astype(int)
    inside = (starts - before >= 0) & (starts + length <= frames)
    if not inside.any():
        return None
    hits, starts = np.asarray(hits_s, np.float64)[inside], starts[inside]
    places = starts[:, np.newaxis] + np.arange(-before, length)
    waves = both[:, places].transpose(1, 0, 2)  # (hits, 2, frames)
    sounding = waves[:, :, before:]
    powers = (sounding**2).sum(axis=2)
    heard = powers.min(axis=1) > powers.max(axis=1) * 10.0 ** (-NEAR_DB / 5.0)
    if not heard.any():
        return None
    hits, waves, sounding = hits[heard], waves[heard], sounding[heard]
    gains = _over_powers_db((sounding.sum(axis=1) ** 2).sum(axis=1), powers[heard].sum(axis=1))
    times = np.arange(-before, length) / sample_rate
    return Meeting(hits, gains, _worst(sounding, sample_rate), waves.astype(np.float32), times)


def _worst(sounding: Array, sample_rate: int) -> Array:
    """The least of 20 ms pieces, half overlapping, in which both are near each other; NaN where there is none."""
    piece = round(SHORT_S * sample_rate)
    if sounding.shape[2] < piece:
        return np.full(len(sounding), np.nan)
    pieces = np.lib.stride_tricks.sliding_window_view(sounding, piece, axis=2)[:, :, :: piece // 2]
    powers = (pieces**2).sum(axis=3)
    total = (pieces.sum(axis=1) ** 2).sum(axis=2)
    near = powers.min(axis=1) > powers.max(axis=1) * 10.0 ** (-NEAR_DB / 10.0)
    loud = powers.sum(axis=1) > powers.sum(axis=1).max(axis=1, keepdims=True) * 10.0 ** (-NEAR_DB / 10.0)
    found = np.where(near & loud, _over_powers_db(total, powers.sum(axis=1)), np.inf).min(axis=1)
    return np.where(np.isfinite(found), found, np.nan)


def _over_powers_db(total: Array, powers: Array) -> Array:
    return np.asarray(10.0 * np.log10(np.maximum(total, 1e-12 * powers) / np.maximum(powers, 1e-30)))
