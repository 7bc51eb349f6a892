"""Kick and bass at the faders: the bass under its ceiling (`figures.kick_and_bass.ceiling`), by 3 dB at once.

What a fader takes from a bass nothing gives back, and most of a collision is what ducks and cuts are for: so Balance
lowers once, says what is left, and Low end tries those before more of the fader is spent. Where the bass leads the
bottom and the kick masks it, it is the kick that goes down, as far as it stays audible.
"""

import numpy as np
from msgspec.structs import replace

from all_even import decibels
from all_even.dsp.parameter import LEVEL, number
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import BY_FOCUS, BY_KICK, Ceiling, bass_lanes, ceiling, kick_lanes
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.moves.accounts import standing
from all_even.moves.kind import Kind, values_of
from all_even.moves.low_end import guards
from all_even.moves.low_end.bottom import evidence
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Evidence, Proposal
from all_even.session.model.session import Session

WORTH_DB = 1.0
MOST_STEP_DB = 3.0
"""Of a fader at once: half of low-end problems are a fader, and the other half are not."""


def propose(look: Look) -> list[Proposal]:
    found = ceiling(look)
    if found is None:
        return []
    if found.change_db < -WORTH_DB:
        if _is_spent(look.session):
            return []
        change = max(found.change_db, -MOST_STEP_DB)
        why = f"{number(-found.change_db)} dB over its ceiling, which {found.by} sets"
        if change > found.change_db:
            more = "ducks and cuts at Low end come before more" if found.by in (BY_FOCUS, BY_KICK) else "listen first"
            why += f"; {number(MOST_STEP_DB, 0)} dB at once, {more}"
    elif found.at_floor_db > WORTH_DB:
        change, why = found.at_floor_db, "over 4 LU under the kick: it would only be missed"
    else:
        return []
    title = f"Bass {number(abs(change))} dB {'up' if change > 0.0 else 'down'}"
    reason = f"The bass is {why}. Mute it for a moment: it should be missed, and not be noticed before.{_figure(look)}"
    move = by_fader(look, KIND, bass_lanes(look), change, found, title, reason, weight=7.0)
    if move is None or change > 0.0:
        return [move] if move is not None else []
    then = edit(look.session, move)
    if guards.harms_to_leader(look, then):
        return []
    given = guards.harms_to_sum(look, then)
    return [replace(move, reason=f"{reason} Given up for it: {'; '.join(given)}.") if given else move]


def _is_spent(session: Session) -> bool:
    """Whether a bass was lowered here already: what is left then is not the fader's."""
    return any(move.kind == KIND.id and move.expected is not None and move.before is not None
               and move.expected < move.before for move in standing(session).values())  # fmt: skip


def _figure(look: Look) -> str:
    said = verdict(look)
    return f" {said.figure()}." if said is not None else ""


def propose_kick(look: Look) -> list[Proposal]:
    """Down, where the bass leads and is masked by it, and the kick stays audible."""
    said, found = verdict(look), ceiling(look)
    if said is None or found is None or not said.bass_is_masked or said.limit_db is None or said.limit_db < WORTH_DB:
        return []
    change = -float(np.floor(10.0 * min(MOST_STEP_DB, said.limit_db)) / 10.0)
    masked = 100.0 * (said.bass_masked or 0.0)
    move = by_fader(
        look, KICK, kick_lanes(look), change, found, f"Kick {number(-change)} dB down: the bass leads",
        f"{masked:.0f} % of the bass, which leads the low end, are masked by the kick, and the kick has room to go "
        f"down: {said.figure()}.", weight=6.9,
    )  # fmt: skip
    return [move] if move is not None else []


def by_fader(
    look: Look, kind: Kind, lane_ids: list[str], change_db: float, found: Ceiling, title: str, reason: str, *,
    weight: float,
) -> Proposal | None:  # fmt: skip
    """Kicks or basses up or down together; None where a fader would reach its end."""
    lanes = [lane for lane in map(look.session.lane, lane_ids) if lane.level_db > decibels.OFF_DB]
    levels = {lane.id: LEVEL.clamped(lane.level_db + change_db) for lane in lanes}
    if not levels or any(abs(levels[lane.id] - lane.level_db - change_db) > 0.05 for lane in lanes):
        return None
    told: Evidence = {
        **evidence(look), "kick_focus": found.focus, "bass_re_kick_lu": found.bass_re_kick_lu,
        "to_ceiling_db": found.change_db, "to_floor_db": found.at_floor_db, "held_by": found.by,
    }  # fmt: skip
    of_bass = set(lane_ids) == set(bass_lanes(look))
    return kind.move(
        targets=tuple(levels), title=title, reason=reason, parameters={"levels_db": levels}, evidence=told,
        metric=METRIC, before=found.bass_re_kick_lu,
        expected=found.bass_re_kick_lu + (change_db if of_bass else -change_db), weight=weight,
    )  # fmt: skip


def edit(session: Session, proposal: Proposal) -> Session:
    levels = values_of(proposal, "levels_db")
    return edits.set_levels(session, {i: level for i, level in levels.items() if session.is_lane(i)})


def bass_re_kick_lu(look: Look) -> float | None:
    found = ceiling(look)
    return found.bass_re_kick_lu if found is not None else None


DEPENDS_ON = ("files", "order", "levels", "strips", "routing", "settings")
KIND = Kind("balance.bass", DEPENDS_ON, propose, edit)
KICK = Kind("balance.kick", DEPENDS_ON, propose_kick, edit)
METRIC = Metric(
    "bass-re-kick", "bass against the kick", "LU", 1, 0.3, ("files", "order", "levels", "strips"),
    lambda look, _: bass_re_kick_lu(look),
)  # fmt: skip
