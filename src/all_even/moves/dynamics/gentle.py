"""The gentle compressor that fits a sum: threshold by what it takes in loud passages, attack by the hits, release by
the beat. Searched on the loudest 12 s, promised on the whole."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics import compressor_gain
from all_even.dsp.dynamics.compressor import Compressor
from all_even.late import scipy
from all_even.measure.dynamics import punch, side_effects
from all_even.measure.dynamics.movement import Movement, Part, part_of, pump_db
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.dynamics.trying import behind, solved, through, try_out

Array = NDArray[np.float64]
ATTACKS_MS = (10.0, 15.0, 20.0, 30.0)
"""Common practice: 10 to 30 ms; faster ones take the treble of the first milliseconds, which peaks do not show."""
BY_BEAT = "by the beat"
RELEASES_MS = (60.0, 100.0, 150.0, 200.0, 300.0, 400.0, 600.0, 800.0)
WITHIN_PEAK_DB, WITHIN_GAIN_DB = 0.3, 0.05
PUNCH_RATIO, PUNCH_DB, HIT_HOPS = 4.0, 3.0, 15
USUAL_RELEASE_MS, SLOW_MS = 150.0, 800.0
KEY_HZ, BASS_UNDER_HZ, LITTLE_BASS_DB = 100.0, 100.0, -18.0
"""Common practice: the detector high-passed at 60 to 150 Hz, opened again where there is little bass."""
STRETCH_S = 12.0
NEAR_DB, MOST_SECANTS = 4.0, 5
WORTH_DB = 0.5
"""Loud and soft moments closer by less than this, and nothing is gained. Our own rule."""
FEWEST_HITS = 8


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    station: Compressor
    movement: Movement

    @property
    def gains(self) -> bool:
        """Whether loud and soft moments come closer together."""
        now = self.movement
        if now.moments_before_db is None or now.moments_now_db is None:
            return False
        return now.moments_before_db - now.moments_now_db >= WORTH_DB


@dataclass(frozen=True, slots=True)
class Opened:
    """A compressor whose detector hears all: how it pumps, and the peaks of its hits at equal loudness."""

    pump_db: float | None
    hits_db: float | None


def stretch(found: Part) -> Part:
    """The loudest 12 s."""
    rate, length = found.signal.sample_rate, round(STRETCH_S * 100)
    power = found.signal.power
    if len(power) <= length:
        return found
    summed = np.cumsum(np.concatenate(([0.0], power)))
    start_s = float(np.argmax(summed[length:] - summed[:-length])) * 0.01
    start = round(start_s * rate)
    signal = signal_of(found.signal.samples[start : start + round(STRETCH_S * rate)], rate)
    hits = [hit - start_s for hit in found.hits_s if 0.0 <= hit - start_s < STRETCH_S]
    return part_of(signal, hits, is_sum=found.is_sum)


def gains_of(found: Part, station: Compressor) -> Array:
    """Means of 10 ms of the gain that a station applies, dB."""
    rate = found.signal.sample_rate
    if not compressor_gain.is_simple(station):
        return side_effects.gain_hops(behind(found.signal.samples, rate, [station])[1], rate)
    key = station.key_high_pass_hz, station.key_low_pass_hz
    powers = _POWERS.setdefault(found, {})
    power = powers.get(key)
    if power is None:
        power = powers[key] = compressor_gain.detector_power(found.signal.samples, rate, station)
    return compressor_gain.gain_db(power, rate, station, side_effects.frames_per_hop(rate))


_POWERS: "WeakKeyDictionary[Part, dict[tuple[float, float], Array]]" = WeakKeyDictionary()
"""What a detector hears of a part, by its filters: while the part is there."""


def in_loud_passages_db(found: Part, gains: Array) -> float:
    """Reduction that a tenth of the playing time passes, dB and positive."""
    playing = found.playing[: len(gains)]
    return -float(np.percentile(gains[: len(playing)][playing], 10)) if playing.any() else 0.0


def on_hits_db(found: Part, gains: Array) -> float:
    """Mean reduction over the first 150 ms of the hits, dB and positive."""
    parts = [gains[round(hit * 100) : round(hit * 100) + HIT_HOPS] for hit in found.hits_s]
    return -float(np.mean(np.concatenate(parts))) if parts else 0.0


def at_gain(
    found: Part,
    station: Compressor,
    takes_db: float,
    figure: Callable[[Part, Array], float] = in_loud_passages_db,
    *,
    near: bool = False,
) -> Compressor:
    """The station with the threshold at which it takes so much. near: it is about there already."""
    middle = station.threshold_db
    high, low = (middle + NEAR_DB, middle - NEAR_DB) if near else (12.0, -70.0)
    high = min(12.0, high)

    def taken(minus_threshold_db: float) -> float:
        return figure(found, gains_of(found, replace(station, threshold_db=-minus_threshold_db)))

    if near:
        close = _from_near(taken, -middle, takes_db, 1.0 - 1.0 / station.ratio, (-high, -low))
        if close is not None:
            return replace(station, threshold_db=round(-close, 1))
    found_at = solved(taken, takes_db, -high, -low, within=WITHIN_GAIN_DB)
    if found_at is None or (near and found_at in (-high, -low)):
        return at_gain(found, station, takes_db, figure) if near else replace(station, threshold_db=high)
    return replace(station, threshold_db=round(-found_at, 1))


def _from_near(
    figure: Callable[[float], float], place: float, aim: float, slope: float, within: tuple[float, float]
) -> float | None:
    """As `trying.solved`, from a place that is about right and a slope that is: by secants, two or three looks instead
    of six, inside of where it may be. None where that leads nowhere."""
    before: tuple[float, float] | None = None
    for _ in range(MOST_SECANTS):
        place = min(max(place, within[0]), within[1])
        off = figure(place) - aim
        if -WITHIN_GAIN_DB <= off <= 0.0:
            return place
        if before is not None and abs(place - before[0]) > 1e-6 and (off - before[1]) / (place - before[0]) > 0.0:
            slope = (off - before[1]) / (place - before[0])
        before = (place, off)
        place -= (off + 0.5 * WITHIN_GAIN_DB) / slope
    return None


def attack_ms(found: Part, station: Compressor) -> float:
    """The smallest attack whose hits stand as far out as those of the slowest, tried with 4:1 and 3 dB on the hits."""
    if len(found.hits_s) < FEWEST_HITS:
        return ATTACKS_MS[-1]
    peaks: dict[float, float] = {}
    tried = replace(station, ratio=PUNCH_RATIO)
    for one in ATTACKS_MS:
        tried = at_gain(found, replace(tried, attack_ms=one), PUNCH_DB, on_hits_db, near=bool(peaks))
        peaks[one] = hit_peaks_db(found, tried)
    return next(one for one in ATTACKS_MS if peaks[one] >= peaks[ATTACKS_MS[-1]] - WITHIN_PEAK_DB)


def hit_peaks_db(found: Part, station: Compressor) -> float:
    """Median peak of the hits at equal loudness, dB."""
    now, _ = through(found.signal, [station])
    louder = (now.lufs or 0.0) - (found.signal.lufs or 0.0)
    return punch.hit_peaks_db(now.louder_side, now.sample_rate, found.hits_s) - louder


def with_release(found: Part, station: Compressor, takes_db: float, school: str) -> Compressor:
    """The station with the release of a school."""
    if school == "slow":
        return at_gain(found, replace(station, release_ms=SLOW_MS), takes_db)
    if school == "by programme" or len(found.hits_s) < FEWEST_HITS:
        return at_gain(found, replace(station, programme_release=True), takes_db)
    calm: list[tuple[Compressor, float]] = []
    tried = at_gain(found, replace(station, release_ms=RELEASES_MS[0]), takes_db)
    for index, ms in enumerate(RELEASES_MS):
        if index:
            tried = at_gain(found, replace(tried, release_ms=ms), takes_db, near=True)
        gains = gains_of(found, tried)
        pump = side_effects.pump_db(gains, side_effects.between(found.hits_s)) or 0.0
        left = side_effects.left_db(gains, found.hits_s) or 0.0
        if pump <= side_effects.PUMP_FLAG_DB:
            calm.append((tried, left))
            if school == "fastest" or left >= side_effects.LEFT_FLAG_DB:
                break
    back = [one for one, left in calm if left < side_effects.LEFT_FLAG_DB]
    return back[-1] if back else calm[0][0] if calm else tried


def _back_in_time(found: Part, station: Compressor, takes_db: float) -> Compressor:
    """The next shorter releases, until the whole of a part, too, is back before the next hit, without pumping."""
    for ms in [ms for ms in reversed(RELEASES_MS) if ms < station.release_ms]:
        gains = gains_of(found, station)
        if (side_effects.left_db(gains, found.hits_s) or 0.0) < side_effects.LEFT_FLAG_DB:
            break
        shorter = at_gain(found, replace(station, release_ms=ms), takes_db, near=True)
        pump = side_effects.pump_db(gains_of(found, shorter), side_effects.between(found.hits_s)) or 0.0
        if pump > side_effects.PUMP_FLAG_DB:
            break
        station = shorter
    return station


def low_share_db(found: Part) -> float:
    """What lies under 100 Hz against the whole, dB."""
    rate = found.signal.sample_rate
    sections = scipy.signal.butter(4, BASS_UNDER_HZ, "lowpass", fs=rate, output="sos")
    low = scipy.signal.sosfilt(sections, found.signal.louder_side)
    whole = float(np.mean(found.signal.louder_side**2))
    return 10.0 * math.log10(max(float(np.mean(low**2)), 1e-20) / max(whole, 1e-20))


def fitted(found: Part, takes_db: float, *, ratio: float, release: str) -> Fit:
    """A gentle compressor for a sum, by the rules above; promised on the whole of it."""
    short = stretch(found)
    key_hz = KEY_HZ if low_share_db(short) > LITTLE_BASS_DB else 0.0
    plain = Compressor(ratio=ratio, knee_db=6.0, release_ms=USUAL_RELEASE_MS, key_high_pass_hz=key_hz)
    timed = replace(plain, attack_ms=attack_ms(short, plain))
    chosen = with_release(short, timed, takes_db, release)
    final = at_gain(found, chosen, takes_db, near=True)
    if release == BY_BEAT and not chosen.programme_release:
        final = _back_in_time(found, final, takes_db)
    tried = try_out(found, [final])
    matched = replace(final, matched_db=round(tried.movement.side.louder_lu or 0.0, 1))
    return Fit(matched, tried.movement)


def without_key(found: Part, fit: Fit, takes_db: float) -> Opened | None:
    """What the same would do without the detector's high-pass, where it has one."""
    if not fit.station.key_high_pass_hz:
        return None
    station = at_gain(found, replace(fit.station, key_high_pass_hz=0.0, matched_db=0.0), takes_db, near=True)
    hits = hit_peaks_db(found, station) if len(found.hits_s) >= punch.FEWEST else None
    return Opened(pump_db(found, gains_of(found, station)), hits)
