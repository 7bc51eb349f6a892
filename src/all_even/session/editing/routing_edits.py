"""Edits of the routing: buses, groups, sends, keys, silent triggers.

Each returns a new session that has been checked: a loop, or a route to what is not there, raises a
RoutingError with a sentence and changes nothing.
"""

from collections.abc import Iterable
from typing import Literal, TypeVar

from msgspec.structs import replace

from all_even.decibels import OFF_DB
from all_even.dsp.ducking.clicks import Clicks
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.parameter import LEVEL
from all_even.errors import UserError
from all_even.session.editing import automating, edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, FolderGroup, Lane, Send, Strip
from all_even.session.tracks.roles import TRIGGER

Use = Literal["group", "parallel", "return"]
S = TypeVar("S", Lane, Bus)


def checked(session: Session) -> Session:
    """The session itself, or a RoutingError."""
    routing.check(session)
    return session


def add_bus(session: Session, name: str, use: Use = "group", destination: str = MIX) -> tuple[Session, str]:
    """A new bus at the end; returns the session and the bus' id."""
    bus_id = edits.free_id(session, "bus")
    bus = Bus(id=bus_id, name=" ".join(name.split())[:200] or "Bus", use=use, destination=destination)
    return checked(replace(session, buses=(*session.buses, bus))), bus_id


def route(session: Session, strip_ids: Iterable[str], destination: str) -> Session:
    """Sends strips to a bus, to `mix`, or `nowhere`."""
    return checked(edits.change_strips(session, strip_ids, destination=destination))


def group_strips(session: Session, strip_ids: Iterable[str], name: str, use: Use = "group") -> tuple[Session, str]:
    """A new summing group with these members; it goes where all of them went, else to the mix."""
    members = [strip for strip in session.strips if strip.id in set(strip_ids)]
    goals = {strip.destination for strip in members} - {NOWHERE}
    session, bus_id = add_bus(session, name, use, goals.pop() if len(goals) == 1 else MIX)
    return route(session, [strip.id for strip in members], bus_id), bus_id


def folder_strips(session: Session, strip_ids: Iterable[str], name: str) -> tuple[Session, str]:
    """A new folder group around these lanes and buses."""
    wanted = set(strip_ids)
    above = {strip.group for strip in session.strips if strip.id in wanted}
    group_id = edits.free_id(session, "folder")
    group = FolderGroup(
        id=group_id, name=" ".join(name.split())[:200] or "Folder", group=above.pop() if len(above) == 1 else None
    )
    session = replace(session, folder_groups=(*session.folder_groups, group))
    return checked(edits.change_strips(session, wanted, group=group_id)), group_id


def leave_folder(session: Session, strip_ids: Iterable[str]) -> Session:
    """Takes lanes, buses or folder groups out of their folder group, into the one above it. Each stays as loud as it
    was: the folder's level goes into its fader, and what a muted folder kept silent is muted itself."""
    for strip_id in strip_ids:
        folders = routing.folders_above(session, session.member(strip_id))
        if folders:
            folder = folders[0]
            session = edits.change_strips(session, (strip_id,), group=folder.group)
            if folder.mute or folder.level_db <= OFF_DB:
                session = edits.change_strips(session, (strip_id,), mute=True)
            else:
                session = edits.nudge_levels(session, (strip_id,), folder.level_db)
    return session


def into_folder(session: Session, strip_ids: Iterable[str], group_id: str | None) -> Session:
    """Puts lanes, buses or folder groups into a folder group, out of whatever holds them; None: into none. Each stays
    as loud as it was, as long as no folder on the way is off."""
    for strip_id in strip_ids:
        member = session.member(strip_id)
        if member.group == group_id:
            continue
        while session.member(strip_id).group is not None:
            session = leave_folder(session, (strip_id,))
        if group_id is None:
            continue
        session = checked(edits.change_strips(session, (strip_id,), group=group_id))
        above = [folder.level_db for folder in routing.folders_above(session, session.member(strip_id))]
        if min(above) > OFF_DB:
            session = edits.nudge_levels(session, (strip_id,), -sum(above))
    return session


def to_folder(session: Session, bus_id: str) -> Session:
    """Turns a summing group into a folder group: same name, level, mute, solo and members.

    Refused where something would be lost: a chain, sends, a pan, or what sends to it or is keyed by it.
    """
    bus = session.bus(bus_id)
    others = [edge for edge in routing.edges(session) if edge.target == bus_id and edge.kind == "send"]
    keyed = [edge for edge in routing.edges(session) if edge.source == bus_id and edge.kind == "key"]
    reasons = [
        text
        for text, there in (
            ("it has a chain", bool(bus.chain)),
            ("it sends to other buses", bool(bus.sends)),
            ("it is panned", bus.pan != 0.0 or bus.polarity_inverted),
            ("it is automated", any(item.parameter not in automating.FOLDER_SETTINGS for item in bus.automation)),
            ("tracks send to it", bool(others)),
            ("something takes its sidechain from it", bool(keyed)),
        )
        if there
    ]
    if reasons:
        raise UserError(
            f"{bus.name} can't become a folder group: {', '.join(reasons)}, and a folder has no sound of its own."
        )
    folder = FolderGroup(id=bus.id, name=bus.name, level_db=bus.level_db, mute=bus.mute, solo=bus.solo, group=bus.group,
                         automation=bus.automation)  # fmt: skip
    changed = {
        strip.id: {"destination": bus.destination, "group": strip.group if strip.group != bus.group else bus.id}
        for strip in routing.members(session, bus)
    }
    session = replace(
        session,
        buses=tuple(item for item in session.buses if item.id != bus_id),
        folder_groups=(*session.folder_groups, folder),
    )
    for strip_id, values in changed.items():
        session = edits.change_strips(session, (strip_id,), **values)
    return checked(session)


def to_summing(session: Session, group_id: str) -> Session:
    """Turns a folder group into a summing group: same name, level, mute, solo and members.

    Members that went different ways all go through the new bus, which goes to the mix.
    """
    folder = next(group for group in session.folder_groups if group.id == group_id)
    members = [strip for strip in session.strips if strip.group == group_id]
    goals = {strip.destination for strip in members} - {NOWHERE}
    bus = Bus(
        id=folder.id, name=folder.name, level_db=folder.level_db, mute=folder.mute, solo=folder.solo,
        destination=goals.pop() if len(goals) == 1 else MIX, group=folder.group, automation=folder.automation,
    )  # fmt: skip
    session = replace(
        session,
        buses=(*session.buses, bus),
        folder_groups=tuple(
            replace(group, group=folder.group) if group.group == group_id else group
            for group in session.folder_groups
            if group.id != group_id
        ),
    )
    silent = {strip.id for strip in members if strip.destination == NOWHERE}
    session = edits.change_strips(session, [strip.id for strip in members], group=folder.group)
    return route(session, [strip.id for strip in members if strip.id not in silent], bus.id)


def set_send(session: Session, strip_ids: Iterable[str], to: str, **values: object) -> Session:
    """Adds a send or changes it. values: level_db, pre_fader, on."""
    if "level_db" in values:
        values["level_db"] = LEVEL.clamped(float(values["level_db"]))  # type: ignore[arg-type]
    for strip_id in strip_ids:
        strip = session.strip(strip_id)
        known = next((send for send in strip.sends if send.to == to), None)
        if known is not None and min(known.level_db, float(values.get("level_db", OFF_DB))) > OFF_DB:  # type: ignore[arg-type]
            # A send that is automated goes up and down as a whole; one that is opened for words only stays as it is.
            by = float(values["level_db"]) - known.level_db  # type: ignore[arg-type]
            moved = tuple(automating.raised(strip, item, by) if item.parameter == f"send:{to}" else item
                          for item in strip.automation)  # fmt: skip
            session = edits.change_strips(session, (strip_id,), automation=moved)
        if known is not None:
            sends = tuple(replace(send, **values) if send.to == to else send for send in strip.sends)
        else:
            sends = (*strip.sends, replace(Send(to=to), **values))
        session = edits.change_strips(session, (strip_id,), sends=sends)
    return checked(session)


def remove_send(session: Session, strip_ids: Iterable[str], to: str) -> Session:
    for strip_id in strip_ids:
        strip = session.strip(strip_id)
        session = edits.change_strips(
            session,
            (strip_id,),
            sends=tuple(send for send in strip.sends if send.to != to),
            automation=tuple(item for item in strip.automation if item.parameter != f"send:{to}"),
        )
    return session


def silent_trigger(session: Session, lane_id: str) -> tuple[Session, str]:
    """A duplicate of a lane without output and without processing, to key from."""
    lane = session.lane(lane_id)
    trigger_id = edits.free_id(session, "trigger")
    trigger = replace(
        lane, id=trigger_id, name=f"{lane.name} trigger"[:200], chain=(), sends=(), automation=(), group=None,
        level_db=0.0, pan=0.0, mute=False, solo=False, destination=NOWHERE,
    )  # fmt: skip
    at = [item.id for item in session.lanes].index(lane_id) + 1
    return replace(session, lanes=(*session.lanes[:at], trigger, *session.lanes[at:])), trigger_id


def click_trigger(session: Session, lane_id: str, shape_id: str) -> tuple[Session, str]:
    """A silent trigger of clicks at the hits of a shape, beside the lane whose hits they are."""
    session, trigger_id = silent_trigger(session, lane_id)
    name = f"{session.lane(lane_id).name} clicks"[:200]
    station = Clicks(id=edits.free_id(session, "clicks"), shape=shape_id)
    return edits.change_strips(session, (trigger_id,), name=name, role=TRIGGER, chain=(station,)), trigger_id


def remove_strips(session: Session, strip_ids: Iterable[str]) -> Session:
    """Takes lanes, buses or folder groups away; what they carried goes on where they led.

    Members of a bus go to its destination, its sends and keys end, members of a folder leave it (`leave_folder`).
    """
    gone = set(strip_ids)
    while inside := [item.id for item in session.members if item.group in gone and item.id not in gone]:
        session = leave_folder(session, inside)
    onward = {bus.id: bus.destination for bus in session.buses}

    def heir(item: str) -> str:
        while item in gone:
            item = onward.get(item, MIX)
        return item

    def kept(strips: tuple[S, ...]) -> tuple[S, ...]:
        return tuple(
            replace(
                strip,
                destination=heir(strip.destination),
                sends=tuple(send for send in strip.sends if send.to not in gone),
                chain=without_keys(strip.chain),
                automation=automating.without_lost_sends(
                    strip.automation, {send.to for send in strip.sends if send.to not in gone}
                ),
            )
            for strip in strips
            if strip.id not in gone
        )

    left = {strip.id for strip in session.strips} - gone

    def without_keys(chain: tuple[AnyProcessor, ...]) -> tuple[AnyProcessor, ...]:
        return tuple(edits.without_key(station, left) for station in chain)

    return checked(
        replace(
            session,
            lanes=kept(session.lanes),
            buses=kept(session.buses),
            folder_groups=tuple(group for group in session.folder_groups if group.id not in gone),
            mix=replace(session.mix, chain=without_keys(session.mix.chain)),
        )
    )


def receives(session: Session, bus_id: str) -> tuple[Strip, ...]:
    """Everything that leads to a bus, by destination or send, in order."""
    bus = session.bus(bus_id)
    direct = routing.members(session, bus)
    return (*direct, *(strip for strip in routing.senders(session, bus_id) if strip not in direct))
