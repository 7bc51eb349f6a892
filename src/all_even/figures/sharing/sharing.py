"""Who hides whom in the mix as it is: the sources with weights frozen from before any equaliser.

Share* is judged with the weights that the sources have without equalisers and passes: so it is one figure, the same
before and after any number of bands, and a cut that only makes a track count less gains nothing.
"""

from dataclasses import dataclass, replace

import numpy as np
from msgspec.structs import replace as with_fields
from numpy.typing import NDArray

from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.sources.stereo_placement import gains_of, stand
from all_even.figures.sources.units import Unit, table
from all_even.kernels import kernel
from all_even.measure.level import zones
from all_even.measure.sharing import hearing, masking, placing
from all_even.measure.sharing.scene import Scene, scene_of, with_powers
from all_even.session.editing import automating
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.importance import importance

TONE = (Equaliser, DynamicEqualiser, HighPass, LowPass)
"""Stations that shape the spectrum."""
Array = NDArray[np.float64]
Bands = NDArray[np.float32]


def unequalised(session: Session) -> Session:
    """The session as it is without equalisers and passes on its lanes."""

    def bare(lane: Lane) -> Lane:
        kept = tuple(station for station in lane.chain if not isinstance(station, TONE))
        if len(kept) == len(lane.chain):
            return lane
        changed = with_fields(lane, chain=kept)
        return with_fields(changed, automation=automating.kept(changed))

    lanes = tuple(bare(lane) for lane in session.lanes)
    return session if lanes == session.lanes else with_fields(session, lanes=lanes)


@dataclass(frozen=True, slots=True, eq=False)
class Sharing:
    """scene: the sources, in the order of `units`; bare: the same without equalisers and passes. shares: share* of
    each, NaN where it never sounds; hidden: (sources, bands), the same band by band, 0 to 1."""

    units: tuple[Unit, ...]
    scene: Scene
    bare: Scene
    shares: Array
    hidden: Bands
    frame_s: float

    @property
    def mean(self) -> float:
        """The session's share*, weighted by importance."""
        known = ~np.isnan(self.shares)
        return float(self.scene.importance[known] @ self.shares[known])

    def place(self, lane_id: str) -> int | None:
        """Which source a lane belongs to."""
        return next((i for i, unit in enumerate(self.units) if any(lane.id == lane_id for lane in unit.lanes)), None)


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    session = look.session
    lanes = [(lane.id, lane.name, lane.role, lane.hidden, lane.importance, lane.id in look.reports)
             for lane in session.lanes]  # fmt: skip
    return digest((prints.mix, look.book.fingerprints(unequalised(session)).mix, lanes, session.settings))


def _compute(look: Look, _target: str) -> Sharing | None:
    now = table(look)
    if not now.tracks:
        return None
    bare = unequalised(look.session)
    was = now if bare is look.session else table(look.at(bare))
    weights = importance(look.session)
    rate = look.session.sample_rate
    scene = scene_of(now.tracks, was.tracks, was.floor, weights, rate)
    as_was = {name: was.tracks.get(name, track) for name, track in now.tracks.items()}
    plain = scene if was is now else with_powers(scene, as_was)
    return Sharing(now.units, scene, plain, *hidden_of(scene), now.frame_s)


SHARING = Figure("sharing", 3, "session", _rests_on, _compute)


def sharing(look: Look) -> Sharing | None:
    """None where nothing is heard."""
    return look.get(SHARING)


def hidden_of(scene: Scene) -> tuple[Array, Bands]:
    """Share* of each track, NaN where nothing of it counts; and (tracks, bands) the same of each band, 0 to 1."""
    spread = masking.spread_of(scene.power, scene.sample_rate)
    total = spread.sum(axis=0, dtype=np.float64)
    shares, by_band = np.full(len(scene), np.nan), np.zeros((len(scene), spread.shape[2]), np.float32)
    for index, (own, weight) in enumerate(zip(spread, scene.weight, strict=True)):
        masked, whole = masking.covered_by_band(own, total, weight, scene.floor)
        by_band[index] = masked / np.maximum(whole, 1e-30)
        if whole.any():
            shares[index] = masked.sum() / whole.sum()
    return shares, by_band


def stretch_of(found: Sharing, start_s: float, end_s: float) -> Sharing:
    """The same for a part of the song."""
    start = max(0, round(start_s / found.frame_s))
    stop = max(start + 1, round(end_s / found.frame_s))
    scene = found.scene.part(start, stop)
    shares, hidden = hidden_of(scene)
    return replace(found, scene=scene, bare=found.bare.part(start, stop), shares=shares, hidden=hidden)


@dataclass(frozen=True, slots=True, eq=False)
class Apart:
    """Share* of each source in the ear where it is covered less (headphones), and before loudspeakers; their weighted
    means."""

    ear: Array
    loudspeakers: Array
    ear_mean: float
    loudspeakers_mean: float


def _apart(look: Look, _target: str) -> Apart | None:
    return apart_in(look)


def apart_in(look: Look, start_s: float = 0.0, end_s: float | None = None) -> Apart | None:
    """Of a part of the song."""
    found, standing = sharing(look), stand(look)
    if found is None or standing is None:
        return None
    weight = np.zeros_like(standing.stage.weight)
    part = found.scene.weight[:, :: placing.EVERY][:, : weight.shape[1]]
    weight[:, : part.shape[1]] = part
    per_frame = found.frame_s * placing.EVERY
    frames = slice(round(start_s / per_frame), None if end_s is None else max(1, round(end_s / per_frame)))
    stage = replace(
        standing.stage, power=np.ascontiguousarray(standing.stage.power[:, frames]),
        weight=np.ascontiguousarray(weight[:, frames]), floor=found.scene.floor,
    )  # fmt: skip
    covered = placing.covered(stage, gains_of(look.session, standing))
    whole = found if end_s is None else stretch_of(found, start_s, end_s)
    # Places are judged on every third frame; what they change is put on the share of all of them.
    ear, speakers = (whole.shares + values - covered.centre for values in (covered.ear, covered.loudspeakers))
    means = [float(found.scene.importance @ np.nan_to_num(values)) for values in (ear, speakers)]
    return Apart(ear, speakers, *means)


APART = Figure("sharing, apart", 1, "session", _rests_on, _apart)


def apart(look: Look) -> Apart | None:
    """Shares with the places where the sources stand."""
    return look.get(APART)


# What is drawn.

RANGE_DB = 42.0


@dataclass(frozen=True, slots=True, eq=False)
class Ridge:
    """One source over the ear's bands: level_db of what counts of it while it plays, re its loudest place; hidden: 0 to
    1 of each; playing: of the song."""

    level_db: Bands
    hidden: Bands
    playing: float


def ridges(found: Sharing) -> list[Ridge]:
    """Of each source as it arrives."""
    scene = found.scene
    told = []
    for power, weight, hidden in zip(scene.power, scene.weight, found.hidden, strict=True):
        frames = weight.any(axis=1)
        mean = power[frames].mean(axis=0, dtype=np.float64) if frames.any() else np.zeros(power.shape[1])
        level = 10.0 * np.log10(np.maximum(mean * per_octave(), 1e-20))
        told.append(Ridge(np.asarray(level, np.float32), hidden, float(frames.mean())))
    return told


def per_octave() -> Array:
    """Power of a band to power per octave."""
    centres = masking.centres_hz()
    return centres / (masking.BAND_ERB * hearing.erb_hz(centres))


# Who hides whom.


@dataclass(frozen=True, slots=True, eq=False)
class Hiding:
    """cost: how much less of the victim would be hidden without the masker, 0 to 1, and by zone (of
    `measure.level.zones`); there: of the victim's own part of each zone. together: of the time the victim plays in the
    worst zone, the part in which the masker does too. low_hz, high_hz: where most of it lies. weighted: cost times the
    victim's importance."""

    victim: int
    masker: int
    cost: float
    by_zone: tuple[float, ...]
    there: tuple[float, ...]
    by_band: Bands
    together: float
    low_hz: float
    high_hz: float
    weighted: float


def pairs(look: Look) -> tuple[Hiding, ...]:
    """Every pair of sources of which one hides the other, the dearest first."""
    return look.get(PAIRS)


def _pairs(look: Look, _target: str) -> tuple[Hiding, ...]:
    found = sharing(look)
    return () if found is None else tuple(pairs_of(found))


PAIRS = Figure("masking", 1, "session", _rests_on, _pairs)


def pairs_of(found: Sharing, *, every: int = 3) -> list[Hiding]:
    """The same of what is there. every: so manieth frame is looked at."""
    scene = found.scene
    spread = masking.spread_of(scene.power[:, ::every], scene.sample_rate)
    weight = np.ascontiguousarray(scene.weight[:, ::every])
    total = spread.sum(axis=0, dtype=np.float64)
    factor, centres = masking.threshold_factor(), masking.centres_hz()
    in_zone = (np.digitize(centres, zones.EDGES_HZ[1:-1]) == np.arange(len(zones.NAMES))[:, None]).astype(np.float64)
    parts = weight.sum(axis=1, dtype=np.float64)
    told = []
    for victim in range(len(scene)):
        whole = float(parts[victim].sum())
        if whole <= 0.0:
            continue
        parts_in = in_zone @ parts[victim]
        for masker in range(len(scene)):
            if masker == victim or not parts[masker].any():
                continue
            uncovered, both = np.zeros(len(centres)), np.zeros(len(centres))
            _without(spread[victim], spread[masker], total, weight[victim], factor, scene.floor, uncovered, both)
            cost = uncovered / whole
            if cost.sum() <= 1e-5:
                continue
            by_zone = in_zone @ cost
            there = in_zone @ uncovered / np.maximum(parts_in, 0.1 * whole)
            worst = int(np.argmax(by_zone))
            time = float(in_zone[worst] @ both) / max(float(parts_in[worst]), 1e-30)
            low, high = _middle(cost)
            told.append(
                Hiding(victim, masker, float(cost.sum()), tuple(by_zone.tolist()), tuple(there.tolist()),
                       np.asarray(cost, np.float32), time, float(centres[low]), float(centres[high]),
                       float(cost.sum() * scene.importance[victim]))
            )  # fmt: skip
    return sorted(told, key=lambda pair: -pair.weighted)


def _middle(cost: Array) -> tuple[int, int]:
    """Places between which the middle 80 % lie."""
    share = np.cumsum(cost) / max(float(cost.sum()), 1e-30)
    return int(np.searchsorted(share, 0.1)), min(len(cost) - 1, int(np.searchsorted(share, 0.9)))


TOGETHER_DB = 25.0


@kernel
def _without(own, other, total, weight, factor, floor, uncovered, both):  # type: ignore[no-untyped-def]
    """By band: how much more is heard without the other, weighted; and the weight of the time in which the other is
    within 25 dB."""
    near = 10.0 ** (-TOGETHER_DB / 10.0)
    for t in range(own.shape[0]):
        for band in range(own.shape[1]):
            w = float(weight[t, band])
            if w <= 0.0:
                continue
            mine = float(own[t, band])
            rest = max(0.0, total[t, band] - mine)
            less = max(0.0, rest - float(other[t, band]))
            if float(other[t, band]) > near * mine:
                both[band] += w
            with_it = mine / (factor[band] * rest + floor)
            without = mine / (factor[band] * less + floor)
            uncovered[band] += w * (1.0 / (1.0 + with_it * with_it) - 1.0 / (1.0 + without * without))
