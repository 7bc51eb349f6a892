"""Dynamics of single tracks by other schools: hits evened out or softened, notes held longer, brass held forward,
shaken percussion shaped, a compressor with harmonics.

All are fitted on the track by itself with the real kernel, at equal loudness, and tried in the whole.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor, numbers
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import now_signal, part, with_station
from all_even.figures.sources.units import units
from all_even.measure.dynamics.movement import Part
from all_even.measure.dynamics.signal import Signal
from all_even.measure.dynamics.units import HOP_S, Units
from all_even.moves.approaches.trial import Draft, Numbers, on_trial
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.attack import SUSTAIN
from all_even.moves.dynamics.even_out import spread_behind
from all_even.moves.dynamics.figures import PUNCH, SPREAD
from all_even.moves.dynamics.trying import Tried, is_free, lanes, matched, through
from all_even.moves.kind import Kind, numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

BRASS = frozenset({"trumpet", "trombone", "bass trombone", "horn"})
SHAKEN = frozenset({"tambourine", "shaker", "clap", "maracas", "cabasa"})
HELD = frozenset({"guitars", "keys", "bass"})
UNEVEN_DB = 4.0
EVEN = Compressor(ratio=4.0, knee_db=6.0, attack_ms=1.0, release_ms=80.0)
FORWARD = Compressor(ratio=8.0, knee_db=3.0, attack_ms=0.5, release_ms=120.0)
LONGER = Compressor(ratio=4.0, knee_db=6.0, attack_ms=5.0, release_ms=300.0)
COLOURED = Compressor(ratio=3.0, knee_db=9.0, attack_ms=10.0, release_ms=150.0)
"""Common practice: brass forward with the fastest attack, medium release and a high ratio; notes longer with a release
that is back only when they have faded."""
STEP_DB, HALVINGS, LESS, FADES_DB = 3.0, 5, (0.0, 0.1, 0.2), -3.0
"""Notes that fall by less than the last within half a second are held already."""
AIMS = {"even": 0.6, "forward": 0.5, "character": 0.75}
LONGER_DB, SOFTER_DB, SHAKEN_DB, DRIVE_DB = 3.0, -4.0, -4.0, 9.0
LATE_S, EARLY_S, LEAST_NOTE_S, FEWEST_NOTES = (0.3, 0.6), (0.02, 0.12), 0.5, 4
THRESHOLD = numbers(Compressor)["threshold_db"]
AMOUNT = Parameter("Change", "dB", -12.0, 12.0, SOFTER_DB, 0.5)
Fit = Callable[[Part], Tried | None]


# Figures.


def late_db(found: Units, power: np.ndarray) -> float | None:
    """How far long notes have fallen 0.3 to 0.6 s after they began, dB; None with fewer than four of them. power: mean
    squares of hops of 10 ms."""
    falls = []
    for start_s, end_s in zip(found.starts_s, found.ends_s, strict=True):
        if end_s - start_s >= LEAST_NOTE_S:
            late, early = (
                power[round((start_s + at[0]) / HOP_S) : round((start_s + min(at[1], end_s - start_s)) / HOP_S)]
                for at in (LATE_S, EARLY_S)
            )
            if late.any() and early.any():
                falls.append(10.0 * np.log10(late.mean() / early.mean()))
    return float(np.median(falls)) if len(falls) >= FEWEST_NOTES else None


def _late(look: Look, arguments: Arguments) -> float | None:
    strip_id = str(arguments.get("strip", ""))
    found = part(look, strip_id) if look.session.is_lane(strip_id) else None
    return None if found is None else late_db(found.units, now_signal(look, strip_id).power)


LATE = Metric("note-tail", "notes after half a second", "dB", 1, 0.5, ("strips", "files"), _late)


# Fits.


def _highest(figure: Callable[[float], float], aims: Sequence[float], low: float, high: float) -> float | None:
    """The highest threshold at which a figure is at the first of these aims that is reached at all; None where none is.
    From the top down: spread and length do not move steadily with the threshold."""
    steps = [high - STEP_DB * index for index in range(int((high - low) / STEP_DB) + 1)]
    found = [figure(db) for db in steps]
    for aim in aims:
        at = next((index for index, value in enumerate(found) if value <= aim), None)
        if at is not None:
            under, over = steps[at], steps[max(0, at - 1)]
            for _ in range(HALVINGS):
                middle = 0.5 * (under + over)
                under, over = (middle, over) if figure(middle) <= aim else (under, middle)
            return round(under, 1)
    return None


def _range_db(found: Part) -> tuple[float, float]:
    """Thresholds that are tried: from far under the soft units to over the loud ones."""
    low, high = np.percentile(found.units.levels_db, (5, 95))
    return float(np.clip(low - 12.0, -80.0, 12.0)), float(np.clip(high + 20.0, -80.0, 12.0))


def _to_spread(base: Compressor, share: float, found: Part) -> Tried | None:
    """The highest threshold at which the spread falls to a share of itself, or less far, at equal loudness."""
    spread = found.units.spread_db
    if spread is None or spread < UNEVEN_DB:
        return None
    threshold = _highest(lambda db: spread_behind(found, (replace(base, threshold_db=db),)),
                         [spread * min(0.85, share + more) for more in LESS], *_range_db(found))  # fmt: skip
    return None if threshold is None else matched(found, [replace(base, threshold_db=threshold)])


def _to_length(found: Part) -> Tried | None:
    """The highest threshold at which notes stay 3 dB louder after half a second, or less much."""
    now = late_db(found.units, found.signal.power)
    if now is None or now > FADES_DB:
        return None

    def fall(db: float) -> float:
        behind, _ = through(found.signal, (replace(LONGER, threshold_db=db),))
        return -(late_db(found.units, behind.power) or now)

    threshold = _highest(fall, [-(now + LONGER_DB - more) for more in (0.0, 1.0, 2.0)], *_range_db(found))
    return None if threshold is None else matched(found, [replace(LONGER, threshold_db=threshold)])


def _with_drive(found: Part) -> Tried | None:
    """A gentle compressor, and even harmonics behind it, as loud as before."""
    tried = _to_spread(COLOURED, AIMS["character"], found)
    if tried is None:
        return None
    driven = loud_as(found.signal, tried.signal, Saturation(curve="uneven", drive_db=_drive_db(tried.signal)))
    return replace_stations(tried, driven)


def replace_stations(tried: Tried, *more: Processor) -> Tried:
    """The trial with more stations behind it."""
    return Tried((*tried.stations, *more), tried.signal, tried.movement)


def _drive_db(signal: Signal) -> float:
    """The drive with which its loud moments pass the curve's bend by 9 dB."""
    loud = float(np.percentile(np.abs(signal.samples), 99.0))
    return numbers(Saturation)["drive_db"].clamped(round(DRIVE_DB - 20.0 * float(np.log10(max(loud, 1e-6))), 1))


def loud_as(before: Signal, into: Signal, station: Saturation) -> Saturation:
    """The saturation with the output at which what comes out is as loud as another version."""
    behind, _ = through(into, (station,))
    if behind.lufs is None or before.lufs is None:
        return station
    return replace(station, output_db=numbers(Saturation)["output_db"].clamped(round(before.lufs - behind.lufs, 1)))


# Moves.


def _free(look: Look, *, struck: bool, wanted: Callable[[Lane], bool]) -> Iterator[tuple[Lane, Part]]:
    heads = {unit.id for unit in units(look)}
    for lane in lanes(look, struck=struck):
        if lane.id in heads and wanted(lane) and is_free(lane):
            found = part(look, lane.id)
            if found is not None:
                yield lane, found


def _compressed(look: Look, struck: bool, wanted: Callable[[Lane], bool], fit: Fit, title: str,
                why: str) -> Iterator[Draft]:  # fmt: skip
    for lane, found in _free(look, struck=struck, wanted=wanted):
        look.stop_if_cancelled()
        tried = fit(found)
        if tried is None:
            continue
        station = next(item for item in tried.stations if isinstance(item, Compressor))
        colour = next((item for item in tried.stations if isinstance(item, Saturation)), None)
        p = {"threshold_db": station.threshold_db, "makeup_db": station.makeup_db}
        if colour is not None:
            p |= {"drive_db": colour.drive_db, "output_db": colour.output_db}
        yield Draft(
            (lane.id,), title.format(name=lane.name),
            f"{why} {number(station.ratio)}:1 from {number(station.threshold_db)} dB on, {number(station.attack_ms)} "
            f"ms attack, {number(station.release_ms, 0)} ms release, {signed(station.makeup_db, 1)} dB make-up."
            f"{effects.told(tried.movement.side)}",
            dict(p), of=lane.id, arguments={"strip": lane.id}, evidence=effects.evidence(tried.movement.side),
        )  # fmt: skip


def _edit(base: Compressor) -> Callable[[Session, Proposal], Session]:
    def edit(session: Session, move: Proposal) -> Session:
        p, lane_id = numbers_of(move), move.targets[0]
        station = replace(base, threshold_db=p["threshold_db"], makeup_db=p["makeup_db"])
        session = with_station(session, lane_id, station)
        if "drive_db" not in p:
            return session
        colour = Saturation(curve="uneven", drive_db=p["drive_db"], output_db=p["output_db"])
        return with_station(session, lane_id, colour)

    return edit


def _any(_lane: Lane) -> bool:
    return True


def _is(roles: frozenset[str]) -> Callable[[Lane], bool]:
    return lambda lane: lane.role in roles


EVEN_HITS = on_trial(
    "dynamics.even-hits", "even_hits", SPREAD,
    partial(_compressed, struck=True, wanted=_any, fit=lambda found: _to_spread(EVEN, AIMS["even"], found),
            title="Even out the hits of {name}", why="Soft and loud hits come together."),
    _edit(EVEN), parameters={"threshold_db": THRESHOLD}, weight=1.4,
)  # fmt: skip
FORWARD_BRASS = on_trial(
    "dynamics.forward-brass", "forward_brass", SPREAD,
    partial(_compressed, struck=False, wanted=_is(BRASS),
            fit=lambda found: _to_spread(FORWARD, AIMS["forward"], found), title="{name} held forward",
            why="Brass like a voice: every note at the front."),
    _edit(FORWARD), parameters={"threshold_db": THRESHOLD}, weight=1.5,
)  # fmt: skip
NOTE_SUSTAIN = on_trial(
    "dynamics.note-sustain", "note_sustain", LATE,
    partial(_compressed, struck=False, wanted=lambda lane: family_of(lane.role) in HELD, fit=_to_length,
            title="Longer notes for {name}", why="Notes fall more slowly."),
    _edit(LONGER), parameters={"threshold_db": THRESHOLD}, weight=1.3,
)  # fmt: skip
CHARACTER = on_trial(
    "dynamics.character", "character", SPREAD,
    partial(_compressed, struck=False, wanted=lambda lane: family_of(lane.role) in ("voices", "bass"),
            fit=_with_drive, title="Compress {name} with harmonics",
            why="A gentle compressor, then even harmonics; as loud as before."),
    _edit(COLOURED), parameters={"threshold_db": THRESHOLD}, weight=1.2,
)  # fmt: skip


# Shapers.


def _shaper(p: Numbers) -> TransientShaper:
    return TransientShaper(attack_db=p.get("attack_db", 0.0), sustain_db=p.get("sustain_db", 0.0),
                           makeup_db=p.get("makeup_db", 0.0))  # fmt: skip


def _drum(lane: Lane) -> bool:
    return lane.role not in SHAKEN


def _shaped(look: Look, wanted: Callable[[Lane], bool], values: Mapping[str, float], title: str,
            why: str) -> Iterator[Draft]:  # fmt: skip
    for lane, found in _free(look, struck=True, wanted=wanted):
        look.stop_if_cancelled()
        tried = matched(found, [_shaper(values)])
        station = tried.stations[0]
        assert isinstance(station, TransientShaper)
        yield Draft(
            (lane.id,), title.format(name=lane.name), f"{why}{effects.told(tried.movement.side, attacks=False)}",
            {**values, "makeup_db": station.makeup_db}, of=lane.id, arguments={"strip": lane.id},
            evidence=effects.evidence(tried.movement.side),
        )  # fmt: skip


def _edit_shaper(session: Session, move: Proposal) -> Session:
    return with_station(session, move.targets[0], _shaper(numbers_of(move)))


def _shaping(kind_id: str, approach: str, metric: Metric, wanted: Callable[[Lane], bool],
             values: Mapping[str, float], title: str, why: str, weight: float) -> Kind:  # fmt: skip
    drafts = partial(_shaped, wanted=wanted, values=values, title=title, why=why)
    return on_trial(f"dynamics.{kind_id}", approach, metric, drafts, _edit_shaper,
                    parameters=dict.fromkeys(values, AMOUNT), weight=weight)  # fmt: skip


LESS_ATTACK = _shaping("less-attack", "softer_hits", PUNCH, _drum, {"attack_db": SOFTER_DB},
                       "Less attack for {name}", "Hits step back behind the others.", 1.1)  # fmt: skip
LESS_SUSTAIN = _shaping("less-sustain", "softer_hits", SUSTAIN, _drum, {"sustain_db": SOFTER_DB},
                        "Less sustain for {name}", "Shorter, with less room and bleed between hits.", 1.0)  # fmt: skip
SHAPED = _shaping("shaken", "shaken", PUNCH, _is(SHAKEN), {"attack_db": SHAKEN_DB, "sustain_db": -2.0},
                  "{name} softer at its attacks", "What is shaken cuts through less, equally loud.", 1.0)  # fmt: skip
KINDS = (EVEN_HITS, FORWARD_BRASS, NOTE_SUSTAIN, CHARACTER, LESS_ATTACK, LESS_SUSTAIN, SHAPED)
