"""Tracks as they arrive in the mix: the spectra that mask each other.

Every lane is taken behind its chain, fader and pan, with the levels of the groups it goes through. What a strip
brings to its fader is rendered once per channel (`figures.book`); faders and pans are arithmetic on it. A group with a
chain of its own changes all its members together: it is heard before and behind that chain, and what it does to
each band of the ear at each moment is put on every member's share of it (powers are taken to add up). A
parallel bus gives its sound back to those that send to it in the same way. What comes from a return that makes room
belongs to no lane: it is a sound of its own (`figures.space.spaces`).
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.engine.feeds import edge_gains, moving_gains
from all_even.figures.book.book import Book, Name, Want
from all_even.figures.book.fingerprint import Fingerprint, digest
from all_even.figures.book.look import Look
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation, Masking
from all_even.measure.whole import gammatone
from all_even.session.model import routing, space
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, Strip

Array = NDArray[np.float64]
Powers = NDArray[np.float32]
MOST_POWER_GAIN = 1e4
"""40 dB: more is the noise of a division."""
BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class Bank:
    """Bands in which tracks are heard: what their powers are called where they leave and enter a strip, and how many
    frames of sound lie from one of their frames to the next, by the rate."""

    leaving: Name
    entering: Name
    hop: Callable[[int], int]


EAR = Bank("powers", "entering powers", lambda rate: masking.frame_size(rate) // 2)
"""What masks what is judged by (`measure.sharing.masking`)."""
SECOND_EAR = Bank("gammatone powers", "entering gammatone powers", gammatone.hop_frames)
"""A second opinion (`measure.whole.gammatone`)."""


@dataclass(frozen=True, slots=True, eq=False)
class _Way:
    """From a strip's fader through plain buses: their gains, up to a bus with a chain (its id) or the mix ("")."""

    gains: Array
    next_bus: str


def _way(session: Session, destination: str) -> _Way | None:
    """None where it does not lead to the mix: nowhere, or through a bus that is muted."""
    gains, hearing = np.eye(2), routing.hearing(session)
    while destination != MIX:
        if destination == NOWHERE or destination not in hearing.sounding:
            return None
        bus = session.bus(destination)
        if _works(bus):
            return _Way(gains, bus.id)
        edge = _main_edge(bus)
        if edge not in hearing.open_edges:
            return None
        gains = gains @ edge_gains(session, bus, edge, 2)
        destination = bus.destination
    return _Way(gains, "")


def _works(bus: Strip) -> bool:
    """Whether a bus does anything but sum."""
    return any(not station.bypass for station in bus.chain)


def _main_edge(strip: Strip) -> routing.Edge:
    return routing.Edge(strip.id, strip.destination, "destination")


def _ways(session: Session, strip: Strip) -> list[tuple[routing.Edge, _Way]]:
    """Every open way of a strip to the mix: by its destination, and by each of its sends that makes no room."""
    opened = routing.hearing(session).open_edges
    rooms = {bus.id for bus in space.returns(session)}
    found: list[tuple[routing.Edge, _Way]] = []
    edges = [(_main_edge(strip), strip.destination)]
    edges += [
        (routing.Edge(strip.id, send.to, "send", i), send.to)
        for i, send in enumerate(strip.sends)
        if send.to not in rooms
    ]
    for edge, target in edges:
        way = _way(session, target) if edge in opened else None
        if way is not None:
            found.append((edge, way))
    return found


def wants(session: Session, lanes: Collection[str], bank: Bank = EAR) -> list[Want]:
    """What has to be heard for the spectra of these lanes."""
    found: list[Want] = [(bank.leaving, lane_id) for lane_id in lanes]
    on_the_way = _on_the_way(session)
    for bus in session.buses:
        if _works(bus) and bus.id in routing.hearing(session).sounding and bus.id in on_the_way:
            found += [(bank.leaving, bus.id), (bank.entering, bus.id)]
    return found


def _on_the_way(session: Session) -> set[str]:
    """Buses that lanes come to the mix by. What only makes a room is none of them: what enters it is in no kept sound,
    so it would be rendered anew."""
    rooms = {bus.id for bus in space.returns(session)}
    strips = [*session.lanes, *(bus for bus in session.buses if bus.id not in rooms)]
    sends = {send.to for strip in strips for send in strip.sends}
    return {strip.destination for strip in strips} | sends - rooms


def hear(look: Look, *also: Want) -> None:
    """What both ears want of all lanes, which is asked for sooner or later, and what else is wanted: in one pass."""
    ways = _open_ways(look, None)
    look.hear(*wants(look.session, ways, EAR), *wants(look.session, ways, SECOND_EAR), *also)


def _open_ways(look: Look, lanes: Collection[str] | None) -> dict[str, list[tuple[routing.Edge, _Way]]]:
    """Of each lane that comes to the mix; lanes: only of these."""
    session, opened = look.session, look.book.fingerprints(look.session).opened
    return {
        lane.id: found
        for lane in session.lanes
        if lane.id in opened and (lanes is None or lane.id in lanes) and (found := _ways(session, lane))
    }


def rests_on(look: Look) -> dict[str, Fingerprint]:
    """Of each lane that comes to the mix, what its powers there rest on: its feeds, and the buses on their ways."""
    session, prints = look.session, look.book.fingerprints(look.session)

    def buses(bus_id: str) -> list[object]:
        """A bus with a chain, and those behind it."""
        found: list[object] = []
        while bus_id:
            onward = _way(session, session.bus(bus_id).destination)
            found.append((
                prints.entering.get(bus_id), prints.feed(_main_edge(session.bus(bus_id))),
                _has_one_feeder(session, bus_id), None if onward is None else onward.gains.tobytes(),
            ))  # fmt: skip
            bus_id = onward.next_bus if onward is not None else ""
        return found

    return {
        lane_id: digest([(prints.feed(edge), way.gains.tobytes(), buses(way.next_bus)) for edge, way in edges])
        for lane_id, edges in _open_ways(look, None).items()
    }


def excitations(
    look: Look,
    *,
    lanes: Collection[str] | None = None,
) -> dict[str, Excitation]:
    """What of every lane that is heard arrives in the mix, by id, as the ear takes it. lanes: only these."""
    found = arriving_powers(look, lanes=lanes)
    return {lane_id: masking.excitation_of_power(power, look.session.sample_rate) for lane_id, power in found.items()}


def arriving_powers(
    look: Look,
    *,
    lanes: Collection[str] | None = None,
    without_sends: bool = False,
    bank: Bank = EAR,
) -> dict[str, Powers]:
    """The same as (frames, bands) power of both sides together, their mean. without_sends: only what goes on the way of
    its destination."""
    return _arriving(look, lanes, without_sends, False, bank)


def arriving_middles(
    look: Look,
    *,
    lanes: Collection[str] | None = None,
    without_sends: bool = False,
) -> dict[str, Powers]:
    """(frames, bands) power of what arrives of every lane where both sides come from one place: of their mean.

    Chains of groups are taken to do the same to it as to both sides.
    """
    return _arriving(look, lanes, without_sends, True, EAR)


def _arriving(
    look: Look,
    lanes: Collection[str] | None,
    without_sends: bool,
    as_middle: bool,
    bank: Bank,
) -> dict[str, Powers]:
    session, book = look.session, look.book
    prints = book.fingerprints(session)
    ways = _open_ways(look, lanes)
    middles: list[Want] = [("middle powers", one) for one in ways if as_middle and prints.channels(one) > 1]
    if lanes is None:
        hear(look, *middles)
    else:
        look.hear(*wants(session, ways, bank), *middles)
    groups = {
        bus.id: _power_gains(session, book, bus, bank)
        for bus in session.buses
        if _works(bus) and book.known(session, (bank.entering, bus.id)) is not None
    }
    alone = {
        bus_id: behind for bus_id in groups if _has_one_feeder(session, bus_id)
        and (behind := powers_of(look, bus_id, bank)) is not None
    }  # fmt: skip
    arriving: dict[str, Powers] = {}
    for lane_id, edges in ways.items():
        powers: Powers = book.known(session, (bank.leaving, lane_id))
        middle = book.known(session, ("middle powers", lane_id)) if as_middle and len(powers) > 1 else None
        strip = session.lane(lane_id)
        parts = []
        for edge, way in edges:
            if without_sends and edge.kind == "send":
                continue
            if as_middle:
                carried = _carried_middle(session, strip, edge, way.gains, powers, middle)
            else:
                carried = _carried(session, strip, edge, way.gains, powers, bank)
            parts.append(_through(session, way, carried, groups, alone))
        if parts:
            arriving[lane_id] = np.sum(parts, axis=0, dtype=np.float32) if len(parts) > 1 else parts[0]
    return arriving


def find_masking(
    look: Look,
    *,
    floor: float | None = None,
    unit_of: Mapping[str, str] | None = None,
) -> Masking:
    """Who is covered how much. floor: that of the table this one is compared with. unit_of: lanes that are microphones
    of one source, by the id their source is known by: then its powers are added, and it is one entry."""
    heard = excitations(look)
    if unit_of is not None:
        sources: dict[str, list[Excitation]] = {}
        for lane_id, track in heard.items():
            sources.setdefault(unit_of.get(lane_id, lane_id), []).append(track)
        heard = {source: joined(look.session, parts) for source, parts in sources.items()}
    return masking.find_masking(heard, look.session.sample_rate, floor=floor)


def joined(session: Session, parts: Sequence[Excitation]) -> Excitation:
    """Several microphones' excitations as that of their source (powers added)."""
    if len(parts) == 1:
        return parts[0]
    return masking.excitation_of_power(added([part.power for part in parts]), session.sample_rate)


def added(parts: Sequence[Powers]) -> Powers:
    """(frames, bands) of several together, as long as the longest."""
    if len(parts) == 1:
        return np.ascontiguousarray(parts[0])
    power = np.zeros((max(len(part) for part in parts), parts[0].shape[1]), dtype=np.float32)
    for part in parts:
        power[: len(part)] += part
    return power


def powers_of(look: Look, strip_id: str, bank: Bank = EAR) -> Powers | None:
    """(frames, bands) power of both sides together that a bus brings to the mix on its main way; None where nothing of
    it arrives. Chains of buses behind it are left aside."""
    session = look.session
    bus = session.bus(strip_id)
    way = _way(session, bus.destination)
    if way is None or _main_edge(bus) not in routing.hearing(session).open_edges:
        return None
    look.hear((EAR.leaving, strip_id), (SECOND_EAR.leaving, strip_id))  # both are asked for sooner or later
    powers: Powers | None = look.book.known(session, (bank.leaving, strip_id))
    return None if powers is None else _carried(session, bus, _main_edge(bus), way.gains, powers, bank)


def sent_power(look: Look, lane_id: str, bus_id: str) -> Powers | None:
    """(frames, bands) power that a lane sends to a bus; None where it does not."""
    session = look.session
    lane, opened = session.lane(lane_id), routing.hearing(session).open_edges
    powers: Powers | None = look.book.known(session, ("powers", lane_id))
    for index, send in enumerate(lane.sends):
        edge = routing.Edge(lane_id, send.to, "send", index)
        if send.to == bus_id and edge in opened and powers is not None:
            return _carried(session, lane, edge, np.eye(2), powers, EAR)
    return None


def _carried(session: Session, strip: Strip, edge: routing.Edge, onward: Array, powers: Powers, bank: Bank) -> Powers:
    """(frames, bands) power of both sides together that an edge carries. powers: (channels, frames, bands)."""
    channels, frames, _ = powers.shape
    moving = moving_gains(session, strip, edge, channels)
    if moving is None:
        gains = edge_gains(session, strip, edge, channels) @ onward
        each = 0.5 * (gains**2).sum(axis=1)
        return np.asarray(np.tensordot(each.astype(np.float32), powers, axes=1), dtype=np.float32)
    middles = np.arange(frames) * bank.hop(session.sample_rate)
    over_time = 0.5 * ((moving.gains_at(middles) @ onward) ** 2).sum(axis=2)
    return np.asarray(np.einsum("fc,cfb->fb", over_time.astype(np.float32), powers), dtype=np.float32)


def _carried_middle(
    session: Session, strip: Strip, edge: routing.Edge, onward: Array, powers: Powers, middle: Powers | None
) -> Powers:
    """(frames, bands) power of the mean of both sides that an edge carries. middle: of the mean of what it carries,
    (1, frames, bands), where that has two sides: from it follows how alike they are."""
    channels, frames, _ = powers.shape
    moving = moving_gains(session, strip, edge, channels)
    if moving is None:
        gains = np.broadcast_to(edge_gains(session, strip, edge, channels) @ onward, (frames, channels, 2))
    else:
        middles = np.arange(frames) * (masking.frame_size(session.sample_rate) // 2)
        gains = moving.gains_at(middles) @ onward
    each = (0.5 * gains.sum(axis=2)).astype(np.float32)[:, :, np.newaxis]
    result = (each**2 * np.moveaxis(powers, 0, 1)).sum(axis=1)
    if middle is not None:
        together = 2.0 * middle[0] - 0.5 * (powers[0] + powers[1])
        result = np.maximum(result + 2.0 * each[:, 0] * each[:, 1] * together, 0.0)
    return np.asarray(result, dtype=np.float32)


def _has_one_feeder(session: Session, bus_id: str) -> bool:
    """Whether all that comes into a bus comes from one lane on one way: then all that leaves it is that lane's."""
    feeders = [strip for strip in session.strips if strip.destination == bus_id]
    feeders += [strip for strip in session.strips for send in strip.sends if send.to == bus_id]
    return len(feeders) == 1 and session.is_lane(feeders[0].id)


def _power_gains(session: Session, book: Book, bus: Bus, bank: Bank) -> Powers:
    """What a bus does to each band at each moment, to the next bus with a chain or the mix; 1 in silence."""
    before: Powers = book.known(session, (bank.entering, bus.id)).mean(axis=0)
    way = _way(session, bus.destination)
    if way is None or _main_edge(bus) not in routing.hearing(session).open_edges:
        return np.zeros_like(before)
    behind = _carried(session, bus, _main_edge(bus), way.gains, book.known(session, (bank.leaving, bus.id)), bank)
    count = min(len(before), len(behind))
    before, behind = before[:count], behind[:count]
    floor = max(float(before.max(initial=0.0)) * 1e-9, 1e-20)
    gains = np.where(before > floor, behind / np.maximum(before, floor), 1.0)
    return np.asarray(np.clip(gains, 0.0, MOST_POWER_GAIN), dtype=np.float32)


def _through(
    session: Session, way: _Way, power: Powers, groups: Mapping[str, Powers], alone: Mapping[str, Powers]
) -> Powers:
    """Power at the mix behind all the chains on the way. alone: what leaves a bus that nothing else comes into: all of
    it belongs to what comes, also what its chain adds in bands where little came in."""
    bus_id = way.next_bus
    while bus_id:
        gains = groups.get(bus_id)
        if bus_id in alone:
            power = alone[bus_id]
        elif gains is not None:
            count = min(len(power), len(gains))
            power = power.copy()
            power[:count] *= gains[:count]
        onward = _way(session, session.bus(bus_id).destination)
        bus_id = onward.next_bus if onward is not None else ""
    return power
