"""What of a session makes room: stations that go on after the sound, and the buses that lanes send to for it."""

from all_even.dsp.processor import Processor
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.echo import Echo
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.room import Room
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus, Send, Strip

SPACES = (Reverb, Convolution, Room, Echo)


def is_space(station: Processor) -> bool:
    """Whether a station lets a sound go on."""
    return isinstance(station, SPACES) and not station.bypass


def makes_space(strip: Strip) -> bool:
    return any(is_space(station) for station in strip.chain)


def returns(session: Session) -> tuple[Bus, ...]:
    """Buses that make room of what is sent to them, in order; those that nobody hears too."""
    return tuple(bus for bus in session.buses if makes_space(bus))


def reverb_of(bus: Bus) -> Reverb | None:
    """The first reverb of a return."""
    return next((item for item in bus.chain if isinstance(item, Reverb) and not item.bypass), None)


def send_to(strip: Strip, bus_id: str) -> Send | None:
    """An open send of a strip to a bus."""
    return next((send for send in strip.sends if send.to == bus_id and send.on), None)


def space_sends(session: Session, strip: Strip) -> tuple[Send, ...]:
    """Open sends of a strip to returns that are heard."""
    heard = routing.hearing(session).sounding
    wanted = {bus.id for bus in returns(session) if bus.id in heard}
    return tuple(send for send in strip.sends if send.on and send.to in wanted)
