"""Narrow verses, wide choruses: outside the choruses what stands at the sides comes in by a quarter.

It widens the chorus by contrast and makes nothing louder (tried: half the width changes the contrast by 0.03 LU, and
mono loses some). Where a part would then be hidden by more than 0.05 it is not offered. A matter of taste.
"""

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import Parameter, number
from all_even.figures.book.look import Look
from all_even.figures.rides.sections_heard import heard_sections
from all_even.figures.sharing import sharing
from all_even.moves.kind import Kind, measured_later, per_strip, value_of, values_of
from all_even.moves.metric import Arguments, Metric
from all_even.moves.rides.choruses import choruses
from all_even.moves.rides.figures import DEPENDS_ON, MEASURED_ON
from all_even.session.editing import edits, ride_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

WIDTH = Parameter("Width outside choruses", "", 0.5, 0.95, 0.75, 0.05, 2)
SIDE = 0.2
"""What stands nearer to the centre stays."""
FEWEST = 2
MOST_HIDDEN = 0.05
RAMP_S = 0.05


def _spread(session: Session) -> list[Lane]:
    return [
        lane for lane in session.lanes
        if abs(lane.pan) >= SIDE and not lane.mute and not any(item.parameter == "pan" for item in lane.automation)
    ]  # fmt: skip


def curve(pan: float, width: float, sections: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """(seconds, pan): narrow outside the sections, wide inside; 50 ms before a section's start it has opened."""
    points = [(0.0, pan * width)]
    for start_s, end_s in sections:
        if points[-1][0] >= start_s - RAMP_S and len(points) > 1:  # sections in a row stay open
            points = points[:-2]
        else:
            points += [(max(0.0, start_s - RAMP_S), pan * width), (start_s, pan)]
        points += [(end_s - RAMP_S, pan), (end_s, pan * width)]
    return points


def worst_rise(look: Look, width: float) -> float | None:
    """How much more of any source would be hidden before loudspeakers, were it narrow all the time."""
    now = sharing.apart(look)
    narrow = look.session
    for lane in _spread(look.session):
        narrow = edits.change_strips(narrow, [lane.id], pan=lane.pan * width)
    then = sharing.apart(look.at(narrow))
    if now is None or then is None or len(now.loudspeakers) != len(then.loudspeakers):
        return None
    return float(np.nanmax(then.loudspeakers - now.loudspeakers, initial=0.0))


def propose(look: Look) -> list[Proposal]:
    session, sections = look.session, choruses(look)
    lanes = _spread(session)
    if len(lanes) < FEWEST or not sections:
        return []
    rise = worst_rise(look, WIDTH.default)
    if rise is None or rise > MOST_HIDDEN:
        return []
    arguments: dict[str, float | int | str | None] = {"inside": " ".join(f"{s.start_s:.3f}" for s in sections)}
    proposal = KIND.move(
        targets=tuple(lane.id for lane in lanes),
        title=f"{len(lanes)} parts closer outside {len(sections)} chorus{'es' if len(sections) > 1 else ''}",
        reason=f"At {number(WIDTH.default, 2)} of their width outside choruses the chorus opens: wider, not louder. No "
        f"part is masked by more than {number(max(0.0, rise), 3)} by it. Optional.",
        parameters={"width": WIDTH.default, "pans": {lane.id: lane.pan for lane in lanes},
                    "starts": {str(i): item.start_s for i, item in enumerate(sections)},
                    "ends": {str(i): item.end_s for i, item in enumerate(sections)}},
        evidence={"parts": len(lanes), "most_more_hidden": rise}, metric=METRIC, arguments=arguments,
        before=opening_db(look, arguments), source="trial", weight=1.0,
    )  # fmt: skip
    return [_refit(look, proposal)]


def opening_db(look: Look, arguments: Arguments) -> float | None:
    """How much wider choruses are than all else: side over mid, mean over sections by their length, dB."""
    starts = str(arguments.get("inside", "")).split()
    inside: list[tuple[float, float]] = []
    outside: list[tuple[float, float]] = []
    for item in heard_sections(look):
        if item.width_db is not None:
            chosen = inside if f"{item.section.start_s:.3f}" in starts else outside
            chosen.append((item.width_db, item.section.end_s - item.section.start_s))
    if not inside or not outside:
        return None
    a, b = (float(np.average([w for w, _ in part], weights=[t for _, t in part])) for part in (inside, outside))
    return a - b


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    return replace(proposal, expected=opening_db(look.at(_edit(look.session, proposal)), proposal.arguments))


def _edit(session: Session, proposal: Proposal) -> Session:
    starts, ends = values_of(proposal, "starts"), values_of(proposal, "ends")
    sections = [(starts[name], ends[name]) for name in sorted(starts, key=int)]
    for lane_id, pan in per_strip(proposal, "pans").items():
        session = ride_edits.set_curve(session, lane_id, "pan", curve(pan, value_of(proposal, "width"), sections))
    return session


def _parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    known = {strip.id for strip in session.strips}
    return [(target, session.strip_name(target)) for target in proposal.targets if target in known]


METRIC = Metric("chorus-opens", "choruses wider than all else", "dB", 1, 0.5, MEASURED_ON, opening_db)
KIND = Kind(
    "rides.narrow", DEPENDS_ON, propose, _edit, parameters={"width": WIDTH}, parts=_parts, refit=_refit, optional=True,
    changed=measured_later,
)  # fmt: skip
