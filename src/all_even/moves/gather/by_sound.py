"""Lanes whose names say nothing, called what they sound like: struck, bass, or pitched. More can't be told by sound.

One move for all of them, so that a folder of numbered files is no folder of questions; each can be left out, and each
lane still asks on its bench.
"""

from all_even.figures.book.look import Look
from all_even.measure.recording.sounding import MOST_SAID, SURE
from all_even.moves.kind import Kind, left_out, names_of
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.asking import FROM_SOUND

FEWEST = 3
ROLES = "roles"


def wanted(look: Look) -> dict[str, tuple[str, float]]:
    """The role and how likely it is, by lane id."""
    found = {}
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        if lane.role != "unknown" or lane.hidden or report is None or report.character is None:
            continue
        heard = report.character.sounding
        if heard is not None and heard.likely >= SURE:
            found[lane.id] = FROM_SOUND[heard.kind], min(MOST_SAID, heard.likely)
    return found


def propose(look: Look) -> list[Proposal]:
    found = wanted(look)
    if len(found) < FEWEST:
        return []
    return [
        KIND.move(
            title=f"Call {len(found)} unnamed tracks what they sound like",
            reason="Their names say nothing. What is struck, what is a bass and what is pitched can be heard; which "
            "instrument it is can't: say more where you know more.",
            parameters={ROLES: tuple(f"{lane_id} {role}" for lane_id, (role, _) in found.items())},
            evidence={
                look.session.lane(lane_id).name[:80]: f"{role}, {100 * likely:.0f} %"
                for lane_id, (role, likely) in list(found.items())[:150]
            },
            metric=METRIC,
            weight=3.5,
        )
    ]


def roles_of(proposal: Proposal) -> dict[str, str]:
    """The roles it gives, by lane id."""
    pairs = names_of(proposal, ROLES)
    return {lane_id: role for lane_id, _, role in (pair.partition(" ") for pair in pairs)}


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    told = proposal.evidence
    return [
        (lane_id, f"{session.lane(lane_id).name}: {told.get(session.lane(lane_id).name[:80], role)}")
        for lane_id, role in roles_of(proposal).items()
        if session.is_lane(lane_id)
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    out = left_out(proposal)
    for lane_id, role in roles_of(proposal).items():
        if session.is_lane(lane_id) and lane_id not in out:
            session = edits.change_strips(session, (lane_id,), role=role)
    return session


KIND = Kind("gather.by-sound", ("files", "order", "names"), propose, edit, heard=False, parts=parts, bookkeeping=True)
METRIC = Metric(
    "roles-unknown", "tracks without a role", "", 0, 0.0, ("order",),
    lambda look, _: float(sum(lane.role == "unknown" and not lane.hidden for lane in look.session.lanes)),
)  # fmt: skip
