"""What is to be said of a balance before anything is moved: where everybody stands, and the whole against references.

Places are only judged of single channels that are no part of the centre by their role.
"""

from itertools import combinations

import numpy as np

from all_even.dsp.parameter import number
from all_even.engine.figures.look import Look
from all_even.engine.stand import Stand, pan_of, stand
from all_even.engine.whole import whole
from all_even.measure.level import zones
from all_even.session import seats
from all_even.session.classes import PAIRED, class_of, stands_central
from all_even.session.remark import Remark
from all_even.session.roles import family_of

IN_THE_MIDDLE = 0.1
"""Of full pan: nearer nobody hears it beside the centre."""
FEWEST_CENTRAL = 4
ONE_SEAT = 0.15
ALIKE = 0.8
"""Likeness of two spectra (cosine of what counts of them), from where two parts are heard as one (our own rule)."""
AT_ONCE = 0.3
"""Of the time the rarer one plays."""
MOST_PAIRS = 3


def remarks(look: Look) -> tuple[Remark, ...]:
    """All of them, the most important first."""
    found = stand(look)
    told = [] if found is None else _all_centre(look, found) or _one_seat(look, found)
    return (*told, *_zones(look))


def _movable(look: Look, found: Stand) -> list[int]:
    return [
        index
        for index, unit in enumerate(found.units)
        if found.mono[index] and not stands_central(unit.role) and unit.role not in PAIRED and unit.role != "unknown"
    ]


def _all_centre(look: Look, found: Stand) -> list[Remark]:
    movable = _movable(look, found)
    if len(movable) < FEWEST_CENTRAL or seats.fitting(look.session) is not None:
        return []
    if any(abs(pan_of(look.session, found.units[index])) > IN_THE_MIDDLE for index in movable):
        return []
    lanes = tuple(lane.id for index in movable for lane in found.units[index].lanes)
    text = f"All {len(movable)} sources that could stand anywhere stand in the middle: they cover each other there."
    return [Remark(lanes, "all-centre", float(len(movable)), text)]


def _one_seat(look: Look, found: Stand) -> list[Remark]:
    """Two of a family and a class, alike in their spectrum and playing at once, at one place."""
    weight = found.stage.weight
    told = []
    for a, b in combinations(_movable(look, found), 2):
        first, second = found.units[a], found.units[b]
        if (family_of(first.role), class_of(first.role)) != (family_of(second.role), class_of(second.role)):
            continue
        if abs(pan_of(look.session, first) - pan_of(look.session, second)) > ONE_SEAT:
            continue
        playing = weight[a].sum(axis=1) > 0.0, weight[b].sum(axis=1) > 0.0
        rarer = min(playing[0].sum(), playing[1].sum())
        if rarer == 0 or (playing[0] & playing[1]).sum() < AT_ONCE * rarer:
            continue
        mean_a, mean_b = weight[a].mean(axis=0, dtype=np.float64), weight[b].mean(axis=0, dtype=np.float64)
        likeness = float(mean_a @ mean_b / max(np.linalg.norm(mean_a) * np.linalg.norm(mean_b), 1e-30))
        if likeness >= ALIKE:
            text = (
                f"alike ({100.0 * likeness:.0f} %) and at one place: heard as one. Apart, or one an octave away, both "
                "are heard."
            )
            told.append(Remark((first.id, second.id), "one-seat", likeness, text))
    return sorted(told, key=lambda remark: -remark.size)[:MOST_PAIRS]


def _zones(look: Look) -> list[Remark]:
    found = whole(look)
    if found is None:
        return []
    told = []
    for index, beside in found.flags:
        level, band = found.mix[index], found.bands[index]
        assert level is not None
        assert band is not None
        low, high = zones.EDGES_HZ[index : index + 2]
        name = zones.NAMES[index]
        text = (
            f"{name[:1].upper()}{name[1:]} ({low:.0f} to {high:.0f} Hz): {number(abs(beside))} dB "
            f"{'over' if beside > 0.0 else 'under'} all that your {len(found.references)} references do at equal "
            "loudness. A flag, no fault: about one in ten is false. Listen, and look at single tracks first."
        )
        told.append(Remark((), "zone", beside, text))
    return told
