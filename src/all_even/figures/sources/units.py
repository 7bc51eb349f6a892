"""Sources as they arrive in the mix: microphones of one source are one unit, in loudness and in sharing.

The loudness of a unit is that of the sum its microphones really make: they are not independent, so their energies don't
just add up. All pairs of them are K-weighted and multiplied once, hop by hop; from these products the loudness follows
for any position of faders, polarities and pans, without rendering.
"""

import dataclasses
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.engine.feeds import edge_gains
from all_even.figures.arriving.arrival import arriving_energy
from all_even.figures.arriving.excited import excited
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.sources.relations import rank, relations, source_units
from all_even.late import scipy
from all_even.measure.level import loudness
from all_even.measure.level.hops import HOP_S, k_weighting
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation
from all_even.session.model import routing
from all_even.session.model.strips import MIX, NOWHERE, Lane, Strip
from all_even.session.tracks.classes import Class, takes_part
from all_even.session.tracks.importance import standing_of

Array = NDArray[np.float64]
BLOCK_FRAMES = 1 << 16
MOST_TABLE_BYTES = 128 << 20


@dataclass(frozen=True, slots=True)
class Unit:
    """lanes: of one source, in the session's order; the first gives it its role."""

    lanes: tuple[Lane, ...]

    @property
    def head(self) -> Lane:
        return self.lanes[0]

    @property
    def id(self) -> str:
        return self.head.id

    @property
    def role(self) -> str:
        return self.head.role

    @property
    def standing(self) -> Class:
        """Lead, carrying, support or colour."""
        return standing_of(self.head)

    @property
    def name(self) -> str:
        """`Kick in + out` is `Kick in` with its second microphone counted."""
        return self.head.name if len(self.lanes) == 1 else f"{self.head.name} ({len(self.lanes)} mics)"


def units(look: Look) -> tuple[Unit, ...]:
    """The sources that take part in the balance: in sight, measured, heard."""
    session = look.session
    sounding = routing.hearing(session).sounding
    found = []
    for ids in source_units(session, relations(look)):
        lanes = tuple(
            lane
            for lane in map(session.lane, ids)
            if takes_part(lane.role) and not lane.hidden and _heard(lane, sounding)
            and (measures := look.measures(lane.id)) is not None and measures.integrated_lufs is not None
            and lane.destination != NOWHERE
        )  # fmt: skip
        if lanes:
            found.append(Unit(tuple(sorted(lanes, key=lambda lane: rank(lane.role)))))
    return tuple(found)


def _heard(lane: Lane, sounding: Collection[str]) -> bool:
    """A lane that is only turned off by its fader is one that may come up."""
    return not lane.mute and (lane.id in sounding or lane.level_db <= decibels.OFF_DB)


# Loudness.


def _products_rest_on(_look: Look, prints: Fingerprints, target: str) -> str:
    return digest([prints.strips.get(lane_id) for lane_id in target.split(":")])


def _products(look: Look, target: str) -> NDArray[np.float32]:
    """(hops, n, n): K-weighted products of all channels of the lanes, n channels in their order."""
    session = look.session
    ids = target.split(":")
    sounds = [look.sound(lane_id) for lane_id in ids]
    per_hop = round(session.sample_rate * HOP_S)
    sections = np.insert(k_weighting(session.sample_rate), 3, 1.0, axis=1)
    channels = sum(sound.channels for sound in sounds)
    state = np.zeros((len(sections), channels, 2))
    rows = []
    frames = max(sound.frames for sound in sounds)
    block = (BLOCK_FRAMES // per_hop) * per_hop
    for start in range(0, frames, block):
        look.stop_if_cancelled()
        count = min(block, frames - start)
        together = np.concatenate([sound.read(start, count) for sound in sounds], axis=1).T.astype(np.float64)
        weighted, state = scipy.signal.sosfilt(sections, together, axis=1, zi=state)
        hops = weighted[:, : count // per_hop * per_hop].reshape(channels, -1, per_hop)
        rows.append(np.einsum("ihf,jhf->hij", hops, hops) / per_hop)
    return np.concatenate(rows).astype(np.float32)


PRODUCTS = Figure("products of a source", 1, "strip", _products_rest_on, _products)


def unit_energy(look: Look, unit: Unit) -> Array | None:
    """(hops, 2) K-weighted energy of a unit at the mix bus, with its faders and pans."""
    session = look.session
    if len(unit.lanes) == 1:
        lane = unit.head
        known = look.strip_flow(lane.id) if lane.chain else None
        return arriving_energy(session, lane, look.measures(lane.id), known)
    gains = [gains_to_mix(look, lane) for lane in unit.lanes]
    if any(item is None for item in gains):
        return None
    products = look.get(PRODUCTS, ":".join(lane.id for lane in unit.lanes)).astype(np.float64)
    matrix = np.concatenate([item for item in gains if item is not None])  # (n, 2)
    return np.einsum("is,hij,js->hs", matrix, products, matrix, optimize=True)


def gains_to_mix(look: Look, lane: Lane) -> Array | None:
    """(channels, 2) gains of a lane from behind its chain to the mix; chains of groups and automation left aside."""
    session = look.session
    channels = look.book.fingerprints(session).channels(lane.id)
    gains, strip, seen = np.eye(channels), lane, {lane.id}
    current: Strip = strip
    while True:
        edge = routing.Edge(current.id, current.destination, "destination")
        gains = gains @ edge_gains(session, current, edge, channels if current.id == lane.id else 2)
        if current.destination == MIX:
            return gains * decibels.gain(session.mix.trim_db)
        if current.destination == NOWHERE or current.destination in seen:
            return None
        current = session.bus(current.destination)
        seen.add(current.id)


def unit_lufs(look: Look, unit: Unit) -> float | None:
    """How loud a unit arrives, gated, LUFS."""
    energy = unit_energy(look, unit)
    return loudness.integrated_lufs(energy) if energy is not None and len(energy) else None


# Sharing.


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """tracks: what of each unit arrives in the mix, by unit id; floor: what is not heard; frame_s: from one of their
    frames to the next."""

    units: tuple[Unit, ...]
    tracks: Mapping[str, Excitation]
    floor: float
    shares: Mapping[str, float | None]
    frame_s: float


def table(look: Look) -> Table:
    """Who is covered how much, source by source."""
    return look.get(TABLE)


def _table_rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    """Names too: its units hold the lanes as they are called."""
    lanes = [
        (lane.id, lane.name, lane.role, lane.hidden, lane.mute, lane.hits, lane.id in look.reports)
        for lane in look.session.lanes
    ]
    return digest((prints.mix, lanes))


def _table(look: Look, _target: str) -> Table:
    session, found = look.session, units(look)
    every = _every(look, len(found))
    tracks = excited(look, {unit.id: [lane.id for lane in unit.lanes] for unit in found}, every)
    whole = masking.find_masking(tracks, session.sample_rate)
    heard = tuple(unit for unit in found if unit.id in tracks)
    return Table(heard, tracks, whole.floor, whole.shares, whole.frame_s * every)


def _every(look: Look, sources: int) -> int:
    """So manieth frame is looked at: of long songs with many tracks no trial needs them all."""
    hop = masking.frame_size(look.session.sample_rate) // 2
    frames = look.book.fingerprints(look.session).song_frames // hop + 1
    size = 4 * len(dataclasses.fields(Excitation)) * sources * frames * len(masking.centres_hz())
    return max(1, -(-size // MOST_TABLE_BYTES))


TABLE = Figure("table of sources", 3, "session", _table_rests_on, _table)
