"""Duck figures: how kick and bass share the low band, hit by hit, and what a duck does to that.

Everything is read from the low-band power (30 to 160 Hz) of kick and bass *alone*, with the duck's gain
put on the bass: `E(t) = 10 log10((Ek + g² Eb) / max(Ek, Eb))`. Above 0 dB the two pile up, below it
there is a hole. The waveform's own sum tells nothing about that: kick and bass beat, and a dip of 2.7 dB
reads as 10 to 18. The maximum of E tells nothing either, it saturates at 3 dB; so the pile-up is the
ratio of energies while the kick sounds. Per hit from its onset to the next; figures are medians over
the hits, the last, incomplete one left out.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy
from all_even.measure.zero_phase import above, analytic_band

Array = NDArray[np.float64]

RATE = 1_000
"""Samples per second of powers and gains."""
WORKING_RATE = 4_000
BAND_HZ = (30.0, 160.0)
SMOOTH_S = 0.008
ACTIVE_DB = 25.0
"""Where the bass lies within this of its 95th percentile it counts as playing."""
GAP_DB = 3.0
REDUCED_DB = 0.5
"""A gain reduction over this counts as not recovered."""
DB_PER_NEPER = 10.0 / np.log(10.0)
"""Of a power."""
BEFORE_HIT_S = 0.006
"""The end of a hit: so long before the next, since shapes step back a moment before it."""
NORMAL_SHARE = 0.75
"""A hit whose next comes sooner than this share of the median distance is the first of a double."""
RIPPLE_SMOOTH_S, RIPPLE_SKIP_S, RIPPLE_FROM_DB = 0.025, 0.015, 1.0
RIPPLE_FLAG_DB, RIPPLE_CLEAN_DB = -22.0, -25.0
CLICK_HZ, CLICK_FROM_S, CLICK_TO_S = 1_000.0, -0.004, 0.012
CLICK_RINGS_S = 0.03
"""After which a filter at that frequency is silent to the last bit."""
CLICK_RE_TARGET_DB, CLICK_RE_KEY_DB = -40.0, -15.0
NOT_NEEDED = 0.5
"""Unducked cost under which kick and bass do not meet."""
KBR_DB = 10.0
"""Wanted level of the kick over the bass while it sounds: the depth knob. 4, 10, 16, 20 gave 7, 11, 17, 20 dB."""
RECOVERY_SHARE = 0.1
"""A duck should be back this share of the distance before the next hit."""
STEEPEST_DB_S = 60.0
SMOOTH_WEIGHT, SMOOTH_SHARE, FORGIVEN = 3.0, 0.5, 2.0
"""What a way back that fills half the distance to the next hit is worth to a fully smooth duck, and costs a fully tight
one; how much more or less they mind a hole."""
GAP_WEIGHT, GAP_MOST_DB = 0.3, 1.5
"""Of the deepest point of the hole, squared: the mean over a whole hit forgives a short deep hole. Counted up to
1.5 dB: where the depth knob asks for more, a hole is what was asked for."""


@dataclass(frozen=True, eq=False)
class Meeting:
    """A key (kick) and a target (bass), mono, and their low-band powers at 1 kHz.

    hits_s: of the key, rising; the last one has no next and is left out of all figures. first, last: frames at
    1 kHz of each hit; tail: frames to its T20.
    """

    key: Array
    target: Array
    sample_rate: int
    hits_s: tuple[float, ...]
    tail_ms: float
    key_power: Array
    target_power: Array
    active: NDArray[np.bool_]
    first: NDArray[np.int64]
    last: NDArray[np.int64]
    tail: NDArray[np.int64]

    @cached_property
    def key_treble(self) -> Array:
        """What of the key lies over 1 kHz, zero-phase, near its hits, (hits, frames)."""
        return self.treble(self.key)

    @cached_property
    def target_treble(self) -> Array:
        """The same of the target."""
        return self.treble(self.target)

    def treble(self, sound: Array) -> Array:
        """What of a sound lies over 1 kHz, zero-phase, from 4 ms before to 12 ms after each hit, (hits, frames)."""
        rings = round(CLICK_RINGS_S * self.sample_rate)
        return above(self.near(sound, rings), CLICK_HZ, self.sample_rate, CLICK_RINGS_S)[:, rings:-rings]

    def near(self, sound: Array, beyond: int = 0) -> Array:
        """A sound from 4 ms before to 12 ms after each hit, and so many frames beyond, (hits, frames); silent where
        there is none."""
        rate = self.sample_rate
        before, after = round(-CLICK_FROM_S * rate) + beyond, round(CLICK_TO_S * rate) + beyond
        starts = np.round(self.first * (rate / RATE)).astype(np.int64)
        padded = np.pad(sound, (before, after))
        return np.asarray(padded[starts[:, np.newaxis] + np.arange(before + after)])

    @cached_property
    def normal(self) -> NDArray[np.bool_]:
        """Hits of normal distance: not the first of a double."""
        distance = self.last - self.first
        return np.asarray(distance >= NORMAL_SHARE * np.median(distance))

    @cached_property
    def louder_db(self) -> Array:
        """Level of the louder of both, alone."""
        return np.asarray(10.0 * np.log10(np.maximum(self.key_power, self.target_power) + 1e-20))

    @cached_property
    def key_energy(self) -> Array:
        """Of each hit, from its onset to its T20."""
        summed = np.concatenate(([0.0], np.cumsum(self.key_power)))
        return np.asarray(summed[self.tail] - summed[self.first])

    @cached_property
    def counted(self) -> NDArray[np.int64]:
        """Frames that lie in a hit while the bass plays."""
        inside = np.zeros(len(self.key_power) + 1)
        np.add.at(inside, self.first, 1.0)
        np.add.at(inside, self.last, -1.0)
        return np.flatnonzero((np.cumsum(inside)[:-1] > 0.0) & self.active)


def meet(key: Array, target: Array, sample_rate: int, hits_s: Sequence[float], tail_ms: float) -> Meeting:
    """Prepares a pair. key, target: (frames,) mono of one length; hits_s: at least two."""
    key_low, target_low = low_band(key, sample_rate), low_band(target, sample_rate)
    key_power, target_power = smoothed_power(key_low), smoothed_power(target_low)
    loud = float(np.percentile(target_power, 95)) if len(target_power) else 0.0
    first = np.round(np.array(hits_s[:-1]) * RATE).astype(np.int64)
    last = np.round((np.array(hits_s[1:]) - BEFORE_HIT_S) * RATE).astype(np.int64)
    last = np.minimum(np.maximum(last, first + 1), len(key_power))
    usable = first < len(key_power) - 1
    first, last = first[usable], last[usable]
    tail = np.minimum(first + max(1, round(tail_ms * 0.001 * RATE)), last)
    active = target_power > loud * 10.0 ** (-ACTIVE_DB / 10.0)
    return Meeting(
        key, target, sample_rate, tuple(hits_s), tail_ms, key_power, target_power, active, first, last, tail,
    )  # fmt: skip


def low_band(x: Array, sample_rate: int) -> NDArray[np.complex128]:
    """Analytic signal of the band 30 to 160 Hz (zero-phase Butterworth, second order), 1000 times a second."""
    if sample_rate != WORKING_RATE:
        x = np.asarray(soxr.resample(x, sample_rate, WORKING_RATE, quality="HQ"))
    return analytic_band(x, BAND_HZ, WORKING_RATE, every=WORKING_RATE // RATE)


def smoothed_power(low: NDArray[np.complex128]) -> Array:
    """Half the squared magnitude, smoothed over 8 ms (Hann)."""
    return _smooth(0.5 * (low.real**2 + low.imag**2), round(SMOOTH_S * RATE))


def _smooth(x: Array, frames: int) -> Array:
    window = np.hanning(frames + 2)[1:-1]
    return np.convolve(x, window / window.sum(), mode="same")


@dataclass(frozen=True, slots=True)
class LowFigures:
    """What the low band says of a duck; dB, ms. cost: the fit's J. unrecovered: of hits of normal distance."""

    gap_db: float
    gap_ms: float
    kick_over_bass_db: float
    pile_up_db: float
    depth_db: float
    depth_spread_db: float
    recovery_margin_ms: float
    unrecovered_hits: int
    cost: float


def low_figures(
    meeting: Meeting,
    gain_db: Array,
    *,
    powers: tuple[Array, Array] | None = None,
    kbr_db: float = KBR_DB,
    smooth: float = 0.0,
) -> LowFigures:
    """gain_db: of the duck at 1 kHz, 0 or negative. powers: of the bass without and with the duck, where it does
    not take the whole band down alike; both behind the same crossover, whose delay is not the duck's doing. kbr_db,
    smooth: what the cost asks for: depth, and -1 (tight, up to a short pump) to 1 (soft, up to a long one)."""
    found = _followed(meeting, gain_db, powers)
    kbr = _median(found.kick_over_bass_db)
    return LowFigures(
        gap_db=_median(found.gap_db),
        gap_ms=_median(found.gap_ms),
        kick_over_bass_db=kbr,
        pile_up_db=float(10.0 * np.log10(1.0 + 10.0 ** (-kbr / 10.0))),
        depth_db=_median(found.depth_db),
        depth_spread_db=float(np.ptp(np.percentile(found.depth_db, (10, 90)))),
        recovery_margin_ms=_median(found.margin[meeting.normal]) * 1000.0 / RATE,
        unrecovered_hits=found.unrecovered_hits,
        cost=_cost(meeting, found, kbr_db, smooth),
    )


def cost(
    meeting: Meeting,
    gain_db: Array,
    *,
    powers: tuple[Array, Array] | None = None,
    kbr_db: float = KBR_DB,
    smooth: float = 0.0,
) -> tuple[float, int]:
    """The cost of a duck and its unrecovered hits, as in `low_figures`: all that a fit asks of each trial."""
    found = _followed(meeting, gain_db, powers)
    return _cost(meeting, found, kbr_db, smooth), found.unrecovered_hits


@dataclass(frozen=True, slots=True, eq=False)
class _Followed:
    """A duck hit by hit, (hits,); margin: frames between its end and the next hit; climb_db_s: how quickly it goes down
    again while the hit sounds; back: frames on its way between a tenth and nine tenths of its depth. over, under,
    reduction_db: mean squares of E on either side of 0, and the mean of the reduction."""

    gap_db: Array
    gap_ms: Array
    kick_over_bass_db: Array
    depth_db: Array
    margin: Array
    climb_db_s: Array
    back: Array
    unrecovered_hits: int
    over: float
    under: float
    reduction_db: float


def _followed(meeting: Meeting, gain_db: Array, powers: tuple[Array, Array] | None) -> _Followed:
    m, count = meeting, len(meeting.key_power)
    if not len(m.first):
        raise ValueError("a duck is judged between two hits at least")
    reduction = np.maximum(0.0, -_fitted(gain_db, count))
    if powers is None:
        ducked, louder_db = m.target_power * np.exp(reduction * (-np.log(10.0) / 10.0)), m.louder_db
    else:
        bass, ducked = _fitted(powers[0], count), _fitted(powers[1], count)
        louder_db = 10.0 * np.log10(np.maximum(m.key_power, bass) + 1e-20)
    skip = np.minimum(m.first + round(RIPPLE_SKIP_S * RATE), m.last)
    hits, sums = np.zeros((7, len(m.first))), np.zeros(2)
    _follow(m.key_power, ducked, louder_db, m.active, reduction, m.first, m.last, m.tail, skip, m.counted, hits, sums)
    gap, hollow, energy, depth, late, climbed, back = hits
    unrecovered = reduction[m.last - 1] > REDUCED_DB
    over, under = sums / max(1, len(m.counted))
    return _Followed(
        gap_db=gap,
        gap_ms=hollow * (1000.0 / RATE),
        kick_over_bass_db=10.0 * np.log10((m.key_energy + 1e-20) / (energy + 1e-20)),
        depth_db=depth,
        margin=np.maximum(0.0, m.last - np.maximum(late + 1.0, m.first)),
        climb_db_s=climbed / np.maximum(0.02, (m.last - skip) / RATE),
        back=back,
        unrecovered_hits=int(np.count_nonzero(unrecovered & m.normal)),
        over=float(over),
        under=float(under),
        reduction_db=float(np.mean(reduction)),
    )


def _cost(m: Meeting, found: _Followed, kbr_db: float, smooth: float) -> float:
    distance = (m.last - m.first).astype(np.float64)
    shortfall = max(0.0, kbr_db - _median(found.kick_over_bass_db))
    late_share = np.maximum(0.0, 1.0 - found.margin / np.maximum(1.0, RECOVERY_SHARE * distance))
    forgiven = FORGIVEN**-smooth
    total = (
        found.over
        + forgiven * found.under
        + 0.02 * shortfall**2
        + 4.0 * float(np.mean(late_share[m.normal]))
        + 2.0 * max(0.0, (float(np.mean(found.climb_db_s)) - STEEPEST_DB_S) / STEEPEST_DB_S)
        + 0.05 * found.reduction_db
        + forgiven * GAP_WEIGHT * min(GAP_MOST_DB, _median(found.gap_db)) ** 2
    )
    if smooth:
        back = _median(found.back / np.maximum(1.0, SMOOTH_SHARE * distance))
        total += SMOOTH_WEIGHT * abs(smooth) * (1.0 - min(1.0, back) if smooth > 0.0 else min(1.0, back))
    return total


def _median(x: Array) -> float:
    """Of a few numbers; NumPy's own takes its time about the case of many."""
    ordered = np.sort(x)
    return float(0.5 * (ordered[(len(x) - 1) // 2] + ordered[len(x) // 2]))


@kernel
def _follow(key, ducked, louder_db, active, reduction, first, last, tail, skip, counted, hits, sums):  # type: ignore[no-untyped-def]
    """hits: rows by hit: deepest hole, dB; frames of hole; energy of the bass up to the tail; depth, dB; last reduced
    frame; dB climbed; frames on the way back. sums: of the squares over and under 0."""
    excess = np.zeros(len(key))
    for t in range(len(key)):
        if active[t]:
            excess[t] = DB_PER_NEPER * np.log(key[t] + ducked[t] + 1e-20) - louder_db[t]
    for h in range(len(first)):
        hole, hollow, depth, late = 0.0, 0.0, 0.0, -1.0
        for t in range(first[h], last[h]):
            hole = max(hole, -excess[t])
            if excess[t] < -GAP_DB:
                hollow += 1.0
            depth = max(depth, reduction[t])
            if reduction[t] > REDUCED_DB:
                late = float(t)
        energy, climbed, back = 0.0, 0.0, 0.0
        for t in range(first[h], tail[h]):
            energy += ducked[t]
        for t in range(max(1, skip[h]), last[h]):
            climbed += max(0.0, reduction[t] - reduction[t - 1])
        for t in range(first[h], last[h]):
            if 0.1 * depth < reduction[t] < 0.9 * depth:
                back += 1.0
        hits[0, h], hits[1, h], hits[2, h], hits[3, h] = hole, hollow, energy, depth
        hits[4, h], hits[5, h], hits[6, h] = late, climbed, back
    for i in range(len(counted)):
        e = excess[counted[i]]
        if e > 0.0:
            sums[0] += e * e
        else:
            sums[1] += e * e


def _fitted(x: Array, count: int) -> Array:
    """The same length: nothing is known behind its end."""
    return x[:count] if len(x) >= count else np.pad(x, (0, count - len(x)))


def per_millisecond(gain_db: Array, sample_rate: int) -> Array:
    """Gain in dB at full rate, as the mean power gain of each millisecond."""
    edges = np.round(np.arange(int(len(gain_db) * RATE / sample_rate) + 1) * sample_rate / RATE).astype(int)
    power = np.concatenate(([0.0], np.cumsum(np.exp(gain_db / DB_PER_NEPER))))
    means = np.diff(power[edges]) / np.maximum(1, np.diff(edges))
    return np.asarray(10.0 * np.log10(np.maximum(means, 1e-12)))


@dataclass(frozen=True, slots=True)
class SoundFigures:
    """What full-rate sound says of a duck, dB. None where there is nothing to say it of.

    ripple_db: what gain movement at the rate of the wave adds to the bass; click_db: treble that the step makes,
    re the bass, and re the kick's own treble; sum_peak_db: peak of the sum over that of the kick alone.
    """

    ripple_db: float | None
    click_db: float | None
    click_re_key_db: float | None
    sum_peak_db: float

    @property
    def ripples(self) -> bool:
        return self.ripple_db is not None and self.ripple_db > RIPPLE_FLAG_DB

    @property
    def clicks(self) -> bool:
        """Audible where it stands out of the bass *and* the kick's own click does not cover it."""
        return (
            self.click_db is not None
            and self.click_db > CLICK_RE_TARGET_DB
            and (self.click_re_key_db is None or self.click_re_key_db > CLICK_RE_KEY_DB)
        )


def sound_figures(meeting: Meeting, ducked: Array, gain_db: Array) -> SoundFigures:
    """ducked: the bass after the duck; gain_db: what the duck applied, both (frames,) at full rate."""
    m, rate = meeting, meeting.sample_rate
    count = min(len(ducked), len(m.target), len(gain_db))
    bass, gain = m.target[:count], np.exp(gain_db[:count] * (0.5 / DB_PER_NEPER))
    ripple = ripple_db(bass, gain_db[:count], rate, m.hits_s)
    clicks, re_key, peaks = [], [], []
    stepped = m.treble(gain * bass) - m.near(gain) * m.target_treble
    energies, key_energies = (np.sum(treble**2, axis=1) for treble in (stepped, m.key_treble))
    for first, last, energy, own_treble in zip(m.first, m.last, energies, key_energies, strict=True):
        start, stop = round(first * rate / RATE), min(count, round(last * rate / RATE))
        near = slice(max(0, start + round(CLICK_FROM_S * rate)), min(count, start + round(CLICK_TO_S * rate)))
        if near.stop - near.start < 8 or stop <= start:
            continue
        own = float(np.mean(bass[near] ** 2)) * 0.001 * rate
        if own > 0.0:
            clicks.append(10.0 * np.log10(max(float(energy), 1e-20) / own))
        if own_treble > 1e-12:
            re_key.append(10.0 * np.log10(max(float(energy), 1e-20) / own_treble))
        alone = float(np.abs(m.key[start:stop]).max())
        if alone > 0.0:
            peaks.append(20.0 * np.log10(float(np.abs(m.key[start:stop] + ducked[start:stop]).max()) / alone))
    return SoundFigures(
        ripple,
        float(np.median(clicks)) if clicks else None,
        float(np.median(re_key)) if re_key else None,
        float(np.median(peaks)) if peaks else 0.0,
    )


def ripple_db(sound: Array, gain_db: Array, rate: int, hits_s: Sequence[float] = ()) -> float | None:
    """How much a gain that moves with the wave adds to a sound, re the sound, dB; None where it never moves.

    sound, gain_db: (frames,) at one rate; counted where the gain is under -1 dB, without the first 15 ms of hits.
    """
    gain = np.exp(gain_db * (0.5 / DB_PER_NEPER))
    smooth = _smooth_box(gain, round(RIPPLE_SMOOTH_S * rate))
    reduced = gain_db < -RIPPLE_FROM_DB
    for hit in hits_s:
        at = round(hit * rate)
        reduced[max(0, at - round(BEFORE_HIT_S * rate)) : at + round(RIPPLE_SKIP_S * rate)] = False
    right = float(np.sum((smooth * sound)[reduced] ** 2))
    if right <= 0.0:
        return None
    return float(10.0 * np.log10(max(float(np.sum(((gain - smooth) * sound)[reduced] ** 2)), 1e-20) / right))


def _smooth_box(x: Array, frames: int) -> Array:
    """A Hann window's smoothing at full rate, by Fourier transform."""
    window = np.hanning(frames + 2)[1:-1]
    edges = frames // 2
    padded = np.pad(x, (edges, frames - 1 - edges), mode="edge")
    return np.asarray(scipy.signal.oaconvolve(padded, window / window.sum(), mode="valid"))
