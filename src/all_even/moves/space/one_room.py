"""An ensemble shares one room: a return for each row it sits in, all of the same room, gathered in one bus.

What sits on the left is heard as from a player on the left of that row (`dsp.space.room`); rows further back have more
of the room by themselves, so all send alike. One fader, found on the sound, says how much room there is.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.space.room import Room
from all_even.figures.book.look import Look
from all_even.figures.sources.units import Unit
from all_even.figures.space import spaces
from all_even.moves.buses.tracks import free_bus_name, present
from all_even.moves.kind import Kind, measured_later, name_of, names_of, per_strip, value_of
from all_even.moves.space import who
from all_even.moves.space.figures import COVERED, DEPENDS_ON
from all_even.moves.space.short_and_long import AIM, further_under, parts
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats

FIRST_M, ROW_M = 3.0, 2.0
"""Where the first row stands from the pair of microphones, and how far the next ones behind it."""
NAME = "One room"


def propose(look: Look) -> list[Proposal]:
    line_up = seats.fitting(look.session)
    if line_up is None or space.returns(look.session):
        return []
    sends = dict.fromkeys((lane.id for unit in _players(look) for lane in who.senders(look, unit)), 0.0)
    found = _proposal(look, sends, line_up.name.lower(), spaces.JUST_MISSED) if len(sends) > 1 else None
    return [found] if found is not None else []


def _players(look: Look) -> list[Unit]:
    """Everybody sits in the room, bass parts too; what others bleed into a microphone sounds like a room of its own, so
    only who was said to have one stays out."""
    return [unit for unit in who.heard(look) if unit.role not in who.ROOMS and unit.head.own_room is not True]


def _proposal(look: Look, sends: dict[str, float], ensemble: str, aim: float) -> Proposal | None:
    name = free_bus_name(look.session, NAME)
    session, bus = made(look.session, name, sends, 0.0)
    by_db = spaces.placing_db(look.at(session), bus, aim)
    if by_db is None:
        return None
    level_db = LEVEL.clamped(round(by_db, 1))
    placed = look.at(edits.change_strips(session, (bus,), level_db=level_db))
    figures = spaces.figures_of(placed, bus)
    rows = sorted({seats.row_of(look.session.lane(lane_id)) for lane_id in sends})
    room = Room()
    return KIND.move(
        targets=tuple(sends), title=f"One room for the {ensemble}",
        reason=f"An ensemble shares one place: {number(room.width_m, 0)} by {number(room.length_m, 0)} by "
        f"{number(room.height_m, 0)} m, {number(room.decay_s)} s, {len(rows)} row{'s' if len(rows) > 1 else ''} from "
        f"{number(FIRST_M, 0)} m on; first reflections by seat, then one common tail. Just audible when muted.",
        parameters={"sends": sends, "level_db": level_db, "name": (name,), "aim": aim, "ensemble": (ensemble,)},
        evidence={"rows": len(rows), "volume_m3": room.volume_m3, "low_added_db": figures.low_added_db},
        metric=COVERED, arguments={"bus": name}, expected=figures.covered, source="trial", weight=6.5,
    )  # fmt: skip


def made(session: Session, name: str, sends: dict[str, float], level_db: float) -> tuple[Session, str]:
    """The session with the room: one bus that all rows lead to, and a return for each row."""
    session, bus = routing_edits.add_bus(session, name)
    lanes = present(session, sends)
    for row in sorted({seats.row_of(session.lane(lane_id)) for lane_id in lanes}):
        session, row_bus = routing_edits.add_bus(session, f"{name} row {row + 1}", "return", bus)
        session = chain_edits.add_station(session, row_bus, Room(distance_m=FIRST_M + ROW_M * row))
        there = [lane_id for lane_id in lanes if seats.row_of(session.lane(lane_id)) == row]
        for lane_id in there:
            session = routing_edits.set_send(session, (lane_id,), row_bus, level_db=sends[lane_id])
    return edits.change_strips(session, (bus,), level_db=level_db), bus


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    kept = per_strip(proposal, "sends")
    ensembles = names_of(proposal, "ensemble")
    anew = _proposal(look, kept, ensembles[0], value_of(proposal, "aim"))
    if anew is None:
        return proposal
    given = {name: proposal.parameters[name] for name in ("sends", "left_out") if name in proposal.parameters}
    return replace(anew, parameters={**anew.parameters, **given}, rests_on=proposal.rests_on)


def _edit(session: Session, proposal: Proposal) -> Session:
    return made(session, name_of(proposal), per_strip(proposal, "sends"), value_of(proposal, "level_db"))[0]


KIND = Kind(
    "space.one-room", DEPENDS_ON, propose, _edit, parameters={"aim": AIM}, changed=measured_later, starting_point=True,
    parts=parts, refit=_refit, less=further_under, rivals=frozenset({"space.short", "space.long"}),
)  # fmt: skip
