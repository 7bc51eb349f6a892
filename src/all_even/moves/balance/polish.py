"""Polish: all faders together, by a few dB, so that less of what matters is masked and nothing guarded is worse.

Searched on the witness (`measure.whole.witness`), since a search on the figure that Share goes by gains in that figure
alone: tried on two sessions, it took 1.2 dB from the lead, and a second estimate saw nothing of it. On the witness it
was tried on six: a third estimate, which knows neither, saw less masked in five, and the lead further out in all; it
costs up to 1 dB of loudness at one peak, since hits stand further out. So it is offered only where the first figure
agrees too, by 2 dB at most for any source, with no lead further out than it should stand; what it costs stands on the
card. A fader at a time, up or down a decibel, as long as that helps; on the 40 s in which most plays, then judged on
all of the song.

It may come again at the end, when other stages moved what covers whom; all rounds together move no source by more than
the 2 dB. An acoustic ensemble balances itself, and each of its microphones hears all: there it is not offered (tried on
a brass quintet in one room: both figures gained, the third estimate lost).
"""

import dataclasses
from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.parameter import LEVEL, number, signed
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import ceiling
from all_even.figures.sharing.sharing import sharing
from all_even.figures.whole.guards import OF_RELATIONS, losses
from all_even.figures.whole.whole import Standing, Whole, relations, relations_of, stands
from all_even.measure.whole import gammatone
from all_even.moves.accounts import standing
from all_even.moves.balance import costs, starts
from all_even.moves.balance.bass_ceiling import WORTH_DB
from all_even.moves.kind import Kind, left_out, per_strip, values_of
from all_even.moves.low_end import guards
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.importance import importance

MOST_DB, STEP_DB, MOST_PASSES = 2.0, 1.0, 3
LEAST_GAIN = 0.0005
"""Of the masked part, for one step to be worth it."""
WORTH = 0.004
"""And for all of them together."""
BORNE = 0.4
"""Share of what a guard bears that may be used up."""
FURTHEST_LEAD_DB = 2.0
PART_S = 40.0
BY = "by_db"
"""By how much each lane is moved, among the parameters."""
Gains = NDArray[np.float64]


def propose(look: Look) -> list[Proposal]:
    made = standing(look.session).values()
    if not any(move.kind in starts.RIVALS for move in made) or seats.fitting(look.session) is not None:
        return []
    found = stands(look)
    if len(found.units) < 3:
        return []
    weights = importance(look.session)
    part = densest(found)
    before, already = relations(look), _moved_already(look.session, found)
    for with_low_end in (True, False):
        gains = searched(part, weights, _movable(look.session, found, with_low_end), already)
        for scale in (1.0, 0.5):
            levels = _levels(look.session, found, scale * gains)
            if not levels:
                break
            there = look.at(edits.set_levels(look.session, levels))
            then = relations(there)
            borne = not losses(before, then, OF_RELATIONS) and _low_end_stays(look, there)
            if _is_worth(before, then) and borne and _agrees(look, there):
                return [_proposal(look, there, found, scale * gains, levels)]
    return []


def _movable(session: Session, found: Standing, with_low_end: bool) -> list[int]:
    """All but who stays where it is: the anchor, what is turned off, and kick and bass where they are to stay."""
    return [
        index for index, unit in enumerate(found.units)
        if all(lane.id != session.anchor and lane.level_db > decibels.OFF_DB for lane in unit.lanes)
        and (with_low_end or not is_low_end(unit.role))
    ]  # fmt: skip


def _moved_already(session: Session, found: Standing) -> Gains:
    """By how much earlier rounds moved each source, dB."""
    gains = np.zeros(len(found.units))
    for move in standing(session).values():
        if move.kind == KIND.id and BY in move.parameters:
            by_db = per_strip(move, BY)
            gains += [by_db.get(unit.head.id, 0.0) for unit in found.units]
    return gains


def densest(found: Standing) -> Standing:
    """The 40 s in which most sounds, as a standing of its own."""
    hop_s = gammatone.hop_frames(found.sample_rate) / found.sample_rate
    count, frames = round(PART_S / hop_s), max(map(len, found.sources))
    if frames <= count:
        return found
    level = np.zeros(frames)
    for power in found.sources:
        own = power.sum(axis=1, dtype=np.float64)
        level[: len(own)] += (own > own.max(initial=0.0) * 1e-3).astype(np.float64)
    summed = np.cumsum(np.insert(level, 0, 0.0))
    start = int(np.argmax(summed[count:] - summed[:-count]))
    hits = {
        unit_id: tuple(time - start * hop_s for time in times if 0.0 <= time - start * hop_s < PART_S)
        for unit_id, times in found.hits_s.items()
    }
    sources = tuple(power[start : start + count] for power in found.sources)
    rooms = None if found.rooms is None else found.rooms[start : start + count]
    return dataclasses.replace(found, sources=sources, rooms=rooms, hits_s=hits)


def searched(found: Standing, weights: Mapping[str, float], movable: list[int], already: Gains | None = None) -> Gains:
    """A gain for each source, dB: coordinate descent on what the witness says is masked, within the guards. already: by
    how much each was moved before, which counts."""
    gains = np.zeros(len(found.units))
    before = np.zeros(len(found.units)) if already is None else already
    first = best = relations_of(found, weights)
    bounds = tuple(dataclasses.replace(guard, most=BORNE * guard.most) for guard in OF_RELATIONS)
    for _ in range(MOST_PASSES):
        moved = False
        for index in movable:
            for step in (STEP_DB, -STEP_DB):
                tried = gains.copy()
                tried[index] += step
                if abs(before[index] + tried[index]) > MOST_DB:
                    continue
                then = relations_of(_scaled(found, tried), weights)
                if _is_better(best, then) and not losses(first, then, bounds) and not _too_far(first, then):
                    gains, best, moved = tried, then, True
                    break
        if not moved:
            break
    return gains


def _scaled(found: Standing, gains: Gains) -> Standing:
    factors = [np.float32(decibels.gain(float(gain)) ** 2) for gain in gains]
    return dataclasses.replace(
        found, sources=tuple(power * by for power, by in zip(found.sources, factors, strict=True))
    )  # fmt: skip


def _is_better(best: Whole, then: Whole) -> bool:
    return best.masked is not None and then.masked is not None and then.masked < best.masked - LEAST_GAIN


def _too_far(first: Whole, then: Whole) -> bool:
    """Whether the lead would stand further out than it should, and further than it did."""
    if first.lead_db is None or then.lead_db is None:
        return False
    return then.lead_db > max(FURTHEST_LEAD_DB, first.lead_db)


def _is_worth(before: Whole, then: Whole) -> bool:
    return before.masked is not None and then.masked is not None and before.masked - then.masked >= WORTH


def _agrees(look: Look, there: Look) -> bool:
    """Whether the figure that it was not searched on says the same."""
    was, now = sharing(look), sharing(there)
    return was is not None and now is not None and now.mean < was.mean


def _low_end_stays(look: Look, there: Look) -> bool:
    """Whether the bass would not stand over its ceiling, or no further than it does, and kick and bass lose nothing
    that the moves of the low end may not cost either."""
    now, then = ceiling(look), ceiling(there)
    under = now is None or then is None or then.change_db >= min(-WORTH_DB, now.change_db)
    return under and not guards.harms(look, there.session)


def _levels(session: Session, found: Standing, gains: Gains) -> dict[str, float]:
    return {
        lane.id: LEVEL.clamped(round(session.lane(lane.id).level_db + float(gain), 1))
        for unit, gain in zip(found.units, gains, strict=True)
        if gain
        for lane in unit.lanes
    }


def _proposal(look: Look, there: Look, found: Standing, gains: Gains, levels: dict[str, float]) -> Proposal:
    before, then = relations(look), relations(there)
    was, now = sharing(look), sharing(there)
    assert before.masked is not None
    assert then.masked is not None
    assert was is not None
    assert now is not None
    moved = [(unit.name, float(gain)) for unit, gain in zip(found.units, gains, strict=True) if gain]
    up = [f"{name} {signed(gain, 1)}" for name, gain in sorted(moved, key=lambda pair: -pair[1]) if gain > 0.0]
    down = [f"{name} {signed(gain, 1)}" for name, gain in sorted(moved, key=lambda pair: pair[1]) if gain < 0.0]
    dearer = costs.of_peak_db(look, there.session)
    by_db = {lane.id: float(gain) for unit, gain in zip(found.units, gains, strict=True) for lane in unit.lanes}
    return KIND.move(
        targets=tuple(levels),
        title=f"Polish: {len(moved)} faders by up to {number(float(np.abs(gains).max()))} dB",
        reason=f"Up: {', '.join(up) or 'none'}; down: {', '.join(down) or 'none'}, all in dB. Both figures of masking "
        f"agree: {number(100.0 * was.mean)} → {number(100.0 * now.mean)} % by that of Share, which it was not searched "
        f"on.{costs.words(dearer)} Hear it before you make it.",
        parameters={"levels_db": levels, BY: by_db},
        evidence={"lead_db": then.lead_db, "masked": before.masked, "masked_then": then.masked,
                  "masked_by_share": was.mean, "masked_by_share_then": now.mean, costs.PLR: dearer},
        metric=METRIC, before=100.0 * before.masked, expected=100.0 * then.masked, source="worked out", weight=1.0,
    )  # fmt: skip


def _edit(session: Session, proposal: Proposal) -> Session:
    levels = per_strip(proposal, "levels_db")
    return edits.set_levels(session, {lane_id: level for lane_id, level in levels.items() if session.is_lane(lane_id)})


def _parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    return [
        (lane_id, f"{session.lane(lane_id).name} {number(session.lane(lane_id).level_db)} → {number(level)} dB")
        for lane_id, level in values_of(proposal, "levels_db").items()
        if session.is_lane(lane_id)
    ]


def _changed(proposal: Proposal) -> Proposal:
    return replace(proposal, expected=None) if left_out(proposal) else proposal


def _masked(look: Look, _arguments: Arguments) -> float | None:
    found = relations(look).masked
    return None if found is None else 100.0 * found


DEPENDS_ON = ("files", "order", "names", "levels", "strips", "chains", "settings")
METRIC = Metric("masked-second", "masked, 2nd opinion", "%", 1, 0.3, (*DEPENDS_ON, "mix"), _masked)
KIND = Kind("balance.polish", DEPENDS_ON, propose, _edit, parts=_parts, changed=_changed, afterwards=True)
