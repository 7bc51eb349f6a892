"""Tempo, beats and bars, from the hits of all struck instruments together.

The period of the beat is looked for in the autocorrelation of the hits, with the trade's common practice
for what cannot be heard from a period alone: a snare that comes at every second beat tells a beat from
its half and its double; without one, the middle of the usual range (110 BPM) is likelier than its ends.
Then the period is made exact by its phase over the whole piece. Where one straight line of beats does
not fit, the tempo changes, and the beats follow it hit by hit.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

SLOWEST_BPM, FASTEST_BPM = 60.0, 200.0
USUAL_BPM, USUAL_SPREAD_OCTAVES = 110.0, 0.7
BIN_S = 0.005
BLUR_S = 0.012
FEWEST_HITS = 8
STEPS = 4
"""Sixteenths per beat."""
BEATS_PER_BAR = 4
STEADY_S = 0.008
"""The tempo is steady when no eight bars stray further than this from the straight line."""
WINDOW_BEATS = 16
FOLLOW_PHASE, FOLLOW_PERIOD = 0.4, 0.06
"""How much of an error the following of a changing tempo takes over at each beat."""
FURTHEST_SHARE = 0.12
"""Hits further than this share of a beat from a sixteenth are not used for it."""
SURE = 0.35
"""Least share of the hits' weight that falls on the grid in phase (0 to 1)."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Train:
    """The hits of one track. part: what its place in a bar tells. weight: of each hit, 0 to 1."""

    times_s: tuple[float, ...]
    part: Literal["kick", "snare", "other"] = "other"
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Tempo:
    """bpm: of the whole, the median where it changes. beats_s: every beat from the first bar on.

    first_downbeat: index in `beats_s` of a bar's first beat. steady: one tempo throughout. strength: 0 to
    1, how much of the hits' weight lies on the grid.
    """

    bpm: float
    beats_s: tuple[float, ...]
    first_downbeat: int
    steady: bool
    strength: float
    beats_per_bar: int = BEATS_PER_BAR

    @property
    def downbeats_s(self) -> tuple[float, ...]:
        return self.beats_s[self.first_downbeat :: self.beats_per_bar]

    def grid_s(self, steps: int = STEPS) -> Array:
        """Times of the divisions of every beat."""
        beats = np.array(self.beats_s)
        return np.interp(np.arange((len(beats) - 1) * steps + 1) / steps, np.arange(len(beats)), beats)

    def every(self, part: str) -> tuple[float, ...]:
        """Times of every `beat`, `half beat` or `bar`, none before the song."""
        times = {"beat": self.beats_s, "half beat": self.grid_s(2).tolist(), "bar": self.downbeats_s}[part]
        return tuple(float(time) for time in times if time >= 0.0)


def find_tempo(trains: Sequence[Train], duration_s: float) -> Tempo | None:
    """The tempo of a piece; None where the hits are too few or share no pulse."""
    times = np.concatenate([np.zeros(0), *(np.array(train.times_s) for train in trains)])
    weights = np.concatenate([np.zeros(0), *(np.full(len(train.times_s), train.weight) for train in trains)])
    if len(times) < FEWEST_HITS or np.ptp(times) < 3.0:
        return None
    period_s = _period_s(trains, times, weights, duration_s)
    if period_s is None:
        return None
    period_s, phase_s = _refined(times, weights, period_s)
    period_s, phase_s, stray_s = _fitted(times, weights, period_s, phase_s)
    if stray_s <= STEADY_S:
        first = phase_s - np.floor(phase_s / period_s) * period_s
        if first > 0.75 * period_s:
            first -= period_s  # a first beat a moment before the file begins
        beats = first + period_s * np.arange(int(np.ceil((duration_s - first) / period_s)))
        steady = True
    else:
        beats = _followed(trains, times, weights, period_s, duration_s)
        steady = False
        if len(beats) < 2 * BEATS_PER_BAR:
            return None
    beats = _on_the_beat(beats, trains)
    strength = _on_grid(times, weights, beats)
    if strength < SURE:
        return None
    tempo = Tempo(60.0 / float(np.median(np.diff(beats))), tuple(map(float, beats)), 0, steady, strength)
    if steady:
        tempo = replace(tempo, bpm=60.0 / period_s)
    return replace(tempo, first_downbeat=_downbeat(tempo, trains))


def _impulses(times: Array, weights: Array, duration_s: float) -> Array:
    """Hits as blurred impulses, one number per 5 ms."""
    count = int(np.ceil(duration_s / BIN_S)) + 1
    train = np.bincount(np.clip((times / BIN_S).round().astype(int), 0, count - 1), weights, count)
    reach = int(4 * BLUR_S / BIN_S)
    blur = np.exp(-0.5 * (np.arange(-reach, reach + 1) * BIN_S / BLUR_S) ** 2)
    return np.convolve(train, blur, mode="same")


def _autocorrelation(times: Array, weights: Array, duration_s: float, longest_s: float) -> Array:
    train = _impulses(times, weights, duration_s)
    size = 1 << (2 * len(train)).bit_length()
    spectrum = np.abs(np.fft.rfft(train, size)) ** 2
    whole = np.fft.irfft(spectrum, size)
    result: Array = whole[: int(longest_s / BIN_S) + 2] / max(whole[0], 1e-12)
    return result


def _period_s(
    trains: Sequence[Train], times: Array, weights: Array, duration_s: float, near_s: float | None = None
) -> float | None:
    """The likeliest period of the beat; near_s: at most a fifth away from that."""
    periods = 60.0 / np.geomspace(SLOWEST_BPM, FASTEST_BPM, 1200)
    longest_s = 4.2 * periods[0]
    lags = np.arange(int(longest_s / BIN_S) + 2) * BIN_S
    whole = _autocorrelation(times, weights, duration_s, longest_s)
    score = sum(share * np.interp(k * periods, lags, whole) for k, share in ((1, 1.0), (2, 1.0), (4, 1.0), (0.5, 0.3)))
    snares = [train for train in trains if train.part == "snare" and len(train.times_s) >= 4]
    prior = np.exp(-0.5 * (np.log2(60.0 / periods / USUAL_BPM) / USUAL_SPREAD_OCTAVES) ** 2)
    if snares:
        hits = np.sort(np.concatenate([np.array(train.times_s) for train in snares]))
        own = _autocorrelation(hits, np.ones(len(hits)), duration_s, longest_s)
        backbeat = np.interp(2.0 * periods, lags, own) - np.interp(periods, lags, own)
        score = score * (1.0 + 2.0 * np.maximum(0.0, backbeat))
    kicks = [train for train in trains if train.part == "kick" and len(train.times_s) >= 4]
    if kicks:
        hits = np.sort(np.concatenate([np.array(train.times_s) for train in kicks]))
        own = _autocorrelation(hits, np.ones(len(hits)), duration_s, longest_s)
        score = score * (1.0 + 0.5 * np.interp(4.0 * periods, lags, own))
    score = score * prior
    if near_s is not None:
        score = np.where(np.abs(np.log(periods / near_s)) < 0.2, score, 0.0)
    best = int(np.argmax(score))
    return float(periods[best]) if score[best] > 0.0 else None


def _refined(times: Array, weights: Array, period_s: float) -> tuple[float, float]:
    """The period near `period_s`, and a beat's time, that the hits agree on best, at 1, 2 and 4 per beat."""
    span = max(np.ptp(times), period_s)
    step = 0.1 * period_s * period_s / (STEPS * span)  # a tenth of a turn of the sixteenths over the piece
    count = min(4000, int(0.015 * period_s / step) + 1)
    candidates = period_s + step * np.arange(-count, count + 1)
    score = np.zeros(len(candidates))
    for multiple, share in ((1, 0.5), (2, 1.0), (STEPS, 1.0)):
        turns = np.exp(2j * np.pi * multiple * times[np.newaxis, :] / candidates[:, np.newaxis])
        score += share * np.abs(turns @ weights)
    best = float(candidates[np.argmax(score)])
    phase = np.angle(np.exp(2j * np.pi * STEPS * times / best) @ weights) / (2.0 * np.pi)
    return best, float(phase * best / STEPS)


def _fitted(times: Array, weights: Array, period_s: float, phase_s: float) -> tuple[float, float, float]:
    """Straight line through hits and their sixteenths; how far stretches of it stray, in seconds."""
    for _ in range(3):
        index = np.round((times - phase_s) / period_s * STEPS)
        error = times - (phase_s + index * period_s / STEPS)
        near = np.abs(error) < FURTHEST_SHARE * period_s
        if near.sum() < FEWEST_HITS or np.ptp(index[near]) < 1:
            return period_s, phase_s, np.inf
        slope, offset = np.polyfit(index[near], times[near], 1, w=np.sqrt(weights[near]))
        period_s, phase_s = float(slope * STEPS), float(offset)
    stretch_s = WINDOW_BEATS * period_s
    strays = []
    for start in np.arange(times.min(), times.max(), stretch_s / 2):
        inside = near & (times >= start) & (times < start + stretch_s)
        if inside.sum() >= FEWEST_HITS // 2:
            strays.append(abs(float(np.median(error[inside]))))
    # What does not lie near the line is no help to it: much of that means the line is wrong.
    lost = 1.0 - float(weights[near].sum() / weights.sum())
    return period_s, phase_s, max(strays, default=0.0) if lost < 0.35 else np.inf


def _followed(trains: Sequence[Train], times: Array, weights: Array, period_s: float, duration_s: float) -> Array:
    """Beats of a tempo that changes: forwards from the first hits, then smoothed."""
    order = np.argsort(times)
    times, weights = times[order], weights[order]
    end_s = float(times[0]) + WINDOW_BEATS * period_s
    early = times < end_s
    opening = [replace(train, times_s=tuple(time for time in train.times_s if time < end_s)) for train in trains]
    guess_s = _period_s(opening, times[early], weights[early], end_s, near_s=period_s) or period_s
    best, _ = _refined(times[early], weights[early], guess_s)
    beat, period = float(times[0]), best
    beats = []
    while beat < duration_s:
        beats.append(beat)
        error = _error(times, weights, beat, period)
        beat += period + FOLLOW_PHASE * error
        period = float(np.clip(period + FOLLOW_PERIOD * error, 0.8 * best, 1.25 * best))
    found = np.array(beats)
    while found[0] - (found[1] - found[0]) > -0.25 * period_s:
        found = np.concatenate(([2.0 * found[0] - found[1]], found))
    # A hit's error against the followed grid, averaged over its neighbourhood, straightens the lag of following.
    for _ in range(2):
        grid = np.interp(np.arange(len(found) * STEPS - STEPS + 1) / STEPS, np.arange(len(found)), found)
        nearest = np.clip(np.searchsorted(grid, times), 1, len(grid) - 1)
        nearest -= times - grid[nearest - 1] < grid[nearest] - times
        off = times - grid[nearest]
        near = np.abs(off) < FURTHEST_SHARE * period_s
        place = nearest[near] / STEPS
        change = [
            np.average(off[near], weights=weights[near] * np.exp(-0.5 * ((place - k) / 1.5) ** 2) + 1e-9)
            for k in range(len(found))
        ]
        found = found + np.array(change)
    return found


def _error(times: Array, weights: Array, beat: float, period: float) -> float:
    """How late the hits of the next beat are against its sixteenths, s."""
    inside = (times > beat - period / 8) & (times < beat + period * 1.5)
    if not inside.any():
        return 0.0
    position = (times[inside] - beat) / period * STEPS
    off = (position - np.round(position)) * period / STEPS
    near = np.abs(off) < FURTHEST_SHARE * period
    return float(np.average(off[near], weights=weights[inside][near])) if near.any() else 0.0


def _on_the_beat(beats: Array, trains: Sequence[Train]) -> Array:
    """The same beats, moved by the sixteenths that put most kicks and snares on them.

    A kick tells most by the one place where it stands in every bar; how often it stands elsewhere says little.
    """
    scores = np.zeros(STEPS)
    for shift in range(STEPS):
        moved = _shifted(beats, shift)
        for train in trains:
            if len(train.times_s):
                times = np.array(train.times_s)
                weight = {"kick": 0.4, "snare": 1.6, "other": 0.6}[train.part] * train.weight
                scores[shift] += weight * float(np.mean(_near(times, moved, 0.03)))
                if train.part == "kick":
                    scores[shift] += float(_presence(times, moved).max()) * train.weight
    best = int(np.argmax(scores - 1e-6 * np.arange(STEPS)))
    moved = _shifted(beats, best)
    if moved[0] > 0.75 * (moved[1] - moved[0]):
        moved = np.concatenate(([2.0 * moved[0] - moved[1]], moved))
    return moved


def _presence(times: Array, beats: Array) -> Array:
    """For each of the four places in a bar: the share of the bars in which a hit stands there."""
    nearest = np.argmin(np.abs(times[:, np.newaxis] - beats[np.newaxis, :]), axis=1)
    on = np.unique(nearest[np.abs(times - beats[nearest]) < 0.03])
    first, last = (on.min(), on.max()) if len(on) else (0, 0)
    bars = max(1.0, (last - first + 1) / BEATS_PER_BAR)
    return np.asarray(np.minimum(1.0, np.bincount(on % BEATS_PER_BAR, minlength=BEATS_PER_BAR) / bars))


def _shifted(beats: Array, sixteenths: int) -> Array:
    return np.interp(
        np.arange(len(beats)) + sixteenths / STEPS,
        np.arange(len(beats) + 1),
        np.append(beats, 2 * beats[-1] - beats[-2]),
    )


def _near(times: Array, beats: Array, within_s: float) -> NDArray[np.bool_]:
    index = np.clip(np.searchsorted(beats, times), 1, len(beats) - 1)
    distance = np.minimum(np.abs(times - beats[index - 1]), np.abs(times - beats[index]))
    return np.asarray(distance < within_s)


def _on_grid(times: Array, weights: Array, beats: Array) -> float:
    """Weighted share of the hits near a sixteenth, against what chance would give."""
    grid = np.interp(np.arange(len(beats) * STEPS - STEPS + 1) / STEPS, np.arange(len(beats)), beats)
    step_s = float(np.median(np.diff(grid)))
    within_s = step_s / 6.0
    share = float(np.average(_near(times, grid, within_s), weights=weights))
    return max(0.0, (share - 1.0 / 3.0) / (1.0 - 1.0 / 3.0))


def _downbeat(tempo: Tempo, trains: Sequence[Train]) -> int:
    """Which of the first four beats begins a bar: kicks stand there, snares on the second and the fourth."""
    beats = np.array(tempo.beats_s)
    scores = np.zeros(BEATS_PER_BAR)
    for train in trains:
        if train.part == "other" or not len(train.times_s):
            continue
        counts = _presence(np.array(train.times_s), beats)
        for first in range(BEATS_PER_BAR):
            place = np.roll(counts, -first)
            if train.part == "kick":
                scores[first] += 1.0 * place[0] + 0.3 * place[2]
            else:
                scores[first] += place[1] + place[3] - place[0] - place[2]
    return int(np.argmax(scores - 1e-6 * np.arange(BEATS_PER_BAR)))
