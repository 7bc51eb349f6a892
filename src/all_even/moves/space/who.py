"""Who goes where: what each track sends to a short and to a long place, by its role.

Common practice: nothing from sub, bass and kick; a trace on nearly everything else; snare and lead voice carry the main
spaces; of several microphones or alike layers only the main one; nothing on what is a room already, or has one printed.
"""

from collections.abc import Iterable, Sequence

from all_even.figures.book.look import Look
from all_even.figures.sources.stereo_placement import alike, stand
from all_even.figures.sources.units import Unit, unit_lufs, units
from all_even.figures.space import spaces
from all_even.measure.level.third_octave import has_low_end
from all_even.session.model import routing
from all_even.session.model.settings import Weight
from all_even.session.model.strips import Lane
from all_even.session.tracks import seats
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.importance import weight_of
from all_even.session.tracks.roles import EFFECT_RETURN, family_of, is_held
from all_even.session.tracks.words import split_words

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
LAYERED = frozenset({"synthesiser", "pad"})
MAIN_WORDS = frozenset({"lead", "main", "ld"})
PRIORITY: tuple[Weight, ...] = ("guide", "layer", "usual", "carrying", "lead")
WIDE_LU, SURE_LU = 2.0, 1.0
"""What being wide counts for, against loudness; from which difference on the first of several layers is the main one.
Our own rules."""
MAYBE_ROOMS = frozenset({"synthesiser", "pad", "electric piano", "piano", "electric guitar", "acoustic guitar"})
"""Chords and plucked notes die away by themselves: whether they have a room can't be told from their sound."""


def is_low(look: Look, lane: Lane) -> bool:
    """Kick and bass parts, with what they have down there: their low end gets no room. A growl without any, or the
    click of a kick alone, is like any other part."""
    measures = look.measures(lane.id)
    return is_low_end(lane.role) and (measures is None or has_low_end(measures.third_octave_db))


def has_printed_room(look: Look, lane: Lane) -> bool:
    """Whether it was said to have a room of its own, else whether its notes end in one (`measure.faults.reverb`)."""
    if lane.own_room is not None:
        return lane.own_room
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


def candidates(look: Look, *, all_layers: bool = False) -> list[Unit]:
    """Sources that are heard and may have a room; of alike layers the main one, or all_layers."""
    found = [
        unit
        for unit in heard(look)
        if not is_low(look, unit.head) and unit.role not in ROOMS and not has_printed_room(look, unit.head)
    ]
    return found if all_layers else _main_of_layers(look, found)


def left_dry(look: Look) -> dict[str, str]:
    """Lanes that get no room, with the reason; kick, bass and guides go without saying."""
    told = {}
    kept = {unit.id for unit in candidates(look)}
    for unit in heard(look):
        lane = unit.head
        if is_low(look, lane):
            continue
        if lane.role in ROOMS:
            told[lane.id] = "is a room"
        elif has_printed_room(look, lane):
            told[lane.id] = PRINTED
        elif unit.id not in kept:
            told[lane.id] = "doubles another"
    return told


def _main_of_layers(look: Look, found: list[Unit]) -> list[Unit]:
    """Of sources that sound alike at once only the main one: several rooms around one part blur it."""
    gone = {
        unit.id
        for _, *others in layered(look, found)
        for unit in others
        if weight_of(look.session.lane(unit.id)) != "lead"
    }
    return [unit for unit in found if unit.id not in gone]


def is_ensemble(look: Look) -> bool:
    """Whether the tracks are the players of one acoustic ensemble: they share one room, and nobody doubles another."""
    return seats.fitting(look.session) is not None


def layered(look: Look, found: Sequence[Unit]) -> list[list[Unit]]:
    """Sources of one role, or synthesisers and pads, that sound alike at once: in groups, the main one first."""
    standing = stand(look)
    if standing is None or is_ensemble(look):
        return []
    place = {unit.id: index for index, unit in enumerate(standing.units)}
    among = [place[unit.id] for unit in found if unit.id in place]
    pairs = {
        frozenset((standing.units[a].id, standing.units[b].id))
        for a, b in alike(standing, among, across=LAYERED)
        if _may_be_layers(standing.units[a].role, standing.units[b].role)
    }
    groups: list[list[Unit]] = []
    for unit in sorted((standing.units[index] for index in among), key=lambda unit: _rank(look, unit), reverse=True):
        main = next((group for group in groups if frozenset((group[0].id, unit.id)) in pairs), None)
        if main is None:
            groups.append([unit])
        else:
            main.append(unit)
    return [group for group in groups if len(group) > 1]


def _may_be_layers(one: str, two: str) -> bool:
    return (one == two or {one, two} <= LAYERED) and family_of(one) not in ("drums", "percussion")


def _rank(look: Look, unit: Unit) -> tuple[int, bool, float]:
    """How likely it is the main one of several layers: by priority, by name, by loudness and by how wide it is."""
    lane = look.session.lane(unit.id)  # as it is now: a unit that is known again may hold it as it was
    named = bool(MAIN_WORDS & {word.lower() for word in split_words(lane.name)})
    measures = look.measures(unit.id)
    wide = 1.0 - (measures.correlation if measures is not None and measures.correlation is not None else 1.0)
    loud = unit_lufs(look, unit)
    return PRIORITY.index(weight_of(lane)), named, (loud if loud is not None else -99.0) + WIDE_LU * wide


def is_sure(look: Look, group: Sequence[Unit]) -> bool:
    """Whether the first of several layers is plainly the main one."""
    first, second = (_rank(look, unit) for unit in group[:2])
    return first[:2] != second[:2] or first[2] - second[2] >= SURE_LU


def to_short(look: Look) -> dict[str, float]:
    """Send levels to a short place by lane id, dB."""
    return {
        lane.id: MAIN_DB if is_backbeat(look, unit) else OTHER_DB
        for unit in candidates(look)
        for lane in senders(look, unit)
    }


def to_long(look: Look, *, snare: bool = True) -> dict[str, float]:
    """Send levels to a long place by lane id, dB. snare: False where its room would outlast the next kick there."""
    found: dict[str, float] = {}
    for unit in candidates(look):
        role = unit.role
        snare_like = is_backbeat(look, unit)
        long = snare_like or role in LONG_ROLES or (family_of(role) in LONG_FAMILIES and role not in SHORT_ONLY)
        if long and (snare or not snare_like):
            main = snare_like or weight_of(unit.head) == "lead"
            found |= {lane.id: MAIN_DB if main else OTHER_DB for lane in senders(look, unit)}
    return found


def is_backbeat(look: Look, unit: Unit) -> bool:
    """The snare, or the claps that play its part."""
    backbeat = spaces.snare_of(look)
    return unit.role == "snare top" or (backbeat is not None and backbeat.id in {lane.id for lane in unit.lanes})


def maybe_rooms(look: Look) -> list[Unit]:
    """Sources of which nobody knows whether they have a room of their own."""
    return [unit for unit in candidates(look) if unit.role in MAYBE_ROOMS and unit.head.own_room is None]


def senders(look: Look, unit: Unit) -> list[Lane]:
    """The microphones of a source that send: the main one, and those of its kind, as of a pair."""
    return [lane for lane in unit.lanes if lane.role == unit.role and routing.is_sounding(look.session, lane)]


def leads(look: Look, sends: Iterable[str]) -> list[str]:
    """The leads among these lanes."""
    return [lane_id for lane_id in sends if weight_of(look.session.lane(lane_id)) == "lead"]


def modulation_ms(lanes: Iterable[Lane], usual_ms: float) -> float:
    """How far a reverb may be modulated with these senders."""
    return min(usual_ms, STEADY_MODULATION_MS) if any(lane.role in STEADY for lane in lanes) else usual_ms
