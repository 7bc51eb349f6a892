"""How far a microphone's own hits stand over what bleeds into it, and breaths over the words they precede.

Softer hits of its own are no bleed: what bleeds in sounds otherwise (`unlike_db`), or comes when another drum is hit.

A gate can tell them apart only by level. Candidates are all rises in level, own hits and bleed alike; the threshold
that parts their *peaks* best (Otsu) says which are which. (Clusters of levels over time are useless: bleed opens them.)
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.measure.dynamics.units import HOP_S, Units, otsu

RISE_DB, BACK_HOPS, APART_HOPS = 6.0, 5, 6
"""A candidate rises by so much over the least of the last 50 ms, and is the highest within 60 ms."""
FLOOR = 1e-7
WEAK_PERCENT, STRONG_PERCENT = 5, 95
FEWEST = 4
TOGETHER_S, SOFTER_DB = 0.03, 1.0
MOSTLY, UNLIKE_DB = 0.6, 4.0
"""On generated kits bleed differs by 6 to 23 dB, softer hits of recorded drums by 0.1; tried on few kits."""
BANDS_HZ = ((30.0, 150.0), (150.0, 1500.0), (1500.0, 12_000.0))
TOP_DB = 60.0
BREATH_BEFORE_S, BREATH_S = 0.7, (0.12, 0.6)
BREATH_OVER_FLOOR_DB, BREATH_UNDER_DB, BREATH_CLEAR_DB = 8.0, 34.0, 6.0
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Separation:
    """own_db: peak of the weakest own ones, bleed_db: of the strongest others, dBFS. own, others: how many."""

    own_db: float
    bleed_db: float
    own: int
    others: int

    @property
    def db(self) -> float:
        return self.own_db - self.bleed_db

    @property
    def between_db(self) -> float:
        """Where a threshold has as much room above as below."""
        return 0.5 * (self.own_db + self.bleed_db)


def candidates(peaks: Array) -> NDArray[np.int64]:
    """Hops at which something is struck. peaks: highest sample of each 10 ms."""
    level = 20.0 * np.log10(np.maximum(peaks, FLOOR))
    padded = np.pad(level, (BACK_HOPS, APART_HOPS), constant_values=20.0 * np.log10(FLOOR))
    around = np.lib.stride_tricks.sliding_window_view(padded, BACK_HOPS + APART_HOPS + 1)[: len(level)]
    highest = level >= around.max(axis=1)
    rises = level - around[:, :BACK_HOPS].min(axis=1) >= RISE_DB
    return np.flatnonzero(highest & rises & (level > level.max(initial=-140.0) - TOP_DB))


def separation(peaks: Array, elsewhere_s: Sequence[float] = ()) -> Separation | None:
    """None where there are not at least four of both. elsewhere_s: hits of other sources: where those that coincide
    with them are softer than those that do not, they are bleed, however loud."""
    at = candidates(peaks)
    if len(at) < 2 * FEWEST:
        return None
    levels = 20.0 * np.log10(np.maximum(peaks[at], FLOOR))
    own = levels >= otsu(levels)
    alone = own & ~_coincide(at * HOP_S, elsewhere_s)
    together = own & ~alone
    if alone.sum() >= FEWEST and together.any() and (
        np.median(levels[alone]) > np.median(levels[together]) + SOFTER_DB
    ):  # fmt: skip
        own = alone
    if own.sum() < FEWEST or (~own).sum() < FEWEST:
        return None
    weakest = float(np.percentile(levels[own], WEAK_PERCENT))
    return Separation(weakest, float(np.percentile(levels[~own], STRONG_PERCENT)), int(own.sum()), int((~own).sum()))


def is_bleed(signal: Signal, found: Separation, elsewhere_s: Sequence[float]) -> bool:
    """Whether the others are another instrument, and no softer hits of its own."""
    peaks = signal.peaks
    at = candidates(peaks)
    own = peaks[at] >= 10.0 ** (found.between_db / 20.0)
    if own.all() or not own.any():
        return False
    together = float(np.mean(_coincide(at[~own] * HOP_S, elsewhere_s)))
    return together >= MOSTLY or unlike_db(signal, at, own) >= UNLIKE_DB


def unlike_db(signal: Signal, at: NDArray[np.int64], own: NDArray[np.bool_]) -> float:
    """By how much the spectra of two heaps of hits differ: in the one of three bands where they do most, dB."""
    shares = []
    for low_hz, high_hz in BANDS_HZ:
        high = min(high_hz, 0.45 * signal.sample_rate)
        sections = scipy.signal.butter(2, (low_hz, high), "bandpass", fs=signal.sample_rate, output="sos")
        power = signal_of(scipy.signal.sosfilt(sections, signal.samples, axis=0), signal.sample_rate).power
        summed = np.concatenate(([0.0], np.cumsum(power)))
        first, last = np.clip(at - 1, 0, len(power)), np.clip(at + 4, 0, len(power))
        shares.append(summed[last] - summed[first] + FLOOR**2)
    levels = 10.0 * np.log10(np.array(shares) / np.sum(shares, axis=0))
    return float(np.abs(np.median(levels[:, own], axis=1) - np.median(levels[:, ~own], axis=1)).max())


def _coincide(times_s: NDArray[np.floating], elsewhere_s: Sequence[float]) -> NDArray[np.bool_]:
    """Which times lie beside one of the others."""
    if not len(elsewhere_s):
        return np.zeros(len(times_s), dtype=bool)
    return np.asarray(np.abs(times_s[:, np.newaxis] - np.array(elsewhere_s)).min(axis=1) < TOGETHER_S)


def breaths(power: Array, found: Units) -> list[tuple[float, float, float]]:
    """(start, end, level dB) of breaths: within 0.7 s before a unit, over the floor and clearly under the words.

    power: mean squares of hops of 10 ms of the voice in 700 to 8000 Hz, where breaths are; found: its units by it.
    """
    if len(found) < FEWEST:
        return []
    level = 10.0 * np.log10(np.maximum(power, 1e-16))
    words = float(np.median(found.levels_db))
    opens = max(float(np.percentile(level, 5)) + BREATH_OVER_FLOOR_DB, words - BREATH_UNDER_DB)
    breathing = []
    ends = np.concatenate(([0.0], found.ends_s[:-1]))
    for start_s, before_s in zip(found.starts_s, ends, strict=True):
        first = round(max(start_s - BREATH_BEFORE_S, before_s + 0.03) / HOP_S)
        last = round((start_s - 0.02) / HOP_S)
        over = level[first:last] > opens
        edges = np.flatnonzero(np.diff(np.concatenate(([0], over.astype(np.int8), [0]))))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            loud = float(10.0 * np.log10(np.maximum(power[first + a : first + b].mean(), 1e-16)))
            if BREATH_S[0] <= (b - a) * HOP_S <= BREATH_S[1] and loud < words - BREATH_CLEAR_DB:
                breathing.append(((first + a) * HOP_S, (first + b) * HOP_S, loud))
    return breathing
