"""What is to be said of a session's space before anything is moved."""

import numpy as np

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.figures.space.space_response import response_of
from all_even.measure.space import mono
from all_even.moves.space import who
from all_even.moves.space.short_and_long import MOST_LEAD_HIDDEN
from all_even.session.model import routing, space
from all_even.session.model.remark import Press, Remark
from all_even.session.model.strips import Bus, Lane

HATS_S, HATS_HZ = 0.5, (4000.0, 8000.0)
"""Common practice: hats under half a second; in their band."""
MOST_ASKED = 4
WIDE = ("Echo", "Doubling", "Widener")


def remarks(look: Look) -> tuple[Remark, ...]:
    """All of them, what may be a mistake first."""
    heard = routing.hearing(look.session).sounding
    rooms = [bus for bus in space.returns(look.session) if bus.id in heard]
    found = [item for bus in rooms for item in (*_low(look, bus), *_printed(look, bus), *_hats(look, bus))]
    asked = [] if rooms else [*_maybe_rooms(look), *_which_layer(look)]
    return (*found, *_lead(look, rooms), *_mono(look), *asked)


def _maybe_rooms(look: Look) -> list[Remark]:
    """Whether chords and plucked notes have a room of their own: asked once, before any is made."""
    unknown = [unit.head for unit in who.maybe_rooms(look)]
    if not unknown:
        return []
    lanes = tuple(lane.id for lane in unknown)
    one = len(unknown) == 1
    text = (
        f"{_names(unknown)}: chords and plucked notes die away by themselves, so whether a room is printed can’t be "
        f"judged. Taken as dry until you say so."
    )
    answers = (
        Press("space.own-room", "It has a room" if one else "All have a room", lanes),
        Press("space.dry", "It is dry" if one else "All are dry", lanes),
    )
    return [Remark((), "own-room", float(len(lanes)), text, presses=answers)]


def _which_layer(look: Look) -> list[Remark]:
    """Several that sound alike at once, of which none is plainly the main one."""
    told = []
    for group in who.layered(look, who.candidates(look, all_layers=True)):
        if not who.is_sure(look, group):
            text = f"{len(group)} alike tracks share one room: which is the main one? Taken as main: {group[0].name}."
            presses = tuple(Press("priority.main", unit.name, (unit.id,)) for unit in group[:MOST_ASKED])
            told.append(Remark((), "layers", float(len(group)), text, presses=presses))
    return told


def _low(look: Look, bus: Bus) -> list[Remark]:
    """Kick and bass in a return that lets their low end through."""
    added = spaces.figures_of(look, bus.id).low_added_db
    low = [lane for lane in spaces.senders(look.session, bus) if who.is_low(look, lane)]
    if not low or added is None:
        return []
    text = f"{_names(low)} in {bus.name}: it adds {number(added, 2)} dB under 250 Hz; usually nothing of them"
    return [Remark(tuple(lane.id for lane in low), "low-in-room", added, text)]


def _printed(look: Look, bus: Bus) -> list[Remark]:
    lanes = [lane for lane in spaces.senders(look.session, bus) if who.has_printed_room(look, lane)]
    if not lanes:
        return []
    text = f"{_names(lanes)} in {bus.name}: a room is printed there already"
    return [Remark(tuple(lane.id for lane in lanes), "room-on-room", float(len(lanes)), text)]


def _hats(look: Look, bus: Bus) -> list[Remark]:
    lanes = [lane for lane in spaces.senders(look.session, bus) if lane.role in who.HATS]
    time_s = response_of(look, bus.id).decay_s(*HATS_HZ) if lanes else None
    if time_s is None or time_s <= HATS_S:
        return []
    text = f"{_names(lanes)} in {bus.name}: {number(time_s)} s at 4 to 8 kHz; usually under half a second"
    return [Remark(tuple(lane.id for lane in lanes), "long-on-hats", time_s, text)]


def _lead(look: Look, rooms: list[Bus]) -> list[Remark]:
    """All returns together: each may be in order, and their sum too much."""
    hidden = [spaces.figures_of(look, bus.id).lead_hidden for bus in rooms]
    total = sum(value for value in hidden if value is not None)
    if len(rooms) < 2 or total <= 2.0 * MOST_LEAD_HIDDEN:
        return []
    leads = tuple(lane.id for lane in look.session.lanes if who.leads(look, [lane.id]))
    text = f"all returns together mask {number(100.0 * total)} % more of the lead"
    return [Remark(leads, "lead-in-rooms", total, text)]


def _mono(look: Look) -> list[Remark]:
    """What is lost in mono of what is made wide here."""
    session, told = look.session, []
    for bus in session.buses:
        wide = any(type(item).__name__ in WIDE and not item.bypass for item in bus.chain)
        if not wide or look.book.fingerprints(session).strips.get(bus.id) is None:
            continue
        sound = look.sound(bus.id)
        worst = mono.worst_db(sound.read(0, sound.frames).astype(np.float64), session.sample_rate)
        if worst is not None and worst < mono.WORST_DB:
            text = f"in mono {bus.name} loses {number(-worst)} dB in its worst third of an octave"
            told.append(Remark((bus.id,), "thin-in-mono", worst, text))
    return told


def _names(lanes: list[Lane]) -> str:
    names = [lane.name for lane in lanes]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
