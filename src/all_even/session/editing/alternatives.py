"""Candidates for one part: lanes of which one plays while the others wait; of a group, its print or its tracks."""

from collections.abc import Sequence

from msgspec.structs import replace

from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.model.strips import NOWHERE, Lane


def together(session: Session, lane_ids: Sequence[str]) -> Session:
    """Makes lanes candidates for one part; the first plays."""
    if len(lane_ids) < 2:
        return session
    taken = {lane.alternative for lane in session.lanes}
    name = next(f"part-{number}" for number in range(1, len(session.lanes) + 2) if f"part-{number}" not in taken)
    session = edits.change_strips(session, lane_ids, alternative=name, mute=True)
    return edits.change_strips(session, (lane_ids[0],), mute=False)


def print_of(session: Session, strip_id: str) -> Lane | None:
    """The printed sound of a group: of that bus, of one of its tracks, or the lane itself; None where there is none."""
    return next(
        (
            lane for lane in session.lanes
            if lane.printed is not None and strip_id in (lane.id, lane.printed.bus, *lane.printed.strips)
        ),
        None,
    )  # fmt: skip


def play_other(session: Session, printed_id: str) -> Session:
    """The tracks of a printed group play in place of its print, or the print in place of its tracks.

    The group keeps its fader, its sends and what is sidechained from it; so do the tracks, that only lead nowhere.
    """
    lane = session.lane(printed_id)
    assert lane.printed is not None
    held, buses = lane.printed, {bus.id: bus for bus in session.buses}
    own = [item.id for item in session.strips if item.id in held.strips]
    session = edits.change_strips(session, own, destination=NOWHERE if lane.mute else held.bus)
    session = edits.change_strips(session, (printed_id,), mute=not lane.mute)
    if held.bus not in buses:
        return session
    chain = tuple(
        replace(station, bypass=lane.mute) if station.id in held.stations else station
        for station in buses[held.bus].chain
    )
    return edits.change_strips(session, (held.bus,), chain=chain)


def candidates(session: Session, lane_id: str) -> tuple[Lane, ...]:
    """All candidates for the part of a lane, itself among them; none where it is no candidate."""
    word = session.lane(lane_id).alternative
    return tuple(lane for lane in session.lanes if word is not None and lane.alternative == word)


def play_next(session: Session, lane_id: str) -> Session:
    """The next candidate plays in place of the one that does now; of a printed group, its tracks or its print."""
    printed = print_of(session, lane_id)
    if printed is not None:
        return play_other(session, printed.id)
    group = candidates(session, lane_id)
    if len(group) < 2:
        return session
    now = next((index for index, lane in enumerate(group) if not lane.mute), -1)
    chosen = group[(now + 1) % len(group)]
    session = edits.change_strips(session, [lane.id for lane in group], mute=True)
    return edits.change_strips(session, (chosen.id,), mute=False)


def apart(session: Session, lane_id: str) -> Session:
    """Makes them layers again: all play."""
    group = [lane.id for lane in candidates(session, lane_id)]
    return edits.change_strips(session, group, alternative=None, mute=False) if group else session


def waiting(session: Session) -> frozenset[str]:
    """Lanes that wait for another one of their part."""
    playing = {lane.alternative for lane in session.lanes if lane.alternative is not None and not lane.mute}
    return frozenset(lane.id for lane in session.lanes if lane.mute and lane.alternative in playing)
