"""Candidates for one part: lanes of one role that play the same. One plays, the others wait, ready to be swapped.

Whether they are candidates or layers nobody can hear from the files: the card asks.
"""

from all_even.figures.book.look import Look
from all_even.figures.sources.relations import candidate_groups, relations
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import alternatives
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session


def propose(look: Look) -> list[Proposal]:
    return [_ask(look.session, group) for group in candidate_groups(look.session, relations(look))]


def _ask(session: Session, group: list[str]) -> Proposal:
    first, *others = (session.lane(lane_id) for lane_id in group)
    names = ", ".join(lane.name for lane in others)
    return KIND.move(
        targets=tuple(group),
        of=first.id,
        title=f"{first.name} plays, {names} {'are' if len(others) > 1 else 'is'} muted: alternate takes",
        reason=f"They play the same {first.role}, stroke by stroke: alternate takes of one part, or layers? As takes "
        "one plays, the others are muted and never counted twice; U swaps them. As layers: decline.",
        evidence={"role": first.role, "candidates": len(group)},
        metric=METRIC,
        arguments={"lane": first.id, "lanes": " ".join(group)},
        before=float(len(group)),
        expected=1.0,
        weight=5.0,
    )


def edit(session: Session, proposal: Proposal) -> Session:
    present = tuple(lane_id for lane_id in proposal.targets if session.is_lane(lane_id))
    return alternatives.together(session, present)


def playing(session: Session, arguments: Arguments) -> float:
    """How many of these lanes play. A move of an older file names only the first: then of its candidates."""
    named = str(arguments.get("lanes") or "").split()
    first = session.lane(str(arguments["lane"]))
    if not named and first.alternative is not None:
        named = [lane.id for lane in session.lanes if lane.alternative == first.alternative]
    return float(sum(not lane.mute for lane in session.lanes if lane.id in (named or [first.id])))


KIND = Kind("gather.alternatives", ("files", "names", "order", "levels"), propose, edit)
METRIC = Metric(
    "candidates-playing", "takes that play", "", 0, 0.0, ("order", "levels"),
    lambda look, arguments: playing(look.session, arguments),
)  # fmt: skip
