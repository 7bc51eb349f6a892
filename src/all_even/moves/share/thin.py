"""Thin out: a layer that another hides anyway is muted, or goes down: the cheapest move of all.

A matter of taste, so it is never made unasked: what is lost is a part somebody played.
"""

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, Parameter, number
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.measure.sharing.scene import Trial
from all_even.moves.kind import Kind
from all_even.moves.share.figures import DEPENDS_ON, HIDDEN, UNKNOWN
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.importance import weight_of

LAYERS = frozenset({"usual", "layer", "guide"})
HIDDEN_ANYWAY = 0.6
"""And more than half of the sources are."""
LEAST_FOR_OTHERS = 0.008
"""The others' share* has to fall by this much, weighted by importance."""
LOWER_DB = -6.0
OUT_DB = 30.0
DOWN = Parameter("Down", "dB", 3.0, OUT_DB, OUT_DB, 1.0)
"""All the way is out."""
MOST = 3


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    if found is None or len(found.units) < 3:
        return []
    trial = Trial(found.scene)
    usual = max(HIDDEN_ANYWAY, float(np.nanmedian(found.shares)))
    rows = []
    for index, unit in enumerate(found.units):
        own = found.shares[index]
        if np.isnan(own) or own < usual or weight_of(unit.head) not in LAYERS or unit.role == UNKNOWN:
            continue
        muted = trial.tried(index, np.zeros(found.scene.power.shape[2]))
        gained = others(found, found.shares, muted, index)
        if gained >= LEAST_FOR_OTHERS:
            rows.append((gained, index, muted))
    rows.sort(key=lambda row: -row[0])
    return [_proposal(look, found, trial, *row) for row in rows[:MOST]]


def others(found: Sharing, before: np.ndarray, after: np.ndarray, without: int) -> float:
    """By how much less of all the others is hidden, weighted."""
    weight = found.scene.importance.copy()
    weight[without] = 0.0
    known = ~np.isnan(before) & ~np.isnan(after) & (weight > 0.0)
    whole = float(weight[known].sum())
    return float(weight[known] @ (before[known] - after[known])) / whole if whole > 0.0 else 0.0


def _proposal(look: Look, found: Sharing, trial: Trial, gained: float, index: int, muted: np.ndarray) -> Proposal:
    unit = found.units[index]
    lower = trial.tried(index, np.full(found.scene.power.shape[2], 10.0 ** (LOWER_DB / 10.0)))
    best = max((i for i in range(len(found.units)) if i != index and not np.isnan(muted[i])),
               key=lambda i: found.shares[i] - muted[i])  # fmt: skip
    rest = [i for i in range(len(found.units)) if i != index]
    weight = found.scene.importance[rest]
    then = float(weight @ np.nan_to_num(muted[rest])) / max(float(weight.sum()), 1e-12)
    return KIND.move(
        targets=tuple(lane.id for lane in unit.lanes),
        of=unit.id,
        title=f"Try muting {unit.name}",
        reason=f"{100.0 * found.shares[index]:.0f} % of it is masked anyway. Without it the others are masked "
        f"{number(100.0 * gained)} % less, {found.units[best].name} most: {100.0 * found.shares[best]:.0f} to "
        f"{100.0 * muted[best]:.0f} %. 6 dB down brings {number(100.0 * others(found, found.shares, lower, index))} %. "
        "What it plays is then gone: listen before you decide.",
        parameters={"down_db": OUT_DB},
        evidence={
            "own_hidden": float(found.shares[index]),
            "others_gain": gained,
            "others_gain_6_db_down": others(found, found.shares, lower, index),
            "most_gained": found.units[best].name,
            "hidden_then": then,
        },
        metric=HIDDEN,
        before=100.0 * found.mean,
        expected=100.0 * then,
        tolerance=0.5,
        weight=5.5,
    )


def edit(session: Session, proposal: Proposal) -> Session:
    """Muted, or only lower where somebody turned it to less than all the way."""
    present = [i for i in proposal.targets if session.is_lane(i)]
    down = proposal.parameters.get("down_db", OUT_DB)
    if not isinstance(down, float) or down >= OUT_DB:
        return edits.change_strips(session, present, mute=True)
    levels = {i: LEVEL.clamped(session.lane(i).level_db - down) for i in present}
    return edits.set_levels(session, levels)


def changed(proposal: Proposal) -> Proposal:
    """Only leaving out was worked out; anything else is found afterwards."""
    whole = proposal.parameters.get("down_db") == OUT_DB
    promised = proposal.evidence.get("hidden_then")
    return replace(proposal, expected=100.0 * promised if whole and isinstance(promised, float) else None)


KIND = Kind("share.thin", DEPENDS_ON, propose, edit, optional=True, parameters={"down_db": DOWN}, changed=changed)
