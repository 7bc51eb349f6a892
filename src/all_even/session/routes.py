"""The way of a strip to the mix: the buses behind its fader, in order."""

from all_even.session.model import MIX, NOWHERE, Bus, Session, Strip


def buses_behind(session: Session, strip: Strip) -> tuple[Bus, ...]:
    """From the next bus to the last before the mix; a way that leads nowhere ends where it ends."""
    found: list[Bus] = []
    to = strip.destination
    while to not in (MIX, NOWHERE) and to not in {bus.id for bus in found}:
        found.append(session.bus(to))
        to = found[-1].destination
    return tuple(found)
