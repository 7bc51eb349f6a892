"""A set of bands for a whole session: a few bells and shelves that let everybody be heard more.

Greedy, by the slope of the objective (`measure.sharing.scene`): projected on 53 shapes it says which track would gain
or give most by which of them; the best few are worked out exactly at four sizes, the best one is put in, and all is
looked at anew. Every track keeps its loudness (*keep*: else it is faders in disguise), its body moves by 3 dB at most
and the bottom of kick, bass and toms by 1 (*home*), and nobody pays for another (*guard*).
"""

import threading
from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from all_even.dsp import biquad
from all_even.dsp.equaliser import Band, Shape
from all_even.errors import Cancelled
from all_even.measure.sharing import masking
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
"""So many tracks are worked out exactly, by so many shapes each."""
MOST, MOST_PER_TRACK = 14, 3
LEAST_GAIN = 0.0002
MOST_DB, HOME_DB, BOTTOM_DB, BOTTOM_HZ = 6.0, 3.0, 1.0, 200.0
SHARE_OF_FRAMES = 1.0 / 3.0
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
    most: int = MOST,
    cancelled: threading.Event | None = None,
) -> list[Placed]:
    """The bands in the order in which they were found; none where nothing is to gain. untouched: tracks that stay as
    they are."""
    trial = Trial(scene.thinned(SHARE_OF_FRAMES) if scene.power.shape[1] > 60 else scene)
    rate, limits = scene.sample_rate, limits_db(scene, bottom, school)
    shapes = np.stack([10.0 * np.log10(atom_gains(atom, 3.0, rate)) / 3.0 for atom in range(len(ATOMS))])
    curves = np.ones((len(scene), scene.power.shape[2]))  # without the gain that keeps the loudness
    counts = np.zeros(len(scene), dtype=int)
    free = np.array([name not in untouched for name in scene.names]) & (scene.importance > 0.0)
    found: list[Placed] = []
    cost = trial.cost(timbre=school.timbre)
    while len(found) < most:
        slopes = trial.slope() @ shapes.T  # (tracks, atoms), of J per dB
        open_ = free & (counts < MOST_PER_TRACK)
        promise = np.where(open_[:, np.newaxis], np.maximum(slopes, 0.0) if school.cut_only else np.abs(slopes), 0.0)
        best: _Tried | None = None
        exact: dict[int, int] = {}
        for place in np.argsort(-promise, axis=None):
            track, atom = (int(index) for index in np.unravel_index(place, promise.shape))
            if promise[track, atom] <= 0.0 or (len(exact) == EXACT and min(exact.values()) >= PER_TRACK):
                break
            if exact.get(track, 0) >= PER_TRACK or (track not in exact and len(exact) == EXACT):
                continue
            sign = -1.0 if slopes[track, atom] > 0.0 else 1.0
            for size in SIZES_DB:
                if cancelled is not None and cancelled.is_set():
                    raise Cancelled
                curve = curves[track] * atom_gains(atom, sign * size, rate)
                kept = trial.kept(track, curve)
                if not inside(curve, kept, limits[track]):
                    break
                if size == SIZES_DB[0]:
                    exact[track] = exact.get(track, 0) + 1
                tried = trial.cost(trial.tried(track, kept), track, kept, school.timbre)
                if best is None or tried < best.cost:
                    best = _Tried(tried, Placed(track, atom, sign * size), curve, kept)
        if best is None or cost - best.cost < LEAST_GAIN:
            # The slope does not see where the guard begins: who gains nothing exactly steps aside for the others.
            if not exact:
                break
            free[list(exact)] = False
            continue
        cost, track = best.cost, best.placed.track
        curves[track] = best.curve
        trial.put(track, best.kept)
        counts[track] += 1
        found.append(best.placed)
    return found


@dataclass(frozen=True, slots=True, eq=False)
class _Tried:
    """cost: J with it; curve, kept: power gains (bands,) of the track then, without and with its loudness kept."""

    cost: float
    placed: Placed
    curve: Array
    kept: Array


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
