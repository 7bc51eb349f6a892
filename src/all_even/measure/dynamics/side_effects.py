"""What a dynamics station does besides: pumping, lost attacks, noise, a gain that shakes, a flattened contour.

- pump: of a sum the median swing of the gain (means of 10 ms) from one hit to the next; of a line inside notes that are
  held at a steady level; what is struck has none. Over 1.5 dB a sustained part that sounds beside the hits is heard to
  breathe.
- left: gain that is still away just before the next hit.
- attack: change of the punch figure (`punch`).
- treble: change of what the hits have over 3 kHz, at equal loudness (`punch.treble_db`): a fast attack takes it, and
  so does a long release.
- noise rise: how much the quietest tenth of what sounds comes up against its loud half.
- ripple: as with the duck (`measure.sharing.duck.ripple_db`): what the gain adds by moving with the wave.
- contour: slope of the levels of phrases behind against before; 1 keeps the player's dynamics, 0 erases them.
- louder: by how much the loudness changed; unless a bypass is turned by as much, a comparison is not fair.

The limits were found on generated and recorded lines; nobody has listened yet.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from all_even.measure.dynamics.units import HOP_S, Units

PUMP_FLAG_DB, CONTOUR_FLAG, RIPPLE_FLAG_DB, LEFT_FLAG_DB = 1.5, 0.6, -25.0, 0.5
ATTACK_FLAG_DB, TREBLE_FLAG_DB, NOISE_FLAG_DB, LOUDER_FLAG_LU = 1.0, 1.0, 3.0, 0.2
QUIET_PERCENT = 10
SOUNDING_DBFS = -70.0
PHRASE_GAP_S, APART_DB, DIFFER_DB = 0.3, 1.0, 3.0
HELD_S, HELD_FROM_S, STEADY_DB = 0.4, 0.1, 3.0
"""A note of this length, whose level moves by no more, is held; its beginning is left out, there a gain may move."""
Array = NDArray[np.float64]
Spans = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class SideEffects:
    """None where there is nothing to read it from, or nothing moves."""

    pump_db: float | None = None
    left_db: float | None = None
    attack_change_db: float | None = None
    treble_change_db: float | None = None
    noise_rise_db: float | None = None
    ripple_db: float | None = None
    contour: float | None = None
    louder_lu: float | None = None
    matched_lu: float = 0.0
    """By how much a bypass is turned up or down, so that both sides of it are equally loud."""

    @property
    def pumps(self) -> bool:
        return self.pump_db is not None and self.pump_db > PUMP_FLAG_DB

    @property
    def dulls(self) -> bool:
        return self.attack_change_db is not None and self.attack_change_db < -ATTACK_FLAG_DB

    @property
    def darkens(self) -> bool:
        return self.treble_change_db is not None and self.treble_change_db < -TREBLE_FLAG_DB

    @property
    def lifts_noise(self) -> bool:
        return self.noise_rise_db is not None and self.noise_rise_db > NOISE_FLAG_DB

    @property
    def shakes(self) -> bool:
        return self.ripple_db is not None and self.ripple_db > RIPPLE_FLAG_DB

    @property
    def flattens(self) -> bool:
        return self.contour is not None and self.contour < CONTOUR_FLAG

    @property
    def unmatched(self) -> bool:
        return self.louder_lu is not None and abs(self.louder_lu - self.matched_lu) > LOUDER_FLAG_LU


def frames_per_hop(sample_rate: int) -> int:
    """Of 10 ms."""
    return max(1, round(HOP_S * sample_rate))


def gain_hops(gain_db: Array, sample_rate: int) -> Array:
    """Means of 10 ms of a gain per frame, dB."""
    per_hop = frames_per_hop(sample_rate)
    count = len(gain_db) // per_hop
    return np.asarray(gain_db[: count * per_hop].reshape(count, per_hop).mean(axis=1))


def between(hits_s: Sequence[float]) -> Spans:
    """From each hit to the next."""
    return list(pairwise(hits_s))


def held(found: Units, power: Array) -> Spans:
    """The held part of each long note that is steady. power: mean squares of hops of 10 ms."""
    spans = []
    for start_s, end_s in zip(found.starts_s + HELD_FROM_S, found.ends_s - HELD_FROM_S / 2.0, strict=True):
        part = power[round(start_s / HOP_S) : round(end_s / HOP_S)]
        if end_s - start_s >= HELD_S - HELD_FROM_S and part.any():
            low, high = np.percentile(part, (10, 90))
            if high <= max(low, 1e-20) * 10.0 ** (STEADY_DB / 10.0):
                spans.append((float(start_s), float(end_s)))
    return spans


def pump_db(gain_hops_db: Array, spans: Spans) -> float | None:
    """gain_hops_db: means of 10 ms. None without a span."""
    swings = []
    for start_s, end_s in spans:
        start = round(start_s / HOP_S)
        part = gain_hops_db[start : max(start + 1, round(end_s / HOP_S))]
        if len(part):
            swings.append(float(np.ptp(part)))
    return float(np.median(swings)) if swings else None


def left_db(gain_hops_db: Array, hits_s: Sequence[float]) -> float | None:
    """Median gain reduction, dB and positive, in the hop before each next hit."""
    places = [round(hit / HOP_S) - 1 for hit in hits_s[1:]]
    values = [-float(gain_hops_db[place]) for place in places if 0 <= place < len(gain_hops_db)]
    return float(np.median(values)) if values else None


def noise_rise_db(before: Array, after: Array) -> float | None:
    """Both: mean squares of the same hops of 10 ms."""
    count = min(len(before), len(after))
    before, after = before[:count], after[:count]
    sounding = before > 10.0 ** (SOUNDING_DBFS / 10.0)
    if np.count_nonzero(sounding) < QUIET_PERCENT:
        return None
    low, middle = np.percentile(before[sounding], (QUIET_PERCENT, 50))
    quiet, loud = sounding & (before <= low), before > middle
    if not after[quiet].any() or not after[loud].any():
        return None
    rise = 10.0 * np.log10(after[quiet].mean() / before[quiet].mean())
    return float(rise - 10.0 * np.log10(after[loud].mean() / before[loud].mean()))


def contour(found: Units, now_db: Array) -> float | None:
    """Slope over the levels of phrases; None where there are few, or they hardly differ."""
    parts = phrases(found.starts_s, found.ends_s)
    before = np.array([found.levels_db[start:stop].mean() for start, stop in parts])
    after = np.array([now_db[start:stop].mean() for start, stop in parts])
    return slope(before, after)


def slope(before_db: Array, after_db: Array) -> float | None:
    """Of levels behind against before; None with fewer than three, or where all but a few are under 3 dB apart.

    The median slope of all pairs that lie apart (Sen 1968): by least squares one note that is held where it stuck out
    would count as if all dynamics were gone.
    """
    if len(before_db) < 3 or np.ptp(np.percentile(before_db, (10, 90))) < DIFFER_DB:
        return None
    first, second = np.triu_indices(len(before_db), 1)
    apart, then = before_db[second] - before_db[first], after_db[second] - after_db[first]
    told = np.abs(apart) >= APART_DB
    return float(np.median(then[told] / apart[told]))


def phrases(starts_s: Array, ends_s: Array) -> list[tuple[int, int]]:
    """Units that follow each other within 0.3 s, as (first, behind the last)."""
    if not len(starts_s):
        return []
    cuts = np.flatnonzero(starts_s[1:] - ends_s[:-1] > PHRASE_GAP_S) + 1
    edges = [0, *cuts.tolist(), len(starts_s)]
    return list(pairwise(edges))
