"""Templates: what was set in one session, for the next one, by what its tracks are.

Kept on this machine, a JSON file each, named after a hash of the template's name: names, roles, chains, pans, sends,
groups, buses, the mix bus, settings. What is of one recording stays out: levels of lanes, clip gain, automation, hits,
and duck shapes, which lie on one song's hits.
"""

from collections import Counter
from dataclasses import dataclass
from typing import Annotated, Literal

from msgspec import Meta
from msgspec.structs import replace

from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.pan import PanLaw
from all_even.dsp.processor import key_of
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.machine.named_files import NamedFiles
from all_even.session.model.approaches import Approaches
from all_even.session.model.ledger import Buses, FolderGroups, Lanes
from all_even.session.model.session import Session
from all_even.session.model.settings import WorkSettings
from all_even.session.model.strips import MIX, NOWHERE, Bus, HitChanges, Lane, MixSettings, Strip
from all_even.session.model.values import Name, Value

Change = Annotated[int, Meta(ge=1)]


class Template(Value, frozen=True, kw_only=True):
    """lanes: in their order; `file` only tells which of them read the same one."""

    template: Literal["All Even template"] = "All Even template"
    format_version: Change = 1
    name: Name
    lanes: Lanes = ()
    buses: Buses = ()
    folder_groups: FolderGroups = ()
    mix: MixSettings = MixSettings()
    pan_law: PanLaw = "-3 dB"
    settings: WorkSettings = WorkSettings()
    approaches: Approaches = Approaches()


@dataclass(frozen=True, slots=True)
class Match:
    """A lane and the lane of a template whose settings it would take."""

    lane: Lane
    like: Lane


def of_session(session: Session, name: str) -> Template:
    """What of a session goes on to the next."""
    lanes = tuple(
        replace(
            lane, level_db=0.0, mute=False, solo=False, automation=(), start_s=0.0, hits=HitChanges(), clip_gain_db=0.0,
            alternative=None, take=None, polarity_inverted=False, folder=0, chain=_kept(lane.chain),
        )
        for lane in session.lanes
    )  # fmt: skip
    buses = tuple(replace(bus, solo=False, automation=(), chain=_kept(bus.chain)) for bus in session.buses)
    return Template(
        name=" ".join(name.split())[:80] or "Template",
        lanes=lanes,
        buses=buses,
        folder_groups=session.folder_groups,
        mix=MixSettings(chain=_kept(session.mix.chain)),
        pan_law=session.pan_law,
        settings=session.settings,
        approaches=session.approaches,
    )


def _kept(chain: tuple[AnyProcessor, ...]) -> tuple[AnyProcessor, ...]:
    return tuple(station for station in chain if not getattr(station, "shape", ""))


FILES = NamedFiles("templates", Template, "template")
keep, known, find, forget = FILES.keep, FILES.known, FILES.find, FILES.forget


# On another session.


def matches(session: Session, template: Template) -> list[Match]:
    """Which lane takes after which: by name where one is the same, else by role in order; several lanes of a role that
    the template has once all take after that one."""
    found: dict[str, Lane] = {}
    left = {lane.id: lane for lane in template.lanes}
    heard = [lane for lane in session.lanes if lane.destination != NOWHERE]
    for lane in heard:
        same = next((item for item in left.values() if _plain(item) == _plain(lane) and item.role == lane.role), None)
        if same is not None:
            found[lane.id] = left.pop(same.id)
    for lane in heard:
        if lane.id in found or lane.role == "unknown":
            continue
        alike = [item for item in template.lanes if item.role == lane.role and item.destination != NOWHERE]
        free = [item for item in alike if item.id in left]
        if free:
            found[lane.id] = left.pop(free[0].id)
        elif alike:
            found[lane.id] = alike[0]
    return [Match(lane, found[lane.id]) for lane in session.lanes if lane.id in found]


def _plain(lane: Lane) -> str:
    return lane.name.lower()


def applied(session: Session, template: Template, left_out: tuple[str, ...] = ()) -> Session:
    """The session set like the template. left_out: lanes that stay as they are. Stations whose key has no counterpart
    here are left out too: without it they would do something else."""
    pairs = [match for match in matches(session, template) if match.lane.id not in left_out]
    places_: dict[str, str] = {MIX: MIX, NOWHERE: NOWHERE}
    for match in pairs:
        places_.setdefault(match.like.id, match.lane.id)
    by_file = {lane.file: places_[lane.id] for lane in template.lanes if lane.id in places_}
    for lane in template.lanes:  # a silent trigger that is not here: the track it copies
        if lane.id not in places_ and lane.file in by_file:
            places_[lane.id] = by_file[lane.file]
    for bus in template.buses:
        same = next((item for item in session.buses if (item.name, item.use) == (bus.name, bus.use)), None)
        if same is None:
            session, places_[bus.id] = routing_edits.add_bus(session, bus.name, bus.use)
        else:
            places_[bus.id] = same.id
    for group in template.folder_groups:
        known_group = next((item for item in session.folder_groups if item.name == group.name), None)
        if known_group is None:
            group_id = edits.free_id(session, "folder")
            fresh = replace(group, id=group_id, group=None, solo=False)
            session = replace(session, folder_groups=(*session.folder_groups, fresh))
            places_[group.id] = group_id
        else:
            places_[group.id] = known_group.id
    targets: list[tuple[str, Strip]] = [(places_[bus.id], bus) for bus in template.buses]
    targets += [(match.lane.id, match.like) for match in pairs]
    for strip_id, like in targets:
        destination = places_.get(like.destination, MIX)
        values = {"pan": like.pan, "destination": destination, "group": places_.get(like.group or "")}
        if isinstance(like, Bus):
            values |= {"level_db": like.level_db}
        session = edits.change_strips(session, (strip_id,), **values)
    for strip_id, like in targets:
        for send in like.sends:
            if send.to in places_ and places_[send.to] != strip_id:
                session = routing_edits.set_send(
                    session, (strip_id,), places_[send.to], level_db=send.level_db, pre_fader=send.pre_fader, on=send.on
                )
        session = _with_chain(session, strip_id, like.chain, places_)
    if not session.mix.chain:
        session = _with_chain(session, MIX, template.mix.chain, places_)
    session = _with_sources(_named(session, pairs), pairs)
    return routing_edits.checked(
        replace(session, pan_law=template.pan_law, settings=template.settings, approaches=template.approaches)
    )


def _with_chain(session: Session, strip_id: str, chain: tuple[AnyProcessor, ...], places_: dict[str, str]) -> Session:
    session = chain_edits.set_chain(session, strip_id, ())
    for station in chain:
        key = key_of(station)
        if key is None:
            session = chain_edits.add_station(session, strip_id, station)
        elif key.source in places_ and places_[key.source] != strip_id:
            keyed = replace(station, key=replace(key, source=places_[key.source]))
            session = chain_edits.add_station(session, strip_id, keyed)
    return session


def _named(session: Session, pairs: list[Match]) -> Session:
    """The template's names, where one lane takes after one."""
    turns = Counter(match.like.id for match in pairs)
    taken = Counter(lane.name for lane in session.lanes)
    for match in pairs:
        if turns[match.like.id] == 1 and not taken[match.like.name]:
            taken[match.like.name] += 1
            session = edits.change_strips(session, (match.lane.id,), name=match.like.name)
    return session


def _with_sources(session: Session, pairs: list[Match]) -> Session:
    """What was said of microphones and players, where one lane takes after one."""
    turns = Counter(match.like.id for match in pairs)
    for match in pairs:
        if match.like.source is not None and turns[match.like.id] == 1:
            session = edits.change_strips(session, (match.lane.id,), source=match.like.source)
    return session


def is_like(session: Session, lane: Lane, like: Lane, template: Template) -> bool:
    """Whether a lane is set like a lane of a template: the same kinds of stations, and to a bus of the same name."""
    goals = {bus.id: bus.name for bus in template.buses} | {MIX: session.strip_name(MIX)}
    same_goal = session.strip_name(lane.destination) == goals.get(like.destination, session.strip_name(MIX))
    return same_goal and [type(s) for s in lane.chain] == [type(s) for s in like.chain]
