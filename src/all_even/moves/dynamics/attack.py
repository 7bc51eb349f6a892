"""More attack, or more sustain, of a struck part: by a shaper and by a compressor, both fitted to the same change.

A shaper follows how the level moves and does the same to soft hits and loud ones. A compressor follows the level: on
softer hits it does less, which may be wanted. Attack: a compressor that lets 15 ms pass before it holds the body.
Sustain: one that catches the attack and lets go before the tail. Both give the loudness back. A matter of taste.
"""

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import part, with_station
from all_even.measure.dynamics import punch
from all_even.measure.dynamics.movement import Part, part_of
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.figures import DEPENDS_ON, PUNCH, movement_of
from all_even.moves.dynamics.trying import Tried, behind, lane_by_lane, matched, solved
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

WANTED_DB = 3.0
MOST_SHAPER_DB, STEP_DB = 12.0, 0.5
SPREAD_OUT = frozenset({"room", "overhead", "drums", "hi-hat", "cymbal", "ride", "shaker", "tambourine", "percussion"})
"""Roles with many instruments, or without a body: nothing to shape hit by hit."""
AMOUNT = Parameter("Change", "dB", 1.0, 6.0, WANTED_DB, 0.5)
SNAP = Compressor(ratio=4.0, knee_db=6.0, attack_ms=15.0, release_ms=120.0)
"""Common practice: at 10 to 20 ms a snap passes."""
CATCH = Compressor(ratio=4.0, knee_db=6.0, attack_ms=0.1, release_ms=60.0, lookahead_ms=1.0)
SOFTER_DB = 6.0
TRIED_S, FEWEST_TRIED = 12.0, 8
"""Numbers are found on a stretch of this length; what is promised is measured on the whole."""
Make = Callable[[float], Processor]


def tail_over_attack_db(found: Part, samples: np.ndarray) -> float | None:
    """Level 80 to 300 ms after strong hits over that of their first 10 ms, dB. samples: (frames,)."""
    rate = found.signal.sample_rate
    counted = punch.strong(found.signal.louder_side, rate, found.hits_s)
    if len(counted) < punch.FEWEST:
        return None
    tail = punch.level_after_db(samples, rate, counted, punch.TAIL_S)
    return tail - punch.level_after_db(samples, rate, counted, punch.ATTACK_S)


def sustain_db(look: Look, arguments: Arguments) -> float | None:
    """Of a strip now: tail over attack."""
    from all_even.figures.dynamics.dynamics import now_signal

    found = part(look, str(arguments["strip"])) if movement_of(look, arguments) is not None else None
    if found is None:
        return None
    now = now_signal(look, str(arguments["strip"]))
    return tail_over_attack_db(found, now.louder_side)


SUSTAIN = Metric("sustain", "tail over attack of its hits", "dB", 1, 0.5, ("strips", "files"), sustain_db)


def _figure(found: Part, of_tail: bool, stations: tuple[Processor, ...]) -> float | None:
    samples, _ = behind(found.signal.samples, found.signal.sample_rate, stations)
    side = samples[:, found.signal.louder].astype(np.float64)
    return tail_over_attack_db(found, side) if of_tail else punch.punch_db(
        side, found.signal.sample_rate, found.hits_s
    )  # fmt: skip


def _stretch(found: Part) -> Part:
    """The stretch with the most hits."""
    rate, hits = found.signal.sample_rate, np.array(found.hits_s)
    if len(found.signal.samples) <= TRIED_S * rate or not len(hits):
        return found
    counts = np.searchsorted(hits, hits + TRIED_S) - np.arange(len(hits))
    start_s = max(0.0, float(hits[int(np.argmax(counts))]) - 0.2)
    start = round(start_s * rate)
    signal = signal_of(found.signal.samples[start : start + round(TRIED_S * rate)], rate)
    inside = hits[(hits >= start_s) & (hits < start_s + TRIED_S)] - start / rate
    if len(inside) < FEWEST_TRIED:
        return found
    return part_of(signal, inside.tolist())


def _now(found: Part, of_tail: bool) -> float | None:
    return tail_over_attack_db(found, found.signal.louder_side) if of_tail else found.punch_db


def shaper(of_tail: bool, amount_db: float) -> TransientShaper:
    return TransientShaper(sustain_db=amount_db) if of_tail else TransientShaper(attack_db=amount_db)


def compressor(of_tail: bool, threshold_db: float) -> Compressor:
    return replace(CATCH if of_tail else SNAP, threshold_db=threshold_db)


def fitted(found: Part, of_tail: bool, by_shaper: bool, wanted_db: float) -> tuple[Tried, float] | None:
    """The stations that change the figure by so much, and the number that does it; None where none does."""
    short = _stretch(found)
    before = _now(short, of_tail)
    if before is None:
        return None
    if by_shaper:
        number_db = solved(
            lambda db: (_figure(short, of_tail, (shaper(of_tail, db),)) or before) - before, wanted_db, 0.0,
            MOST_SHAPER_DB, within=0.1,
        )  # fmt: skip
        if number_db is None or number_db >= MOST_SHAPER_DB:
            return None
        return matched(found, [shaper(of_tail, round(number_db, 1))]), round(number_db, 1)
    top = short.signal.peak_dbfs
    for under in np.arange(3.0, 36.0, 3.0):  # from the top down: the figure does not rise steadily
        reached = _figure(short, of_tail, (compressor(of_tail, top - float(under)),))
        if reached is not None and reached - before >= wanted_db:
            fine = _between(short, of_tail, top - float(under), top - float(under) + 3.0, before + wanted_db)
            return matched(found, [compressor(of_tail, fine)]), fine
    return None


def _between(found: Part, of_tail: bool, low: float, high: float, aim: float) -> float:
    """The highest threshold between two that still reaches the aim."""
    for _ in range(5):
        middle = 0.5 * (low + high)
        reached = _figure(found, of_tail, (compressor(of_tail, middle),))
        low, high = (middle, high) if reached is not None and reached >= aim else (low, middle)
    return round(low, 1)


def _proposer(of_tail: bool, by_shaper: bool) -> Callable[[Look], list[Proposal]]:
    def rule(_look: Look, lane: Lane, found: Part) -> Proposal | None:
        if lane.role in SPREAD_OUT:
            return None
        fit = fitted(found, of_tail, by_shaper, WANTED_DB)
        return None if fit is None else _proposal(lane, found, of_tail, by_shaper, *fit)

    return lane_by_lane(_id(of_tail, by_shaper), rule, struck=True, heads_only=True)


def _proposal(lane: Lane, found: Part, of_tail: bool, by_shaper: bool, tried: Tried, number_db: float) -> Proposal:
    kind, metric = BY_ID[_id(of_tail, by_shaper)], SUSTAIN if of_tail else PUNCH
    now = _reached(found, of_tail, tried)
    softer = _softer_change(found, of_tail, tried)
    before = _now(found, of_tail) or 0.0
    what = "sustain" if of_tail else "attack"
    way = "a shaper" if by_shaper else "a compressor"
    station = tried.stations[0]
    makeup_db = getattr(station, "makeup_db", 0.0)
    how = (
        f"{what} {signed(number_db, 1)} dB, {signed(makeup_db, 1)} dB keep the loudness"
        if by_shaper
        else _told(station)
    )
    level = _by_level(softer, now - before)
    return kind.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"More {what} for {lane.name}, by {way}",
        reason=f"{what.capitalize()} up by {number(now - before)} dB on the median of its strong hits: {how}.{level} "
        f"Struck sounds only.{effects.told(tried.movement.side, attacks=False)}",
        parameters={"number_db": number_db, "makeup_db": makeup_db, "amount_db": WANTED_DB},
        evidence={"hits": len(found.hits_s), "change_on_softer_db": softer, **effects.evidence(tried.movement.side)},
        metric=metric,
        arguments={"strip": lane.id},
        before=before,
        expected=now,
        source="trial",
        weight=1.5 if by_shaper else 1.4,
    )  # fmt: skip


def _by_level(softer: float | None, change: float) -> str:
    """What happens to softer hits."""
    if softer is None:
        return ""
    how = "whatever the level" if abs(softer - change) < 0.5 else "by level, loud hits most"
    return (
        f" On hits {number(SOFTER_DB, 0)} dB softer it changes {number(softer)} dB instead of {number(change)}: {how}."
    )


def _reached(found: Part, of_tail: bool, tried: Tried) -> float:
    if not of_tail:
        return tried.movement.punch_now_db or 0.0
    return _figure(found, True, tried.stations) or 0.0


def _told(station: Processor) -> str:
    if not isinstance(station, Compressor):
        return ""
    return (
        f"{number(station.ratio)}:1 from {number(station.threshold_db)} dB on, {number(station.attack_ms)} ms attack, "
        f"{number(station.release_ms, 0)} ms release, {number(station.makeup_db)} dB give the loudness back"
    )


def _softer_change(found: Part, of_tail: bool, tried: Tried) -> float | None:
    """The change on the same hits when they are 6 dB softer."""
    gain = np.float32(10.0 ** (-SOFTER_DB / 20.0))
    short = _stretch(found)
    softer = part_of(signal_of(short.signal.samples * gain, short.signal.sample_rate), short.hits_s)
    before, after = _now(softer, of_tail), _figure(softer, of_tail, tried.stations)
    return None if before is None or after is None else after - before


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Another change is fitted anew."""
    if proposal.expected is not None:
        return proposal
    of_tail, by_shaper = "sustain" in proposal.kind, "compressor" not in proposal.kind
    lane = look.session.lane(proposal.targets[0])
    found = part(look, lane.id)
    amount = value_of(proposal, "amount_db")
    fit = fitted(found, of_tail, by_shaper, amount) if found is not None else None
    if found is None or fit is None:
        return proposal
    anew = _proposal(lane, found, of_tail, by_shaper, *fit)
    return replace(anew, parameters={**anew.parameters, "amount_db": amount}, rests_on=proposal.rests_on)


def _edit(session: Session, proposal: Proposal) -> Session:
    of_tail = "sustain" in proposal.kind
    number_db, makeup_db = (value_of(proposal, name) for name in ("number_db", "makeup_db"))
    made = compressor if "compressor" in proposal.kind else shaper
    return with_station(session, proposal.targets[0], replace(made(of_tail, number_db), makeup_db=makeup_db))


def _id(of_tail: bool, by_shaper: bool) -> str:
    return f"dynamics.{'sustain' if of_tail else 'attack'}{'' if by_shaper else '-compressor'}"


def _kind(of_tail: bool, by_shaper: bool) -> Kind:
    return Kind(
        _id(of_tail, by_shaper), DEPENDS_ON, _proposer(of_tail, by_shaper), _edit, refit=_refit,
        parameters={"amount_db": AMOUNT}, changed=measured_later, optional=True,
    )  # fmt: skip


KINDS = tuple(_kind(of_tail, by_shaper) for of_tail in (False, True) for by_shaper in (True, False))
BY_ID = {kind.id: kind for kind in KINDS}
