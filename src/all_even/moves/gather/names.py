"""Plain names. Common practice: one name per track that says what it is."""

from collections import Counter

from all_even.engine.figures.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session import edits
from all_even.session.model import NOWHERE, Proposal, Session

_SIDES = {"l": "left", "left": "left", "r": "right", "right": "right"}


def plain_names(session: Session) -> dict[str, str]:
    """A name from its role for every lane that has one: `Snare top`, `Tom 2`, `Overhead left`.

    A silent trigger is called after the track it copies: `Kick 1 trigger`.
    """
    heard = [lane for lane in session.lanes if lane.destination != NOWHERE]
    counts = Counter(lane.role for lane in heard)
    used: Counter[str] = Counter()
    names = {}
    for lane in heard:
        if lane.role == "unknown":
            continue
        name = lane.role[:1].upper() + lane.role[1:]
        if counts[lane.role] > 1:
            used[lane.role] += 1
            side = _SIDES.get(lane.name.lower().split()[-1])
            name = f"{name} {side or used[lane.role]}"
        names[lane.id] = name
    named = {(lane.folder, lane.file): names[lane.id] for lane in heard if lane.id in names}
    for lane in session.lanes:
        if lane.destination == NOWHERE and (lane.folder, lane.file) in named:
            names[lane.id] = f"{named[lane.folder, lane.file]} trigger"
    return names


def unnamed(session: Session) -> int:
    """Lanes that are not called by their role."""
    names = plain_names(session)
    return sum(lane.name != names.get(lane.id, lane.name) for lane in session.lanes)


def propose(look: Look) -> list[Proposal]:
    session = look.session
    wanted = plain_names(session)
    differing = [lane for lane in session.lanes if lane.id in wanted and lane.name != wanted[lane.id]]
    if len(differing) < 3 or len(differing) * 2 < len(wanted):
        return []
    shown = "; ".join(f"{lane.name} → {wanted[lane.id]}" for lane in differing[:3])
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="gather",
            title=f"Name {len(differing)} lanes by what they are",
            reason=f"The names come from the recording. {shown} …",
            evidence={"lanes_to_rename": len(differing), "roles_known": len(wanted)},
            metric=METRIC.id,
            before=float(len(differing)),
            expected=0.0,
            weight=2.0,
        )
    ]


def edit(session: Session, _proposal: Proposal) -> Session:
    for lane_id, name in plain_names(session).items():
        session = edits.change_strips(session, (lane_id,), name=name)
    return session


KIND = Kind("gather.names", ("order", "names", "routing"), propose, edit, heard=False)
METRIC = Metric(
    "unnamed", "lanes not named by their role", "", 0, 0.0, ("order", "names", "routing"),
    lambda look, _: float(unnamed(look.session)),
)  # fmt: skip
