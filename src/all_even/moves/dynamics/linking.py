"""One station for a source of several microphones: its dynamics work on their sum, so that all of them move together.

Two limiters of their own would push a stereo image about with every hit, and change how close microphones add up. So
what works on the level of such a source stands on a summing group of its microphones: the one there is, or one that the
move makes. A source whose microphones go different ways, or of which one gives way to another track already, is left
alone: what stands behind a duck would take it back.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.ducking.shaped import follows_another
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import is_dynamic
from all_even.figures.sources.units import Unit
from all_even.moves.buses.sources import name_of
from all_even.session.editing import routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane


@dataclass(frozen=True, slots=True)
class Place:
    """Where dynamics of a source stand. look: at the session that has this strip. lane: what rules see; of a group its
    main microphone, with the group's id and name. targets: the microphones."""

    look: Look
    lane: Lane
    targets: tuple[str, ...]


def place_of(look: Look, unit: Unit) -> Place | None:
    """None where nothing of the kind may stand there."""
    ids = tuple(lane.id for lane in unit.lanes)
    if any(is_dynamic(station) for lane in unit.lanes for station in lane.chain):
        return None
    if len(ids) == 1:
        return Place(look, unit.head, ids)
    if len({lane.destination for lane in unit.lanes}) > 1:
        return None
    if any(follows_another(station) for lane in unit.lanes for station in lane.chain):
        return None
    session, strip_id = strip_for(look.session, ids)
    if any(is_dynamic(station) for station in session.chain(strip_id)):
        return None
    stand_in = replace(unit.head, id=strip_id, name=session.strip_name(strip_id))
    return Place(look.at(session), stand_in, ids)


def strip_for(session: Session, lane_ids: Sequence[str]) -> tuple[Session, str]:
    """The strip on which dynamics of these lanes stand: the lane, the group that holds just these, or a new one."""
    if len(lane_ids) == 1:
        return session, lane_ids[0]
    lanes = [session.lane(lane_id) for lane_id in lane_ids]
    goal = lanes[0].destination
    members = {strip.id for strip in session.strips if strip.destination == goal}
    if members == set(lane_ids) and goal in {bus.id for bus in session.buses}:
        return session, goal
    return routing_edits.group_strips(session, lane_ids, name_of(Unit(tuple(lanes))))


def place_for(look: Look, proposal: Proposal) -> Place:
    """Where a move that was proposed stands now. Raises KeyError where a target is gone."""
    head = look.session.lane(proposal.targets[0])
    session, strip_id = strip_for(look.session, proposal.targets)
    stand_in = head if strip_id == head.id else replace(head, id=strip_id, name=session.strip_name(strip_id))
    return Place(look.at(session), stand_in, proposal.targets)
