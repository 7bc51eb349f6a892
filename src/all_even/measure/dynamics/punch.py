"""Punch of a struck part: how far its first moments stand over its body.

`TBR = 10 log10(mean x^2 [0 to 10 ms] / mean x^2 [30 to 150 ms])` after each strong hit (peak within 12 dB of the
largest), the median over these. On a full mix use the peaks of the hits at equal loudness instead (`hit_peaks_db`).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

STRONG_DB = 12.0
TREBLE_HZ, TREBLE_S, LEAD_S = 3000.0, 0.05, 0.005
"""Of the treble of a hit: from where, for how long, and what the filter hears before it."""
ATTACK_S, BODY_S, TAIL_S = (0.0, 0.010), (0.030, 0.150), (0.080, 0.300)
FEWEST = 4
Array = NDArray[np.float64]


def strong(sound: Array, sample_rate: int, hits_s: Sequence[float]) -> list[float]:
    """Hits whose peak lies within 12 dB of the largest, and with room behind them for a body. sound: (frames,)."""
    peaks = [float(np.abs(_part(sound, sample_rate, hit, (0.0, 0.05))).max(initial=0.0)) for hit in hits_s]
    limit = max(peaks, default=0.0) * 10.0 ** (-STRONG_DB / 20.0)
    end = len(sound) / sample_rate - BODY_S[1]
    return [hit for hit, peak in zip(hits_s, peaks, strict=True) if peak > 0.0 and peak >= limit and hit < end]


def punch_db(sound: Array, sample_rate: int, hits_s: Sequence[float]) -> float | None:
    """Median over strong hits, dB; None with fewer than four of them."""
    return _median(sound, sample_rate, hits_s, ATTACK_S, BODY_S)


def level_after_db(sound: Array, sample_rate: int, hits_s: Sequence[float], part_s: tuple[float, float]) -> float:
    """Median level of a stretch after each of these hits, dB RMS."""
    return float(np.median([_level(sound, sample_rate, hit, part_s) for hit in hits_s]))


def hit_peaks_db(sound: Array, sample_rate: int, hits_s: Sequence[float]) -> float:
    """Median peak of the first 30 ms of hits, dB."""
    peaks = [np.abs(_part(sound, sample_rate, hit, (0.0, 0.03))).max(initial=0.0) for hit in hits_s]
    return float(20.0 * np.log10(max(float(np.median(peaks)), 1e-9)))


def treble_db(sound: Array, sample_rate: int, hits_s: Sequence[float]) -> float | None:
    """Median level of the first 50 ms of hits over 3 kHz, dB RMS; None where there are few, or no treble can be."""
    lead, length = round(LEAD_S * sample_rate), round((LEAD_S + TREBLE_S) * sample_rate)
    starts = [start for hit in hits_s if 0 <= (start := round(hit * sample_rate) - lead) <= len(sound) - length]
    if len(starts) < FEWEST or 0.4 * sample_rate <= TREBLE_HZ:
        return None
    parts = sound[np.add.outer(np.array(starts), np.arange(length))]
    sections = scipy.signal.butter(2, TREBLE_HZ, "highpass", fs=sample_rate, output="sos")
    heard = scipy.signal.sosfilt(sections, parts, axis=1)[:, lead:]
    return float(np.median(10.0 * np.log10(np.mean(np.square(heard), axis=1) + 1e-20)))


def _median(
    sound: Array, sample_rate: int, hits_s: Sequence[float], above: tuple[float, float], below: tuple[float, float]
) -> float | None:
    counted = strong(sound, sample_rate, hits_s)
    if len(counted) < FEWEST:
        return None
    return float(np.median([_level(sound, sample_rate, hit, above) - _level(sound, sample_rate, hit, below)
                            for hit in counted]))  # fmt: skip


def _level(sound: Array, sample_rate: int, hit_s: float, part_s: tuple[float, float]) -> float:
    part = _part(sound, sample_rate, hit_s, part_s)
    return float(10.0 * np.log10(np.mean(part**2) + 1e-20)) if len(part) else -200.0


def _part(sound: Array, sample_rate: int, hit_s: float, part_s: tuple[float, float]) -> Array:
    start, stop = (round((hit_s + at) * sample_rate) for at in part_s)
    return sound[max(0, start) : max(0, stop)]
