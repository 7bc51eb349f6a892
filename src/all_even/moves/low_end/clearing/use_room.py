"""The room that was cleared is used: behind a duck or a clearing the bass comes up to its ceiling.

As far as keeps the kick's definition (its focus, 3 dB under the limit), whoever leads, and as the ceiling allows. The
kick is as audible then as before the first move, or enough, and masked no more. Before anything is cleared the fader
only goes down (Balance): raising the bass to its limit costs focus for nothing.
"""

import numpy as np

from all_even import decibels
from all_even.dsp.ducking.shaped import follows_another
from all_even.dsp.parameter import LEVEL, number
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import Ceiling, bass_lanes, ceiling
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_focus import low_focus
from all_even.measure.sharing.focus import LIMIT_SHARE
from all_even.measure.sharing.low_pair import pair_figures
from all_even.moves.balance.bass_ceiling import METRIC as BASS_RE_KICK
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.low_end import bottom, guards
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

WORTH_DB, MOST_DB = 1.0, 6.0
STEPS = 11
SHARES = (1.0, 0.7, 0.4)
"""Of what the kick allows, where all of it would harm (`guards`)."""


def propose(look: Look) -> list[Proposal]:
    session = look.session
    basses = [session.lane(lane_id) for lane_id in bass_lanes(look)]
    if not any(follows_another(station) and not station.bypass for lane in basses for station in lane.chain):
        return []
    found = ceiling(look)
    lanes = [lane for lane in basses if lane.level_db > decibels.OFF_DB]
    if found is None or found.change_db < WORTH_DB or not lanes:
        return []
    focus = low_focus(look)
    heard = focus.suggestion_db if focus is not None and focus.suggestion_db is not None else MOST_DB
    most = min(found.change_db, heard, MOST_DB, *(LEVEL.high - lane.level_db for lane in lanes))
    for change in _no_worse(look, most) * np.array(SHARES):
        if change >= WORTH_DB:
            move = _proposal(look, found, lanes, round(float(change), 2))
            if not guards.harms(look, edit(session, move)):
                return [move]
    return []


def _proposal(look: Look, found: Ceiling, lanes: list[Lane], change: float) -> Proposal:
    return KIND.move(
        targets=tuple(lane.id for lane in lanes),
        title=f"Bass {number(change)} dB up: the room is there now",
        reason=f"The kick is {number(100.0 * found.focus, 0)} % audible over it; up to its ceiling, which {found.by} "
        "sets, it takes nothing from the kick's definition. A ceiling, no target: less is as good.",
        parameters={"by_db": change},
        evidence={"to_ceiling_db": found.change_db, "held_by": found.by, **bottom.evidence(look)},
        metric=BASS_RE_KICK,
        before=found.bass_re_kick_lu,
        expected=found.bass_re_kick_lu + change,
        weight=5.3,
    )


def _no_worse(look: Look, most_db: float) -> float:
    """How far the bass may come up so that the kick is audible as before the first move at the low end, or enough, and
    masked no more than then."""
    start, copy = bottom.before_all(look.session), copies(look)
    if start is None or copy is None:
        return most_db
    heard, covered = start.get("focus"), start.get("kick_masked")
    kick, bass = copy.sums(copy.lanes)
    for change in np.linspace(most_db, WORTH_DB, STEPS) if most_db > WORTH_DB else (most_db,):
        then = pair_figures(kick, bass * 10.0 ** (change / 20.0), copy.heard.hits_s, floor=copy.before.floor,
                            kick_bands=copy.kick_bands)  # fmt: skip
        focus = then.focus.at_present if then.focus is not None else 1.0
        less = isinstance(heard, float) and focus < max(heard, LIMIT_SHARE)
        more = isinstance(covered, float) and then.kick_masked is not None and then.kick_masked > covered
        if not less and not more:
            return float(change)
    return 0.0


def edit(session: Session, proposal: Proposal) -> Session:
    by_db = value_of(proposal, "by_db")
    return edits.nudge_levels(session, [i for i in proposal.targets if session.is_lane(i)], by_db)


KIND = Kind(
    "low-end.use-room", bottom.DEPENDS_ON, propose, edit, parameters={"by_db": LEVEL},
    changed=measured_later,
)  # fmt: skip
