"""Louder where noise hides it: what the surroundings cover is not missing in the sound; some dB bring it back.

A small step of the fader, at most 2 dB, only where it brings back 3 (a figure of loudness among others: noise masks
sharply) and nobody else loses more than 2 anywhere.
"""

import numpy as np

from all_even.dsp.parameter import number, signed
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import translation
from all_even.moves.check.figures import COST_DB, DEPENDS_ON, LEFT, Outcome, chosen, lost, outcome_at
from all_even.moves.kind import Kind, value_of
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

STEPS_DB = (1.0, 1.5, 2.0)
NOISY = ("car", "quiet")


def propose(look: Look) -> list[Proposal]:
    made = []
    for place, key in lost(look, NOISY):
        steps = ((step_db, _tried(look, place, step_db)) for step_db in STEPS_DB)
        better = chosen(steps, key)
        if better is not None:
            made.append(_proposal(look, place, key, *better))
    return made


def _tried(look: Look, place: int, step_db: float) -> Outcome:
    stage, factor = translation(look).stage, np.float32(10.0 ** (step_db / 10.0))
    return outcome_at(look, place, stage.both[place] * factor, stage.middle[place] * factor)


def _proposal(look: Look, place: int, key: str, step_db: float, result: Outcome) -> Proposal:
    unit, column = translation(look).units[place], systems.KEYS.index(key)
    where = {"car": "in a car", "quiet": "when it is quiet"}[key]
    return KIND.move(
        targets=tuple(lane.id for lane in unit.lanes),
        of=unit.id,
        title=f"{unit.name} {where}: {signed(step_db)} dB",
        reason=f"Noise masks it there. {result.words(key)} Others lose {number(COST_DB, 0)} at most.",
        parameters={"step_db": step_db},
        evidence=result.evidence(key),
        metric=LEFT,
        arguments={"lane": unit.id, "system": key},
        before=float(result.before[column]),
        expected=float(result.after[column]),
        weight=1.5,
    )


def _edit(session: Session, proposal: Proposal) -> Session:
    return edits.nudge_levels(session, proposal.targets, value_of(proposal, "step_db"))


KIND = Kind("check.louder", DEPENDS_ON, propose, _edit)
