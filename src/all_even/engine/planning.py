"""Making a plan of a session: strips in order, their feeds and stations, and every latency made up for."""

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Protocol

from all_even import decibels
from all_even.audio.decoded import Frames
from all_even.dsp.ducking.shaped import coefficients_with
from all_even.dsp.processor import key_of
from all_even.engine import responses
from all_even.engine.automation import Curve, curve
from all_even.engine.clip_gain import clip_curve, has_clip_gain, resting_clip_gain_db
from all_even.engine.feeds import edge_gains, moving_gains
from all_even.engine.plan import Feed, KeyFeed, Plan, Station, StripPlan
from all_even.engine.responses import linked, used_responses
from all_even.engine.sources import Opened, Sources, frames_of
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Automation, Lane, MixSettings, Strip


class Kept(Frames, Protocol):
    """The sound of a strip, by song frame. lead: frames of it before the song; it was rendered with this latency."""

    lead: int


def make_plan(
    session: Session,
    sources: Opened,
    *,
    taps: bool = False,
    goals: Collection[str] = (MIX,),
    kept: Mapping[str, Kept] | None = None,
    entering: Mapping[str, Kept] | None = None,
) -> Plan:
    """The plan of a session; lanes without an opened file are left out.

    taps: also keep what stems need. goals: strips that are wanted; what they do not need is left out. kept: the
    sound of strips behind their chains where it is known: they are read like files, and need nothing. entering: the
    same of what comes into the chains of sums, behind the trim: they need nothing but keys.
    """
    planning = _Planning(session, frames_of(session, sources), taps, goals, kept or {}, entering or {})
    plan, wanted = planning.plan()
    if not isinstance(sources, Sources):
        return plan
    unread = sources.problems(session)
    wanted -= set(kept or ())
    left_out = [unread[lane.id] for lane in session.lanes if lane.id in wanted and lane.id in unread]
    left_out += responses.problems(session, used_responses(session, wanted)).values()
    return replace(plan, left_out=tuple(dict.fromkeys(left_out))) if left_out else plan


class _Planning:
    """Builds one plan; used once."""

    def __init__(
        self,
        session: Session,
        opened: Mapping[str, Frames],
        taps: bool,
        goals: Collection[str],
        kept: Mapping[str, Kept],
        entering: Mapping[str, Kept],
    ) -> None:
        self.session, self.opened, self.taps, self.goals, self.kept = session, opened, taps, goals, kept
        self.entering = entering
        self.rate = session.sample_rate
        self.linked = linked(session)
        self.strips: list[StripPlan] = []
        self.index: dict[str, int] = {}
        self.places: dict[tuple[str, ...], tuple[int, int]] = {}
        self.size = 0
        self.rings: dict[tuple[str, ...], tuple[int, int]] = {}
        self.history_size = 0
        self.tails: dict[str, float] = {}
        """By strip: how long it is heard after the song."""
        hearing = routing.hearing(session)
        self.open, self.sounding = hearing.open_edges, hearing.sounding
        self.incoming: dict[str, list[routing.Edge]] = defaultdict(list)
        self.keyed_from: set[str] = set()
        for edge in routing.edges(session):
            if edge.kind == "key":
                self.keyed_from.add(edge.source)
            known = edge.target in kept or (edge.target in entering and edge.kind != "key")
            if (edge.kind == "key" or edge in self.open) and not known:
                self.incoming[edge.target].append(edge)

    def plan(self) -> tuple[Plan, set[str]]:
        """The plan, and all strips that are wanted for it."""
        wanted = self._needed(set(self.goals) | (set(self.sounding) if self.taps else set()))
        for strip_id in self._ordered(wanted):
            self._add(strip_id)
        last_of_all = MIX if MIX in self.index else max(self.index, key=lambda item: self.index[item], default=None)
        if last_of_all is None:
            return Plan(self.rate, self._song_frames(), (), 0, 0.0, 0, {}), wanted
        last = self.strips[self.index[last_of_all]]
        taps = {}
        if self.taps:
            for strip in self.session.strips:
                # A stem is what the strip gives to its destination, on time with the mix.
                edge = routing.Edge(strip.id, strip.destination, "destination")
                if strip.id in self.index and strip.id in self.sounding and edge in self.open:
                    taps[strip.id] = self._feed(edge, last.latency_in, ("tap", strip.id))
        plan = Plan(
            sample_rate=self.rate,
            frames=self._song_frames(),
            strips=tuple(self.strips),
            latency=last.latency_out,
            settling_s=max((strip.settling_s for strip in self.strips), default=0.0),
            state_size=self.size,
            places=self.places,
            history_size=self.history_size,
            tail_s=self.tails.get(last.id, 0.0),
            rings=self.rings,
            taps=taps,
        )
        return plan, wanted

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
        if strip_id in self.kept:
            self._add_kept(strip_id, self.kept[strip_id])
            return
        session = self.session
        strip: Strip | MixSettings = session.mix if strip_id == MIX else session.strip(strip_id)
        known, source = self.entering.get(strip_id), self.opened.get(strip_id)
        if isinstance(strip, Lane) and source is None:
            return
        arriving = [edge for edge in self.incoming[strip_id] if edge.kind != "key" and edge.source in self.index]
        latency_in = max((self.strips[self.index[edge.source]].latency_out for edge in arriving), default=0)
        latency_in = known.lead if known is not None else latency_in
        feeds = tuple(
            self._feed(edge, latency_in, (edge.source, strip_id, edge.kind, str(edge.index))) for edge in arriving
        )
        channels = source.channels if source is not None else 2
        stations, latency = self._stations(strip_id, strip, latency_in)
        before = [self.strips[feed.source] for feed in feeds]
        before += [self.strips[station.key.source] for station in stations if station.key is not None]
        settling = sum(station.processor.settling_s() + station.wait / self.rate for station in stations)
        delays = max((feed.delay for feed in feeds), default=0) / self.rate
        rings = sum(station.processor.rings_s() for station in stations if not station.processor.bypass)
        self.tails[strip_id] = max((self.tails.get(item.id, 0.0) for item in before), default=0.0) + rings
        self.index[strip_id] = len(self.strips)
        self.strips.append(
            StripPlan(
                id=strip_id,
                source=source if isinstance(strip, Lane) else known,
                start_frame=round(strip.start_s * self.rate) if isinstance(strip, Lane) else latency_in,
                channels=channels,
                feeds=feeds,
                stations=tuple(stations),
                latency_in=latency_in,
                latency_out=latency,
                settling_s=max((item.settling_s for item in before), default=0.0) + settling + delays,
                depth=max((item.depth + 1 for item in before), default=0),
                plain=isinstance(strip, Lane)
                and not stations
                and strip_id not in self.keyed_from
                and not has_clip_gain(strip),
                head_gain=decibels.gain(_head_db(strip)) if known is None else 1.0,
                head_curve=clip_curve(strip, self.rate) if isinstance(strip, Lane) else None,
            )
        )

    def _add_kept(self, strip_id: str, sound: Kept) -> None:
        """A strip whose sound behind its chain is known: it comes as late as if it were rendered, so that all that
        follows starts from the same silence."""
        self.index[strip_id] = len(self.strips)
        self.strips.append(
            StripPlan(
                id=strip_id, source=sound, start_frame=sound.lead, channels=sound.channels, feeds=(), stations=(),
                latency_in=sound.lead, latency_out=sound.lead, settling_s=0.0, depth=0,
                plain=strip_id not in self.keyed_from,
            )
        )  # fmt: skip

    def _stations(self, strip_id: str, strip: Strip | MixSettings, latency: int) -> tuple[list[Station], int]:
        found = []
        for processor in strip.chain:
            own = processor.latency_frames(self.rate)
            wanted_key = key_of(processor)
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
                silent = routing.key_is_silent(self.session, wanted_key)
                gain = 0.0 if silent else decibels.gain(wanted_key.level_db)
                key = KeyFeed(self.index[wanted_key.source], gain, delay, key_state)
            coefficients = coefficients_with(processor, self.linked, self.rate)
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
                    history=self._record(name, 0 if processor.bypass else processor.history_size(self.rate)),
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

    def _record(self, name: tuple[str, ...], size: int) -> tuple[int, int]:
        place = self.history_size
        if size:
            self.rings[name] = (place, size)
            self.history_size += size
        return place, size


def _head_db(strip: Strip | MixSettings) -> float:
    """What a strip begins with: the trim of the mix, the clip gain of a lane where it is not automated."""
    if isinstance(strip, MixSettings):
        return strip.trim_db
    return resting_clip_gain_db(strip) if isinstance(strip, Lane) else 0.0


def _curves(automation: tuple[Automation, ...], station_id: str, rate: int) -> tuple[tuple[str, Curve], ...]:
    prefix = station_id + "."
    return tuple(
        (item.parameter.removeprefix(prefix), curve(item, rate))
        for item in automation
        if item.parameter.startswith(prefix)
    )
