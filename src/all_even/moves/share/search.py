"""A set of bands for a whole session: a few bells and shelves that let everybody be heard more.

Greedy, by the slope of the objective (`measure.sharing.scene`): projected on 53 shapes it says which track would gain
or give most by which of them; the best few are worked out exactly at four sizes, the best one is put in, and all is
looked at anew. Cuts come first, and what would be warned of afterwards is not put in (`_Manners`). Every track keeps
its loudness (*keep*: else it is faders in disguise), its body moves by 3 dB at most and the bottom of kick, bass and
toms by 1 (*home*), and nobody pays for another (*guard*, and a limit on what anybody may lose of partial loudness).
"""

import math
import threading
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters import biquad
from all_even.dsp.tone.equaliser import Band, Shape
from all_even.errors import Cancelled
from all_even.measure.sharing import masking
from all_even.measure.sharing.partial_loudness import partial_loudness
from all_even.measure.sharing.scene import TIMBRE, Scene, Trial, band_gains, bins_hz, home

THIRDS_HZ = tuple(1000.0 * 10.0 ** (n / 10.0) for n in range(-12, 11))
"""63 Hz to 10 kHz (IEC 61260-1)."""
ATOMS: tuple[tuple[Shape, float, float], ...] = (
    *(("bell", hz, q) for hz in THIRDS_HZ for q in (0.7, 1.4)),
    *(("low shelf", hz, 0.7) for hz in (80.0, 125.0, 200.0, 315.0)),
    *(("high shelf", hz, 0.7) for hz in (3150.0, 5000.0, 8000.0)),
)
"""(shape, Hz, Q)."""
SIZES_DB = (2.0, 3.0, 4.5, 6.0)
EXACT, PER_TRACK = 4, 2
"""How many tracks are worked out exactly, and by how many shapes each."""
MOST, MOST_PER_TRACK = 8, 3
"""Eight bands bring 70 to 80 % of what fourteen would."""
LEAST_GAIN = 0.0005
"""What a band has to lower the objective by."""
MOST_LIFTS, MOST_LIFT_DB, LIFT_WORTH = 3, 3.0, 1.5
"""Cuts first: a lift is taken where it brings so many times what cutting the others brings, and few are."""
LIFTS_APART_OCTAVES, NEAR_OCTAVES = 1.0, 1.0 / 3.0
"""What is lifted everywhere stands out nowhere; bands of one shape that are nearer than a third are one place."""
MOST_DB, HOME_DB, BOTTOM_DB, BOTTOM_HZ = 6.0, 3.0, 1.0, 200.0
SHARE_OF_FRAMES, FEW_FRAMES = 1.0 / 3.0, 60
HOPELESS = 0.95
"""A track of which more is hidden is no case for bands: place it, raise it or leave it out."""
LEAST_LOUDNESS, MOST_REFUSED, LOUDNESS_FRAMES = 0.87, 24, 120
"""Nobody's partial loudness may fall under this of before: a band that would is refused; after so many refusals its
track steps aside."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Placed:
    """A band on a track, by its place in the scene."""

    track: int
    atom: int
    gain_db: float

    @property
    def band(self) -> Band:
        shape, hz, q = ATOMS[self.atom]
        return Band(shape=shape, frequency_hz=round(hz, 1), gain_db=self.gain_db, q=q)


def is_near(a: Band, b: Band, octaves: float = NEAR_OCTAVES) -> bool:
    """Whether two bands are of one shape and in one place."""
    return a.shape == b.shape and abs(math.log2(a.frequency_hz / b.frequency_hz)) <= octaves + 1e-9


@dataclass(frozen=True, slots=True)
class School:
    """cut_only: nothing is lifted. timbre: the price on it; most_db: of a track, home_db: where it has its body."""

    cut_only: bool = False
    timbre: float = TIMBRE
    most_db: float = MOST_DB
    home_db: float = HOME_DB


@lru_cache(maxsize=4096)
def atom_gains(atom: int, gain_db: float, sample_rate: int) -> Array:
    """(bands,) power gain of one band."""
    shape, hz, q = ATOMS[atom]
    return gains_of((Band(shape=shape, frequency_hz=round(hz, 1), gain_db=gain_db, q=q),), sample_rate)


def gains_of(bands: tuple[Band, ...], sample_rate: int) -> Array:
    """(bands of the ear,) power gain of some bands of an equaliser."""
    sections = np.array([band.section(sample_rate) for band in bands if band.on]).reshape(-1, 5)
    return band_gains(biquad.magnitude(sections, bins_hz(sample_rate), sample_rate), sample_rate)


def limits_db(scene: Scene, bottom: Collection[str], school: School) -> Array:
    """(tracks, bands) most that may be changed. bottom: tracks that own what is low."""
    centres = masking.centres_hz()
    limits = np.full((len(scene), len(centres)), school.most_db)
    for index, name in enumerate(scene.names):
        limits[index, home(scene.power[index])] = school.home_db
        if name in bottom:
            limits[index, centres < BOTTOM_HZ] = BOTTOM_DB
    return limits


def inside(curve: Array, kept: Array, limits: Array) -> bool:
    """Whether a curve stays within limits, with and without the gain that keeps the loudness; all (bands,), power
    gains and dB."""
    both = 10.0 * np.log10(np.maximum(np.stack((curve, kept)), 1e-12))
    return bool((np.abs(both) <= limits + 0.05).all())


def find_set(
    scene: Scene,
    *,
    bottom: Collection[str] = (),
    school: School = School(),
    untouched: Collection[str] = (),
    present: Array | None = None,
    counts: NDArray[np.int64] | None = None,
    standing: Sequence[tuple[int, Band]] = (),
    alike: Collection[tuple[int, int]] = (),
    most: int = MOST,
    cancelled: threading.Event | None = None,
) -> list[Placed]:
    """The bands in the order in which they were found; none where nothing is to gain.

    scene: without any equaliser; present: power gains (tracks, bands) of what is there already, of `counts` bands a
    track: the search goes on from there. untouched: tracks that stay as they are. standing: bands that are there, by
    track; alike: tracks of which two sound alike, so that the same cut on both makes room for neither."""
    search = _Search(scene, bottom, school, untouched, _Manners(tuple(standing), frozenset(alike)), cancelled)
    if present is not None and counts is not None:
        search.go_on_from(present, counts)
        most -= int(counts.sum())
    while len(search.found) < most and search.step():
        pass
    return search.found


@dataclass(frozen=True, slots=True, eq=False)
class _Tried:
    """cost: J with it; curve, kept: power gains (bands,) of the track then, without and with its loudness kept."""

    cost: float
    placed: Placed
    curve: Array
    kept: Array


@dataclass(frozen=True, slots=True)
class _Manners:
    """What the program would warn of afterwards (`moves.share.remarks`) is not put in at all."""

    standing: tuple[tuple[int, Band], ...]
    alike: frozenset[tuple[int, int]]

    def allow(self, found: Sequence[Placed], track: int, atom: int, lift: bool) -> bool:
        shape, hz, q = ATOMS[atom]
        new = Band(shape=shape, frequency_hz=hz, gain_db=1.0 if lift else -1.0, q=q)
        there = [*self.standing, *((one.track, one.band) for one in found)]
        lifts = [(other, band) for other, band in there if band.gain_db > 0.0]
        if lift and len(lifts) >= MOST_LIFTS:
            return False
        for other, band in there:
            if other == track and is_near(new, band) and band.gain_db * new.gain_db < 0.0:
                return False
            if lift and band.gain_db > 0.0 and is_near(new, band, LIFTS_APART_OCTAVES):
                return False
            if not lift and band.gain_db < 0.0 and self._are_alike(track, other) and is_near(new, band):
                return False
        return True

    def _are_alike(self, a: int, b: int) -> bool:
        return (a, b) in self.alike or (b, a) in self.alike


class _Search:
    """The state of a search: what was put in, who steps aside, and what is known exactly of the present state."""

    def __init__(
        self,
        scene: Scene,
        bottom: Collection[str],
        school: School,
        untouched: Collection[str],
        manners: _Manners,
        cancelled: threading.Event | None,
    ) -> None:
        self._manners = manners
        self.trial = Trial(scene.thinned(SHARE_OF_FRAMES) if scene.power.shape[1] > FEW_FRAMES else scene)
        self.found: list[Placed] = []
        self._school, self._cancelled, self._rate = school, cancelled, scene.sample_rate
        self._limits = limits_db(scene, bottom, school)
        gains = [atom_gains(atom, 3.0, self._rate) for atom in range(len(ATOMS))]
        self._shapes = 10.0 * np.log10(np.stack(gains)) / 3.0
        self._curves = np.ones((len(scene), scene.power.shape[2]))  # without the gain that keeps the loudness
        self._counts = np.zeros(len(scene), dtype=int)
        free = np.array([name not in untouched for name in scene.names]) & (scene.importance > 0.0)
        self._free = {lift: free.copy() for lift in (False, True)}
        self._loudness, self._refused = _loudness(self.trial), 0
        self._kept = np.ones(len(scene))
        """Power gain at which each track is as loud as it is."""
        self._look_anew()

    def go_on_from(self, present: Array, counts: NDArray[np.int64]) -> None:
        """Begins with gains that are there; each track keeps the loudness it has with them."""
        for track in np.flatnonzero(np.abs(10.0 * np.log10(present)).max(axis=1) > 0.01):
            self.trial.put(int(track), present[track])
            self._curves[track] = present[track]
            self._kept[track] = self.trial.change(int(track), present[track])
        self._counts += counts
        self._loudness = _loudness(self.trial)
        self._look_anew()

    def _look_anew(self) -> None:
        """Slopes and cost of the state as it is."""
        self._cost = self.trial.cost(timbre=self._school.timbre)
        self._slopes = self.trial.slope() @ self._shapes.T  # (tracks, atoms), of J per dB
        self._known: dict[tuple[int, int], _Tried | None] = {}
        self._blocked: set[tuple[int, int]] = set()

    def step(self) -> bool:
        """Puts the best band in, a cut where one does; False where nothing gains any more."""
        while True:
            cut, cutters = self._best(lift=False)
            lift, lifters = (None, set[int]()) if self._school.cut_only else self._best(lift=True)
            best = cut
            if lift is not None and (cut is None or self._gain(lift) > LIFT_WORTH * self._gain(cut)):
                best = lift
            if best is not None:
                if self._put(best):
                    return True
                self._blocked.add((best.placed.track, best.placed.atom))
            elif cutters or lifters:
                # The slope does not see where the guard begins: who gains nothing exactly steps aside for the others.
                self._free[False][list(cutters)] = False
                self._free[True][list(lifters)] = False
            else:
                return False

    def _gain(self, one: _Tried) -> float:
        return self._cost - one.cost

    def _best(self, *, lift: bool) -> tuple[_Tried | None, set[int]]:
        """The best cut or lift that is worth it, and the tracks that were looked at; none are left where nobody's
        slope promises anything."""
        tried, tracks = self._candidates(lift)
        best = min(tried, key=lambda one: one.cost, default=None)
        return (best if best is not None and self._gain(best) >= LEAST_GAIN else None), tracks

    def _candidates(self, lift: bool) -> tuple[list[_Tried], set[int]]:
        """The most promising bands worked out exactly, and whose they are."""
        open_ = self._free[lift] & (self._counts < MOST_PER_TRACK)
        promise = np.maximum(-self._slopes if lift else self._slopes, 0.0)
        promise = np.where(open_[:, np.newaxis], promise, 0.0)
        tried: list[_Tried] = []
        taken: dict[int, int] = {}
        for place in np.argsort(-promise, axis=None):
            track, atom = (int(index) for index in np.unravel_index(place, promise.shape))
            full = len(taken) == EXACT
            if promise[track, atom] <= 0.0 or (full and min(taken.values()) >= PER_TRACK):
                break
            if (track, atom) in self._blocked or taken.get(track, 0) >= PER_TRACK or (full and track not in taken):
                continue
            if not self._manners.allow(self.found, track, atom, lift):
                continue
            one = self._exactly(track, atom)
            if one is not None:
                taken[track] = taken.get(track, 0) + 1
                tried.append(one)
        return tried, set(taken)

    def _exactly(self, track: int, atom: int) -> _Tried | None:
        """The best size of a band; None where even the smallest is not allowed."""
        if (track, atom) not in self._known:
            sign = -1.0 if self._slopes[track, atom] > 0.0 else 1.0
            best: _Tried | None = None
            for size in SIZES_DB:
                if sign > 0.0 and size > MOST_LIFT_DB:
                    break
                if self._cancelled is not None and self._cancelled.is_set():
                    raise Cancelled
                curve = self._curves[track] * atom_gains(atom, sign * size, self._rate)
                kept = self.trial.kept(track, curve) * self._kept[track]
                if not inside(curve, kept, self._limits[track]):
                    break
                cost = self.trial.cost(self.trial.tried(track, kept), track, kept, self._school.timbre)
                if best is None or cost < best.cost:
                    best = _Tried(cost, Placed(track, atom, sign * size), curve, kept)
            self._known[track, atom] = best
        return self._known[track, atom]

    def _put(self, one: _Tried) -> bool:
        """Whether a band is in; it is refused where somebody loses too much of his loudness by it."""
        track = one.placed.track
        before = self.trial.gains[track].copy()
        self.trial.put(track, one.kept)
        left = float(np.min(_loudness(self.trial) / np.maximum(self._loudness, 1e-9)))
        if left < LEAST_LOUDNESS:
            self.trial.put(track, before)
            self._refused += 1
            for free in self._free.values():
                free[track] = self._refused < MOST_REFUSED
            return False
        self._curves[track] = one.curve
        self._counts[track] += 1
        self.found.append(one.placed)
        self._look_anew()
        return True


def _loudness(trial: Trial) -> Array:
    """Partial loudness of every track that counts and is heard at all, 1 for the others; a part of the frames tells
    enough."""
    scene = trial.scene
    some = slice(0, None, max(1, trial.spread.shape[1] // LOUDNESS_FRAMES))
    return np.array([
        partial_loudness(spread[some], trial.total[some], scene.floor) if weight > 0.0 and share < HOPELESS else 1.0
        for spread, weight, share in zip(trial.spread, scene.importance, trial.before, strict=True)
    ])  # fmt: skip


def with_bands(scene: Scene, placed: list[Placed], outputs_db: dict[int, float] | None = None) -> Trial:
    """The scene with a set on it. outputs_db: what keeps each track's loudness, as it was measured; else as the bands
    predict it."""
    trial = Trial(scene)
    for track in sorted({one.track for one in placed}):
        curve = np.ones(scene.power.shape[2])
        for one in placed:
            if one.track == track:
                curve = curve * atom_gains(one.atom, one.gain_db, scene.sample_rate)
        known = (outputs_db or {}).get(track)
        trial.put(track, trial.kept(track, curve) if known is None else curve * 10.0 ** (known / 10.0))
    return trial
