"""Routing: who flows where, what is heard, and what may not be.

Edges go from a strip to its destination, along its sends, and along keys. They may not form a loop,
keys included: a strip needs the finished sound of everything that leads to it. Solo works on paths: an
edge is open where something soloed lies before or after it, so that a soloed lane keeps its groups,
its returns and its keys, and a soloed group its members. Keys are taken before the fader: neither mute
nor solo nor level changes what they trigger.
"""

from collections import defaultdict, deque
from dataclasses import dataclass
from typing import Literal

from all_even import decibels
from all_even.dsp.processor import Key, key_of
from all_even.errors import UserError
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, FolderGroup, Strip

EdgeKind = Literal["destination", "send", "key"]


class RoutingError(UserError):
    """A route that can't be, said in a sentence."""


@dataclass(frozen=True, slots=True)
class Edge:
    """One connection. index: which send of the source. station: which station a key goes to."""

    source: str
    target: str
    kind: EdgeKind
    index: int = 0
    station: str = ""


def edges(session: Session) -> tuple[Edge, ...]:
    """All connections: destinations and sends in order, then keys."""
    found: list[Edge] = []
    for strip in session.strips:
        if strip.destination != NOWHERE:
            found.append(Edge(strip.id, strip.destination, "destination"))
        found += [Edge(strip.id, send.to, "send", index) for index, send in enumerate(strip.sends) if send.on]
    for strip_id, chain in [(strip.id, strip.chain) for strip in session.strips] + [(MIX, session.mix.chain)]:
        for station in chain:
            key = key_of(station)
            if key is not None:
                found.append(Edge(key.source, strip_id, "key", station=station.id))
    return tuple(found)


def find_loop(session: Session) -> tuple[str, ...]:
    """The ids of a loop, the first again at its end; empty where there is none."""
    following: dict[str, list[str]] = defaultdict(list)
    for edge in edges(session):
        following[edge.source].append(edge.target)
    done: set[str] = set()
    for start in [strip.id for strip in session.strips]:
        path: list[str] = []
        stack: list[tuple[str, int]] = [(start, 0)]
        while stack:
            node, at = stack.pop()
            if at == 0:
                if node in path:
                    return (*path[path.index(node) :], node)
                if node in done:
                    continue
                path.append(node)
            if at < len(following[node]):
                stack.append((node, at + 1))
                stack.append((following[node][at], 0))
            else:
                done.add(node)
                path.pop()
    return ()


def check(session: Session) -> None:
    """Raises a RoutingError that names the loop, or what leads nowhere."""
    buses = {bus.id for bus in session.buses}
    strips = {strip.id for strip in session.strips}
    groups = {group.id: group for group in session.folder_groups}
    if len(strips) + len(groups) < len(session.strips) + len(session.folder_groups) or {MIX, NOWHERE} & (
        strips | set(groups)
    ):
        raise RoutingError("Two of the session's tracks or buses have the same identifier.")
    for edge in edges(session):
        allowed = strips if edge.kind == "key" else buses | {MIX}
        wanted = edge.source if edge.kind == "key" else edge.target
        if wanted not in allowed:
            owner = session.strip_name(edge.target if edge.kind == "key" else edge.source)
            raise RoutingError(f"{owner} is routed to or sidechained from “{wanted}”, which is not there.")
    for member in session.members:
        seen = [member.id]
        group = member.group
        while group is not None:
            if group not in groups:
                raise RoutingError(f"{member.name} is in a folder group that is not there.")
            if group in seen:
                circle = " → ".join(groups[item].name for item in seen[seen.index(group) :])
                raise RoutingError(f"Folder groups can't hold each other: {circle}.")
            seen.append(group)
            group = groups[group].group
    loop = find_loop(session)
    if loop:
        raise RoutingError(
            f"That would make a loop: {' → '.join(session.strip_name(item) for item in loop)}. "
            "A sound can't depend on itself."
        )


def folders_above(session: Session, strip: Strip | FolderGroup) -> tuple[FolderGroup, ...]:
    """The folder groups that hold a strip, nearest first."""
    group = strip.group
    if group is None:
        return ()
    groups = {folder.id: folder for folder in session.folder_groups}
    found: list[FolderGroup] = []
    while group is not None and group in groups and groups[group] not in found:
        found.append(groups[group])
        group = groups[group].group
    return tuple(found)


def level_db(session: Session, strip: Strip) -> float:
    """The fader with the folder groups above it; off where any of them is."""
    levels = [strip.level_db, *(group.level_db for group in folders_above(session, strip))]
    return decibels.OFF_DB if min(levels) <= decibels.OFF_DB else sum(levels)


def muted(session: Session, strip: Strip) -> bool:
    return strip.mute or any(group.mute for group in folders_above(session, strip))


def key_is_silent(session: Session, key: Key) -> bool:
    """Whether a key that follows the mute listens to a strip that is muted, by itself or by a folder."""
    return key.follows_mute and muted(session, session.strip(key.source))


@dataclass(frozen=True, slots=True)
class Hearing:
    """What is heard. open_edges: destinations and sends that carry sound. sounding: strips that reach the mix."""

    open_edges: frozenset[Edge]
    sounding: frozenset[str]


def hearing(session: Session) -> Hearing:
    """Which edges are open with the present mutes, solos and levels; key edges are always open."""
    wanted = (session.lanes, session.buses, session.folder_groups, session.mix.chain)
    for known, result in tuple(_recent):
        if all(a is b for a, b in zip(known, wanted, strict=True)):
            return result
    result = _work_out(session)
    _recent.append((wanted, result))
    return result


_recent: deque[tuple[tuple[object, ...], Hearing]] = deque(maxlen=4)
"""Asked for each lane while painting; the same values give the same answer."""


def _work_out(session: Session) -> Hearing:
    strips = {strip.id: strip for strip in session.strips}
    soloed = {
        strip.id for strip in session.strips if strip.solo or any(group.solo for group in folders_above(session, strip))
    }
    carrying = [edge for edge in edges(session) if edge.kind != "key"]
    if soloed:
        onward: dict[str, set[str]] = defaultdict(set)
        back: dict[str, set[str]] = defaultdict(set)
        for edge in carrying:
            onward[edge.source].add(edge.target)
            back[edge.target].add(edge.source)
        # A lane whose group is soloed counts as soloed, with its sends.
        implied = {strip_id for strip_id in strips if _destinations(strips, strip_id) & soloed} | soloed
        after = _reachable(implied, onward)  # strips with something soloed at or before them
        before = _reachable(soloed, back)  # strips with something soloed at or after them
        carrying = [edge for edge in carrying if edge.source in after or edge.target in before]
    opened = set()
    for edge in carrying:
        strip = strips[edge.source]
        silent = muted(session, strip)
        if edge.kind == "send":
            send = strip.sends[edge.index]
            silent = silent or (send.level_db <= decibels.OFF_DB and not _automated(strip, f"send:{send.to}"))
            faded = not send.pre_fader
        else:
            faded = True
        if faded and level_db(session, strip) <= decibels.OFF_DB and not _automated(strip, "level_db"):
            silent = True
        if not silent:
            opened.add(edge)
    back_open: dict[str, set[str]] = defaultdict(set)
    for edge in opened:
        back_open[edge.target].add(edge.source)
    return Hearing(frozenset(opened), frozenset(_reachable({MIX}, back_open)))


def is_sounding(session: Session, strip: Strip) -> bool:
    """Whether a lane or bus is heard in the mix at all."""
    return strip.id in hearing(session).sounding


def members(session: Session, bus: Bus) -> tuple[Strip, ...]:
    """The strips whose destination is this bus."""
    return tuple(strip for strip in session.strips if strip.destination == bus.id)


def senders(session: Session, bus_id: str) -> tuple[Strip, ...]:
    """The strips that send to this bus."""
    return tuple(strip for strip in session.strips if any(send.to == bus_id for send in strip.sends))


def _destinations(strips: dict[str, Strip], strip_id: str) -> set[str]:
    found: set[str] = set()
    while strip_id in strips and strips[strip_id].destination not in found:
        strip_id = strips[strip_id].destination
        found.add(strip_id)
    return found


def _reachable(starts: set[str], following: dict[str, set[str]]) -> set[str]:
    found, waiting = set(starts), list(starts)
    while waiting:
        for target in following.get(waiting.pop(), ()):
            if target not in found:
                found.add(target)
                waiting.append(target)
    return found


def _automated(strip: Strip, parameter: str) -> bool:
    return any(item.parameter == parameter for item in strip.automation)


def buses_behind(session: Session, strip: Strip) -> tuple[Bus, ...]:
    """The way of a strip to the mix: from the next bus to the last before the mix; a way that leads nowhere ends where
    it ends."""
    found: list[Bus] = []
    to = strip.destination
    while to not in (MIX, NOWHERE) and to not in {bus.id for bus in found}:
        found.append(session.bus(to))
        to = found[-1].destination
    return tuple(found)
