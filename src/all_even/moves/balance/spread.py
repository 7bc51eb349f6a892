"""Sources side by side: what is alike stands apart, and left and right stay equal.

Width is what uncovers, sides hardly matter for that; so a rule places the sources (low end, lead and snare in the
centre, overheads and rooms as pairs, the kit where it stands, everything else out to the sides), and the sides are
chosen so that left and right are equally loud along the song. It lowers what covers more than any equaliser can, before
two loudspeakers; in mono nothing of it is left, and what stands far out loses level there.
"""

from itertools import combinations, product

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sources.stereo_placement import (
    Stand,
    alike,
    covered_at,
    gains_of,
    lopsided_lu,
    mono_loss,
    pan_of,
    stand,
    weighted,
)
from all_even.measure.sharing import placing
from all_even.moves.balance import costs, pans
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats
from all_even.session.tracks.classes import KIT, PAIRED, stands_central

OUT = 0.6
KIT_OUT = 0.35
HARD = "hard left and right"
"""The approach (`session.model.approaches`) with nothing between the sides and the centre, but for the kit."""
OTHERS_OUT = (0.85, 0.3)
"""Where the second and third of several alike go on a side."""
ONE_SEAT = 0.15
"""Of full pan: two that are alike and no further apart are heard as one."""
LEFT_ALONE = PAIRED | {"unknown"}
"""Pairs have their sides; what nobody knows may be a kick."""
UNTOUCHED = 0.1
"""A source within this of the centre was not placed yet."""
FEWEST = 3
LEAST_GAIN = 0.02
ALL_TRIED = 11
"""Up to so many sources every choice of sides is tried; of more, those that single and paired changes lead to."""
BACKING_OUT = 0.75
ALIKE_COST_LU = 0.4
"""What two alike on one side may cost in equality of the sides."""


def wanted_pans(look: Look, found: Stand) -> dict[str, float]:
    """A place for each mono source that was not placed by hand, by unit id."""
    session = look.session
    movable = [
        index
        for index, unit in enumerate(found.units)
        if found.mono[index] and len(unit.lanes) == 1 and not stands_central(unit.role) and unit.role not in LEFT_ALONE
        and abs(pan_of(session, unit)) <= UNTOUCHED
    ]  # fmt: skip
    if len(movable) < FEWEST:
        return {}
    centroids = placing.centroids_hz(found.stage)
    # Neighbours in the spectrum go to different sides.
    movable.sort(key=lambda index: (found.units[index].standing, centroids[index]))
    hard = session.approaches.pan_width == HARD
    width = {i: _width(found.units[i].role, hard=hard) for i in movable}
    signs = {index: 1 if turn % 2 else -1 for turn, index in enumerate(movable)}
    signs = _balanced(session, found, movable, width, signs)
    places = {i: signs[i] * width[i] for i in movable}
    places = places if hard else _no_two_alike(found, movable, places)
    return {found.units[i].id: places[i] for i in movable}


def _no_two_alike(found: Stand, movable: list[int], places: dict[int, float]) -> dict[int, float]:
    """With sources that are alike on one side at different places of it: at one place they are heard as one."""
    beside: dict[int, set[int]] = {}
    for a, b in alike(found, movable):
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    settled: dict[int, float] = {}
    for index in movable:
        own = places[index]
        taken = [settled[other] for other in beside.get(index, ()) if other in settled]
        side = 1.0 if own > 0.0 else -1.0
        there = [side * other for other in OTHERS_OUT]
        places_there = (own, *there, -own, *(-place for place in there))
        free = (place for place in places_there if all(abs(place - there) > ONE_SEAT for there in taken))
        settled[index] = next(free, own)
    return settled


def _width(role: str, *, hard: bool) -> float:
    if role in KIT:
        return KIT_OUT
    if hard:
        return 1.0
    return BACKING_OUT if role == "backing voice" else OUT


def _balanced(
    session: Session, found: Stand, movable: list[int], width: dict[int, float], signs: dict[int, int]
) -> dict[int, int]:
    """Sides that keep left and right equal, and what is alike apart."""

    pairs = alike(found, movable)

    def cost(tried: dict[int, int]) -> float:
        pans = {found.units[i].id: tried[i] * width[i] for i in movable}
        together = sum(tried[a] == tried[b] for a, b in pairs)
        return lopsided_lu(found, gains_of(session, found, pans)) + ALIKE_COST_LU * together

    if len(movable) <= ALL_TRIED:
        first, *others = movable
        trials = ({first: 1, **dict(zip(others, tried, strict=True))} for tried in product((1, -1), repeat=len(others)))
        return min(trials, key=cost)
    best = cost(signs)
    for _ in range(3):
        before = best
        for a, b in [(a, b) for a, b in combinations(movable, 2)] + [(i, i) for i in movable]:
            tried = {**signs, a: -signs[a], b: -signs[b]}
            value = cost(tried)
            if value < best - 1e-6:
                best, signs = value, tried
        if best >= before - 1e-6:
            break
    return signs


def propose(look: Look) -> list[Proposal]:
    if seats.fitting(look.session) is not None:
        return []  # an ensemble sits where it sits
    found = stand(look)
    if found is None:
        return []
    wanted = wanted_pans(look, found)
    if not wanted:
        return []
    session = look.session
    now, then = covered_at(session, found), covered_at(session, found, wanted)
    before, after = weighted(found, now.loudspeakers), weighted(found, then.loudspeakers)
    if before - after < LEAST_GAIN:
        return []
    gains = gains_of(session, found, wanted)
    loss, lopsided = mono_loss(found, gains), lopsided_lu(found, gains)
    ear = weighted(found, now.ear) - weighted(found, then.ear)
    return [
        KIND.move(
            targets=tuple(wanted),
            title=f"Pan {len(wanted)} tracks apart",
            reason=f"On speakers {100 * (before - after):.0f} % less of the tracks is masked (in the better ear "
            f"{100 * ear:.0f} %). Left and right differ by {number(lopsided)} LU along the song. In mono nothing of it "
            f"is left: lows lose {number(-loss['low'])}, mids {number(-loss['mid'])}, highs {number(-loss['high'])} "
            "dB.",
            parameters={pans.PANS: wanted},
            evidence={
                "covered_loudspeakers": before,
                "covered_loudspeakers_then": after,
                "covered_ear_gain": ear,
                "left_right_rms_lu": lopsided,
                **{f"mono_loss_{name}_db": value for name, value in loss.items()},
            },
            metric=METRIC,
            before=100.0 * before,
            expected=100.0 * after,
            weight=6.0,
        )
    ]


def covered_percent(look: Look) -> float | None:
    """Importance-weighted share of the sources that is covered before loudspeakers, %."""
    found = stand(look)
    if found is None:
        return None
    value = 100.0 * weighted(found, covered_at(look.session, found).loudspeakers)
    return None if np.isnan(value) else value


def changed(proposal: Proposal) -> Proposal:
    """With sources left out it is found afterwards."""
    promised = proposal.evidence.get("covered_loudspeakers_then")
    known = isinstance(promised, int | float) and not left_out(proposal)
    return replace(proposal, expected=100.0 * float(promised or 0.0) if known else None)


DEPENDS_ON = ("files", "order", "names", "levels", "strips", "settings", "approaches")
KIND = Kind(
    "balance.spread", DEPENDS_ON, propose, pans.edit, prepare=costs.told_by(pans.edit), parts=pans.parts,
    changed=changed,
)  # fmt: skip
METRIC = Metric(
    "covered-loudspeakers",
    "masked, speakers",
    "%",
    1,
    0.5,
    DEPENDS_ON,
    lambda look, _: covered_percent(look),
)
