"""Masked share: how much of each track is covered by all the others together.

Short-time spectra are gathered into half-ERB bands and spread by the ear's filters, for the signal and
for what masks it alike. A part of a track counts as masked, softly, where its excitation is under
`K(f) times the others' + Q`. The share is the mean over time and bands, weighted by how loud the part is.

It is an index: its constants are frozen (`VERSION`), figures of different versions are not compared, and
its mean proves nothing by itself. A track's own share rises when the track is cut, and a level move
is nearly zero-sum; so a move is scored by what it does to the *others*, weighted by importance, with
what the changed track loses beside it (`score`).
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy
from all_even.measure.sharing import hearing

VERSION = 1
FRAME_S = 4_096 / 48_000
BANDS_HZ, BAND_ERB = (30.0, 15_500.0), 0.5
K_DB = ((50.0, 13.0), (63.0, 9.7), (100.0, 5.0), (160.0, 2.0), (300.0, -0.5), (500.0, -2.0), (1000.0, -3.0))
"""Signal-to-noise ratio at the filter's output at threshold (Moore, Glasberg and Baer 1997, from memory)."""
FLOOR_DB = -70.0
"""Q: under the A-weighted 95th percentile of the mix."""
COMPRESSION = 0.3
GATE_DB = 40.0
TOGETHER = 1 << 16
"""Frames of sound that are transformed in one go."""
NO_SPREAD = 1e-20
"""Less than this of a band's power is none: numbers at the end of single precision are eight times as slow."""
ACTIVE_DB, ACTIVE_BAND_DB = 25.0, 45.0
"""A band is active within this of its own 95th percentile, and of the track's loudest band."""
Array = NDArray[np.float64]
Bands = NDArray[np.float32]


@lru_cache(maxsize=8)
def centres_hz() -> Array:
    """Middle frequencies of the bands."""
    return hearing.band_centres_hz(*BANDS_HZ, BAND_ERB)


@lru_cache(maxsize=1)
def threshold_factor() -> Array:
    """K(f) per band, as a power ratio."""
    frequencies, decibels = np.array(K_DB).T
    return np.asarray(10.0 ** (np.interp(np.log(centres_hz()), np.log(frequencies), decibels) / 10.0))


@lru_cache(maxsize=8)
def _filters(size: int, sample_rate: int) -> tuple[Bands, Bands]:
    """(bins, bands) triangles, and (bands, bands) spreading."""
    centres = centres_hz()
    usable = centres < 0.5 * sample_rate
    triangles = hearing.triangular_bands(centres, size, sample_rate) * usable[:, np.newaxis]
    spreading = hearing.roex(centres, centres).T
    spreading[spreading < NO_SPREAD] = 0.0
    return triangles.T.astype(np.float32), spreading.astype(np.float32)


def triangles(sample_rate: int) -> Bands:
    """(bins, bands): how a frame's bins are gathered."""
    return _filters(frame_size(sample_rate), sample_rate)[0]


def spreading(sample_rate: int) -> Bands:
    """(bands, bands): what the power of one band excites of each."""
    return _filters(frame_size(sample_rate), sample_rate)[1]


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Excitation:
    """One track as it arrives. power, spread: (frames, bands), before and behind the ear's filters.

    weight: (frames, bands) how much each part counts, 0 outside the gate. All linear power.
    """

    power: Bands
    spread: Bands
    weight: Bands

    def scaled(self, gain_db: float) -> "Excitation":
        """The same track louder or softer."""
        factor = np.float32(10.0 ** (gain_db / 10.0))
        return Excitation(self.power * factor, self.spread * factor, self.weight * factor ** np.float32(COMPRESSION))


def spread_of(power: Bands, sample_rate: int) -> Bands:
    """What band powers (..., frames, bands) excite, the same shape."""
    return power @ spreading(sample_rate)


class BandPowerMeter:
    """Power in the bands, channel by channel. Feeds blocks of any length, (frames, channels).

    size, filters: frames of sound in one frame, and (bins, bands) what of each bin a band takes; else those of masking.
    """

    def __init__(
        self, sample_rate: int, channels: int, *, size: int | None = None, filters: Bands | None = None
    ) -> None:
        self.channels = channels
        self._size = frame_size(sample_rate) if size is None else size
        self._filters = triangles(sample_rate) if filters is None else filters
        self._window = np.hanning(self._size + 1)[:-1].astype(np.float32)
        self._window *= np.float32(np.sqrt(2.0 / (self._size * np.sum(self._window.astype(np.float64) ** 2))))
        # The song begins in the middle of the first frame.
        self._rest = np.zeros((channels, self._size // 2), dtype=np.float32)
        self._waiting: list[Bands] = []
        self._rows: list[Bands] = []

    def add(self, block: NDArray[np.floating]) -> None:
        self._waiting.append(np.array(block.T, dtype=np.float32, order="C"))
        if sum(part.shape[1] for part in self._waiting) >= TOGETHER:
            self._digest()

    def _digest(self) -> None:
        joined = np.concatenate((self._rest, *self._waiting), axis=1)
        self._waiting.clear()
        hop = self._size // 2
        count = max(0, (joined.shape[1] - self._size) // hop + 1)
        if count:
            rows = np.zeros((len(joined), count, self._filters.shape[1]), dtype=np.float32)
            for channel, sound in enumerate(joined):
                if channel and np.array_equal(sound, joined[0]):
                    rows[channel] = rows[0]
                elif np.any(sound):
                    frames = np.lib.stride_tricks.sliding_window_view(sound, self._size)[::hop][:count]
                    spectrum = scipy.fft.rfft(frames * self._window, axis=1)
                    rows[channel] = _power(spectrum.view(np.float32)) @ self._filters
            self._rows.append(rows)
        self._rest = joined[:, count * hop :].copy()

    def result(self) -> Bands:
        """(channels, frames, bands). Ends the track; the last, incomplete frame counts with the silence behind it."""
        channels = len(self._rest)
        self._digest()
        if self._rest.shape[1] > self._size // 2:
            self._waiting.append(np.zeros((channels, self._size - self._rest.shape[1]), dtype=np.float32))
            self._digest()
        if not self._rows:
            return np.zeros((channels, 0, self._filters.shape[1]), dtype=np.float32)
        return np.concatenate(self._rows, axis=1)


@kernel
def _power(spectrum):  # type: ignore[no-untyped-def]
    """Squared magnitude of rows of complex numbers, given as pairs."""
    power = np.empty((len(spectrum), spectrum.shape[1] // 2), dtype=np.float32)
    for t in range(power.shape[0]):
        for k in range(power.shape[1]):
            power[t, k] = spectrum[t, 2 * k] * spectrum[t, 2 * k] + spectrum[t, 2 * k + 1] * spectrum[t, 2 * k + 1]
    return power


def frame_size(sample_rate: int) -> int:
    """Frames of sound in one frame of bands; they follow each other by half of it."""
    return int(2 ** round(np.log2(FRAME_S * sample_rate)))


def excitation_of_power(power: Bands, sample_rate: int) -> Excitation:
    """Spread and weight of band powers, (frames, bands)."""
    hearing_weights = hearing.a_weighting(centres_hz()).astype(np.float32)
    frame_loud = (power * hearing_weights).max(axis=1, initial=0.0)
    loud = float(np.percentile(frame_loud[frame_loud > 0.0], 95)) if np.any(frame_loud > 0.0) else 0.0
    weight = np.zeros_like(power, dtype=np.float32)
    _weigh(power, hearing_weights, np.float32(loud * 10.0 ** (-GATE_DB / 10.0)), np.float32(COMPRESSION), weight)
    return Excitation(power, spread_of(power, sample_rate), weight)


@kernel
def _weigh(power, hearing_weights, gate, exponent, weight):  # type: ignore[no-untyped-def]
    """What is over the gate, A-weighted, compressed; 0 for the rest."""
    for t in range(power.shape[0]):
        for band in range(power.shape[1]):
            heard = power[t, band] * hearing_weights[band]
            if heard > gate and heard > 0.0:
                weight[t, band] = heard**exponent


def excitation_of(samples: NDArray[np.floating], sample_rate: int) -> Excitation:
    """Excitation of samples held in memory, (frames, channels)."""
    meter = BandPowerMeter(sample_rate, samples.shape[1])
    for start in range(0, len(samples), 1 << 16):
        meter.add(samples[start : start + (1 << 16)])
    return excitation_of_power(meter.result().mean(axis=0), sample_rate)


@dataclass(frozen=True, slots=True, eq=False)
class Masking:
    """The session's table, by track. total: of all spreads, (frames, bands). floor: Q.

    shares: of the whole song, None for a track that never sounds.
    """

    tracks: Mapping[str, Excitation]
    total: Array
    floor: float
    shares: Mapping[str, float | None]
    frame_s: float

    def importance_mean(self, importance: Mapping[str, float]) -> float | None:
        """The session's figure: the mean share, weighted by importance (0 and up; 1 where nothing is said)."""
        known = [(share, importance.get(name, 1.0)) for name, share in self.shares.items() if share is not None]
        total = sum(weight for _, weight in known)
        return sum(share * weight for share, weight in known) / total if total > 0.0 else None

    def section(self, start_s: float, end_s: float) -> dict[str, float | None]:
        """The shares of a stretch of the song."""
        stretch = slice(max(0, round(start_s / self.frame_s)), max(0, round(end_s / self.frame_s)))
        return {name: _share(track, self.total, self.floor, stretch) for name, track in self.tracks.items()}


def find_masking(tracks: Mapping[str, Excitation], sample_rate: int = 48_000, *, floor: float | None = None) -> Masking:
    """The masked share of every track among all of them. floor: that of another table this one is compared with."""
    frames = max((len(track.spread) for track in tracks.values()), default=0)
    total = np.zeros((frames, len(centres_hz())))
    mix = np.zeros_like(total)
    for track in tracks.values():
        total[: len(track.spread)] += track.spread
        mix[: len(track.power)] += track.power
    floor = _floor(mix) if floor is None else floor
    shares = {name: _share(track, total, floor, slice(None)) for name, track in tracks.items()}
    return Masking(dict(tracks), total, floor, shares, frame_size(sample_rate) / 2 / sample_rate)


def _floor(mix: Array) -> float:
    """Q: 70 dB under the A-weighted 95th percentile of the mix, per band."""
    weighted = (mix * hearing.a_weighting(centres_hz())).sum(axis=1)
    sounding = weighted[weighted > 0.0]
    return float(np.percentile(sounding, 95)) * 10.0 ** (FLOOR_DB / 10.0) if len(sounding) else 0.0


def _share(track: Excitation, total: Array, floor: float, stretch: slice) -> float | None:
    spread, weight = track.spread[stretch], track.weight[stretch]
    whole = total[stretch][: len(spread)]
    return weighted_share(spread, np.ascontiguousarray(whole), weight, floor) if len(spread) else None


def weighted_share(spread: Bands, total: Array, weight: Bands, floor: float) -> float | None:
    """Share of one track that is covered, all (frames, bands); None where nothing counts."""
    masked, whole = covered_by_band(spread, total, weight, floor)
    counts = float(whole.sum())
    return float(masked.sum()) / counts if counts > 0.0 else None


def covered_by_band(spread: Bands, total: Array, weight: Bands, floor: float) -> tuple[Array, Array]:
    """(bands,) each: the weight of a track that is covered, and all of it, both summed over time. Inputs as above."""
    masked, whole = np.zeros(spread.shape[1]), np.zeros(spread.shape[1])
    _cover(spread, total, weight, threshold_factor(), floor, masked, whole)
    return masked, whole


def masked_parts(track: Excitation, total: Array, floor: float) -> Bands:
    """How much of each part of a track is covered, (frames, bands), 0 to 1. total: spreads of all tracks, its own
    too."""
    return covered_parts(track.spread, total[: len(track.spread)], floor)


def covered_parts(spread: Bands, total: Array, floor: float) -> Bands:
    """The same from a track's spread and that of all, both (frames, bands)."""
    threshold = threshold_factor() * np.maximum(0.0, total - spread) + floor
    ratio = spread / np.maximum(threshold, 1e-30)
    return np.asarray(1.0 / (1.0 + ratio * ratio), dtype=np.float32)


@kernel
def _cover(spread, total, weight, factor, floor, masked, whole):  # type: ignore[no-untyped-def]
    """Weight times 1 / (1 + (E / m)^2), and weight."""
    for t in range(spread.shape[0]):
        for band in range(spread.shape[1]):
            w = float(weight[t, band])
            if w > 0.0:
                own = float(spread[t, band])
                threshold = factor[band] * max(0.0, total[t, band] - own) + floor
                ratio = own / threshold if threshold > 0.0 else 1e9
                masked[band] += w / (1.0 + ratio * ratio)
                whole[band] += w


@dataclass(frozen=True, slots=True, eq=False)
class PairBands:
    """One victim and one masker. (bands,) each: share of the victim's weight in the band; median of
    10 log10(K Ej / Ei) in dB, NaN where they never sound together; share of that time above 0; overlap: time
    together, of the victim's active time."""

    weight: Bands
    median_db: Bands
    above: Bands
    overlap: Bands


PairTable = dict[tuple[str, str], PairBands]


def pair_table(
    masking: Masking, names: Sequence[str] | None = None, *, progress: Callable[[float], None] | None = None
) -> PairTable:
    """Who covers whom in which band, by (victim, masker). names: only pairs with one of these tracks in it."""
    log_factor = (10.0 * np.log10(threshold_factor())).astype(np.float32)
    prepared = {name: _prepared(track) for name, track in masking.tracks.items()}
    result: PairTable = {}
    for done, (victim, (own_db, own_active)) in enumerate(prepared.items()):
        weight = masking.tracks[victim].weight.sum(axis=0, dtype=np.float64)
        share = (weight / max(float(weight.sum()), 1e-30)).astype(np.float32)
        for masker, (other_db, other_active) in prepared.items():
            if masker == victim or (names is not None and victim not in names and masker not in names):
                continue
            found = np.empty((3, len(share)), dtype=np.float32)
            count = min(len(own_db), len(other_db))
            _pair(own_db[:count], other_db[:count], own_active[:count], other_active[:count], log_factor, found)
            result[victim, masker] = PairBands(share, found[0], found[1], found[2])
        if progress is not None:
            progress((done + 1) / len(prepared))
    return result


def _prepared(track: Excitation) -> tuple[Bands, NDArray[np.bool_]]:
    """Spread in dB, and where each band is active."""
    level = (10.0 * np.log10(np.maximum(track.spread, 1e-20))).astype(np.float32)
    if not len(level):
        return level, np.zeros(level.shape, dtype=np.bool_)
    power_db = 10.0 * np.log10(np.maximum(track.power, 1e-20))
    loud = np.percentile(power_db, 95, axis=0)
    active = (power_db > loud - ACTIVE_DB) & (loud > loud.max() - ACTIVE_BAND_DB) & (track.power > 0.0)
    return level, active


@kernel
def _pair(own_db, other_db, own_active, other_active, factor_db, found):  # type: ignore[no-untyped-def]
    """found: (3, bands) median, share above 0, overlap. The median comes from quarter-dB bins, -60 to 60 dB."""
    frames, bands = own_db.shape
    counts = np.zeros(481, dtype=np.int64)
    for band in range(bands):
        counts[:] = 0
        together = above = active = 0
        for t in range(frames):
            if own_active[t, band]:
                active += 1
                if other_active[t, band]:
                    together += 1
                    difference = other_db[t, band] + factor_db[band] - own_db[t, band]
                    if difference > 0.0:
                        above += 1
                    counts[min(480, max(0, int((difference + 60.0) * 4.0 + 0.5)))] += 1
        found[0, band] = np.nan
        found[1, band] = above / together if together > 0 else 0.0
        found[2, band] = together / active if active > 0 else 0.0
        if together > 0:
            passed = 0
            for k in range(481):
                passed += counts[k]
                if 2 * passed >= together:
                    found[0, band] = k / 4.0 - 60.0
                    break
