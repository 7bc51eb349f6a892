"""Kick focus: how much of the kick's own low sound comes through over the bass, and how loud the bass may be.

Per hit, in half-ERB bands from 35 to 250 Hz: where the kick's excitation stands over the bass's it is
heard, softly graded; `F(G)` is the share of the kick that is heard when the bass is moved by G dB. The
bass limit is the G where it falls to 0.70, the suggestion lies 3 dB under it. The curve has no natural
knee; none is looked for.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.measure.sharing import hearing

Array = NDArray[np.float64]

RATE = 4_000
FRAME_S, HOP_S = 0.040, 0.010
PADDED = 2_048
BANDS_HZ, BAND_ERB = (35.0, 250.0), 0.5
LONGEST_S = 0.300
RANGE_DB = 25.0
COMPRESSION = 0.6
SOFTNESS_DB = 4.0
LIMIT_SHARE = 0.70
BACK_OFF_DB = 3.0
GAINS_DB: Array = np.arange(-40.0, 40.1, 0.25)


@dataclass(frozen=True, slots=True, eq=False)
class Focus:
    """gains_db: changes of the bass, curve: share of the kick heard at each. at_present: at 0 dB.

    limit_db: change at which 0.70 is left, None where the bass is not in the way at all. suggestion_db: 3 dB under.
    """

    gains_db: Array
    curve: Array
    at_present: float
    limit_db: float | None
    suggestion_db: float | None


def focus_of(
    kick_bands: Array,
    bass_bands: Array,
    hits_s: Sequence[float],
    *,
    hop_s: float = HOP_S,
    back_off_db: float = BACK_OFF_DB,
) -> Focus | None:
    """The same from excitations, (frames, bands) each."""
    count = min(len(kick_bands), len(bass_bands))
    curves = []
    ends = [*hits_s[1:], count * hop_s]
    for start_s, next_s in zip(hits_s, ends, strict=False):
        # Frame i is centred at i * hop.
        first, last = round(start_s / hop_s), min(count, round(min(start_s + LONGEST_S, next_s) / hop_s))
        if last - first < 2:
            continue
        own, other = kick_bands[first:last], bass_bands[first:last]
        top = float(own.max())
        heard = own > top * 10.0 ** (-RANGE_DB / 10.0)
        if top <= 0.0 or not heard.any():
            continue
        ratio_db = 10.0 * np.log10(own[heard] / np.maximum(other[heard], 1e-12 * top))
        weight = own[heard] ** COMPRESSION
        shares = weight @ _heard(ratio_db[:, np.newaxis] - GAINS_DB[np.newaxis, :])
        curves.append(shares / weight.sum())
    if not curves:
        return None
    curve = np.median(np.array(curves), axis=0)
    limit = None
    if curve[0] > LIMIT_SHARE > curve[-1]:
        limit = float(np.interp(-LIMIT_SHARE, -curve, GAINS_DB))
    at_present = float(np.interp(0.0, GAINS_DB, curve))
    return Focus(GAINS_DB, curve, at_present, limit, None if limit is None else limit - back_off_db)


def _heard(difference_db: Array) -> Array:
    return np.asarray(1.0 / (1.0 + np.exp(-np.clip(difference_db / SOFTNESS_DB, -60.0, 60.0))))


@lru_cache(maxsize=4)
def _matrices(length: int) -> tuple[Array, Array]:
    """(length, 2 bins) from a windowed frame to its spectrum from 20 to 500 Hz; (bands, bins) to the ear's bands.

    Components far outside still reach the outermost filters a little: that is why 20 to 500 Hz are taken in.
    """
    bins = np.arange(PADDED // 2 + 1) * RATE / PADDED
    inside = bins[(bins >= 20.0) & (bins <= 500.0)]
    window = np.hanning(length + 2)[1:-1]
    window /= np.sqrt(np.sum(window**2))
    turns = np.exp(-2j * np.pi * np.outer(np.arange(length) / RATE, inside)) * window[:, np.newaxis]
    filters = hearing.roex(hearing.band_centres_hz(*BANDS_HZ, BAND_ERB), inside)
    return np.hstack((turns.real, turns.imag)), filters


def excitation(x: Array, sample_rate: int, *, frame_s: float = FRAME_S, hop_s: float = HOP_S) -> Array:
    """(frames, bands): excitation of the low bands, power; frame i is centred at i * hop_s."""
    low = np.asarray(x if sample_rate == RATE else soxr.resample(x, sample_rate, RATE, quality="HQ"), dtype=np.float64)
    length, hop = round(frame_s * RATE), round(hop_s * RATE)
    padded = np.pad(low, (length // 2, length))
    frames = np.lib.stride_tricks.sliding_window_view(padded, length)[::hop][: len(low) // hop + 1]
    transform, filters = _matrices(length)
    rows = []
    for start in range(0, len(frames), 2_000):
        spectrum = np.ascontiguousarray(frames[start : start + 2_000]) @ transform
        power = spectrum[:, : filters.shape[1]] ** 2 + spectrum[:, filters.shape[1] :] ** 2
        rows.append(power @ filters.T)
    return np.concatenate(rows) if rows else np.zeros((0, len(filters)))
