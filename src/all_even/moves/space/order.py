"""Front to back: sends by the row each part sits in, so that what stands further back has more room.

Rows are those of the seating plan (`session.tracks.seats`): the lead in front, then guitars and keys, winds, drums,
pads. Each row stands 2 dB deeper than the one before, by direct against returned sound (`figures.space.depth`); all
sends of a lane move together. The front is where the rows stand now in the middle, so that the returns stay about as
loud. Leads and drums keep what they send: they carry the spaces.
"""

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.figures.book.look import Look
from all_even.figures.space import depth
from all_even.moves.kind import Kind, measured_later, per_strip, value_of
from all_even.moves.space.figures import DEPENDS_ON, DEPTH
from all_even.session.editing import routing_edits
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.importance import weight_of
from all_even.session.tracks.roles import family_of
from all_even.session.tracks.seats import row_of

ROW_DB = 2.0
LEAST_DB, MOST_DB = 1.5, 8.0
FEWEST = 4
STEP = Parameter("A row further back", "dB", 0.5, 6.0, ROW_DB, 0.5)


def moves_db(look: Look, row_db: float = ROW_DB) -> dict[str, float]:
    """By how much the sends of each lane have to move, dB; without those that are about right."""
    found = {}
    for lane in look.session.lanes:
        ratio = depth.ratio_db(look, lane.id)
        if ratio is not None and weight_of(lane) != "lead" and family_of(lane.role) not in ("drums", "percussion"):
            found[lane.id] = ratio + row_db * row_of(lane)
    if len(found) < FEWEST:
        return {}
    middle = float(np.median(list(found.values())))
    wanted = {lane_id: float(np.clip(value - middle, -MOST_DB, MOST_DB)) for lane_id, value in found.items()}
    return {lane_id: round(by, 1) for lane_id, by in wanted.items() if abs(by) >= LEAST_DB}


def moved(session: Session, by_db: Mapping[str, float]) -> Session:
    """The session with all sends to returns of these lanes moved."""
    rooms = {bus.id for bus in space.returns(session)}
    for lane in session.lanes:
        for send in lane.sends:
            if lane.id in by_db and send.to in rooms and send.on:
                level_db = LEVEL.clamped(send.level_db + by_db[lane.id])
                session = routing_edits.set_send(session, (lane.id,), send.to, level_db=level_db)
    return session


def propose(look: Look) -> list[Proposal]:
    if not space.returns(look.session):
        return []
    found = _proposal(look, ROW_DB)
    return [found] if found is not None else []


def _proposal(look: Look, row_db: float) -> Proposal | None:
    by_db = moves_db(look, row_db)
    if not by_db:
        return None
    session = look.session
    furthest = max(by_db, key=lambda lane_id: abs(by_db[lane_id]))
    then = depth.ratio_db(look.at(moved(session, by_db)), furthest)
    name = session.strip_name(furthest)
    return KIND.move(
        targets=tuple(by_db),
        title=f"Front to back: {len(by_db)} track{'s' if len(by_db) > 1 else ''} by the rows they sit in",
        reason=f"Each row {number(row_db)} dB deeper than the one before it, by dry against reverb. Most is "
        f"moved {name}: its sends {signed(by_db[furthest], 1)} dB.",
        parameters={"by_db": by_db, "row_db": row_db, "lane": (furthest,)},
        evidence={"lanes": len(by_db), "furthest": name, "by_db": by_db[furthest]},
        metric=DEPTH, arguments={"lane": furthest}, before=depth.ratio_db(look, furthest), expected=then,
        source="predicted", weight=2.5,
    )  # fmt: skip


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    found = proposal.parameters.get("by_db")
    values = found if isinstance(found, dict) else {}
    known = {strip.id for strip in session.strips}
    return [(lane_id, f"{session.strip_name(lane_id)}: sends {signed(by, 1)} dB") for lane_id, by in values.items()
            if lane_id in known]  # fmt: skip


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    anew = _proposal(look, value_of(proposal, "row_db"))
    if anew is None:
        return proposal
    left = {name: proposal.parameters[name] for name in ("left_out",) if name in proposal.parameters}
    return replace(anew, parameters={**anew.parameters, **left}, rests_on=proposal.rests_on)


def _edit(session: Session, proposal: Proposal) -> Session:
    return moved(session, per_strip(proposal, "by_db"))


KIND = Kind(
    "space.front-to-back", DEPENDS_ON, propose, _edit, parameters={"row_db": STEP}, starting_point=True, parts=parts,
    refit=_refit, changed=measured_later,
)  # fmt: skip
