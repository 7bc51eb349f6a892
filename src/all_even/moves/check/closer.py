"""Closer sides for what mono loses: what stands against its other side is brought in, and its fader keeps it as loud.

Sides that are not alike add up to less from one place. Brought closer they lose less; what they lost here is given
back by the fader, at most 2 dB of it.
"""

import numpy as np

from all_even.dsp.parameter import number
from all_even.dsp.utility import Width
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import translation
from all_even.moves.check.figures import DEPENDS_ON, LEFT, Outcome, chosen, outcome
from all_even.moves.kind import Kind, value_of
from all_even.session.editing import chain_edits, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

WIDTHS = (75.0, 60.0, 45.0, 30.0)
LOST_DB, RAISED_DB = -3.0, 1.5
"""Nothing vanishes in mono that is no fault: what loses a quarter of its loudness is told."""
FEWEST_CHANNELS = 2


def tried(look: Look, place: int, width: float) -> Outcome:
    """What a width (%) would do everywhere. Power of the sides is what both have over their middle."""
    stage = translation(look).stage
    both, middle = stage.both[place], stage.middle[place]
    sides = np.maximum(both - middle, 0.0) * np.float32((width / 100.0) ** 2)
    return outcome(look, place, middle + sides, middle)


def propose(look: Look) -> list[Proposal]:
    found = translation(look)
    column = systems.KEYS.index("mono")
    made = []
    for place in np.argsort(found.left[:, column]):
        unit = found.units[int(place)]
        if not found.left[place, column] <= LOST_DB:
            break
        sounds = look.book.fingerprints(look.session)
        if any(sounds.channels(lane.id) < FEWEST_CHANNELS for lane in unit.lanes):
            continue
        tries = ((width, tried(look, int(place), width)) for width in WIDTHS)
        better = chosen(tries, "mono", enough_db=LOST_DB, raised_db=RAISED_DB)
        if better is None:
            continue
        width, result = better
        made.append(
            KIND.move(
                targets=tuple(lane.id for lane in unit.lanes),
                of=unit.id,
                title=f"{unit.name} in mono: narrow to {number(width, 0)} %",
                reason=f"Left and right partly cancel in mono. {result.words('mono')}",
                parameters={"width": width, "fader_db": result.kept_db},
                evidence=result.evidence("mono"),
                metric=LEFT,
                arguments={"lane": unit.id, "system": "mono"},
                before=float(result.before[column]),
                expected=float(result.after[column]),
                weight=1.2,
            )
        )
    return made


def _edit(session: Session, proposal: Proposal) -> Session:
    for lane_id in proposal.targets:
        session = chain_edits.add_station(session, lane_id, Width(width=value_of(proposal, "width")))
    return edits.nudge_levels(session, proposal.targets, value_of(proposal, "fader_db"))


KIND = Kind("check.closer", DEPENDS_ON, propose, _edit)
