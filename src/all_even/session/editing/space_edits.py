"""Edits of space by hand: a lane nearer or further, a return of its own."""

from collections.abc import Iterable

from all_even import decibels
from all_even.dsp.parameter import LEVEL
from all_even.dsp.processor import Processor
from all_even.session.editing import chain_edits, routing_edits
from all_even.session.model import space
from all_even.session.model.session import Session


def further(session: Session, lane_ids: Iterable[str], by_db: float, *, only: str | None = None) -> Session:
    """All sends of these lanes to returns louder by so much: further away. Sends that are off stay off. only: those to
    one return."""
    rooms = {bus.id for bus in space.returns(session)} if only is None else {only}
    for lane_id in lane_ids:
        for send in session.strip(lane_id).sends:
            if send.to in rooms and send.on and send.level_db > decibels.OFF_DB:
                level_db = LEVEL.clamped(round(send.level_db + by_db, 2))
                session = routing_edits.set_send(session, (lane_id,), send.to, level_db=level_db)
    return session


def add_return(
    session: Session, name: str, stations: Iterable[Processor], sending: Iterable[str]
) -> tuple[Session, str]:
    """A return with these stations, to which these lanes send at 0 dB; it goes to the mix."""
    session, bus = routing_edits.add_bus(session, name, "return")
    for station in stations:
        session = chain_edits.add_station(session, bus, station)
    wanted = [lane_id for lane_id in sending if session.is_lane(lane_id)]
    return (routing_edits.set_send(session, wanted, bus) if wanted else session), bus
