"""What flows through a session, measured on its way: levels in every chain, and who makes up each sum.

One render of the whole song gives the figures of the mix, the level after every station, the gain each
dynamic station applied, and the K-weighted energy that reaches each fader. From these follows by
arithmetic, at once and for any position of the faders:
- the *contribution* of a feed: its loudness at its destination minus that of the destination's sum;
- the *change* a bus with dynamics makes to each of its members: the member's K-weighted energy while it plays,
  times the gain the bus applied in each hop, against the energy without it, less the same for the whole sum.
  Positive: it came up.
"""

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.processor import Processor
from all_even.engine.plan import Plan, StripPlan, edge_gains, moving_gains
from all_even.engine.render import WORKERS, render
from all_even.measure import loudness
from all_even.measure.hops import HOP_S, HopMeter
from all_even.measure.levels import GainMeter, Level, LevelMeter, level_of, playing_hops
from all_even.measure.track import Measurement, TrackMeasures
from all_even.session import routing
from all_even.session.model import MIX, Lane, Session, Strip

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class StationFlow:
    """One station: what comes out of it. after: (hops, 2) power and peak; gain_db: (hops, 2) mean and
    strongest, without rows where it is not dynamic."""

    station: Processor
    level: Level
    after: Array
    gain_db: Array


@dataclass(frozen=True, slots=True, eq=False)
class StripFlow:
    """One strip from its entrance to its fader. weighted: K-weighted energy per hop and channel there."""

    entered: Level
    before: Array
    stations: tuple[StationFlow, ...]
    weighted: Array

    def holds_for(self, chain: tuple[Processor, ...]) -> bool:
        """Whether it was measured with this chain."""
        return tuple(item.station for item in self.stations) == chain


@dataclass(frozen=True, slots=True, eq=False)
class Flow:
    """All strips with a chain, all buses, and the mix bus, by id. Lanes without a chain are as their files."""

    mix: TrackMeasures
    strips: Mapping[str, StripFlow]

    def strip(self, session: Session, strip_id: str) -> StripFlow | None:
        """What was measured of a strip, or None where its chain has changed since."""
        known = self.strips.get(strip_id)
        if known is None:
            return None
        try:
            chain = session.chain(strip_id)
        except KeyError:
            return None
        return known if known.holds_for(chain) else None


def change_db(flow: StripFlow, index: int) -> float | None:
    """How much a station changed the level while playing, dB; None in silence."""
    before = flow.entered if index == 0 else flow.stations[index - 1].level
    after = flow.stations[index].level
    if before.rms_dbfs is None or after.rms_dbfs is None:
        return None
    return after.rms_dbfs - before.rms_dbfs


class _StripMeters:
    """Collects one strip; used by one thread at a time."""

    def __init__(self, rate: int, strip: StripPlan) -> None:
        self.entered = LevelMeter(rate)
        self.after = [LevelMeter(rate) for _ in strip.stations]
        self.gains = [GainMeter(rate) for _ in strip.stations]
        self.weighted = HopMeter(rate, strip.channels)


class _Watching:
    """The watch of a flow measurement: from the song's first frame on."""

    def __init__(self, plan: Plan) -> None:
        rate = plan.sample_rate
        self.meters = {
            strip.id: _StripMeters(rate, strip) for strip in plan.strips if strip.stations or strip.source is None
        }

    def entered(self, strip: StripPlan, block: Array, song_frame: int) -> None:
        meters = self.meters.get(strip.id)
        if meters is not None:
            part = block[max(0, -song_frame) :]
            meters.entered.add(part)
            if not strip.stations:
                meters.weighted.add(part.astype(np.float32))

    def passed(self, strip: StripPlan, index: int, block: Array, gain: Array, song_frame: int) -> None:
        meters = self.meters[strip.id]
        start = max(0, -song_frame)
        meters.after[index].add(block[start:])
        if len(gain):
            meters.gains[index].add(gain[start:])
        if index + 1 == len(strip.stations):
            meters.weighted.add(block[start:].astype(np.float32))

    def flows(self, plan: Plan) -> dict[str, StripFlow]:
        found = {}
        for strip in plan.strips:
            meters = self.meters.get(strip.id)
            if meters is None:
                continue
            before = meters.entered.hops
            playing = playing_hops(before[:, 0])
            stations = tuple(
                StationFlow(station.processor, level_of(after.hops, playing), after.hops, gains.hops)
                for station, after, gains in zip(strip.stations, meters.after, meters.gains, strict=True)
            )
            weighted = meters.weighted.result().weighted.astype(np.float64)
            found[strip.id] = StripFlow(level_of(before), before, stations, weighted)
        return found


def measure_flow(
    plan: Plan,
    *,
    progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
    workers: int = WORKERS,
) -> Flow:
    """Renders the whole song once and measures mix and strips. workers: threads; one while music plays."""
    measurement = Measurement(plan.sample_rate, 2)
    watching = _Watching(plan)
    watch = watching if watching.meters.keys() - {MIX} or plan.strips[-1].stations else None
    for block in render(plan, progress=progress, cancelled=cancelled, watch=watch, workers=workers):
        measurement.add(block.astype(np.float32))
    return Flow(measurement.result(), watching.flows(plan) if watch is not None else {})


def energy_at_fader(session: Session, strip: Strip, measures: TrackMeasures | None, flow: Flow | None) -> Array | None:
    """K-weighted energy per hop of the song, (hops, channels), before the fader; None where it is unknown."""
    if isinstance(strip, Lane) and not strip.chain:
        if measures is None:
            return None
        lead = np.zeros((round(strip.start_s / HOP_S), measures.channels))
        return np.concatenate((lead, measures.hops.weighted.astype(np.float64)))
    known = flow.strip(session, strip.id) if flow is not None else None
    return known.weighted if known is not None else None


def feed_energy(session: Session, strip: Strip, edge: routing.Edge, energy: Array) -> Array:
    """(hops, 2) energy that an edge carries, with its level, pan and automation; mute and solo aside."""
    channels = energy.shape[1]
    moving = moving_gains(session, strip, edge, channels)
    if moving is None:
        result: Array = energy @ edge_gains(session, strip, edge, channels) ** 2
        return result
    frames_per_hop = round(session.sample_rate * HOP_S)
    gains = moving.between(0, len(energy) * frames_per_hop)[frames_per_hop // 2 :: frames_per_hop]
    return np.einsum("hc,hcs->hs", energy[: len(gains)], gains**2)


@dataclass(frozen=True, slots=True)
class Contribution:
    """What one feed gives to a sum. lufs: its loudness there; share_lu: that minus the sum's.

    change_lu: what the dynamics of the bus do to it against the whole sum; None without dynamics.
    """

    edge: routing.Edge
    lufs: float | None
    share_lu: float | None
    change_lu: float | None


def contributions(
    session: Session, target: str, measures: Mapping[str, TrackMeasures], flow: Flow | None
) -> list[Contribution]:
    """What each open destination and send gives to a bus or the mix, in the session's order."""
    opened = routing.hearing(session).open_edges
    arriving: list[tuple[routing.Edge, Array | None]] = []
    for edge in routing.edges(session):
        if edge.target == target and edge.kind != "key" and edge in opened:
            strip = session.strip(edge.source)
            energy = energy_at_fader(session, strip, measures.get(strip.id), flow)
            arriving.append((edge, None if energy is None else feed_energy(session, strip, edge, energy)))
    known = [energy for _, energy in arriving if energy is not None]
    length = max((len(energy) for energy in known), default=0)
    total = np.zeros((length, 2))
    for energy in known:
        total[: len(energy)] += energy
    # Energies of different tracks add up where they are not related; the sum's own level is what counts then.
    whole = loudness.integrated_lufs(total) if length else None
    gain_db = _applied_db(session, target, flow, length)
    change_of_whole = _change_lu(total, gain_db)
    found = []
    for edge, energy in arriving:
        own = loudness.integrated_lufs(energy) if energy is not None and len(energy) else None
        change = _change_lu(energy, gain_db) if energy is not None else None
        found.append(
            Contribution(
                edge,
                own,
                own - whole if own is not None and whole is not None else None,
                change - change_of_whole if change is not None and change_of_whole is not None else None,
            )
        )
    return found


def applied_gain_db(session: Session, target: str, flow: Flow | None) -> Array | None:
    """Gain per hop that the dynamic stations of a bus apply together, dB; None without any, or unmeasured."""
    known = flow.strip(session, target) if flow is not None else None
    if known is None:
        return None
    traces = [item.gain_db[:, 0] for item in known.stations if len(item.gain_db) and not item.station.bypass]
    if not traces:
        return None
    length = min(len(trace) for trace in traces)
    result: Array = np.sum([trace[:length] for trace in traces], axis=0)
    return result


def _applied_db(session: Session, target: str, flow: Flow | None, length: int) -> Array | None:
    gain_db = applied_gain_db(session, target, flow)
    if gain_db is None:
        return None
    padded = np.zeros(length)
    padded[: min(length, len(gain_db))] = gain_db[:length]
    return padded


def _change_lu(energy: Array, gain_db: Array | None) -> float | None:
    if gain_db is None or not len(energy):
        return None
    power = energy.sum(axis=1)
    playing = playing_hops(power)  # the same hops before and after: a gate that moves would count as change
    before = float(power[playing].sum())
    after = float((power * 10.0 ** (gain_db[: len(power)] / 10.0))[playing].sum())
    return decibels.power_db(after / before) if before > 0.0 and after > 0.0 else None
