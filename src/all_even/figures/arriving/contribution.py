"""Parts of the mix: what some lanes bring to it, through the chains of all their groups.

A group's chain answers to everything in the group. So that the kick's and the bass's part of it can be told apart,
what moves in it is steered by the whole group while only the part goes through: a detector that can have a key is given
the group's sound, a limiter's gain is read from the group and put on the part. What is linear needs nothing. Parts of
all lanes then add up to the mix (tested). Saturation has no parts; its change of level, moment by moment, is put on
each. Stations' settings are those at rest.
"""

import graphlib
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.audio.decoded import Frames
from all_even.audio.sides import power_of
from all_even.dsp.ducking.shaped import Linked, Shaped, coefficients_with
from all_even.dsp.processor import Key, Processor, Single, key_of
from all_even.engine.feeds import edge_gains, moving_gains
from all_even.engine.mixing import add_lane, add_moving
from all_even.engine.responses import linked
from all_even.figures.book.fingerprint import Fingerprints
from all_even.figures.book.look import Look
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Bus

Samples = NDArray[np.float32]
Array = NDArray[np.float64]
BLOCK_FRAMES = 1 << 14
LEVEL_S = 0.010
"""Over so long a saturation's change of level is read."""
QUIET = 1e-12
SAME = 1e-5


@dataclass(frozen=True, slots=True, eq=False)
class _Held:
    """A part in memory, read as a file is."""

    samples: Samples
    channels: int = 2

    def read(self, start: int, frames: int) -> Samples:
        return self.samples[start : start + frames]


def parts(look: Look, wanted: Mapping[str, Collection[str]], *, dynamics: bool = True) -> dict[str, Samples]:
    """(frames, 2) of each set of lanes as it arrives at the mix bus, before its trim; sets that are not heard are left
    out.

    wanted: lane ids by the name of the set. dynamics: False leaves out what in the groups' chains answers to level.
    """
    session = look.session
    prints = look.book.fingerprints(session)
    opened = routing.hearing(session).open_edges
    edges = [edge for edge in routing.edges(session) if edge.kind != "key" and edge in opened]
    lanes = {lane_id for ids in wanted.values() for lane_id in ids if lane_id in prints.opened}
    chained = [lane_id for lane_id in lanes if session.lane(lane_id).chain]
    look.hear(*[("sound", lane_id) for lane_id in chained])
    found: dict[str, dict[str, Samples]] = {}
    """By strip: what each set brings to it."""
    for strip_id in _in_order(session, edges):
        entering = [edge for edge in edges if edge.target == strip_id]
        sums = {
            name: total
            for name, ids in wanted.items()
            if (total := _entering(look, prints, name, ids, entering, found)) is not None
        }
        if strip_id != MIX and sums:
            sums = _through(look, session.bus(strip_id), sums, dynamics)
        found[strip_id] = sums
    return found.get(MIX, {})


def _in_order(session: Session, edges: Collection[routing.Edge]) -> list[str]:
    """Buses and the mix, each after all that leads to it."""
    known = {bus.id for bus in session.buses}
    into: dict[str, set[str]] = {bus_id: set() for bus_id in (*known, MIX)}
    for edge in edges:
        if edge.source in known and edge.target in into:
            into[edge.target].add(edge.source)
    return list(graphlib.TopologicalSorter(into).static_order())


def _entering(
    look: Look,
    prints: Fingerprints,
    name: str,
    lanes: Collection[str],
    edges: Collection[routing.Edge],
    found: Mapping[str, Mapping[str, Samples]],
) -> Samples | None:
    """What a set brings to a strip by these edges; None where nothing of it leads there."""
    session = look.session
    total: Samples | None = None
    for edge in edges:
        source: Frames | _Held
        if session.is_lane(edge.source):
            if edge.source not in lanes or edge.source not in prints.opened or edge.target == NOWHERE:
                continue
            source = look.sound(edge.source)
        else:
            part = found.get(edge.source, {}).get(name)
            if part is None:
                continue
            source = _Held(part)
        channels, read = source.channels, source.read
        strip = session.strip(edge.source)
        if total is None:
            total = np.zeros((prints.song_frames, 2), dtype=np.float32)
        moving = moving_gains(session, strip, edge, channels)
        gains = edge_gains(session, strip, edge, channels)
        for start in range(0, len(total), BLOCK_FRAMES):
            count = min(BLOCK_FRAMES, len(total) - start)
            together = total[start : start + count].astype(np.float64)
            if moving is None:
                add_lane(together, read(start, count), gains, False)
            else:
                add_moving(together, read(start, count), moving.between(start, count))
            total[start : start + count] = together
    return total


def _through(look: Look, bus: Bus, sums: dict[str, Samples], dynamics: bool) -> dict[str, Samples]:
    """The parts behind a bus's chain."""
    stations = [station for station in bus.chain if not station.bypass and (dynamics or not station.LEVEL_DEPENDENT)]
    if not stations:
        return sums
    session = look.session
    last = max((place for place, station in enumerate(stations) if _needs_the_whole(station)), default=-1)
    whole: Samples | None = None
    if last >= 0:
        buses = tuple(replace(item, chain=()) if item.id == bus.id else item for item in session.buses)
        kept = look.at(replace(session, buses=buses)).sound(bus.id)
        whole = np.array(kept.read(0, kept.frames))
    for place, station in enumerate(stations):
        key: Samples | None = None
        own = key_of(station)
        if own is not None:
            sound = look.sound(own.source)
            key = np.array(sound.read(0, sound.frames)) * np.float32(10.0 ** (own.level_db / 20.0))
        _station(session, station, sums, whole if place <= last else None, key)
    return sums


def _needs_the_whole(station: Processor) -> bool:
    """Whether what a station does to a part depends on all that comes into it."""
    return hasattr(station, "key") or station.DYNAMIC or station.LEVEL_DEPENDENT


def _station(
    session: Session, station: Processor, sums: dict[str, Samples], whole: Samples | None, key: Samples | None
) -> None:
    """Puts the parts and the whole behind one station, in place: there are many minutes of them. whole: None where
    nothing needs it."""
    rate, shapes = session.sample_rate, linked(session)
    if whole is None:
        for part in sums.values():
            _put_through(station, rate, part, key, shapes)
    elif key is None and hasattr(station, "key"):
        steered = replace(station, key=Key(source="whole"))
        for part in (*sums.values(), whole):
            _put_through(steered, rate, part, whole)
    elif key is not None or isinstance(station, Shaped) or not (station.DYNAMIC or station.LEVEL_DEPENDENT):
        for part in (*sums.values(), whole):
            _put_through(station, rate, part, key, shapes)
    else:
        _follow_the_whole(station, rate, sums, whole)


def _put_through(
    station: Processor, rate: int, sound: Samples, key: Samples | None, shapes: Sequence[Linked] = ()
) -> None:
    """A sound through one station, in place, its latency taken back. What is read next is never written yet."""
    for place, block, _ in _behind(station, rate, sound, key, shapes):
        sound[place : place + len(block)] = block


def _follow_the_whole(station: Processor, rate: int, sums: Mapping[str, Samples], whole: Samples) -> None:
    """The whole behind a station, and on each part the gain that it had; what is all there is in the group goes through
    as it is."""
    alone = [name for name, part in sums.items() if _is_same(part, whole)]
    before = None if station.DYNAMIC else whole.copy()
    fixed_db = float(getattr(station, "input_db", 0.0))
    for place, block, gain_db in _behind(station, rate, whole, None, ()):
        there = slice(place, place + len(block))
        whole[there] = block
        if before is None:
            change = (10.0 ** ((gain_db + fixed_db) / 20.0)).astype(np.float32)[:, np.newaxis]
            for name, part in sums.items():
                if name not in alone:
                    part[there] *= change
    if before is not None:
        change = _level_change(before, whole, rate)[:, np.newaxis]
        for name, part in sums.items():
            if name not in alone:
                part *= change[: len(part)]
    for name in alone:
        sums[name][:] = whole[: len(sums[name])]


def _is_same(part: Samples, whole: Samples) -> bool:
    for start in range(0, len(part), BLOCK_FRAMES):
        some = part[start : start + BLOCK_FRAMES]
        if np.abs(some - whole[start : start + len(some)]).max(initial=0.0) >= SAME:
            return False
    return True


def processed(
    station: Processor, rate: int, sound: Samples, key: Samples | None, shapes: Sequence[Linked] = ()
) -> tuple[Samples, Array]:
    """A sound through one station, block by block, its latency taken back; and the gain it applied, dB per frame.

    key: what it listens to instead; shapes: one of which it may follow."""
    out, gain_db = np.zeros_like(sound), np.zeros(len(sound))
    for place, block, applied_db in _behind(station, rate, sound, key, shapes):
        out[place : place + len(block)] = block
        gain_db[place : place + len(block)] = applied_db
    return out, gain_db


def applied(station: Processor, rate: int, sound: Samples) -> Array:
    """The gain alone, (frames,) in dB."""
    gain_db = np.zeros(len(sound))
    for place, _, applied_db in _behind(station, rate, sound, None, ()):
        gain_db[place : place + len(applied_db)] = applied_db
    return gain_db


def _behind(
    station: Processor, rate: int, sound: Samples, key: Samples | None, shapes: Sequence[Linked]
) -> Iterator[tuple[int, Array, Array]]:
    """From which frame on, the sound and the gain: block after block."""
    run = Single(station, rate, coefficients=coefficients_with(station, shapes, rate))
    late = station.latency_frames(rate)
    for start in range(0, len(sound) + late, BLOCK_FRAMES):
        stop = min(start + BLOCK_FRAMES, len(sound) + late)
        applied_db = np.zeros(stop - start)
        keyed = None if key is None else _padded(key, start, stop).astype(np.float64)
        block = run(_padded(sound, start, stop), keyed, applied_db)
        early = min(max(0, late - start), stop - start)
        yield start + early - late, block[early:], applied_db[early:]


def _padded(sound: Samples, start: int, stop: int) -> Samples:
    """A stretch as (frames, channels), with silence behind the end."""
    there = sound[start:stop]
    return there if len(there) == stop - start else np.pad(there, ((0, stop - start - len(there)), (0, 0)))


def _level_change(before: Samples, after: Samples, rate: int) -> Samples:
    """By how much the level changes, as a gain per frame."""
    length = max(1, round(LEVEL_S * rate))
    window = np.ones(length) / length

    def level(sound: Samples) -> Array:
        return np.convolve(power_of(sound), window, mode="same")

    return np.sqrt((level(after) + QUIET) / (level(before) + QUIET)).astype(np.float32)
