"""The plan: what has to be computed for a session, as a value that threads can share.

Strips stand in an order in which each comes after all it needs, the mix bus last. A strip's sound is
taken after its chain, before its fader: each *feed* to another strip carries the gains of fader, pan and
send as one small matrix, so a lane without a chain is never copied on its way to the sum. Keys take the
sound before the fader, and so hear a muted or silent lane.

Every latency is made up for: a feed or key that arrives early is delayed until the latest one is there,
and a chain waits before a station whose key comes later than its own sound. A plan holds no settings that
could change while it is used; an edit makes a new one.
"""

import math
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.audio.decoded import Frames
from all_even.dsp import ducker, pan
from all_even.dsp.ducker import Ducker
from all_even.dsp.processor import Processor, coefficients_of
from all_even.engine.automation import Curve, MovingGains, curve
from all_even.engine.sources import Opened, frames_of
from all_even.session import routing
from all_even.session.model import MIX, Automation, Lane, MixSettings, Session, Strip

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Feed:
    """From one strip's sound into a sum. source: its place among the strips. delay: frames, 0 or more.

    gains: (channels, 2). moving: replaces `gains` where level or pan is automated. state: place of the
    delay's memory. main: whether this is the strip's way to its destination.
    """

    source: int
    gains: Array
    moving: MovingGains | None
    delay: int
    state: int
    main: bool


@dataclass(frozen=True, slots=True, eq=False)
class KeyFeed:
    """What a station's detector hears. gain: linear."""

    source: int
    gain: float
    delay: int
    state: int


@dataclass(frozen=True, slots=True, eq=False)
class Station:
    """One processor where it stands. latency_before: frames between the song and what comes in here.

    wait: frames the sound waits here for a late key. size: of the state; state: its place.
    """

    processor: Processor
    coefficients: Array
    automation: tuple[tuple[str, Curve], ...]
    latency_before: int
    latency: int
    key: KeyFeed | None
    wait: int
    wait_state: int
    state: int
    size: int


@dataclass(frozen=True, slots=True, eq=False)
class StripPlan:
    """One lane or bus. source: a lane's frames. plain: nothing happens before the fader, nobody keys from it.

    depth: strips of one depth do not need each other.
    """

    id: str
    source: Frames | None
    start_frame: int
    channels: int
    feeds: tuple[Feed, ...]
    stations: tuple[Station, ...]
    latency_in: int
    latency_out: int
    settling_s: float
    depth: int
    plain: bool
    head_gain: float = 1.0


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """All that is computed. frames: the song's length. latency: of the mix, in frames.

    state_size: numbers remembered from block to block. taps: feeds for stems by strip id.
    places: where each memory lies, by a name that lasts from plan to plan.
    """

    sample_rate: int
    frames: int
    strips: tuple[StripPlan, ...]
    latency: int
    settling_s: float
    state_size: int
    places: Mapping[tuple[str, ...], tuple[int, int]]
    taps: Mapping[str, Feed] = field(default_factory=dict)

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate

    @property
    def lane_ids(self) -> tuple[str, ...]:
        """The strips that play a file, in the plan's order."""
        return tuple(strip.id for strip in self.strips if strip.source is not None)

    @property
    def settling_frames(self) -> float:
        return self.settling_s * self.sample_rate

    def timing(self) -> tuple[object, ...]:
        """What has to be the same for a running state to be taken over."""
        return (self.sample_rate, *((strip.id, strip.latency_in, strip.latency_out) for strip in self.strips))


def make_plan(session: Session, sources: Opened, *, taps: bool = False, only: str | None = None) -> Plan:
    """The plan of a session; lanes without an opened file are left out.

    taps: also keep what stems need. only: leave out what this strip does not need, and end there.
    """
    return _Planning(session, frames_of(session, sources), taps, only).plan()


class _Planning:
    """Builds one plan; used once."""

    def __init__(self, session: Session, opened: Mapping[str, Frames], taps: bool, only: str | None) -> None:
        self.session, self.opened, self.taps, self.only = session, opened, taps, only
        self.rate = session.sample_rate
        self.strips: list[StripPlan] = []
        self.index: dict[str, int] = {}
        self.places: dict[tuple[str, ...], tuple[int, int]] = {}
        self.size = 0
        hearing = routing.hearing(session)
        self.open, self.sounding = hearing.open_edges, hearing.sounding
        self.incoming: dict[str, list[routing.Edge]] = defaultdict(list)
        self.keyed_from: set[str] = set()
        for edge in routing.edges(session):
            if edge.kind == "key":
                self.keyed_from.add(edge.source)
            if edge.kind == "key" or edge in self.open:
                self.incoming[edge.target].append(edge)

    def plan(self) -> Plan:
        goal = self.only or MIX
        wanted = self._needed({goal} | (set(self.sounding) if self.taps else set()))
        for strip_id in self._ordered(wanted - {MIX} if goal != MIX else wanted):
            self._add(strip_id)
        last = self.strips[self.index[goal]]
        taps = {}
        if self.taps:
            for strip in self.session.strips:
                # A stem is what the strip gives to its destination, on time with the mix.
                edge = routing.Edge(strip.id, strip.destination, "destination")
                if strip.id in self.index and strip.id in self.sounding and edge in self.open:
                    taps[strip.id] = self._feed(edge, last.latency_in, ("tap", strip.id))
        return Plan(
            sample_rate=self.rate,
            frames=self._song_frames(),
            strips=tuple(self.strips),
            latency=last.latency_out,
            settling_s=max((strip.settling_s for strip in self.strips), default=0.0),
            state_size=self.size,
            places=self.places,
            taps=taps,
        )

    def _song_frames(self) -> int:
        return max(
            (
                round(lane.start_s * self.rate) + self.opened[lane.id].frames
                for lane in self.session.lanes
                if lane.id in self.opened
            ),
            default=0,
        )

    def _needed(self, goals: set[str]) -> set[str]:
        found, waiting = set(goals), list(goals)
        while waiting:
            for edge in self.incoming[waiting.pop()]:
                if edge.source not in found:
                    found.add(edge.source)
                    waiting.append(edge.source)
        return found

    def _ordered(self, wanted: set[str]) -> list[str]:
        """Each after all it needs; otherwise in the session's order, the mix last."""
        done: set[str] = set()
        ordered: list[str] = []
        for start in [*(strip.id for strip in self.session.strips), MIX]:
            stack = [(start, False)]
            while stack:
                item, ready = stack.pop()
                if item in done or item not in wanted:
                    continue
                if ready:
                    done.add(item)
                    ordered.append(item)
                else:
                    stack.append((item, True))
                    stack += [(edge.source, False) for edge in reversed(self.incoming[item])]
        return ordered

    def _add(self, strip_id: str) -> None:
        session = self.session
        strip: Strip | MixSettings = session.mix if strip_id == MIX else session.strip(strip_id)
        source = self.opened.get(strip_id)
        if isinstance(strip, Lane) and source is None:
            return
        arriving = [edge for edge in self.incoming[strip_id] if edge.kind != "key" and edge.source in self.index]
        latency_in = max((self.strips[self.index[edge.source]].latency_out for edge in arriving), default=0)
        feeds = tuple(
            self._feed(edge, latency_in, (edge.source, strip_id, edge.kind, str(edge.index))) for edge in arriving
        )
        channels = source.channels if source is not None else 2
        stations, latency = self._stations(strip_id, strip, latency_in)
        before = [self.strips[feed.source] for feed in feeds]
        before += [self.strips[station.key.source] for station in stations if station.key is not None]
        settling = sum(station.processor.settling_s() + station.wait / self.rate for station in stations)
        delays = max((feed.delay for feed in feeds), default=0) / self.rate
        self.index[strip_id] = len(self.strips)
        self.strips.append(
            StripPlan(
                id=strip_id,
                source=source if isinstance(strip, Lane) else None,
                start_frame=round(strip.start_s * self.rate) if isinstance(strip, Lane) else 0,
                channels=channels,
                feeds=feeds,
                stations=tuple(stations),
                latency_in=latency_in,
                latency_out=latency,
                settling_s=max((item.settling_s for item in before), default=0.0) + settling + delays,
                depth=max((item.depth + 1 for item in before), default=0),
                plain=isinstance(strip, Lane) and not stations and strip_id not in self.keyed_from,
                head_gain=decibels.gain(session.mix.trim_db) if strip_id == MIX else 1.0,
            )
        )

    def _stations(self, strip_id: str, strip: Strip | MixSettings, latency: int) -> tuple[list[Station], int]:
        shapes = {shape.id: shape for shape in self.session.shapes}
        found = []
        for processor in strip.chain:
            own = processor.latency_frames(self.rate)
            wanted_key = getattr(processor, "key", None)
            key, wait, wait_state = None, 0, 0
            if wanted_key is not None and wanted_key.source in self.index and not processor.bypass:
                arrives = self.strips[self.index[wanted_key.source]].latency_out
                if arrives > latency:
                    wait = arrives - latency
                    wait_state = self._remember(("wait", strip_id, processor.id), 1 + 2 * wait)
                delay = latency + wait - arrives
                key_state = self._remember(
                    ("key", strip_id, processor.id, wanted_key.source), 1 + 2 * delay if delay else 0
                )
                key = KeyFeed(self.index[wanted_key.source], decibels.gain(wanted_key.level_db), delay, key_state)
            if isinstance(processor, Ducker):
                coefficients = ducker.linked(processor, shapes.get(processor.shape), self.rate)
            else:
                coefficients = coefficients_of(processor, self.rate)
            size = 1 + 2 * own if processor.bypass else processor.state_size(self.rate)
            name = ("station", strip_id, processor.id, type(processor).__name__, str(processor.bypass))
            found.append(
                Station(
                    processor=processor,
                    coefficients=coefficients,
                    automation=_curves(strip.automation, processor.id, self.rate),
                    latency_before=latency + wait,
                    latency=own,
                    key=key,
                    wait=wait,
                    wait_state=wait_state,
                    state=self._remember(name, size),
                    size=size,
                )
            )
            latency += wait + own
        return found, latency

    def _feed(self, edge: routing.Edge, latency: int, name: tuple[str, ...]) -> Feed:
        source = self.strips[self.index[edge.source]]
        strip = self.session.strip(edge.source)
        channels = source.channels
        moving = moving_gains(self.session, strip, edge, channels)
        gains = edge_gains(self.session, strip, edge, channels)
        delay = latency - source.latency_out
        assert delay >= 0, "a feed can't arrive before it leaves"
        state = self._remember(("delay", *name), 1 + 2 * delay if delay else 0)
        return Feed(self.index[edge.source], gains, moving, delay, state, edge.kind == "destination")

    def _remember(self, name: tuple[str, ...], size: int) -> int:
        place = self.size
        if size:
            self.places[name] = (place, size)
            self.size += size
        return place


def edge_gains(session: Session, strip: Strip, edge: routing.Edge, channels: int) -> Array:
    """(channels, 2) gains of a destination or send, automation left aside."""
    level_db = routing.level_db(session, strip)
    if edge.kind == "send":
        send = strip.sends[edge.index]
        level_db = send.level_db if send.pre_fader else level_db + send.level_db
        if send.level_db <= decibels.OFF_DB:
            level_db = decibels.OFF_DB
    gain = decibels.gain(level_db) * (-1.0 if strip.polarity_inverted else 1.0)
    return gain * pan.matrix(channels, strip.pan, session.pan_law)


def moving_gains(session: Session, strip: Strip, edge: routing.Edge, channels: int) -> MovingGains | None:
    """The gains of an edge over time, or None where nothing on it is automated."""
    rate = session.sample_rate
    curves = {item.parameter: curve(item, rate) for item in strip.automation}
    send = strip.sends[edge.index] if edge.kind == "send" else None
    levels, base_db = [], 0.0
    if send is None or not send.pre_fader:
        if "level_db" in curves:
            levels.append(curves["level_db"])
            folders = [group.level_db for group in routing.folders_above(session, strip)]
            base_db += decibels.OFF_DB if min(folders, default=0.0) <= decibels.OFF_DB else sum(folders)
        else:
            base_db += routing.level_db(session, strip)
    if send is not None:
        if f"send:{send.to}" in curves:
            levels.append(curves[f"send:{send.to}"])
        else:
            base_db += send.level_db
    pan_curve = curves.get("pan")
    if not levels and pan_curve is None:
        return None
    return MovingGains(
        channels,
        session.pan_law,
        base_db,
        tuple(levels),
        strip.pan,
        pan_curve,
        -1.0 if strip.polarity_inverted else 1.0,
    )


def _curves(automation: tuple[Automation, ...], station_id: str, rate: int) -> tuple[tuple[str, Curve], ...]:
    prefix = station_id + "."
    return tuple(
        (item.parameter.removeprefix(prefix), curve(item, rate))
        for item in automation
        if item.parameter.startswith(prefix)
    )


def is_stateless(plan: Plan) -> bool:
    """Whether any block can be computed by itself."""
    return plan.state_size == 0 and math.isfinite(plan.settling_s) and plan.latency == 0
