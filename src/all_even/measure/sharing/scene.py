"""All tracks of a mix at once, to be changed band by band: who is covered how much then, and where a change would help.

Share*: the masked share (`measure.sharing.masking`) with weights and floor frozen. With live weights a band that is cut
stops counting, and the figure falls though nobody hears more.

The objective of a change is `J = sum w share* + sum w max(0, own rise - 0.02) + 0.02 sum w T^2 / 9`: the session's
share*, a guard against paying with one track for the others, and a price on timbre, T being the RMS of a track's change
around its mean, in dB, weighted by what counts of the track. w: importance, normalised. The weights of guard and timbre
were found on generated sessions and kept on others: a guard of 1 keeps 65 to 91 % of the fall, 3 stalls; timbre at 0.02
costs nothing, at 0.05 a quarter.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.measure.level.hops import k_weighting
from all_even.measure.sharing import hearing, masking
from all_even.measure.sharing.masking import Excitation

ALLOWED_RISE = 0.02
GUARD, TIMBRE, TIMBRE_DB = 1.0, 0.02, 3.0
SEED = 20
TOGETHER, LEAST_FLOOR = 32, 1e-30
NO_SPREAD: NDArray[np.float32] = np.zeros((0, 0), dtype=np.float32)
DB = float(np.log(10.0) / 10.0)
Array = NDArray[np.float64]
Bands = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class Scene:
    """names: of the tracks. power: as they arrive now; weight: frozen, both (tracks, frames, bands). floor: Q.
    importance: (tracks,), sums to 1."""

    names: tuple[str, ...]
    power: Bands
    weight: Bands
    floor: float
    importance: Array
    sample_rate: int

    def __len__(self) -> int:
        return len(self.names)

    def thinned(self, share: float) -> "Scene":
        """A random part of the frames, the same ones every time: a fixed stride would fall in with the beat."""
        frames = self.power.shape[1]
        kept = np.sort(np.random.default_rng(SEED).permutation(frames)[: max(1, round(frames * share))])
        return Scene(
            self.names, np.ascontiguousarray(self.power[:, kept]), np.ascontiguousarray(self.weight[:, kept]),
            self.floor, self.importance, self.sample_rate,
        )  # fmt: skip

    def part(self, start: int, stop: int) -> "Scene":
        """Frames from start to stop."""
        power, weight = (np.ascontiguousarray(whole[:, start:stop]) for whole in (self.power, self.weight))
        return Scene(self.names, power, weight, self.floor, self.importance, self.sample_rate)


def scene_of(
    now: Mapping[str, Excitation],
    frozen: Mapping[str, Excitation],
    floor: float,
    importance: Mapping[str, float],
    sample_rate: int,
) -> Scene:
    """now: tracks as they arrive; frozen: the same before any of the changes that are judged, for their weights;
    importance: 0 and up by track, 1 where nothing is said."""
    names = tuple(now)
    power = _stacked([track.power for track in now.values()])
    weight = _stacked([frozen.get(name, track).weight for name, track in now.items()], power.shape[1])
    given = np.array([max(0.0, importance.get(name, 1.0)) for name in names])
    given = np.where(weight.any(axis=(1, 2)), given, 0.0)
    return Scene(names, power, weight, floor, given / max(float(given.sum()), 1e-12), sample_rate)


def with_powers(scene: Scene, tracks: Mapping[str, Excitation]) -> Scene:
    """The same weights on tracks as they arrive elsewhere."""
    powers = [tracks[name].power for name in scene.names]
    return replace(scene, power=_stacked(powers, scene.power.shape[1]))


def _stacked(tracks: Sequence[Bands], frames: int | None = None) -> Bands:
    """(tracks, frames, bands), silence behind what is shorter. frames: else as many as the longest has."""
    frames = max((len(track) for track in tracks), default=0) if frames is None else frames
    stacked = np.zeros((len(tracks), frames, len(masking.centres_hz())), dtype=np.float32)
    for place, track in zip(stacked, tracks, strict=True):
        place[: len(track)] = track[:frames]
    return stacked


class Trial:
    """A scene with a gain per track and band on it, and what follows: spreads, their sum, the shares.

    Tracks are changed one at a time (`with_gains`); only what that touches is worked out anew.
    """

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self._spreading = masking.spreading(scene.sample_rate)
        self.gains: Array = np.ones((len(scene), scene.power.shape[2]))
        self.spread: Bands = masking.spread_of(scene.power, scene.sample_rate)
        self.total: Array = self.spread.sum(axis=0, dtype=np.float64)
        self._factor = masking.threshold_factor().astype(np.float32)
        self._band_weight = scene.weight.sum(axis=1, dtype=np.float64)
        self._counted = self._band_weight.sum(axis=1)
        self.shares = self._shares(self.total)
        self.before = self.shares.copy()
        self.timbre = np.zeros(len(scene))
        self._loudness = _loud_parts(scene)

    # What a change of loudness would be, and the gain that takes it back.

    def kept(self, track: int, gains: Array) -> Array:
        """Power gains (bands,) with the track's own loudness taken back, as the bands predict it."""
        return np.asarray(gains / max(self.change(track, gains), 1e-12))

    def change(self, track: int, gains: Array) -> float:
        """What power gains (bands,) do to a track's loudness, as a power factor."""
        return float(self._loudness[track] @ gains)

    def _changed(self, track: int, gains: Array) -> tuple[Bands, Array]:
        spread = masking.spread_of(self.scene.power[track] * gains.astype(np.float32), self.scene.sample_rate)
        return spread, self.total - self.spread[track] + spread

    def _shares(self, total: Array, track: int = -1, spread: Bands | None = None) -> Array:
        scene, masked = self.scene, np.zeros(len(self.scene))
        instead = NO_SPREAD if spread is None else spread
        _mask(self.spread, track, instead, total.astype(np.float32), scene.weight, self._factor,
              np.float32(max(scene.floor, LEAST_FLOOR)), masked)  # fmt: skip
        return np.where(self._counted > 0.0, masked / np.maximum(self._counted, 1e-30), np.nan)

    def tried(self, track: int, gains: Array) -> Array:
        """The shares with these power gains (bands,) on a track instead of its present ones."""
        spread, total = self._changed(track, gains)
        return self._shares(total, track, spread)

    def put(self, track: int, gains: Array) -> None:
        """Gives a track power gains (bands,)."""
        self.spread[track], self.total = self._changed(track, gains)
        self.gains[track] = gains
        self.shares = self._shares(self.total)
        self.timbre[track] = self.timbre_db(track, gains)

    def timbre_db(self, track: int, gains: Array) -> float:
        """RMS of a change around its mean, dB, weighted by what counts of the track."""
        weight = self._band_weight[track]
        whole = float(weight.sum())
        if whole <= 0.0:
            return 0.0
        change = 10.0 * np.log10(np.maximum(gains, 1e-12))
        mean = float(weight @ change) / whole
        return float(np.sqrt(weight @ (change - mean) ** 2 / whole))

    def cost(
        self, shares: Array | None = None, track: int = -1, gains: Array | None = None, timbre: float = TIMBRE
    ) -> float:
        """J of the present state; with shares and the gains of one track: of that trial."""
        shares = self.shares if shares is None else shares
        tone = self.timbre.copy()
        if track >= 0 and gains is not None:
            tone[track] = self.timbre_db(track, gains)
        weight = self.scene.importance
        known = ~np.isnan(shares)
        rise = np.maximum(0.0, shares - self.before - ALLOWED_RISE)
        told = weight[known] @ shares[known] + GUARD * (weight[known] @ rise[known])
        return float(told + timbre * (weight @ (tone / TIMBRE_DB) ** 2))

    def mean(self, shares: Array | None = None) -> float:
        """The session's share*, weighted by importance."""
        shares = self.shares if shares is None else shares
        known = ~np.isnan(shares)
        return float(self.scene.importance[known] @ shares[known])

    def slope(self) -> Array:
        """(tracks, bands) change of `J` without its price on timbre per dB of gain in a band, keep included."""
        scene = self.scene
        rising = (self.shares - self.before > ALLOWED_RISE).astype(np.float64)
        whole = scene.weight.sum(axis=(1, 2), dtype=np.float64)
        worth = scene.importance * (1.0 + GUARD * np.nan_to_num(rising)) / np.maximum(whole, 1e-30)
        factor = masking.threshold_factor().astype(np.float32)
        cross = np.zeros_like(self.total)
        own = np.empty(self.spread.shape, dtype=np.float32)
        for index in range(len(scene)):
            _slopes(self.spread[index], self.total, scene.weight[index], factor, scene.floor, worth[index], own[index],
                    cross)  # fmt: skip
        found = np.empty((len(scene), scene.power.shape[2]))
        for index in range(len(scene)):
            # `own` holds the direct part less this track's share of the cross part, which it has no say in.
            at_spread = (cross + own[index]).astype(np.float32)
            at_power = at_spread @ self._spreading.T
            moved = (at_power * scene.power[index]).sum(axis=0, dtype=np.float64) * self.gains[index]
            loud = self._loudness[index] * self.gains[index]
            found[index] = DB * (moved - loud / max(float(loud.sum()), 1e-30) * float(moved.sum()))
        return found


@kernel
def _mask(spread, track, instead, total, weight, factor, floor, masked):  # type: ignore[no-untyped-def]
    """By track, how much of its weight is covered, as `masking.covered_by_band`, all in single precision; sums of
    `TOGETHER` frames are added in double. track: the one whose spread is another; none where it is negative."""
    tracks, frames, bands = spread.shape
    part = np.zeros(bands, dtype=np.float32)
    one, nothing = np.float32(1.0), np.float32(0.0)
    for k in range(tracks):
        mine = instead if k == track else spread[k]
        for t in range(frames):
            for band in range(bands):
                own = mine[t, band]
                ratio = own / (factor[band] * max(nothing, total[t, band] - own) + floor)
                part[band] += weight[k, t, band] / (one + ratio * ratio)
            if t % TOGETHER == TOGETHER - 1 or t == frames - 1:
                for band in range(bands):
                    masked[k] += part[band]
                    part[band] = nothing


@kernel
def _slopes(spread, total, weight, factor, floor, worth, own, cross):  # type: ignore[no-untyped-def]
    """Adds to `cross` what more of the others would cover of this track, and leaves in `own` what more of itself
    uncovers, less that."""
    for t in range(spread.shape[0]):
        for band in range(spread.shape[1]):
            w = float(weight[t, band])
            if w <= 0.0:
                own[t, band] = 0.0
                continue
            mine = float(spread[t, band])
            threshold = factor[band] * max(0.0, total[t, band] - mine) + floor
            if threshold <= 0.0 or mine <= 0.0:
                own[t, band] = 0.0
                continue
            ratio = mine / threshold
            bent = 2.0 * ratio / (1.0 + ratio * ratio) ** 2 * worth * w
            others = bent * ratio * factor[band] / threshold
            own[t, band] = -bent / threshold - others
            cross[t, band] += others


def loudness_weights(sample_rate: int) -> Array:
    """(bands,) K-weighting (ITU-R BS.1770-5) as a power factor."""
    z = np.exp(-2j * np.pi * masking.centres_hz() / sample_rate)
    response = np.ones(len(z), dtype=complex)
    for b0, b1, b2, a1, a2 in k_weighting(sample_rate):
        response *= (b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2))
    return np.asarray(np.abs(response) ** 2)


GATE = 0.1
"""Frames more than 10 dB under the mean do not count for the loudness, as in ITU-R BS.1770-5."""


def _loud_parts(scene: Scene) -> Array:
    """(tracks, bands) of each track's loudness, the part that each band is; sums to 1."""
    loud = np.zeros((len(scene), scene.power.shape[2]))
    weights = loudness_weights(scene.sample_rate).astype(np.float32)
    for index, power in enumerate(scene.power):
        _loud_part(power, weights, loud[index])
    return np.asarray(loud / np.maximum(loud.sum(axis=1, keepdims=True), 1e-30))


@kernel
def _loud_part(power, weights, loud):  # type: ignore[no-untyped-def]
    """Adds up what counts of a track, band by band. power: (frames, bands)."""
    frames = np.zeros(power.shape[0])
    summed, sounding = 0.0, 0
    for t in range(power.shape[0]):
        total = 0.0
        for band in range(power.shape[1]):
            total += power[t, band] * weights[band]
        frames[t] = total
        summed += total
        sounding += 1 if total > 0.0 else 0
    gate = GATE * summed / max(sounding, 1)
    for t in range(power.shape[0]):
        if frames[t] > gate:
            for band in range(power.shape[1]):
                loud[band] += power[t, band] * weights[band]


HOME_DB, HOME_OCTAVES = 10.0, 0.17


def home(power: Bands) -> NDArray[np.bool_]:
    """(bands,): where a track has its body, within 10 dB of its strongest place, power per octave, smoothed over about
    a third of one, unweighted: A-weighting does not value the bottom, and drums would lose theirs.

    power: (frames, bands)."""
    centres = masking.centres_hz()
    density = power.mean(axis=0, dtype=np.float64) * centres / hearing.erb_hz(centres)
    near = np.exp(-0.5 * (np.log2(centres[:, np.newaxis] / centres[np.newaxis, :]) / HOME_OCTAVES) ** 2)
    smooth = near @ density / near.sum(axis=1)
    return np.asarray(smooth > smooth.max(initial=0.0) * 10.0 ** (-HOME_DB / 10.0))


def bins_hz(sample_rate: int) -> Array:
    """Frequencies of a frame's bins."""
    return np.asarray(np.fft.rfftfreq(masking.frame_size(sample_rate), 1.0 / sample_rate))


def band_gains(magnitude: Array, sample_rate: int) -> Array:
    """(bands,) power gain of a filter: the mean of |H|^2 over each band. magnitude: |H| at `bins_hz`."""
    triangles = masking.triangles(sample_rate)
    whole = triangles.sum(axis=0, dtype=np.float64)
    mean = (magnitude**2) @ triangles / np.maximum(whole, 1e-12)
    return np.asarray(np.where(whole > 0.0, mean, 1.0))
