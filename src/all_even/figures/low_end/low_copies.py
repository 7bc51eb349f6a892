"""Kick and bass lanes at 4 kHz, to try stations on them before anything is rendered.

Processors are run on the copies as they are: what they do there is what they do at full rate, as far as their
detectors listen to the low end only (static EQ within 0.001 of focus, a keyed dynamic band within 0.35 dB of the
limit). Multiplying spectra instead is wrong by more than the effect. Chains of groups are left aside: a trial tells
what changes, not what is.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.ducking.shaped import DuckShape, coefficients_with
from all_even.dsp.processor import Processor, Single, key_of
from all_even.engine.feeds import edge_gains
from all_even.figures.arriving.contribution import Samples
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import LowEndHeard, heard, kicks_and_basses, low_copy
from all_even.measure.sharing.focus import RATE, excitation
from all_even.measure.sharing.low_pair import PairFigures, net_db, pair_figures
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Strip

Array = NDArray[np.float64]
Stations = Mapping[str, Sequence[Processor]]
"""What is added behind the chains of lanes, by their ids."""


@dataclass(frozen=True, eq=False)
class Copies:
    """lanes: (frames,) behind each chain, before the fader; gains: with which each arrives, linear. before: of the pair
    as the copies have it."""

    heard: LowEndHeard
    kicks: tuple[str, ...]
    basses: tuple[str, ...]
    lanes: Mapping[str, Array]
    gains: Mapping[str, float]

    @cached_property
    def before(self) -> PairFigures:
        return pair_figures(*self.sums(self.lanes), self.heard.hits_s, kick_bands=self.kick_bands)

    @cached_property
    def kick_bands(self) -> Array:
        """Of the kick as it is: most trials leave it alone."""
        return excitation(self.sums(self.lanes)[0], RATE)

    def sums(self, lanes: Mapping[str, Array]) -> tuple[Array, Array]:
        """Kick and bass together, each as the sum of its lanes."""
        kick = np.sum([self.gains[i] * lanes[i] for i in self.kicks], axis=0)
        return kick, np.sum([self.gains[i] * lanes[i] for i in self.basses], axis=0)

    def through(self, stations: Stations, shapes: Sequence[DuckShape] = ()) -> dict[str, Array]:
        """The lanes behind these stations too."""
        return {
            lane_id: self._behind(sound, stations.get(lane_id, ()), shapes) for lane_id, sound in self.lanes.items()
        }

    def _behind(self, sound: Array, stations: Sequence[Processor], shapes: Sequence[DuckShape]) -> Array:
        for station in stations:
            block = np.array(sound[:, np.newaxis])
            key = key_of(station)
            listening = self.lanes.get(key.source) if key is not None else None
            late = station.latency_frames(RATE)
            block = np.pad(block, ((0, late), (0, 0)))
            steered = None
            if listening is not None and key is not None:
                level = 10.0 ** (key.level_db / 20.0)
                steered = np.pad(level * listening, (0, late))[:, np.newaxis]
            run = Single(station, RATE, coefficients=coefficients_with(station, shapes, RATE))
            sound = run(block, steered)[late:, 0]
        return sound

    def figures(self, lanes: Mapping[str, Array]) -> PairFigures:
        """Of other lanes in their place; what is heard or not as before."""
        same = all(lanes[lane_id] is self.lanes[lane_id] for lane_id in self.kicks)
        bands = self.kick_bands if same else None
        return pair_figures(*self.sums(lanes), self.heard.hits_s, floor=self.before.floor, kick_bands=bands)

    def tried(self, stations: Stations, shapes: Sequence[DuckShape] = ()) -> PairFigures:
        """The pair with these stations added."""
        return self.figures(self.through(stations, shapes))

    def net_db(self, after: PairFigures) -> float | None:
        return net_db(self.before, after)

    def hit_peaks(self, sound: Array, within_s: float = 0.1) -> Array:
        """The largest magnitude of a sound behind each hit of the kick."""
        spans = [(round(hit * RATE), round((hit + within_s) * RATE)) for hit in self.heard.hits_s]
        return np.array([float(np.abs(sound[a:b]).max(initial=0.0)) for a, b in spans if a < len(sound)])


def copies(look: Look) -> Copies | None:
    """None where there is no kick with hits, or no bass."""
    found = look.get(COPIES)
    return found if isinstance(found, Copies) else None


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    kicks, basses = kicks_and_basses(look.session)
    both = sorted(kicks | basses)
    gains = [_gain(look.session, look.session.lane(lane_id), 2) for lane_id in both]
    hits = [(lane.hits, lane.role) for lane in look.session.lanes if lane.id in kicks]
    return digest((both, [prints.strips.get(lane_id) for lane_id in both], gains, hits,
                   [lane_id in look.reports for lane_id in both]))  # fmt: skip


def _compute(look: Look, _target: str) -> Copies | str:
    found = heard(look)
    if found is None:
        return "nothing to try on"
    session = look.session
    opened = look.book.fingerprints(session).opened
    gains: dict[str, float] = {}
    sounds: dict[str, Array] = {}
    kicks, basses = kicks_and_basses(session)
    for lane in session.lanes:
        if lane.id not in kicks | basses or lane.id not in opened:
            continue
        gain = _gain(session, lane, look.book.fingerprints(session).channels(lane.id))
        if gain is None:
            continue
        kept = look.sound(lane.id)
        sound: Samples = kept.read(0, kept.frames)
        gains[lane.id], sounds[lane.id] = gain, low_copy(sound, session.sample_rate)
    sides = [
        tuple(lane.id for lane in session.lanes if lane.id in side and lane.id in sounds) for side in (kicks, basses)
    ]
    if not all(sides):
        return "one of them is missing"
    longest = max(len(sound) for sound in sounds.values())
    same = {lane_id: np.pad(sound, (0, longest - len(sound))) for lane_id, sound in sounds.items()}
    return Copies(found, sides[0], sides[1], same, gains)


def _gain(session: Session, strip: Strip, channels: int) -> float | None:
    """From behind a lane's chain to the mix, as a mono copy takes it; None where it does not get there."""
    opened = routing.hearing(session).open_edges
    gains, current, seen = np.eye(channels), strip, {strip.id}
    while True:
        edge = routing.Edge(current.id, current.destination, "destination")
        if edge not in opened or current.destination == NOWHERE:
            return None
        gains = gains @ edge_gains(session, current, edge, channels if current is strip else 2)
        if current.destination == MIX:
            # A mono copy of the lane is the mean of its channels, one of the mix that of both sides.
            return float(gains.sum() / 2.0)
        if current.destination in seen:
            return None
        seen.add(current.destination)
        current = session.bus(current.destination)


COPIES = Figure("low copies", 1, "session", _rests_on, _compute)
