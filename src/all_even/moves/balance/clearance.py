"""Room for the lead by faders alone: the others go down until at most half of it is covered, by 6 dB at the most.

Kick, snare and bass keep their level: they cover little of a voice, and carry the song. The 6 dB are those of a
session: what was lowered before counts. A bass that would then stand over its ceiling stops it where that begins. What
it costs the others stands on the card.
"""

import numpy as np

from all_even import decibels
from all_even.dsp.parameter import LEVEL, number
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import ceiling
from all_even.figures.sources.units import Table, Unit, table
from all_even.figures.whole.whole import relations
from all_even.measure.sharing import masking
from all_even.moves.accounts import standing
from all_even.moves.balance.bass_ceiling import WORTH_DB
from all_even.moves.kind import Kind, per_strip
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

MOST_COVERED = 0.50
MOST_DB = 6.0
STEP_DB = 0.25
LEAST_DB = 0.5


def share_with(found: Table, unit_id: str, moved: set[str], by_db: float) -> float | None:
    """Share of one source that is covered with some of the others moved."""
    tracks = {i: track.scaled(by_db) if i in moved else track for i, track in found.tracks.items()}
    return masking.find_masking(tracks, floor=found.floor).shares[unit_id]


def propose(look: Look) -> list[Proposal]:
    found = table(look)
    leads = [unit for unit in found.units if unit.standing == "lead"]
    moves = [move for lead in leads if (move := _for_lead(look, found, lead, leads)) is not None]
    return moves[:1]


def _for_lead(look: Look, found: Table, lead: Unit, leads: list[Unit]) -> Proposal | None:
    share = found.shares[lead.id]
    others = [unit for unit in found.units if unit not in leads and unit.standing != "carrying"]
    left_db = MOST_DB - lowered_db(look.session)
    if share is None or share <= MOST_COVERED or not others or left_db < LEAST_DB:
        return None
    moved = {unit.id for unit in others}
    down, then = 0.0, share
    for tried in np.arange(STEP_DB, left_db + STEP_DB / 2.0, STEP_DB):
        down = float(tried)
        then = share_with(found, lead.id, moved, -down) or 0.0
        if then <= MOST_COVERED:
            break
    held = _held_by_bass(look, others, down)
    if held < down:
        down, then = held, share_with(found, lead.id, moved, -held) or 0.0
    if down < LEAST_DB or share - then < 0.02:
        return None
    levels = _lowered(others, down)
    tracks = {i: track.scaled(-down) if i in moved else track for i, track in found.tracks.items()}
    after = masking.find_masking(tracks, floor=found.floor).shares
    mean, most = _costs([(after[i] or 0.0) - (found.shares[i] or 0.0) for i in moved])
    half = ": half of it is free" if then <= MOST_COVERED else ". That is not half of it: mute or pan something"
    return KIND.move(
        targets=tuple(levels),
        of=lead.id,
        title=f"Lower {len(others)} tracks by {number(down)} dB behind {lead.name}",
        reason=f"{100 * share:.0f} % of {lead.name} is masked by the others, then {100 * then:.0f} %{half}. It "
        f"costs them {100 * mean:.0f} % of theirs on average, {100 * most:.0f} % at most. Kick, snare and bass stay.",
        parameters={"levels_db": levels},
        evidence={
            "lead_covered": share,
            "lead_covered_then": then,
            "down_db": down,
            "lead_db": relations(look.at(edits.set_levels(look.session, levels))).lead_db,
            "others_cost_mean": mean,
            "others_cost_most": most,
        },
        metric=METRIC,
        arguments={"lane": lead.id},
        before=100.0 * share,
        expected=100.0 * then,
        weight=5.0,
    )


def lowered_db(session: Session) -> float:
    """By how much the others were lowered for the lead before, all moves that stand together."""
    made = (move for move in standing(session).values() if move.kind == KIND.id)
    return sum(float(move.evidence.get("down_db") or 0.0) for move in made)


def _lowered(others: list[Unit], down_db: float) -> dict[str, float]:
    lanes = [lane for unit in others for lane in unit.lanes if lane.level_db > decibels.OFF_DB]
    return {lane.id: LEVEL.clamped(lane.level_db - down_db) for lane in lanes}


def _held_by_bass(look: Look, others: list[Unit], down_db: float) -> float:
    """How far the others may go down until the bass would stand over its ceiling; all the way where it does already."""
    now = ceiling(look)
    if now is None or now.change_db < -WORTH_DB:
        return down_db
    while down_db >= LEAST_DB:
        then = ceiling(look.at(edits.set_levels(look.session, _lowered(others, down_db))))
        if then is None or then.change_db >= -WORTH_DB:
            break
        down_db -= 2.0 * STEP_DB
    return down_db


def _costs(rises: list[float]) -> tuple[float, float]:
    """Mean and largest."""
    return float(np.mean(rises)), max(rises)


def edit(session: Session, proposal: Proposal) -> Session:
    levels = per_strip(proposal, "levels_db")
    return edits.set_levels(session, {i: level for i, level in levels.items() if session.is_lane(i)})


def covered_percent(look: Look, arguments: Arguments) -> float | None:
    """How much of a lane's source is covered, %."""
    found = table(look)
    unit = next((unit for unit in found.units if any(lane.id == arguments["lane"] for lane in unit.lanes)), None)
    share = found.shares.get(unit.id) if unit is not None else None
    return None if share is None else 100.0 * share


DEPENDS_ON = ("files", "order", "names", "levels", "strips")
KIND = Kind("balance.clearance", DEPENDS_ON, propose, edit)
METRIC = Metric("covered", "masked by the others", "%", 0, 1.5, DEPENDS_ON, covered_percent)
