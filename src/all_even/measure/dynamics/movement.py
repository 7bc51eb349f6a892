"""What a dynamics station did to a part: its units before and behind, punch, crest, and all that comes along.

Units are found once, in the sound before; behind they are read at the same places. Punch (`punch`) is of struck parts
only; of a mix the peaks of its hits at equal loudness are read instead. Crest is peak less RMS over the hops that play
before.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.measure.dynamics import punch, side_effects, units
from all_even.measure.dynamics.side_effects import SideEffects
from all_even.measure.dynamics.signal import Signal
from all_even.measure.dynamics.units import Units
from all_even.measure.level import loudness
from all_even.measure.level.levels import playing_hops
from all_even.measure.sharing.duck import ripple_db

LOUD_PERCENT = 90
FEWEST_MOMENTS = 10
COARSE = 8
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Part:
    """A sound to be worked on, as it is before. hits_s: of a struck part, or of the kick where the part is a sum;
    is_sum: a bus or the mix."""

    signal: Signal
    units: Units
    hits_s: tuple[float, ...]
    is_sum: bool
    punch_db: float | None
    crest_db: float

    @property
    def playing(self) -> NDArray[np.bool_]:
        """Which hops of 10 ms count."""
        return playing_hops(self.signal.power)


@dataclass(frozen=True, slots=True, eq=False)
class Movement:
    """units: with their levels before; now_db: their levels behind, dB RMS. gain_db: of the stations together, means
    of 10 ms; loud_gain_db: what they pass for a tenth of the playing time. Punch of a sum: peak of its hits, at equal
    loudness. moments: how far loud and soft ones (0.4 s) lie apart, P90 - P10; momentary: their loudness every 100 ms,
    LUFS, before and now."""

    units: Units
    now_db: Array
    gain_db: Array
    hits_s: tuple[float, ...]
    punch_before_db: float | None
    punch_now_db: float | None
    crest_before_db: float
    crest_now_db: float
    peak_now_dbfs: float
    side: SideEffects
    loud_gain_db: float = 0.0
    moments_before_db: float | None = None
    moments_now_db: float | None = None
    momentary: tuple[Array, Array] = (np.zeros(0), np.zeros(0))
    is_sum: bool = False

    @property
    def spread_before_db(self) -> float | None:
        return self.units.spread_db

    @property
    def spread_now_db(self) -> float | None:
        return units.spread_db(self.now_db)

    @property
    def moved(self) -> bool:
        """Whether anything works here."""
        return bool(np.any(self.gain_db))


def part_of(signal: Signal, hits_s: Sequence[float], *, is_sum: bool = False) -> Part:
    """A sound with its units, punch and crest."""
    power = signal.power
    playing = playing_hops(power)
    found = None if is_sum or not hits_s else punch.punch_db(signal.louder_side, signal.sample_rate, hits_s)
    crest = signal.peak_dbfs - signal.rms_dbfs(playing)
    struck = bool(hits_s) and not is_sum
    parts = units.hits_as_units(power, hits_s) if struck else units.find_units(power)
    return Part(signal, parts, tuple(hits_s), is_sum, found, crest)


def unmoved(part: Part) -> Movement:
    """A part that nothing works on."""
    same, apart = _momentary(part.signal), moments_db(part.signal, part.signal)
    return Movement(
        part.units, part.units.levels_db, np.zeros(0), part.hits_s, part.punch_db, part.punch_db, part.crest_db,
        part.crest_db, part.signal.peak_dbfs, SideEffects(), 0.0, apart, apart, (same, same), part.is_sum,
    )  # fmt: skip


def movement(part: Part, now: Signal, gain_db: Array, *, matched_lu: float = 0.0) -> Movement:
    """now: the same sound behind. gain_db: (frames,) what was applied on the way, dB. matched_lu: see `SideEffects`."""
    rate, before = part.signal.sample_rate, part.signal
    gains = side_effects.gain_hops(gain_db, rate)
    levels = part.units.levels_in(now.power)
    louder = now.lufs - before.lufs if now.lufs is not None and before.lufs is not None else None
    if part.is_sum:
        punch_before, punch_now = _hit_peaks(part, now, louder)
    else:
        punch_before = part.punch_db
        punch_now = punch.punch_db(now.louder_side, rate, part.hits_s) if punch_before is not None else None
    playing = part.playing
    crest = now.peak_dbfs - now.rms_dbfs(playing)
    mono = before.louder_side
    side = SideEffects(
        pump_db=pump_db(part, gains),
        left_db=side_effects.left_db(gains, part.hits_s),
        attack_change_db=None if punch_now is None or punch_before is None else punch_now - punch_before,
        treble_change_db=_treble_change_db(part, now, louder),
        noise_rise_db=side_effects.noise_rise_db(before.power, now.power),
        ripple_db=_ripple_db(mono, gain_db, rate, part.hits_s),
        contour=side_effects.contour(part.units, levels),
        louder_lu=louder,
        matched_lu=matched_lu,
    )
    count = min(len(playing), len(gains))
    loud = gains[:count][playing[:count]]
    return Movement(
        part.units, levels, gains, part.hits_s, punch_before, punch_now, part.crest_db, crest, now.peak_dbfs, side,
        float(np.percentile(loud, 100 - LOUD_PERCENT)) if len(loud) else 0.0,
        moments_db(before, before), moments_db(now, before), (_momentary(before), _momentary(now)), part.is_sum,
    )  # fmt: skip


def pump_db(part: Part, gains_db: Array) -> float | None:
    """By how much a gain, means of 10 ms, swings where that is heard; None where it is not."""
    spans = side_effects.between(part.hits_s) if part.is_sum else ()
    if not part.hits_s:
        spans = side_effects.held(part.units, part.signal.power)
    return side_effects.pump_db(gains_db, spans)


def _momentary(signal: Signal) -> Array:
    return loudness.momentary_lufs(signal.hops.weighted)


def moments_db(signal: Signal, where: Signal) -> float | None:
    """P90 - P10 of the loudness of 0.4 s, at the moments that count in another version; None where they are few."""
    active = loudness.active_steps(where.hops.weighted)
    momentary = loudness.momentary_lufs(signal.hops.weighted)
    count = min(len(active), len(momentary))
    counted = momentary[:count][active[:count]]
    counted = counted[np.isfinite(counted)]
    return float(np.ptp(np.percentile(counted, (10, 90)))) if len(counted) >= FEWEST_MOMENTS else None


def _ripple_db(sound: Array, gain_db: Array, rate: int, hits_s: Sequence[float]) -> float | None:
    """Ripple at an eighth of the rate: a gain moves with low notes, not with treble."""
    count = min(len(sound), len(gain_db)) // COARSE
    level, gains = np.empty(count), np.empty(count)
    _coarse(sound, gain_db, level, gains)
    return ripple_db(level, gains, rate // COARSE, hits_s)


@kernel
def _coarse(sound, gain_db, level, gains):  # type: ignore[no-untyped-def]
    """Root mean square of a sound and mean of a gain over each `COARSE` frames."""
    for k in range(len(level)):
        power, gain = 0.0, 0.0
        for i in range(COARSE * k, COARSE * (k + 1)):
            power += sound[i] * sound[i]
            gain += gain_db[i]
        level[k], gains[k] = np.sqrt(power / COARSE), gain / COARSE


def _treble_change_db(part: Part, now: Signal, louder: float | None) -> float | None:
    """By how much the treble of the hits changed, at equal loudness."""
    before = punch.treble_db(part.signal.louder_side, now.sample_rate, part.hits_s)
    after = punch.treble_db(now.louder_side, now.sample_rate, part.hits_s)
    return None if before is None or after is None or louder is None else after - before - louder


def _hit_peaks(part: Part, now: Signal, louder: float | None) -> tuple[float | None, float | None]:
    """Median peak of the hits in a sum before and behind, at equal loudness."""
    if len(part.hits_s) < punch.FEWEST or louder is None:
        return None, None
    rate = now.sample_rate
    before = punch.hit_peaks_db(part.signal.louder_side, rate, part.hits_s)
    return before, punch.hit_peaks_db(now.louder_side, rate, part.hits_s) - louder
