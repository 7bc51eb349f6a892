"""Tracks as they arrive in the mix, heard in one pass: the spectra that mask each other, and the sums of kick and bass.

Every lane is taken behind its chain, fader and pan, with the levels of the groups it goes through. A group
with a chain of its own changes all its members together: it is heard before and behind that chain, and what
it does to each band of the ear at each moment is put on every member's share of it (powers are taken to
add up). A parallel bus gives its sound back to those that send to it in the same way. The sums of kick and
bass stay as the lanes bring them.
"""

import threading
from collections.abc import Callable, Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import decibels
from all_even.engine.plan import edge_gains, make_plan
from all_even.engine.render import WORKERS, render_stems
from all_even.engine.sources import Opened
from all_even.measure import masking
from all_even.measure.masking import Excitation, ExcitationMeter, Masking
from all_even.session import routing
from all_even.session.model import MIX, NOWHERE, Session, Strip
from all_even.session.roles import family_of

Array = NDArray[np.float64]
Powers = NDArray[np.float32]
BLOCKS = 8
"""Rendered blocks that are judged together."""
MOST_POWER_GAIN = 1e4
"""40 dB: more is the noise of a division."""


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """excitations: by lane id. kick, bass: (frames, 2) sums of their lanes, float32; None where there are none.

    groups: by bus with a chain, (frames, bands) power gains from what comes in to where the next such bus, or
    the mix, begins.
    """

    excitations: dict[str, Excitation]
    kick: NDArray[np.float32] | None
    bass: NDArray[np.float32] | None
    groups: Mapping[str, Powers]


@dataclass(frozen=True, slots=True, eq=False)
class _Way:
    """From a strip's fader through plain buses: their gains, up to a bus with a chain (its id) or the mix ("")."""

    gains: Array
    next_bus: str


def _way(session: Session, destination: str) -> _Way | None:
    """None where it does not lead to the mix: nowhere, or through a bus that is muted."""
    gains, sounding = np.eye(2), routing.hearing(session).sounding
    while destination != MIX:
        if destination == NOWHERE or destination not in sounding:
            return None
        bus = session.bus(destination)
        if _works(bus):
            return _Way(gains, bus.id)
        gains = gains @ edge_gains(session, bus, routing.Edge(bus.id, bus.destination, "destination"), 2)
        destination = bus.destination
    return _Way(gains, "")


def _works(bus: Strip) -> bool:
    """Whether a bus does anything but sum."""
    return any(not station.bypass for station in bus.chain)


def _copies(session: Session, strip: Strip) -> list[tuple[_Way, float]]:
    """Where a strip's copies go, and their gain beside what it gives to its destination."""
    found, opened = [], routing.hearing(session).open_edges
    for index, send in enumerate(strip.sends):
        way = _way(session, send.to) if routing.Edge(strip.id, send.to, "send", index) in opened else None
        if way is not None:
            before = routing.level_db(session, strip) if send.pre_fader else 0.0
            if before > decibels.OFF_DB:
                found.append((way, decibels.gain(send.level_db - before)))
    return found


class _Listening:
    """Gathers what arrives while a session is rendered."""

    def __init__(
        self, session: Session, wanted: Collection[str], taps: Collection[str], excite: bool, groups_known: bool
    ) -> None:
        self.session = session
        strips = [strip for strip in session.strips if strip.id in taps]
        self.ways = {strip.id: way for strip in strips if (way := _way(session, strip.destination)) is not None}
        self.copies = {strip.id: copies for strip in strips if (copies := _copies(session, strip))}
        lanes = [
            lane for lane in session.lanes if lane.id in wanted and (lane.id in self.ways or lane.id in self.copies)
        ]
        kicks = {lane.id for lane in lanes if lane.role.startswith("kick")}
        self.sums = {"kick": kicks, "bass": {lane.id for lane in lanes if family_of(lane.role) == "bass"}}
        self.parts: dict[str, list[NDArray[np.float32]]] = {"kick": [], "bass": []}
        rate = session.sample_rate
        busy = {bus.id for bus in session.buses if bus.id in self.ways and _works(bus) and excite and not groups_known}
        self.lanes = {lane.id: ExcitationMeter(rate) for lane in lanes if excite}
        self.sent = {lane_id: ExcitationMeter(rate) for lane_id in self.lanes if lane_id in self.copies}
        self.before = {bus_id: ExcitationMeter(rate) for bus_id in busy}
        self.behind = {bus_id: ExcitationMeter(rate) for bus_id in busy}

    def add(self, stems: Mapping[str, Array], pool: ThreadPoolExecutor) -> None:
        """stems: what every strip gives to its destination, (frames, 2)."""
        given = {
            strip_id: block @ self.ways[strip_id].gains for strip_id, block in stems.items() if strip_id in self.ways
        }
        jobs = [pool.submit(meter.add, given[lane_id]) for lane_id, meter in self.lanes.items() if lane_id in given]
        jobs += [pool.submit(meter.add, stems[lane_id]) for lane_id, meter in self.sent.items() if lane_id in stems]
        for bus_id, meter in self.before.items():
            coming = [block for strip_id, block in given.items() if self.ways[strip_id].next_bus == bus_id]
            for strip_id, copies in self.copies.items():
                if strip_id in stems:
                    coming += [gain * (stems[strip_id] @ way.gains) for way, gain in copies if way.next_bus == bus_id]
            if coming:
                jobs.append(pool.submit(meter.add, np.sum(coming, axis=0)))
                jobs.append(pool.submit(self.behind[bus_id].add, given[bus_id]))
        for name, members in self.sums.items():
            own = [
                self._time_domain(lane_id, stems[lane_id]) for lane_id in members if lane_id in stems.keys() & self.ways
            ]
            if own:
                self.parts[name].append(np.sum(own, axis=0).astype(np.float32))
        for job in jobs:
            job.result()

    def _time_domain(self, lane_id: str, block: Array) -> Array:
        """A lane's sound with the levels of all its groups, their chains left aside."""
        way: _Way | None = self.ways[lane_id]
        while way is not None:
            block = block @ way.gains
            if not way.next_bus:
                break
            bus = self.session.bus(way.next_bus)
            edge = routing.Edge(bus.id, bus.destination, "destination")
            block = block @ edge_gains(self.session, bus, edge, 2)
            way = _way(self.session, bus.destination)
        return block

    def result(self, groups: Mapping[str, Powers] | None) -> Heard:
        """groups: taken as known where they are given."""
        if groups is None:
            groups = {
                bus_id: _power_gains(meter.result().power, self.behind[bus_id].result().power)
                for bus_id, meter in self.before.items()
            }
        excitations = {}
        for lane_id, meter in self.lanes.items():
            direct = meter.result()
            ways = [(self.ways[lane_id], direct.power)] if lane_id in self.ways else []
            if lane_id in self.sent:
                sent = self.sent[lane_id].result().power
                # A matrix of gains keeps or lowers the power of both sides alike, as far as this needs it.
                ways += [
                    (way, sent * np.float32(gain**2 * 0.5 * np.sum(way.gains**2))) for way, gain in self.copies[lane_id]
                ]
            if lane_id not in self.sent and not ways[0][0].next_bus:
                excitations[lane_id] = direct
                continue
            power: Powers = np.asarray(sum(self._through(way, power, groups) for way, power in ways), dtype=np.float32)
            excitations[lane_id] = masking.excitation_of_power(power, self.session.sample_rate)
        kick, bass = (np.concatenate(parts) if parts else None for parts in self.parts.values())
        return Heard(excitations, kick, bass, groups)

    def _through(self, way: _Way, power: Powers, groups: Mapping[str, Powers]) -> Powers:
        """Power at the mix behind all the chains on the way."""
        bus_id = way.next_bus
        while bus_id:
            gains = groups.get(bus_id)
            if gains is not None:
                count = min(len(power), len(gains))
                power = power.copy()
                power[:count] *= gains[:count]
            onward = _way(self.session, self.session.bus(bus_id).destination)
            bus_id = onward.next_bus if onward is not None else ""
        return power


def _power_gains(before: Powers, behind: Powers) -> Powers:
    """What a chain does to each band at each moment; 1 in silence."""
    count = min(len(before), len(behind))
    before, behind = before[:count], behind[:count]
    floor = max(float(before.max(initial=0.0)) * 1e-9, 1e-20)
    gains = np.where(before > floor, behind / np.maximum(before, floor), 1.0)
    return np.asarray(np.clip(gains, 0.0, MOST_POWER_GAIN), dtype=np.float32)


def hear_lanes(
    session: Session,
    sources: Opened,
    *,
    lanes: Collection[str] | None = None,
    excite: bool = True,
    groups: Mapping[str, Powers] | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
) -> Heard:
    """Renders once and gathers what arrives. lanes: only these ids; excite: False leaves the spectra out.

    groups: what the chains of buses do, where it is known and not to be heard anew.
    """
    wanted = {lane.id for lane in session.lanes if lanes is None or lane.id in lanes}
    plan = make_plan(session, sources, taps=True)
    listening = _Listening(session, wanted, plan.taps, excite, groups is not None)
    waiting: list[dict[str, Array]] = []

    def gather(pool: ThreadPoolExecutor) -> None:
        if waiting:
            listening.add({name: np.concatenate([stems[name] for stems in waiting]) for name in waiting[0]}, pool)
            waiting.clear()

    with ThreadPoolExecutor(WORKERS, thread_name_prefix="judge") as pool:
        for _, stems in render_stems(plan, progress=progress, cancelled=cancelled):
            waiting.append(stems)
            if len(waiting) == BLOCKS:
                gather(pool)
        gather(pool)
    return listening.result(groups)


def change_masking(
    before: Masking, session: Session, sources: Opened, lane_id: str, groups: Mapping[str, Powers] | None = None
) -> Masking:
    """The table after one lane changed: only that lane, and those that are keyed by it, are rendered again.

    groups: what the chains of buses were heard to do (`Heard.groups`); taken to stay as they are.
    """
    affected = {lane_id} | {
        lane.id
        for lane in session.lanes
        for station in lane.chain
        if (key := getattr(station, "key", None)) is not None and key.source == lane_id
    }
    lanes = tuple(lane if lane.id in affected else replace(lane, mute=True, solo=False) for lane in session.lanes)
    alone = replace(session, lanes=lanes, mix=replace(session.mix, chain=(), automation=()))
    heard = hear_lanes(alone, sources, lanes=affected, groups=groups or {})
    silent = masking.excitation_of(np.zeros((1, 2)), session.sample_rate)
    for changed in affected:
        before = masking.with_track(before, changed, heard.excitations.get(changed, silent))
    return before
