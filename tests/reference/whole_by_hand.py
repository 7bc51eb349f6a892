"""A mix judged by hand: what stands out of it and how loud it is at one peak, worked out with none of our own code.

NumPy, SciPy and pyloudnorm alone. Bands are Butterworth filters on the waveform, hits are read from the raw files. What
is hidden goes by critical bands after Zwicker (1961), spread after Schroeder, Atal and Hall (1979), with the offset of
Johnston (1988) between tone and noise in the middle: parts of a source under that threshold count as hidden, weighted
by Stevens' exponent for loudness (0.23 of power). Formulas are from memory; no rule was fitted on them.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pyloudnorm
from numpy.typing import NDArray
from scipy import signal

Array = NDArray[np.float64]
FRAME, HOP = 2048, 1024
BARK_EDGES_HZ = (20, 100, 200, 300, 400, 510, 630, 770, 920, 1080, 1270, 1480, 1720, 2000, 2320, 2700, 3150, 3700, 4400,
                 5300, 6400, 7700, 9500, 12000, 15500)  # fmt: skip
OFFSET_DB = 9.0
ZONE_EDGES_HZ = (20, 60, 250, 500, 2000, 6000, 20000)


@dataclass(frozen=True)
class Source:
    """sound: (frames, 2) as it comes to the mix bus; raw: (frames,) of its file, placed in the song. weight: how much
    it matters. part: lead, kick, snare, bass or other."""

    name: str
    part: str
    weight: float
    sound: Array
    raw: Array


@dataclass(frozen=True)
class Judged:
    """All in dB or LU but hidden, 0 to 1. None where there is no such source. zones_db: against the whole."""

    lead_db: float | None
    lead_spread_db: float | None
    kick_low_db: float | None
    kick_click_db: float | None
    snare_body_db: float | None
    snare_crack_db: float | None
    bass_spread_db: float | None
    hidden: float
    loudness_lufs: float
    loudness_less_peak_lu: float
    mono_lu: float
    sides_lu: float
    zones_db: tuple[float, ...]


def judged(sources: list[Source], room: Array, mix: Array, rate: int) -> Judged:
    """room: (frames, 2), all returns together at the mix bus. mix: (frames, 2), what is printed."""
    whole = room + sum((source.sound for source in sources), np.zeros_like(room))
    leads, kicks, snares, basses = (
        [source for source in sources if source.part == part] for part in ("lead", "kick", "snare", "bass")
    )
    lead = _over_rest(leads, whole, rate, (300.0, 3500.0))
    loud, mono = _lufs(mix, rate), _lufs(np.repeat(mix.mean(axis=1, keepdims=True), 2, axis=1), rate)
    peak = 20.0 * np.log10(np.abs(signal.resample_poly(mix, 4, 1, axis=0)).max())
    left, right = (_lufs(mix[:, side : side + 1], rate) for side in (0, 1))
    return Judged(
        None if lead is None else float(np.median(lead)),
        None if lead is None else float(np.subtract(*np.percentile(lead, [90, 10]))),
        _at_hits(kicks, whole, rate, (40.0, 120.0), 0.100),
        _at_hits(kicks, whole, rate, (2000.0, 6000.0), 0.020),
        _at_hits(snares, whole, rate, (150.0, 400.0), 0.100),
        _at_hits(snares, whole, rate, (2000.0, 8000.0), 0.050),
        _spread(basses, kicks, rate),
        _hidden(sources, room, rate),
        loud, loud - float(peak), mono - loud, left - right, _zones(mix, rate),
    )  # fmt: skip


def _band(sound: Array, rate: int, band: tuple[float, float]) -> Array:
    """(frames,) power of both sides in a band."""
    sections = signal.butter(2, band, "bandpass", fs=rate, output="sos")
    filtered: Array = signal.sosfiltfilt(sections, sound, axis=0)
    return (filtered**2).sum(axis=1)


def _means(power: Array, length: int) -> Array:
    return power[: len(power) // length * length].reshape(-1, length).mean(axis=1)


def _over_rest(own: list[Source], whole: Array, rate: int, band: tuple[float, float]) -> Array | None:
    """dB of each 400 ms in which it plays."""
    if not own:
        return None
    sound = sum((source.sound for source in own[1:]), own[0].sound)
    mine, rest = (_means(_band(part, rate, band), round(0.4 * rate)) for part in (sound, whole - sound))
    playing = mine > np.percentile(mine[mine > 1e-14], 95) * 10.0**-1.2
    found: Array = 10.0 * np.log10(mine[playing] / np.maximum(rest[playing], 1e-14))
    return found


def _hits(raw: Array, rate: int) -> list[int]:
    """Frames where a hit begins: 5 ms energy 12 dB over that of 60 ms before, within 15 dB of the loudest, 90 ms
    apart."""
    energy = _means(raw**2, round(0.005 * rate)) + 1e-14
    before = signal.lfilter(np.ones(12) / 12.0, 1.0, np.concatenate([np.full(12, 1e-14), energy]))[11:-1]
    loud = energy > np.percentile(energy, 99.5) * 10.0**-1.5
    found: list[int] = []
    for index in np.flatnonzero(loud & (energy > before * 10.0**0.9)):
        if not found or index - found[-1] > 18:
            found.append(int(index))
    return [index * round(0.005 * rate) for index in found]


def _at_hits(own: list[Source], whole: Array, rate: int, band: tuple[float, float], length_s: float) -> float | None:
    """Median over hits of its power over the rest's, dB; all microphones of it together."""
    if not own:
        return None
    sound = sum((source.sound for source in own[1:]), own[0].sound)
    mine, rest = _band(sound, rate, band), _band(whole - sound, rate, band)
    length = round(length_s * rate)
    levels = [
        10.0 * np.log10(mine[at : at + length].mean() / max(rest[at : at + length].mean(), 1e-14))
        for at in _hits(own[0].raw, rate)
        if at + length < len(mine) and mine[at : at + length].mean() > 1e-14
    ]
    return float(np.median(levels)) if levels else None


def _spread(own: list[Source], kicks: list[Source], rate: int) -> float | None:
    """P90 less P10 of 250 ms under 120 Hz while it plays, dB; 200 ms behind each hit of the kick left aside."""
    if not own:
        return None
    sound = sum((source.sound for source in own[1:]), own[0].sound)
    power = _band(sound, rate, (25.0, 120.0))
    free = np.ones(len(power), dtype=bool)
    for hit in _hits(kicks[0].raw, rate) if kicks else ():
        free[hit : hit + round(0.2 * rate)] = False
    if free.mean() > 0.25:
        power = power[free]
    level = _means(power, round(0.25 * rate))
    playing = level[level > np.percentile(level, 95) * 10.0**-2.0]
    return float(np.subtract(*np.percentile(10.0 * np.log10(playing), [90, 10]))) if len(playing) > 4 else None


def _lufs(sound: Array, rate: int) -> float:
    return float(pyloudnorm.Meter(rate).integrated_loudness(sound))


def _zones(mix: Array, rate: int) -> tuple[float, ...]:
    frequencies, power = signal.welch(mix, rate, nperseg=8192, axis=0)
    total = power.sum(axis=1)
    edges = pairwise(ZONE_EDGES_HZ)
    levels = [total[(frequencies >= low) & (frequencies < high)].sum() for low, high in edges]
    return tuple(float(10.0 * np.log10(max(level, 1e-14) / total.sum())) for level in levels)


def _bark(sound: Array, rate: int) -> Array:
    """(frames, bands) power of both sides in critical bands."""
    edges = np.array(BARK_EDGES_HZ, dtype=float)
    window = np.hanning(FRAME)
    bank = np.zeros((FRAME // 2 + 1, len(edges) - 1))
    frequencies = np.fft.rfftfreq(FRAME, 1.0 / rate)
    place = np.digitize(frequencies, edges) - 1
    inside = (place >= 0) & (place < len(edges) - 1)
    bank[np.flatnonzero(inside), place[inside]] = 1.0
    total = np.zeros((max(0, (len(sound) - FRAME) // HOP + 1), len(edges) - 1))
    for side in sound.T:
        frames = np.lib.stride_tricks.sliding_window_view(side, FRAME)[::HOP]
        for start in range(0, len(frames), 1024):
            spectrum = np.fft.rfft(frames[start : start + 1024] * window, axis=1)
            total[start : start + len(spectrum)] += np.abs(spectrum) ** 2 @ bank
    return total


def _spreading(count: int) -> Array:
    apart = np.arange(count)[None, :] - np.arange(count)[:, None] + 0.474
    found: Array = 10.0 ** ((15.81 + 7.5 * apart - 17.5 * np.sqrt(1.0 + apart**2)) / 10.0)
    return found


def _hidden(sources: list[Source], room: Array, rate: int) -> float:
    """Mean over sources, by weight."""
    powers = [_bark(source.sound, rate) for source in sources]
    total = sum(powers, _bark(room, rate))
    spreading = _spreading(total.shape[1])
    quiet = np.percentile(total.sum(axis=1), 95) * 1e-7
    shares, weights = [], []
    for source, own in zip(sources, powers, strict=True):
        threshold = np.maximum(total - own, 0.0) @ spreading * 10.0 ** (-OFFSET_DB / 10.0) + quiet
        counts = np.where(own > own.sum(axis=1).max() * 1e-5, own, 0.0) ** 0.23
        if counts.sum() > 0.0:
            shares.append(float((counts * (own < threshold)).sum() / counts.sum()))
            weights.append(source.weight)
    return float(np.average(shares, weights=weights)) if shares else 0.0
