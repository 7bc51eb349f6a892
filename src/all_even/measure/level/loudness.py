"""Loudness after ITU-R BS.1770-5, with the windows and gates of EBU Tech 3341 and Tech 3342.

All functions take `weighted`: K-weighted mean squares per 10 ms hop and channel, (hops, channels),
as `measure.level.hops` makes them; left and right weigh 1, and a mono file counts as one channel. Windows
slide by one hop for maxima and by ten (100 ms) for the gated figures. Results are LUFS, or LU for
the range, and None where nothing passes the absolute gate of -70 LUFS.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.decibels import power_db, power_db_array

OFFSET_LU = -0.691  # BS.1770: a 997 Hz full-scale sine in one channel reads -3.01 LKFS
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
RANGE_GATE_LU = -20.0  # Tech 3342
MOMENTARY_HOPS = 40
SHORT_TERM_HOPS = 300
STEP_HOPS = 10

Power = NDArray[np.float64]


def lufs(power: float) -> float:
    """Loudness of a channel-summed K-weighted mean square."""
    return OFFSET_LU + power_db(power)


def windowed(weighted: NDArray[np.floating], hops: int, step: int = 1) -> Power:
    """Mean power, summed over channels, in every complete window of `hops`, every `step` hops."""
    total = np.asarray(weighted, dtype=np.float64).sum(axis=1)
    if len(total) < hops:
        return np.empty(0)
    sums = np.concatenate(([0.0], np.cumsum(total)))
    result: Power = np.maximum(sums[hops:] - sums[:-hops], 0.0)[::step] / hops
    return result


def momentary_lufs(weighted: NDArray[np.floating]) -> NDArray[np.float64]:
    """Momentary loudness (400 ms) every 100 ms; -inf for silence."""
    result: NDArray[np.float64] = OFFSET_LU + power_db_array(windowed(weighted, MOMENTARY_HOPS, STEP_HOPS))
    return result


def short_term_lufs(weighted: NDArray[np.floating]) -> NDArray[np.float64]:
    """Short-term loudness (3 s) every 100 ms; -inf for silence."""
    result: NDArray[np.float64] = OFFSET_LU + power_db_array(windowed(weighted, SHORT_TERM_HOPS, STEP_HOPS))
    return result


def integrated_lufs(weighted: NDArray[np.floating]) -> float | None:
    """Gated programme loudness: 400 ms blocks, 75 % overlap, -70 LUFS and then -10 LU gates."""
    gated = gate(windowed(weighted, MOMENTARY_HOPS, STEP_HOPS), RELATIVE_GATE_LU)
    return lufs(float(gated.mean())) if len(gated) else None


def max_momentary_lufs(weighted: NDArray[np.floating]) -> float | None:
    """The loudest 400 ms, searched every 10 ms."""
    return _loudest(windowed(weighted, MOMENTARY_HOPS))


def max_short_term_lufs(weighted: NDArray[np.floating]) -> float | None:
    """The loudest 3 s, searched every 10 ms."""
    return _loudest(windowed(weighted, SHORT_TERM_HOPS))


def loudness_range_lu(weighted: NDArray[np.floating]) -> float | None:
    """EBU Tech 3342: 95th minus 10th percentile of the short-term loudness gated at -20 LU."""
    gated = gate(windowed(weighted, SHORT_TERM_HOPS, STEP_HOPS), RANGE_GATE_LU)
    if not len(gated):
        return None
    low, high = np.percentile(power_db_array(gated), (10, 95))
    return float(high - low)


def gate(power: Power, relative_lu: float) -> Power:
    """The windows over -70 LUFS and over their mean power plus `relative_lu`."""
    kept = power[power > 10.0 ** ((ABSOLUTE_GATE_LUFS - OFFSET_LU) / 10.0)]
    if len(kept):
        kept = kept[kept > kept.mean() * 10.0 ** (relative_lu / 10.0)]
    return kept


def active_steps(weighted: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Which 100 ms steps are played: the 400 ms window there is within 20 LU of the gated mean.

    The range gate of Tech 3342 is used, not the -10 LU gate, so that the quiet phrases of a voice
    still count as playing.
    """
    power = windowed(weighted, MOMENTARY_HOPS, STEP_HOPS)
    kept = gate(power, RANGE_GATE_LU)
    if not len(kept):
        return np.zeros(len(power), dtype=np.bool_)
    result: NDArray[np.bool_] = power >= kept.min()
    return result


def _loudest(power: Power) -> float | None:
    if not len(power):
        return None
    loudest = lufs(float(power.max()))
    return loudest if loudest > ABSOLUTE_GATE_LUFS else None
