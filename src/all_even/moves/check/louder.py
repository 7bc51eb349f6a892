"""Louder where noise hides it: what the surroundings cover is not missing in the sound; some dB bring it back.

A small step of the fader, at most 2 dB, only where it brings back 3 (a figure of loudness among others: noise masks
sharply) and nobody else loses more than 2 anywhere.
"""

import numpy as np

from all_even.dsp.parameter import number, signed
from all_even.engine.elsewhere import systems
from all_even.engine.elsewhere.translation import translation
from all_even.engine.figures.look import Look
from all_even.moves.check.figures import COST_DB, GROUNDS, LEFT, lost, outcome_at
from all_even.moves.kind import Kind, value_of
from all_even.session import edits
from all_even.session.model import Proposal, Session

STEPS_DB = (1.0, 1.5, 2.0)
NOISY = ("car", "quiet")


def propose(look: Look) -> list[Proposal]:
    made = []
    stage = translation(look).stage
    for place, key in lost(look, NOISY):
        for step_db in STEPS_DB:
            factor = np.float32(10.0 ** (step_db / 10.0))
            result = outcome_at(look, place, stage.both[place] * factor, stage.middle[place] * factor)
            if not result.is_worth(key):
                continue
            unit = translation(look).units[place]
            where = {"car": "in a car", "quiet": "when it is quiet"}[key]
            made.append(
                Proposal(
                    id=f"{KIND.id}.{unit.id}",
                    kind=KIND.id,
                    stage="check",
                    targets=tuple(lane.id for lane in unit.lanes),
                    title=f"{unit.name} {where}: {signed(step_db)} dB",
                    reason=f"Noise covers it there. {result.words(key)} Others lose {number(COST_DB, 0)} at most.",
                    parameters={"step_db": step_db},
                    evidence=result.evidence(key),
                    metric=LEFT.id,
                    arguments={"lane": unit.id, "system": key},
                    before=float(result.before[systems.KEYS.index(key)]),
                    expected=float(result.after[systems.KEYS.index(key)]),
                    tolerance=LEFT.tolerance,
                    weight=1.5,
                )
            )
            break
    return made


def _edit(session: Session, proposal: Proposal) -> Session:
    return edits.nudge_levels(session, proposal.targets, value_of(proposal, "step_db"))


KIND = Kind("check.louder", GROUNDS, propose, _edit)
