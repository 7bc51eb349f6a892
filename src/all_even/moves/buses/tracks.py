"""Which tracks of a session a ready start is about."""

from collections.abc import Callable, Iterable

from all_even.dsp.ducking.shaped import follows_another
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus, Lane, Strip
from all_even.session.tracks.roles import family_of

CLICK_FIRST = ("kick in", "kick", "kick out")
"""Kick roles, the one with the clearest click first (common practice: the microphone inside)."""
KICKS = frozenset(CLICK_FIRST)


def sounding(session: Session, wanted: Callable[[Lane], bool]) -> list[Lane]:
    """Lanes in sight that are heard and wanted."""
    return [lane for lane in session.lanes if not lane.hidden and routing.is_sounding(session, lane) and wanted(lane)]


def of_family(session: Session, family: str) -> list[Lane]:
    return sounding(session, lambda lane: family_of(lane.role) == family)


def kicks(session: Session) -> list[Lane]:
    return sounding(session, lambda lane: lane.role in KICKS)


def ids(lanes: Iterable[Lane]) -> tuple[str, ...]:
    return tuple(lane.id for lane in lanes)


def present(session: Session, wanted: Iterable[str]) -> list[str]:
    """Those of these lanes that are still there."""
    known = {lane.id for lane in session.lanes}
    return [lane_id for lane_id in wanted if lane_id in known]


def bus_named(session: Session, name: str) -> Bus | None:
    return next((bus for bus in session.buses if bus.name == name), None)


def free_bus_name(session: Session, name: str) -> str:
    """The name, or with a number where a bus is called so: what a move does is measured by it."""
    names = (name, *(f"{name} {number}" for number in range(2, len(session.buses) + 3)))
    return next(one for one in names if bus_named(session, one) is None)


def is_ducked(strip: Strip) -> bool:
    """Whether something on a lane or group listens to another track, or follows a shape."""
    return any(follows_another(station) for station in strip.chain)


def has_parallel_copy(session: Session, lane: Lane) -> bool:
    """Whether a copy of a lane already goes to a parallel bus, whatever its name."""
    parallel = {bus.id for bus in session.buses if bus.use == "parallel"}
    return any(send.on and send.to in parallel for send in lane.sends)


def shared_bus(session: Session, kick: list[Lane], bass: list[Lane]) -> str | None:
    """A bus that carries kick and bass, and no other lane."""
    kicked, based = {lane.destination for lane in kick}, {lane.destination for lane in bass}
    known = {*ids(kick), *ids(bass)}
    others = {lane.destination for lane in session.lanes if lane.id not in known}
    buses = {bus.id for bus in session.buses}
    return min(kicked & based & buses - others, default=None)
