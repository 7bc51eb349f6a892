"""Glue: gentle compression of the mix or a group, one or two dB, so little that the display is almost still.

- Ratio 2:1 on the mix, 3:1 on a group of drums, or of drums and bass.
- Attack by the punch rule: opened from 10 ms on until the peaks of the hits, at equal loudness, stand within 0.3 dB
  of what 30 ms leave. Past that nothing changes.
- Release by the beat: the longest that leaves under 0.5 dB just before the next hit and does not pump; schools: as fast
  as can be without pumping, by programme, slow for classical music.
- The detector is high-passed so that the bass does not drive it, and opened again where there is little bass; what
  that changes is said.
- No make-up; what it does to each member is measured. Where loud and soft moments come no closer together, and the
  hits no further out, nothing is gained, and that is said instead.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics import compressor_gain
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor
from all_even.figures.book import flow as flows
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import PART, is_dynamic, moving, part, working
from all_even.late import scipy
from all_even.measure.dynamics import punch, side_effects
from all_even.measure.dynamics.movement import Movement, Part, part_of
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.figures import DEPENDS_ON, MEASURED_ON, movement_of
from all_even.moves.dynamics.trying import behind, solved, through, try_out
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
TAKES = Parameter("Takes in loud passages", "dB", 0.5, 4.0, 1.5, 0.25, decimals=2)
ATTACKS_MS = (10.0, 15.0, 20.0, 30.0)
"""Common practice: 10 to 30 ms; faster ones take the treble of the first milliseconds, which peaks do not show."""
BY_BEAT = "by the beat"
RELEASES_MS = (60.0, 100.0, 150.0, 200.0, 300.0, 400.0, 600.0, 800.0)
LESS = (1.0, 0.7, 0.5)
"""How much is taken, one after the other, where the first would be warned of."""
LEFT_FOR_PEAKS_DB = 0.3
"""So much less than what is warned of may the mix pump: whatever holds its peaks afterwards pumps too. Without it five
of seventeen mixes had their peaks left as they were, for a glue that had used up all that may be heard."""
WITHIN_PEAK_DB, WITHIN_GAIN_DB = 0.3, 0.05
PUNCH_RATIO, PUNCH_DB, HIT_HOPS = 4.0, 3.0, 15
USUAL_RELEASE_MS, SLOW_MS = 150.0, 800.0
MIX_RATIO, GROUP_RATIO = 2.0, 3.0
KEY_HZ, BASS_UNDER_HZ, LITTLE_BASS_DB = 100.0, 100.0, -18.0
"""Common practice: the detector high-passed at 60 to 150 Hz, opened again where there is little bass."""
STRETCH_S = 12.0
NEAR_DB = 4.0
WORTH_DB = 0.5
"""Loud and soft moments closer by less than this, and nothing is gained. Our own rule."""
FEWEST_HITS = 8


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """opened: the same without the detector's high-pass, where it has one."""

    station: Compressor
    movement: Movement
    opened: Movement | None

    @property
    def gains(self) -> bool:
        """Whether loud and soft moments come closer together."""
        now = self.movement
        if now.moments_before_db is None or now.moments_now_db is None:
            return False
        return now.moments_before_db - now.moments_now_db >= WORTH_DB


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
    return side_effects.gain_hops(compressor_gain.gain_db(power, rate, station), rate)


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

    found_at = solved(taken, takes_db, -high, -low, within=WITHIN_GAIN_DB)
    if found_at is None or (near and found_at in (-high, -low)):
        return at_gain(found, station, takes_db, figure) if near else replace(station, threshold_db=high)
    return replace(station, threshold_db=round(-found_at, 1))


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
    opened = None
    if key_hz:
        open_station = at_gain(found, replace(final, key_high_pass_hz=0.0), takes_db, near=True)
        opened = try_out(found, [open_station]).movement
    tried = try_out(found, [final])
    matched = replace(final, matched_db=round(tried.movement.side.louder_lu or 0.0, 1))
    return Fit(matched, tried.movement, opened)


def shifts(look: Look, trial: Session, strip_id: str) -> list[tuple[str, float]]:
    """Members of a sum with what its compression does to each against the whole, LU; most first."""
    then = look.at(trial)
    measures = {lane.id: found for lane in trial.lanes if (found := look.measures(lane.id)) is not None}
    told = [
        (trial.strip_name(item.edge.source), item.change_lu)
        for item in flows.contributions(trial, strip_id, measures, then.flow)
        if item.change_lu is not None
    ]
    return sorted(told, key=lambda item: -item[1])


def groups(session: Session) -> list[Bus]:
    """Summing groups of drums, or of drums and bass, with at least two members that are heard."""
    found = []
    for bus in session.buses:
        members = [lane for lane in session.lanes if lane.destination == bus.id and routing.is_sounding(session, lane)]
        families = {family_of(lane.role) for lane in members}
        if bus.use == "group" and len(members) > 1 and "drums" in families and families <= {"drums", "bass"}:
            found.append(bus)
    return found


def candidates(look: Look) -> list[tuple[str, str]]:
    """(id, name) of the sums that nothing holds yet and that are heard."""
    session = look.session
    sums = [(MIX, "the mix"), *((bus.id, bus.name) for bus in groups(session))]
    return [
        (strip_id, name)
        for strip_id, name in sums
        if part(look, strip_id) is not None
        and not any(is_dynamic(item) and not isinstance(item, Limiter) for item in session.chain(strip_id))
    ]


def fit_of(look: Look, strip_id: str) -> Fit:
    """The glue that fits a sum, by the session's settings."""
    return look.get(FIT, strip_id)


def _fit_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    work = look.session.settings
    return digest((PART.rests_on(look, prints, target), work.glue_db, work.glue_release))


def _fit(look: Look, target: str) -> Fit:
    work, found = look.session.settings, part(look, target)
    assert found is not None
    return fitted(found, work.glue_db, ratio=ratio_of(target), release=work.glue_release)


FIT = Figure("glue", 1, "strip", _fit_rests_on, _fit)


def ratio_of(strip_id: str) -> float:
    return MIX_RATIO if strip_id == MIX else GROUP_RATIO


def propose(look: Look) -> list[Proposal]:
    made = []
    for strip_id, name in candidates(look):
        look.stop_if_cancelled()
        if fit_of(look, strip_id).gains:
            found = _harmless(look, strip_id)
            if found is not None:
                made.append(_proposal(look, strip_id, name, *found))
    return made


def _harmless(look: Look, strip_id: str) -> tuple[Fit, float] | None:
    """The glue that fits, and how much it takes; less where more would be warned of afterwards, or none."""
    work = look.session.settings
    for share in LESS:
        takes_db = TAKES.clamped(share * work.glue_db)
        if share == 1.0:
            fit = fit_of(look, strip_id)
        else:
            found = part(look, strip_id)
            assert found is not None
            fit = fitted(found, takes_db, ratio=ratio_of(strip_id), release=work.glue_release)
        if not fit.gains:
            return None
        if not _would_be_warned_of(look, strip_id, fit):
            return fit, takes_db
    return None


def _would_be_warned_of(look: Look, strip_id: str, fit: Fit) -> bool:
    """By itself, or together with what works there already; on the mix, with what will hold its peaks."""
    side = fit.movement.side
    if effects.flags(side) or (
        strip_id == MIX and (side.pump_db or 0.0) > side_effects.PUMP_FLAG_DB - LEFT_FOR_PEAKS_DB
    ):
        return True
    if not working(look.session.chain(strip_id)):
        return False
    then = moving(look.at(placed(look.session, strip_id, fit.station)), strip_id)
    return then is not None and bool(effects.flags(then.side))


def nothing_gained(look: Look) -> list[tuple[str, str, float]]:
    """(id, name, dB closer) of sums where glue would do nothing."""
    told = []
    for strip_id, name in candidates(look):
        fit = fit_of(look, strip_id)
        if not fit.gains:
            now = fit.movement
            told.append((strip_id, name, (now.moments_before_db or 0.0) - (now.moments_now_db or 0.0)))
    return told


def _proposal(look: Look, strip_id: str, name: str, fit: Fit, takes_db: float) -> Proposal:
    now, station = fit.movement, fit.station
    moved = shifts(look, placed(look.session, strip_id, station), strip_id)
    return KIND.move(
        targets=(strip_id,), of=strip_id, title=f"Gentle compression that holds {name} together",
        reason=f"{number(station.ratio)}:1, attack {number(station.attack_ms, 0)} ms by the hits, release "
        f"{_release(station, now)}, no make-up. Loud and soft moments come "
        f"{number((now.moments_before_db or 0.0) - (now.moments_now_db or 0.0))} dB closer.{_key(fit)}{_moved(moved)}"
        f"{effects.told(now.side, loudness=False)} Bypass is level-matched: judge it so. None is a good answer too.",
        parameters={"takes_db": takes_db, **_numbers(station)},
        evidence={"takes_db": takes_db, "left_db": now.side.left_db, **_shift_evidence(moved),
                  **effects.evidence(now.side)},
        metric=GAIN, arguments={"strip": strip_id}, before=0.0, expected=now.loud_gain_db, source="trial",
        weight=3.0 if strip_id == MIX else 2.5,
    )  # fmt: skip


def _numbers(station: Compressor) -> dict[str, float]:
    return {
        "threshold_db": station.threshold_db, "ratio": station.ratio, "attack_ms": station.attack_ms,
        "release_ms": station.release_ms, "programme": float(station.programme_release),
        "key_hz": station.key_high_pass_hz, "matched_db": station.matched_db,
    }  # fmt: skip


def _release(station: Compressor, now: Movement) -> str:
    if station.programme_release:
        return "by programme"
    left = now.side.left_db
    told = "" if left is None else f" ({number(left)} dB left before the next hit)"
    if left is not None and left >= side_effects.LEFT_FLAG_DB:
        told = f" ({number(left)} dB left before the next hit: a shorter one would pump)"
    return f"{number(station.release_ms, 0)} ms{told}"


def _key(fit: Fit) -> str:
    """What the detector's high-pass changes."""
    if fit.opened is None:
        return " Little bass here, so the detector hears all of it."
    now, opened = fit.movement, fit.opened
    pump = (now.side.pump_db or 0.0) - (opened.side.pump_db or 0.0)
    hits = (now.punch_now_db or 0.0) - (opened.punch_now_db or 0.0)
    return (
        f" The detector is high-passed at {number(KEY_HZ, 0)} Hz: that changes the pumping by {signed(pump, 1)} dB and "
        f"the hits by {signed(hits, 1)} dB."
    )


def _moved(moved: Sequence[tuple[str, float]]) -> str:
    up = [f"{name} {signed(lu, 1)}" for name, lu in moved if lu >= 0.1][:3]
    down = [f"{name} {signed(lu, 1)}" for name, lu in reversed(moved) if lu <= -0.1][:3]
    told = ""
    if up:
        told += f" Comes up: {', '.join(up)} LU."
    if down:
        told += f" Sinks: {', '.join(down)} LU."
    return told


def _shift_evidence(moved: Sequence[tuple[str, float]]) -> dict[str, float]:
    return {f"shift of {name[:40]}": lu for name, lu in moved}


def placed(session: Session, strip_id: str, station: Processor) -> Session:
    """With the station at the end of a chain, before a limiter."""
    chain = session.chain(strip_id)
    at = next((index for index, item in enumerate(chain) if isinstance(item, Limiter)), len(chain))
    return chain_edits.add_station(session, strip_id, station, at)


def _edit(session: Session, proposal: Proposal) -> Session:
    p = {name: float(value) for name, value in proposal.parameters.items() if isinstance(value, int | float)}
    station = Compressor(
        threshold_db=p["threshold_db"], ratio=p["ratio"], knee_db=6.0, attack_ms=p["attack_ms"],
        release_ms=p["release_ms"], programme_release=bool(p["programme"]), key_high_pass_hz=p["key_hz"],
        matched_db=p["matched_db"],
    )  # fmt: skip
    return placed(session, proposal.targets[0], station)


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Another amount is fitted anew."""
    if proposal.expected is not None:
        return proposal
    takes_db = value_of(proposal, "takes_db")
    strip_id, name = proposal.targets[0], dict(candidates(look)).get(proposal.targets[0])
    found = part(look, strip_id) if name is not None else None
    if found is None or name is None:
        return proposal
    fit = fitted(found, takes_db, ratio=ratio_of(strip_id), release=look.session.settings.glue_release)
    return replace(_proposal(look, strip_id, name, fit, takes_db), rests_on=proposal.rests_on)


def _gain(look: Look, arguments: Arguments) -> float | None:
    found = movement_of(look, arguments)
    return found.loud_gain_db if found is not None else None


GAIN = Metric("loud-gain", "gain in loud passages", "dB", 1, 0.3, (*MEASURED_ON, "mix"), _gain)
KIND = Kind(
    "dynamics.glue", (*DEPENDS_ON, "mix"), propose, _edit, refit=_refit, parameters={"takes_db": TAKES},
    changed=measured_later, less=lambda move: {"takes_db": 0.6 * value_of(move, "takes_db")}, afterwards=True,
)  # fmt: skip
