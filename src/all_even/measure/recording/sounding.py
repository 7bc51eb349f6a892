"""What a track sounds like, whatever it is called: struck, bass, or pitched.

Six figures that need no pass of their own, weighed by a logistic regression. Its weights come from a fit on recorded
instruments of two sound banks, recorded kits and generated tunes; `make proof` prints how often it is right on others.
Families beyond these three can't be told from such figures.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.pitch.notes import Note
from all_even.measure.time.traces import LOW_RATE, Traces

Kind = Literal["bass", "pitched", "struck"]
KINDS: tuple[Kind, ...] = ("bass", "pitched", "struck")
SURE = 0.85
"""From here on it is worth saying."""
MOST_SAID = 0.95
"""Nobody is surer than this."""
MEANS = np.array((3.24, -2.49, 3.51, -12.36, -13.03, -24.07))
SPREADS = np.array((1.47, 0.77, 0.69, 11.57, 9.92, 17.99))
WEIGHTS = np.array(
    (
        (-0.36, 0.99, -1.01, -0.57, -0.31, 0.96),
        (0.73, -0.12, 0.08, -0.99, 0.77, -0.93),
        (-0.36, -0.87, 0.93, 1.55, -0.46, -0.03),
    )
)
CONSTANTS = np.array((-1.66, 0.50, 1.16))
"""Of bass, pitched, struck: attack, length of notes, peaky, flat, middle, sub (`features`)."""
NO_ATTACK, NO_NOTE, LOWEST_DB = 7.0, -3.0, -50.0


@dataclass(frozen=True, slots=True)
class Sounding:
    """The likeliest kind, and how likely (0 to 1)."""

    kind: Kind
    likely: float


def sounding(traces: Traces, notes: tuple[Note, ...], third_octave_db: NDArray[np.float64]) -> Sounding:
    """third_octave_db: level per third octave from 20 Hz up, as `measure.level.third_octave` gives it."""
    figures = (features(traces, notes, third_octave_db) - MEANS) / SPREADS
    scores = WEIGHTS @ figures + CONSTANTS
    likely = np.exp(scores - scores.max())
    likely /= likely.sum()
    best = int(np.argmax(likely))
    return Sounding(KINDS[best], float(likely[best]))


def features(traces: Traces, notes: tuple[Note, ...], third_octave_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """log2 of the 80th percentile of attacks in ms; log2 of the median note in s; mean step between neighbouring third
    octaves; flatness of half octaves, dB; 450 to 1200 and 20 to 90 Hz against all, dB."""
    attack = attacks_ms(traces.power)
    return np.array(
        (
            float(np.log2(max(1.0, np.percentile(attack, 80)))) if len(attack) else NO_ATTACK,
            float(np.log2(np.median([note.length_s for note in notes]))) if notes else NO_NOTE,
            _peaky(third_octave_db),
            _flatness_db(traces.low),
            _share_db(traces.low, (450.0, 1200.0)),
            _share_db(traces.low, (20.0, 90.0)),
        )
    )


def attacks_ms(power: NDArray[np.floating]) -> NDArray[np.float64]:
    """How long sounds take to come up, one for each onset. power: mean square per ms."""
    tens = power[: len(power) // 10 * 10].astype(np.float64).reshape(-1, 10).mean(axis=1)
    if len(tens) < 20:
        return np.zeros(0)
    level = 10.0 * np.log10(np.maximum(tens, 1e-12))
    loud = float(np.percentile(level, 99))
    level = np.maximum(level, loud - 45.0)
    ahead = np.lib.stride_tricks.sliding_window_view(np.append(level, np.full(7, level[-1])), 8).mean(axis=1)
    behind = np.lib.stride_tricks.sliding_window_view(np.append(np.full(4, level[0]), level[:-1]), 4).mean(axis=1)
    rise = ahead - behind[: len(ahead)]
    top = scipy.ndimage.maximum_filter1d(rise, 11)
    onsets = np.flatnonzero((rise > 6.0) & (rise >= top) & (level > loud - 25.0))
    smooth = 10.0 * np.log10(np.maximum(np.convolve(power.astype(np.float64), np.ones(3) / 3.0, mode="same"), 1e-12))
    found = []
    for onset in onsets:
        begin = max(0, 10 * int(onset) - 40)
        stretch = smooth[begin : begin + 220]
        if len(stretch) < 60:
            continue
        peak = int(np.argmax(stretch[:220]))
        base = float(stretch[:40].min())
        under = np.flatnonzero(stretch[: peak + 1] < max(stretch[peak] - 20.0, base + 3.0))
        first = int(under[-1]) if len(under) else 0
        there = np.flatnonzero(stretch[first:] >= stretch[peak] - 3.0)
        found.append(float(max(1, int(there[0]))) if len(there) else 1.0)
    return np.array(found)


def _peaky(third_octave_db: NDArray[np.float64]) -> float:
    known = third_octave_db[np.isfinite(third_octave_db)]
    strong = known[known > known.max() - 40.0] if len(known) else known
    return float(np.mean(np.abs(np.diff(strong)))) if len(strong) > 1 else 0.0


def _spectra(low: NDArray[np.float32]) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """Frequencies, and powers per frame of the 4 kHz copy, (frames, bins); those within 20 dB of the 95th
    percentile."""
    size = 1024
    if len(low) < size:
        low = np.pad(low, (0, size - len(low)))
    frames = np.lib.stride_tricks.sliding_window_view(low, size)[:: size // 2]
    frames = frames[:: max(1, len(frames) // 600)]
    power = (np.abs(np.fft.rfft(frames * np.hanning(size), axis=1)) ** 2).astype(np.float64)
    loud = power.sum(axis=1)
    kept = power[loud > np.percentile(loud, 95) * 0.01]
    return np.fft.rfftfreq(size, 1.0 / LOW_RATE), kept if len(kept) else power


def _flatness_db(low: NDArray[np.float32]) -> float:
    hertz, power = _spectra(low)
    edges = 100.0 * 2.0 ** (np.arange(10) / 2.0)
    values, weights = [], []
    for first, last in pairwise(edges):
        inside = (hertz >= first) & (hertz < min(last, 1800.0))
        if inside.sum() > 2:
            band = np.maximum(power[:, inside], 1e-20)
            values.append(10.0 * (np.log10(band).mean(axis=1) - np.log10(band.mean(axis=1))))
            weights.append(np.sqrt(band.sum(axis=1)))
    if not values:
        return 0.0
    weight = np.stack(weights)
    mean = (np.stack(values) * weight).sum(axis=0) / np.maximum(weight.sum(axis=0), 1e-20)
    return float(np.median(mean))


def _share_db(low: NDArray[np.float32], band_hz: tuple[float, float]) -> float:
    hertz, power = _spectra(low)
    total = float(power.sum())
    inside = float(power[:, (hertz >= band_hz[0]) & (hertz < band_hz[1])].sum())
    return max(LOWEST_DB, 10.0 * float(np.log10(max(inside, 1e-30) / total))) if total > 0.0 else LOWEST_DB
