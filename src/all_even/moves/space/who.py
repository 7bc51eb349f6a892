"""Who goes where: what each track sends to a short and to a long place, by its role.

Common practice: nothing from sub, bass and kick; a trace on nearly everything else; snare and lead voice carry the main
spaces; of several microphones or alike layers only the main one; nothing on what is a room already, or has one printed.
"""

from collections.abc import Iterable

from all_even.figures.book.look import Look
from all_even.figures.sources.stereo_placement import alike, stand
from all_even.figures.sources.units import Unit, units
from all_even.session.model import routing
from all_even.session.model.strips import Lane
from all_even.session.tracks.importance import weight_of
from all_even.session.tracks.roles import EFFECT_RETURN, family_of, is_held

MAIN_DB, OTHER_DB = 0.0, -6.0
"""What carries a place, and all others (tried). The snare carries both; the lead only the long one, and in the short it
stays as clear as the others: most of what a room hides of it comes from its own send."""
ROOMS = frozenset({"room", "band room", EFFECT_RETURN})
HATS = frozenset({"hi-hat", "ride", "cymbal"})
SHORT_ONLY = HATS | {"overhead"}
LONG_FAMILIES = frozenset({"voices", "strings", "winds & brass", "keys"})
LONG_ROLES = frozenset({"snare top", "tom"})
STEADY = frozenset({"piano", "electric piano", "organ", "harmonium", "accordion"})
"""Roles that a moving pitch is heard on: piano and organ (tried: 0.15 ms of modulation at most)."""
STEADY_MODULATION_MS = 0.15
PRINTED = "has a room printed"


def is_low(lane: Lane) -> bool:
    """Kick and bass parts: their low end gets no room."""
    return lane.role.startswith("kick") or family_of(lane.role) == "bass"


def has_printed_room(look: Look, lane: Lane) -> bool:
    """Whether its notes end in a room already (`measure.faults.reverb`)."""
    report = look.reports.get(lane.id)
    character = report.character if report is not None else None
    return is_held(lane.role) and character is not None and character.reverb_s is not None


def heard(look: Look) -> list[Unit]:
    """Sources in sight that are heard and are no guides."""
    return [
        unit
        for unit in units(look)
        if not unit.head.hidden and routing.is_sounding(look.session, unit.head) and weight_of(unit.head) != "guide"
    ]


def candidates(look: Look) -> list[Unit]:
    """Sources that are heard and may have a room."""
    found = [
        unit
        for unit in heard(look)
        if not is_low(unit.head) and unit.role not in ROOMS and not has_printed_room(look, unit.head)
    ]
    return _main_of_layers(look, found)


def left_dry(look: Look) -> dict[str, str]:
    """Lanes that get no room, with the reason; kick, bass and guides go without saying."""
    told = {}
    kept = {unit.id for unit in candidates(look)}
    for unit in heard(look):
        lane = unit.head
        if is_low(lane):
            continue
        if lane.role in ROOMS:
            told[lane.id] = "is a room"
        elif has_printed_room(look, lane):
            told[lane.id] = PRINTED
        elif unit.id not in kept:
            told[lane.id] = "doubles another"
    return told


def _main_of_layers(look: Look, found: list[Unit]) -> list[Unit]:
    """Of sources of one role that sound alike at once only the first: several rooms around one part blur it."""
    standing = stand(look)
    if standing is None:
        return found
    place = {unit.id: index for index, unit in enumerate(standing.units)}
    among = [place[unit.id] for unit in found if unit.id in place]
    gone = set()
    for a, b in alike(standing, among):
        first, second = sorted((a, b))
        one, two = standing.units[first], standing.units[second]
        layered = family_of(one.role) not in ("drums", "percussion")
        if layered and one.role == two.role and one.id not in gone and weight_of(two.head) != "lead":
            gone.add(two.id)
    return [unit for unit in found if unit.id not in gone]


def to_short(look: Look) -> dict[str, float]:
    """Send levels to a short place by lane id, dB."""
    return {
        lane.id: MAIN_DB if unit.role == "snare top" else OTHER_DB
        for unit in candidates(look)
        for lane in senders(look, unit)
    }


def to_long(look: Look, *, snare: bool = True) -> dict[str, float]:
    """Send levels to a long place by lane id, dB. snare: False where its room would outlast the next kick there."""
    found: dict[str, float] = {}
    for unit in candidates(look):
        role = unit.role
        long = role in LONG_ROLES or (family_of(role) in LONG_FAMILIES and role not in SHORT_ONLY)
        if long and (snare or role != "snare top"):
            main = role == "snare top" or weight_of(unit.head) == "lead"
            found |= {lane.id: MAIN_DB if main else OTHER_DB for lane in senders(look, unit)}
    return found


def senders(look: Look, unit: Unit) -> list[Lane]:
    """The microphones of a source that send: the main one, and those of its kind, as of a pair."""
    return [lane for lane in unit.lanes if lane.role == unit.role and routing.is_sounding(look.session, lane)]


def leads(look: Look, sends: Iterable[str]) -> list[str]:
    """The leads among these lanes."""
    return [lane_id for lane_id in sends if weight_of(look.session.lane(lane_id)) == "lead"]


def modulation_ms(lanes: Iterable[Lane], usual_ms: float) -> float:
    """How far a reverb may be modulated with these senders."""
    return min(usual_ms, STEADY_MODULATION_MS) if any(lane.role in STEADY for lane in lanes) else usual_ms
