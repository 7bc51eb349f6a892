"""What flows through a session, measured on its way: levels in every chain, and who makes up each sum.

One pass over the song (`figures.book`) gives the figures of the mix, the level after every station, the gain each
dynamic station applied, and the K-weighted energy that reaches each fader. From these follows by
arithmetic, at once and for any position of the faders:
- the *contribution* of a feed: its loudness at its destination minus that of the destination's sum;
- the *change* a bus with dynamics makes to each of its members: the member's K-weighted energy while it plays,
  times the gain the bus applied in each hop, against the energy without it, less the same for the whole sum.
  Positive: it came up.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Processor, numbers
from all_even.engine.clip_gain import clip_gains, has_clip_gain
from all_even.engine.feeds import edge_gains, moving_gains
from all_even.measure.level import loudness
from all_even.measure.level.hops import HOP_S, HopMeter
from all_even.measure.level.levels import GainMeter, Level, LevelMeter, level_of, playing_hops
from all_even.measure.recording.track import TrackMeasures
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane, Strip

Array = NDArray[np.float64]
MAKEUP, FOLLOWED_DB = numbers(Compressor)["makeup_db"], 0.15
"""A make-up that follows is left alone within this."""


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

    def said_of(self, chain: tuple[Processor, ...]) -> "StripFlow":
        """The same figures for a chain that sounds the same but is not the same value (other ids)."""
        stations = tuple(replace(item, station=station) for item, station in zip(self.stations, chain, strict=True))
        return replace(self, stations=stations)


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


def with_makeup(session: Session, flow: Flow) -> Session:
    """The session with the make-up of each compressor whose make-up follows set so that the level while playing is as
    before it; those of which nothing is measured as they are now stay."""
    for strip_id in (*(strip.id for strip in session.strips), MIX):
        found = flow.strip(session, strip_id)
        for index, station in enumerate(session.chain(strip_id)):
            if found is None or not isinstance(station, Compressor) or not station.makeup_follows or station.bypass:
                continue
            off_db = change_db(found, index)
            if off_db is not None and abs(off_db) > FOLLOWED_DB:
                makeup_db = MAKEUP.clamped(round(station.makeup_db - off_db, 1))
                session = chain_edits.change_station(session, strip_id, station.id, makeup_db=makeup_db)
                break  # what comes behind it is measured anew first
    return session


class FlowListener:
    """Collects one strip."""

    lead = tail = 0

    def __init__(self, rate: int, channels: int, chain: tuple[Processor, ...]) -> None:
        self._chain = chain
        self._entered = LevelMeter(rate)
        self._after = [LevelMeter(rate) for _ in chain]
        self._gains = [GainMeter(rate) for _ in chain]
        self._weighted = HopMeter(rate, channels)

    def entered(self, block: Array) -> None:
        self._entered.add(block)

    def passed(self, index: int, block: Array, gain_db: Array) -> None:
        self._after[index].add(block)
        if len(gain_db):
            self._gains[index].add(gain_db)

    def left(self, block: Array) -> None:
        self._weighted.add(block.astype(np.float32))

    def result(self) -> StripFlow:
        before = self._entered.hops
        playing = playing_hops(before[:, 0])
        stations = tuple(
            StationFlow(processor, level_of(after.hops, playing), after.hops, gains.hops)
            for processor, after, gains in zip(self._chain, self._after, self._gains, strict=True)
        )
        weighted = self._weighted.result().weighted.astype(np.float64)
        return StripFlow(level_of(before), before, stations, weighted)


def energy_at_fader(session: Session, strip: Strip, measures: TrackMeasures | None, flow: Flow | None) -> Array | None:
    """K-weighted energy per hop of the song, (hops, channels), before the fader; None where it is unknown."""
    if isinstance(strip, Lane) and not strip.chain:
        if measures is None:
            return None
        lead = np.zeros((round(strip.start_s / HOP_S), measures.channels))
        energy = np.concatenate((lead, measures.hops.weighted.astype(np.float64)))
        return energy * clip_gains(strip, len(energy), HOP_S)[:, np.newaxis] ** 2 if has_clip_gain(strip) else energy
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
    middles = np.arange(frames_per_hop // 2, len(energy) * frames_per_hop, frames_per_hop)
    return np.einsum("hc,hcs->hs", energy, moving.gains_at(middles) ** 2)


def summed(energies: Sequence[Array]) -> Array:
    """Energies of (hops, 2) added, the shorter ones silent at their end."""
    total = np.zeros((max((len(energy) for energy in energies), default=0), 2))
    for energy in energies:
        total[: len(energy)] += energy
    return total


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
    session: Session,
    target: str,
    measures: Mapping[str, TrackMeasures],
    flow: Flow | None,
    more_db: Array | None = None,
) -> list[Contribution]:
    """What each open destination and send gives to a bus or the mix, in the session's order.

    more_db: gain per hop that one more station would apply there.
    """
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
    gain_db = _padded(_applied_db(session, target, flow, more_db), length)
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


def _applied_db(session: Session, target: str, flow: Flow | None, more_db: Array | None) -> Array | None:
    known_db = applied_gain_db(session, target, flow)
    if known_db is None or more_db is None:
        return more_db if known_db is None else known_db
    count = min(len(known_db), len(more_db))
    return known_db[:count] + more_db[:count]


def _padded(gain_db: Array | None, length: int) -> Array | None:
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
