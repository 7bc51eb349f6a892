"""Files that belong together: one sound picked up twice, with the time and the polarity between them.

Candidates come from onsets in the 1 kHz envelopes, at 10 ms: cheap enough for every pair. Then only the
places where both play loudest are read at full rate. Two microphones at one source agree in phase in
several octaves at one and the same lag; two instruments that play together, or two drums struck at the
same time, do not. The lag of the agreeing octaves together is the offset, to a fraction of a sample, its
sign the polarity. Duplicates have the same content, or cancel when one is taken from the other. Two players beside each
other look like that too where one of them is silent: `measure.recording.players` tells them from microphones.
"""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import combinations, pairwise
from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.audio import sound_file
from all_even.late import scipy
from all_even.measure.recording import players
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.sounding import SURE
from all_even.priority import step_back

COARSE_FRAMES = 10
FURTHEST_S = 5.0
"""Files exported with different starts may lie this far apart."""
SCREEN = 0.25
"""Least correlation of the onsets at the best lag."""
MICROPHONES_S = 0.1
"""Farther apart than this only copies of a file are looked for: music repeats itself."""
COPY = 0.8
"""Least correlation, of onsets and of most octaves, of a copy."""
SEGMENT_S = 0.68
SEGMENTS, EITHER_SEGMENTS = 8, 16
AROUND_S = 0.1
"""How far the lag at full rate may lie from that of the onsets."""
OCTAVES_HZ = (40.0, 90.0, 200.0, 450.0, 1000.0, 2200.0, 5000.0, 12_000.0)
WITHIN_DB = 45.0
"""Octaves further than this under a file's strongest say nothing."""
AGREEING = 0.6
"""Least correlation of an octave that counts (0 to 1)."""
AGREEING_BRIEF, SURE_EXTENT, OCTAVE_WIDTH = 0.9, 60.0, 0.78
"""The same where bandwidth times time is next to nothing; it falls to the least at 60. Width: of its middle."""
FEWEST_OCTAVES = 2
SAME_LAG_S = 0.0004
SAME_LAG_PERIODS = 0.12
"""Octaves agree on a lag within 0.4 ms, or this share of their period where that is longer."""
AT_ONCE = 64
NULL_DB = -50.0
"""A duplicate leaves less than this when subtracted."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Pair:
    """Two files, by their place in the list, a < b.

    value: offset in ms, positive = b later; polarity +1 or -1; of a duplicate the level of the difference in
    dB, None where it is nothing; of two players by how many ms the order turns around between what the one plays and
    the other. correlation: 0 to 1, of the octaves that agree.
    """

    kind: Literal["offset", "polarity", "duplicate", "players"]
    a: int
    b: int
    value: float | None
    correlation: float


def find_pairs(
    reports: Sequence[FileReport], *, progress: Callable[[int, int], None] | None = None, workers: int = 1
) -> tuple[Pair, ...]:
    """All pairs among measured files, in order. Files that could not be measured belong to nothing."""
    usable = [
        i
        for i, report in enumerate(reports)
        if report.measures is not None and report.envelope is not None and report.measures.integrated_lufs is not None
    ]
    onsets = {i: _onsets(envelope) for i in usable if (envelope := reports[i].envelope) is not None}
    longest = max((len(onset) for onset in onsets.values()), default=0)
    size = 1 << (longest + round(FURTHEST_S * 100)).bit_length()
    spectra = {i: np.fft.rfft(onset, size) for i, onset in onsets.items()}
    pairs = list(combinations(usable, 2))

    def compared(pair: tuple[int, int]) -> list[Pair]:
        a, b = pair
        lag_s = _screened(spectra[a], spectra[b], size)
        return _compared(reports, a, b, lag_s) if lag_s is not None else []

    found: list[Pair] = []
    with ThreadPoolExecutor(max_workers=max(1, workers), thread_name_prefix="pairs", initializer=step_back) as pool:
        for start in range(0, len(pairs), AT_ONCE):  # a few at a time, so that a cancel is heard soon
            if progress is not None:
                progress(start, len(pairs))
            for pair in pool.map(compared, pairs[start : start + AT_ONCE]):
                found += pair
    return tuple(found)


def _onsets(envelope: NDArray[np.float16]) -> Array:
    """How the level rises from 10 ms to the next, no mean, unit length."""
    count = len(envelope) // COARSE_FRAMES
    power = np.square(envelope[: count * COARSE_FRAMES].astype(np.float32)).reshape(count, COARSE_FRAMES).mean(axis=1)
    level = 10.0 * np.log10(np.maximum(power, max(float(power.max(initial=0.0)), 1e-12) * 1e-5))
    rise = np.maximum(np.diff(level, prepend=level[:1]), 0.0).astype(np.float64)
    rise = np.convolve(rise, (0.5, 1.0, 0.5), mode="same")
    rise -= rise.mean()
    return np.asarray(rise / max(float(np.linalg.norm(rise)), 1e-12))


def _screened(a: NDArray[np.complex128], b: NDArray[np.complex128], size: int) -> float | None:
    """Lag of b after a in s: 0 where the onsets agree within 0.1 s, far away for a copy; None for no pair."""
    correlation = np.fft.irfft(np.conj(a) * b, size)
    reach = round(FURTHEST_S * 100)
    around = np.concatenate((correlation[-reach:], correlation[: reach + 1]))
    near = slice(reach - round(MICROPHONES_S * 100), reach + round(MICROPHONES_S * 100) + 1)
    best, best_near = int(np.argmax(around)), near.start + int(np.argmax(around[near]))
    if around[best] > COPY and around[best_near] < COPY:
        return (best - reach) * 0.01
    return 0.0 if around[best_near] >= SCREEN else None


def _compared(reports: Sequence[FileReport], a: int, b: int, lag_s: float) -> list[Pair]:
    first, second = reports[a], reports[b]
    if first.info is None or second.info is None or first.envelope is None or second.envelope is None:
        return []
    rate = first.info.sample_rate
    places = _places(first.envelope, second.envelope, lag_s)
    octaves: _Octaves | None = None
    for count, place in enumerate(places):
        x, y = _cut(first, place, rate), _cut(second, place + lag_s, rate)
        octaves = _Octaves.of(x, y, rate) if octaves is None else octaves.joined(_Octaves.of(x, y, rate))
        if count == 1 and not octaves.hopeful(rate):
            return []
    if octaves is None:
        return []
    agreed = octaves.agreed(rate, _sounding_s(first.envelope, second.envelope, lag_s, places))
    if agreed is None:
        return []
    shift_s, sign, correlation = agreed
    if abs(lag_s) > MICROPHONES_S and not octaves.is_a_copy(rate):
        return []
    total_ms = 1000.0 * (lag_s + shift_s)
    residual = _residual_db(first, second, places, lag_s + shift_s, rate)
    result = []
    if residual is None or residual < NULL_DB:
        result.append(Pair("duplicate", a, b, residual, correlation))
        if abs(total_ms) < 0.01 and sign > 0:
            return result
    result.append(Pair("offset", a, b, total_ms, correlation))
    result.append(Pair("polarity", a, b, float(sign), correlation))
    if abs(total_ms) < 1000.0 * players.FURTHEST_S and not (_is_struck(first) and _is_struck(second)):
        found = players.order([(_cut(first, at, rate), _cut(second, at, rate)) for at in _either(first, second)], rate)
        if found is not None and found.are_two_players:
            result.append(Pair("players", a, b, found.turns_ms, correlation))
    return result


def _is_struck(report: FileReport) -> bool:
    """Whether it sounds like a drum: those ring into each other's microphones, and are told by their names."""
    found = report.character.sounding if report.character is not None else None
    return found is not None and found.kind == "struck" and found.likely >= SURE


def _either(first: FileReport, second: FileReport) -> list[float]:
    """Beginnings, in s, of segments in which one of both is loud, spread over the song."""
    if first.envelope is None or second.envelope is None:
        return []
    count, length = min(len(first.envelope), len(second.envelope)), round(SEGMENT_S * 1000)
    levels = [report.envelope[:count].astype(np.float64) for report in (first, second) if report.envelope is not None]
    summed = np.cumsum(np.insert(sum(level / max(float(np.percentile(level, 95)), 1e-9) for level in levels), 0, 0.0))
    begins = np.arange(0, max(1, count - length), length // 4)
    weight = summed[np.minimum(begins + length, count)] - summed[begins]
    parts = np.array_split(np.arange(len(begins)), EITHER_SEGMENTS)
    return [float(begins[part[np.argmax(weight[part])]]) / 1000.0 for part in parts if len(part)]


def _places(a: NDArray[np.float16], b: NDArray[np.float16], lag_s: float) -> list[float]:
    """Beginnings, in s of a, of the segments in which both are loudest; spread over the song."""
    shift, length = round(lag_s * 1000), round(SEGMENT_S * 1000)
    start, stop = max(0, -shift), min(len(a), len(b) - shift)
    if stop - start < length // 2:
        return []
    both = np.square(a[start:stop].astype(np.float64)) * np.square(b[start + shift : stop + shift].astype(np.float64))
    summed = np.concatenate(([0.0], np.cumsum(np.sqrt(both))))
    begins = np.arange(0, max(1, stop - start - length), length // 4)
    weight = summed[np.minimum(begins + length, stop - start)] - summed[begins]
    # The loudest of each part of the song: one note that is louder than all others would tell its period only.
    parts = np.array_split(np.arange(len(begins)), SEGMENTS)
    best = [int(part[np.argmax(weight[part])]) for part in parts if len(part)]
    best = [i for i in best if weight[i] > 0.01 * weight.max()]
    return [(start + int(begins[i])) / 1000.0 for i in sorted(best, key=lambda i: -weight[i])]


def _cut(report: FileReport, start_s: float, rate: int) -> Array:
    """A segment, mono, at `rate`; silence outside the file."""
    info = report.info
    if info is None:
        return np.zeros(0)
    begin, frames = round(start_s * info.sample_rate), round(SEGMENT_S * info.sample_rate)
    reader = sound_file.Reader(info)
    try:
        samples = reader.read(max(0, begin), frames - max(0, -begin))
    finally:
        reader.close()
    mono = np.zeros(frames)
    at = max(0, -begin)
    mono[at : at + len(samples)] = samples.mean(axis=1)
    # The start was rounded to a sample: what is left over is put right in the spectrum's phase.
    mono = np.asarray(soxr.resample(mono, info.sample_rate, rate, quality="HQ")) if info.sample_rate != rate else mono
    left_over = (start_s * info.sample_rate - begin) / info.sample_rate
    if abs(left_over) * rate > 1e-3:
        spectrum = np.fft.rfft(mono)
        mono = np.fft.irfft(
            spectrum * np.exp(2j * np.pi * np.fft.rfftfreq(len(mono), 1.0 / rate) * left_over), len(mono)
        )
    return mono


@dataclass(frozen=True, slots=True)
class _Octaves:
    """Cross-spectrum and energies, summed over segments. cross: (bins,) complex; energy: (2, octaves)."""

    cross: NDArray[np.complex64]
    energy: Array
    size: int

    @staticmethod
    def of(x: Array, y: Array, rate: int) -> "_Octaves":
        length = min(len(x), len(y))
        size = scipy.fft.next_fast_len(length + round(AROUND_S * rate) + 1, real=True)
        taper = np.ones(length)
        edge = length // 16
        taper[:edge] = 0.5 - 0.5 * np.cos(np.pi * np.arange(edge) / edge)
        taper[-edge:] = taper[:edge][::-1]
        a, b = (scipy.fft.rfft((side[:length] * taper).astype(np.float32), size) for side in (x, y))
        bins = _octave_bins(size, rate)
        energy = np.array([[np.sum(np.abs(side[low:high]) ** 2) for low, high in bins] for side in (a, b)])
        return _Octaves(np.conj(a) * b, energy, size)

    def joined(self, other: "_Octaves") -> "_Octaves":
        return _Octaves(self.cross + other.cross, self.energy + other.energy, self.size)

    def correlations(self, rate: int) -> list[tuple[float, Array, int]]:
        """(middle frequency, correlation over the lags, reach in samples) of each octave that both sides have."""
        strong = np.all(self.energy > self.energy.max(axis=1, keepdims=True) * 10.0 ** (-WITHIN_DB / 10.0), axis=0)
        reach = round(AROUND_S * rate)
        found = []
        for k, (low, high) in enumerate(_octave_bins(self.size, rate)):
            if not strong[k] or high <= low:
                continue
            part = np.zeros_like(self.cross)
            part[low:high] = self.cross[low:high]
            whole = scipy.fft.irfft(part, self.size).astype(np.float64) * self.size / 2.0
            lags = np.concatenate((whole[-reach:], whole[: reach + 1]))
            scale = np.sqrt(self.energy[0, k] * self.energy[1, k])
            found.append((float(np.sqrt(OCTAVES_HZ[k] * OCTAVES_HZ[k + 1])), lags / max(scale, 1e-30), reach))
        return found

    def hopeful(self, rate: int) -> bool:
        """Whether it is worth reading on after the first segments."""
        return (
            sum(float(np.abs(lags).max()) > 0.7 * AGREEING for _, lags, _ in self.correlations(rate)) >= FEWEST_OCTAVES
        )

    def agreed(self, rate: int, sounding_s: float) -> tuple[float, int, float] | None:
        """(lag s, sign, correlation) that several octaves share; None where they do not."""
        octaves = [
            (hz, lags, reach)
            for hz, lags, reach in self.correlations(rate)
            if np.abs(lags).max() >= _needed(hz, sounding_s)
        ]
        if len(octaves) < FEWEST_OCTAVES:
            return None
        best: tuple[float, float, int, Array] | None = None
        for sign in (1, -1):
            together = np.sum([sign * lags * abs(lags).max() for _, lags, _ in octaves], axis=0)
            top = int(np.argmax(together))
            if best is None or together[top] > best[0]:
                best = (float(together[top]), float(top), sign, together)
        if best is None:
            return None
        _, top_lag, sign, together = best
        reach = octaves[0][2]
        agreeing = []
        for hz, lags, _ in octaves:
            near = max(SAME_LAG_S, SAME_LAG_PERIODS / hz) * rate
            window = sign * lags[max(0, int(top_lag - near)) : int(top_lag + near) + 1]
            value = float(window.max(initial=-1.0))
            if value >= _needed(hz, sounding_s) and value >= 0.8 * float(np.abs(lags).max()):
                agreeing.append((hz, lags, value))
        if len(agreeing) < FEWEST_OCTAVES:
            return None
        # The upper octaves tell the time best: a low one is blunt, and filters delay it.
        fine = np.sum([sign * lags * value * hz for hz, lags, value in agreeing], axis=0)
        low = max(0, int(top_lag - SAME_LAG_S * rate))
        at = low + int(np.argmax(fine[low : int(top_lag + SAME_LAG_S * rate) + 1]))
        shift = 0.0
        if 0 < at < len(fine) - 1:
            before, here, after = fine[at - 1 : at + 2]
            bend = before - 2.0 * here + after
            shift = float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0.0 else 0.0
        return (at + shift - reach) / rate, sign, float(np.median([value for _, _, value in agreeing]))

    def is_a_copy(self, rate: int) -> bool:
        """Whether nearly all octaves correlate nearly fully: asked of lags that no microphones lie apart."""
        values = [float(np.abs(lags).max()) for _, lags, _ in self.correlations(rate)]
        return bool(values) and float(np.mean(np.array(values) > COPY)) >= COPY


def _needed(hz: float, sounding_s: float) -> float:
    """Correlation that an octave needs: two short sounds in a narrow band are alike at some lag by chance."""
    extent = OCTAVE_WIDTH * hz * sounding_s
    return AGREEING + (AGREEING_BRIEF - AGREEING) * max(0.0, 1.0 - extent / SURE_EXTENT)


def _sounding_s(a: NDArray[np.float16], b: NDArray[np.float16], lag_s: float, places: Sequence[float]) -> float:
    """How long both sound in a segment: (sum p)^2 / sum p^2 of the product of their envelopes."""
    found = []
    for place in places:
        length = round(SEGMENT_S * 1000)
        x, y = (
            side[max(0, round(start * 1000)) :][:length].astype(np.float64)
            for side, start in ((a, place), (b, place + lag_s))
        )
        both = (x[: len(y)] * y[: len(x)]) if len(x) and len(y) else np.zeros(1)
        found.append(float(both.sum() ** 2 / max(float(np.sum(both * both)), 1e-30)) / 1000.0)
    return float(np.median(found)) if found else 0.0


def _octave_bins(size: int, rate: int) -> list[tuple[int, int]]:
    edges = [min(int(np.ceil(hz * size / rate)), size // 2) for hz in OCTAVES_HZ]
    return list(pairwise(edges))


def _residual_db(
    first: FileReport, second: FileReport, places: Sequence[float], lag_s: float, rate: int
) -> float | None:
    """What is left of b without its best copy of a, dB; None where nothing is."""
    left, whole = 0.0, 0.0
    for place in places[:3]:
        x, y = _cut(first, place, rate), _cut(second, place + lag_s, rate)
        inside = slice(len(x) // 16, -len(x) // 16)
        x, y = x[inside], y[inside]
        gain = float(np.dot(x, y)) / max(float(np.dot(x, x)), 1e-30)
        left += float(np.sum((y - gain * x) ** 2))
        whole += float(np.sum(y * y))
    if left <= whole * 1e-14:
        return None
    return float(10.0 * np.log10(left / max(whole, 1e-30)))
