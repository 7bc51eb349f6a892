"""Gate and expander: bleed between the hits of a close microphone, and breaths of a voice, step back.

The threshold stands in the middle between the weakest own hits and the strongest bleed (`measure.dynamics.separation`);
under 6 dB between them a gate would drop hits or open by itself, and an expander of 8 dB is offered instead. It opens
1 ms ahead so that no attack is lost and stays open as long as the drum rings. Breaths are softened, never cut: an
expander, its threshold between breaths and soft words. A matter of taste: bleed is also the room the drums stand in.
"""

import dataclasses
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from all_even import texts
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.parameter import number
from all_even.dsp.processor import numbers
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import hits_of, part, with_station
from all_even.figures.sources.units import units as units_of
from all_even.late import scipy
from all_even.measure.dynamics import separation, units
from all_even.measure.dynamics.movement import Part
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.measure.dynamics.units import HOP_S
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.figures import DEPENDS_ON
from all_even.moves.dynamics.trying import Tried, lane_by_lane, try_out
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song.hits import struck
from all_even.session.tracks.roles import family_of

CLOSE = frozenset({"kick", "kick out", "snare top", "snare bottom", "tom", "hand drum", "clap"})
"""Microphones that are for one drum. (Hi-hats and cymbals ring into everything.)"""
SURE_DB = 6.0
RANGE_DB, SOFT_RANGE_DB = 30.0, 8.0
WORTH_OVER_DB = -50.0
"""Bleed further under the hits than this is not heard in a mix. Our own rule."""
USUAL_TAIL_MS, LONGEST_HOLD_MS = 150.0, 500.0
BREATH_HZ = (700.0, 8000.0)
FEWEST_BREATHS = 3
SOFT_WORD_PERCENT = 10


def others_db(found: Part, signal: Signal, elsewhere_s: Sequence[float]) -> float | None:
    """Median peak of what bleeds in, against that of the own hits, dB, in a version of the sound. elsewhere_s: hits of
    the other drums."""
    peaks = found.signal.peaks
    sound = separation.separation(peaks, elsewhere_s)
    if sound is None:
        return None
    at = separation.candidates(peaks)
    own = peaks[at] >= 10.0 ** (sound.between_db / 20.0)
    now = np.maximum(signal.peaks[at[at < len(signal.power)]], 1e-7)
    own = own[: len(now)]
    return float(20.0 * np.log10(np.median(now[~own]) / np.median(now[own])))


def bleed_db(look: Look, arguments: Arguments) -> float | None:
    """Of a strip now."""
    from all_even.figures.dynamics.dynamics import now_signal

    strip_id = str(arguments.get("strip", ""))
    if not look.session.is_lane(strip_id):
        return None
    found = part(look, strip_id)
    if found is None:
        return None
    elsewhere_s = _elsewhere_s(look, look.session.lane(strip_id))
    return others_db(found, now_signal(look, strip_id), elsewhere_s)


BLEED = Metric("bleed", "bleed against its hits", "dB", 1, 1.0, ("strips", "files"), bleed_db)


def _tail_ms(look: Look, lane: Lane) -> float:
    report = look.reports.get(lane.id)
    tail = struck(report.character, lane.role).tail if report is not None and report.character is not None else None
    return float(min(LONGEST_HOLD_MS, tail.ms if tail is not None else USUAL_TAIL_MS))


def gate(threshold_db: float, tail_ms: float) -> Gate:
    return Gate(
        threshold_db=threshold_db, ratio=10.0, range_db=RANGE_DB, attack_ms=0.5, hold_ms=0.5 * tail_ms,
        release_ms=max(20.0, 0.5 * tail_ms), lookahead_ms=1.0,
    )  # fmt: skip


def expander(threshold_db: float, tail_ms: float) -> Gate:
    return replace(gate(threshold_db, tail_ms), ratio=2.0, range_db=SOFT_RANGE_DB, character="expander")


def _rule(look: Look, lane: Lane, found: Part) -> Proposal | None:
    if lane.role not in CLOSE:
        return None
    elsewhere_s = _elsewhere_s(look, lane)
    sound = separation.separation(found.signal.peaks, elsewhere_s)
    before = others_db(found, found.signal, elsewhere_s)
    if sound is None or before is None or sound.bleed_db - sound.own_db < WORTH_OVER_DB:
        return None
    if not separation.is_bleed(found.signal, sound, elsewhere_s):
        return None
    tail_ms = round(_tail_ms(look, lane))
    make = gate if sound.db >= SURE_DB else expander
    tried = try_out(found, [make(round(sound.between_db, 1), tail_ms)])
    now = others_db(found, tried.signal, elsewhere_s)
    return _proposal(lane, sound, tried, tail_ms, before, now) if now is not None and now < before - 1.0 else None


def _proposal(
    lane: Lane, sound: separation.Separation, tried: Tried, tail_ms: float, before: float, now: float
) -> Proposal:
    station = tried.stations[0]
    assert isinstance(station, Gate)
    sure = station.character == "gate"
    refused = (
        ""
        if sure
        else (
            f" Too little for a gate, which wants {number(SURE_DB, 0)}: it would drop hits, or be opened by the others."
        )
    )
    return KIND.move(
        targets=(lane.id,), of=lane.id,
        title=f"{'Gate' if sure else 'Expander, 8 dB,'} on {lane.name} against bleed",
        reason=f"Its {texts.count(sound.own, 'hit')} stand {number(sound.db)} dB over what bleeds in (weakest own "
        f"against strongest other).{refused} From {number(station.threshold_db)} dB on it is open, "
        f"{number(tail_ms, 0)} ms for the tail. Bleed is also room, and ghost notes under that go with it: "
        f"hear it in the mix.{effects.told(tried.movement.side, loudness=False)}",
        parameters={"threshold_db": station.threshold_db, "tail_ms": tail_ms, "sure": float(sure)},
        evidence={"separation_db": sound.db, "own_hits": sound.own, "others": sound.others,
                  **effects.evidence(tried.movement.side)},
        metric=BLEED, arguments={"strip": lane.id}, before=before, expected=now, source="trial", weight=1.8,
    )  # fmt: skip


def _edit(session: Session, proposal: Proposal) -> Session:
    p = proposal.parameters
    threshold_db, tail_ms = float(p["threshold_db"]), float(p["tail_ms"])  # type: ignore[arg-type]
    make = gate if p.get("sure") else expander
    return with_station(session, proposal.targets[0], make(threshold_db, tail_ms))


def _elsewhere_s(look: Look, lane: Lane) -> tuple[float, ...]:
    """Hits of the other drums that have a microphone of their own."""
    source = next((unit.lanes for unit in units_of(look) if lane.id in {one.id for one in unit.lanes}), (lane,))
    own = {one.id for one in source}
    others = [one for unit in units_of(look) for one in unit.lanes if one.role in CLOSE and one.id not in own]
    return tuple(sorted(hit for one in others for hit in hits_of(look, one.id)))


# Breaths.


def breath_part(found: Part) -> tuple[Part, list[tuple[float, float, float]]]:
    """A voice where breaths are heard, and the breaths."""
    rate = found.signal.sample_rate
    high = min(BREATH_HZ[1], 0.45 * rate)
    sections = scipy.signal.butter(2, (BREATH_HZ[0], high), "bandpass", fs=rate, output="sos")
    band = signal_of(scipy.signal.sosfilt(sections, found.signal.samples, axis=0), rate)
    power = band.power
    within = units.Units(found.units.starts_s, found.units.ends_s, found.units.levels_in(power), found.units.from_s)
    return dataclasses.replace(found, units=within), separation.breaths(power, within)


def breath_level_db(found: Part, signal: Signal) -> float | None:
    """Median level of the breaths against the words, dB."""
    _, breathing = breath_part(found)
    if len(breathing) < FEWEST_BREATHS:
        return None
    power = signal.power
    levels = [power[round(start / HOP_S) : round(end / HOP_S)].mean() for start, end, _ in breathing]
    words = np.median(found.units.levels_in(power))
    return float(10.0 * np.log10(max(float(np.median(levels)), 1e-16)) - words)


def breaths_db(look: Look, arguments: Arguments) -> float | None:
    from all_even.figures.dynamics.dynamics import now_signal

    strip_id = str(arguments.get("strip", ""))
    found = part(look, strip_id) if look.session.is_lane(strip_id) else None
    return None if found is None else breath_level_db(found, now_signal(look, strip_id))


BREATHS = Metric("breaths", "breaths against words", "dB", 1, 1.0, ("strips", "files"), breaths_db)


def softener(threshold_db: float) -> Gate:
    """The expander for breaths."""
    return Gate(
        threshold_db=threshold_db, ratio=2.0, range_db=SOFT_RANGE_DB, attack_ms=5.0, hold_ms=60.0, release_ms=150.0,
        character="expander",
    )  # fmt: skip


def _rule_breaths(_look: Look, lane: Lane, found: Part) -> Proposal | None:
    breathing = breath_part(found)[1] if family_of(lane.role) == "voices" else []
    before = breath_level_db(found, found.signal)
    if before is None or len(breathing) < FEWEST_BREATHS:
        return None
    loud = float(np.percentile(found.signal.tops_db((start, end) for start, end, _ in breathing), 90))
    words = found.signal.tops_db(zip(found.units.starts_s, found.units.ends_s, strict=True))
    soft = float(np.percentile(words, SOFT_WORD_PERCENT))
    if soft - loud < SURE_DB:
        return None
    tried = try_out(found, [softener(round(0.5 * (soft + loud), 1))])
    now = breath_level_db(found, tried.signal)
    if now is None or now > before - 2.0:
        return None
    return _breaths_proposal(lane, len(breathing), soft - loud, tried, before, now)


def _breaths_proposal(lane: Lane, count: int, apart: float, tried: Tried, before: float, now: float) -> Proposal:
    station = tried.stations[0]
    assert isinstance(station, Gate)
    return SOFTER.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"Soften the breaths of {lane.name}",
        reason=f"{texts.count(count, 'breath')}, the loud ones {number(apart)} dB under soft words. An expander of "
        f"{number(SOFT_RANGE_DB, 0)} dB from {number(station.threshold_db)} dB down: softer, not cut."
        f"{effects.told(tried.movement.side, loudness=False)}",
        parameters={"threshold_db": station.threshold_db},
        evidence={"breaths": count, "apart_db": apart, **effects.evidence(tried.movement.side)},
        metric=BREATHS,
        arguments={"strip": lane.id},
        before=before,
        expected=now,
        source="trial",
        weight=1.6,
    )


def _edit_breaths(session: Session, proposal: Proposal) -> Session:
    station = softener(value_of(proposal, "threshold_db"))
    return with_station(session, proposal.targets[0], station)


THRESHOLD = numbers(Gate)["threshold_db"]
KIND = Kind(
    "dynamics.gate", DEPENDS_ON, lane_by_lane("dynamics.gate", _rule, struck=True), _edit,
    parameters={"threshold_db": THRESHOLD}, changed=measured_later, optional=True,
)  # fmt: skip
SOFTER = Kind(
    "dynamics.breaths", DEPENDS_ON, lane_by_lane("dynamics.breaths", _rule_breaths, struck=False), _edit_breaths,
    parameters={"threshold_db": THRESHOLD}, changed=measured_later, optional=True,
)  # fmt: skip
