"""Hits of a struck instrument: when, how strong, and how sure.

A candidate is a place where any band of the sound (`measure.time.traces`) jumps up within a few
milliseconds. Whether it is one of the track's own hits is asked of its spectrum. The strong hits of a
track show what it is: its own band is the one they put most energy into. Bleed of another drum may jump
as high in other bands, but not in that one. Where a hit falls into the tail of the one before, its own
band may not rise at all (two low notes can even cancel); then the hit is known by its attack: all upper
bands jump, in the proportions of this track's own attacks. So doubles at a sixteenth are kept.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy
from all_even.measure.time.traces import BANDS, Traces

SMOOTH_FRAMES = 3
PAST_FRAMES = 6
"""A jump is the level of the next 8 ms over the loudest of the 6 ms before..."""
AHEAD_FRAMES = 8
JUMP_DB = (4.0, 6.0, 8.0, 8.0)
"""...by so much, per band: a low band can't jump fast."""
BARE_JUMP_DB = 12.0
BEFORE_FRAMES = (90, 5)
LIFT_DB, BARE_LIFT_DB, BY_ATTACK_LIFT_DB = -2.0, 3.0, -6.0
"""A hit lifts its band: its top in the next 60 ms against that of 90 to 5 ms before. What beats in a long tail never
passes the beat before it. Without an attack above it has to lift further; by the attack alone it may fall short."""
CLOSEST_S = 0.035
FLOOR_DB = -26.0
"""Own hits lie within this of the strong ones, in their own band."""
BAND_FLOOR_DB = -60.0
BODY_FRAMES = 60
ALIKE_DB = 9.0
"""How far the upper bands of an attack may stray from this track's own proportions."""
TILT_DB = 14.0
"""How much more than the own band another band may jump, against the strong hits: bleed of something else."""
FULL_DB = -4.0
"""As strong as this in its own band a candidate is no bleed, whatever else sounds at the same time."""
SWELL_FRAMES = 150
"""So soon after a hit, what rises without an attack is that hit's own swell."""
SURE_DB = 6.0
"""Hits closer than this to a limit are called unsure."""
STEADY_DB = 12.0
"""Handicap of a band that never jumps with the strong hits: hum, or the tail of a long kick."""
START_SHARE = 0.1
"""A hit starts where the magnitude first passes this share of its top."""
BODY_BAND = 0
"""The band of a kick's body, for kicks in a full drum mix."""
FIRST_ATTACK_BAND = 2
BEND_DB = 1.5
"""A hit into a long low tail changes the course of its level by more than this; another drum leaves it."""
BEND_FRAMES = 21
SAME_BANDS, SAME_DB = 3, (5.0, 3.0)
"""...unless its attack is the track's own to this, in all bands: two strokes may just hold the level. Closer for a
kick, which may have to be told from the rest of a drum mix."""


@dataclass(frozen=True, slots=True)
class Hits:
    """times_s: starts, to 1 ms. strengths_db: level of each in its own band, dB re the strong hits.

    unsure: hits that may be another drum. own_band: index of the band that told.
    """

    times_s: tuple[float, ...]
    strengths_db: tuple[float, ...]
    unsure: tuple[bool, ...]
    own_band: int

    def __len__(self) -> int:
        return len(self.times_s)


NONE = Hits((), (), (), 0)


@dataclass(frozen=True, slots=True)
class Candidates:
    """Places where a band jumps. frames: (n,); the others (4, n) dB: the jump, the attack, the 60 ms after, and how far
    the top of those lies over that of the 90 ms before."""

    frames: NDArray[np.int64]
    rise_db: NDArray[np.float64]
    attack_db: NDArray[np.float64]
    body_db: NDArray[np.float64]
    lift_db: NDArray[np.float64]


def find_hits(traces: Traces, *, kick: bool = False) -> Hits:
    """The track's own hits. kick: those of the kick in whatever else the track holds."""
    if len(traces) < 2 * AHEAD_FRAMES:
        return NONE
    return judged(traces, find_candidates(traces), kick=kick)


def find_candidates(traces: Traces) -> Candidates:
    """All places where any band jumps: the same for a track's own hits and for those of a kick."""
    bands = _levels_db(traces.bands)
    ahead = np.stack([_ahead_max(level, AHEAD_FRAMES) for level in bands])
    jumps = ahead - np.stack([_behind_max(level, PAST_FRAMES) for level in bands])
    frames = _with_late_bodies(_candidates(jumps), jumps[BODY_BAND])
    body = np.stack([_ahead_mean_db(band, BODY_FRAMES, frames) for band in traces.bands])
    lift = np.stack([_lift_db(level, frames) for level in bands])
    return Candidates(frames, jumps[:, frames], ahead[:, frames], body, lift)


def judged(traces: Traces, found: Candidates, *, kick: bool) -> Hits:
    """Those of the candidates that are the track's own hits, or the kick's."""
    candidates, rise, attack, body = found.frames, found.rise_db, found.attack_db, found.body_db
    if not len(candidates):
        return NONE
    loudness = 10.0 * np.log10(np.sum(10.0 ** (body / 10.0), axis=0))
    own = BODY_BAND if kick else _own_band(body, rise, loudness)
    jumped = (rise[own] > JUMP_DB[own]) & _lifted(found, own)
    if own == BODY_BAND:
        jumped &= _struck(found)
    if not jumped.any():
        return NONE
    top = _strong(body[own][jumped])
    level = body[own] - top
    strong = (level > -9.0) & jumped
    if not strong.any():
        return NONE
    profile = np.median(attack[:, strong], axis=1) - top
    difference = attack - top - profile[:, np.newaxis]
    # Bleed: other bands jump as in a strong hit, the own band does not.
    others = [band for band in range(BANDS) if band != own and profile[band] > BAND_FLOOR_DB / 2.0]
    excess = np.max(difference[others] - level, axis=0) if others else np.full(len(candidates), -99.0)
    bleed = (excess >= TILT_DB + (0.0 if kick else 6.0)) & (level < FULL_DB)
    by_level = jumped & (level > FLOOR_DB) & ~bleed
    by_attack = _own_attack(difference, rise, profile, own) & (level > FLOOR_DB / 2.0)
    if own == BODY_BAND:
        bent = np.abs(_bend_db(traces.bands[own], candidates)) > BEND_DB
        by_attack &= bent | _same_attack(difference, rise, profile, SAME_DB[kick])
        by_attack &= found.lift_db[own] > BY_ATTACK_LIFT_DB
    mine = by_level | by_attack
    margin = np.minimum(level - FLOOR_DB, TILT_DB + 6.0 - excess)
    unsure = np.where(by_attack & ~jumped, kick, margin < SURE_DB)
    loudest = np.argmax(rise[:, mine], axis=0)
    starts = [_start(traces.bands[band], int(frame)) for band, frame in zip(loudest, candidates[mine], strict=True)]
    return _thinned(traces.frame_s, np.array(starts), level[mine], unsure[mine], own)


def _struck(found: Candidates) -> NDArray[np.bool_]:
    """Whether the body is struck and does not just swell: low notes beat with their own tails, and some drums
    swell once more after they were hit. Without any attack above it has to rise by more, and not soon after a hit."""
    limits = np.array(JUMP_DB)[:, np.newaxis]
    attacked = np.any(found.rise_db[BODY_BAND + 1 :] > limits[BODY_BAND + 1 :], axis=0)
    hits = np.where(attacked, found.frames, -2 * SWELL_FRAMES)
    since = found.frames - np.maximum.accumulate(hits)
    return np.asarray(attacked | ((found.rise_db[BODY_BAND] > BARE_JUMP_DB) & (since > SWELL_FRAMES)))


def _lifted(found: Candidates, own: int) -> NDArray[np.bool_]:
    """Whether a candidate's own band passes what was there before. One of a low band without an attack above has to
    pass it further, a kick's also alone: with an attack in the next 60 ms the lift is that one's."""
    if own > BODY_BAND + 1:
        return np.ones(len(found.frames), dtype=bool)
    lift, attacked = found.lift_db[own], _attacked(found)
    if own == BODY_BAND + 1:
        return np.asarray(lift > np.where(attacked, LIFT_DB, BARE_LIFT_DB))
    following = np.searchsorted(found.frames, found.frames, side="right")
    nearest = np.append(found.frames[attacked], np.iinfo(np.int64).max)
    next_attack = nearest[np.searchsorted(nearest, found.frames, side="right")]
    alone = (next_attack - found.frames > BODY_FRAMES) | (following == len(found.frames))
    return np.asarray(np.where(attacked, lift > LIFT_DB, (lift > BARE_LIFT_DB) & alone))


def _attacked(found: Candidates) -> NDArray[np.bool_]:
    """Whether a band from 1 kHz up jumps."""
    limits = np.array(JUMP_DB)[FIRST_ATTACK_BAND:, np.newaxis]
    return np.asarray(np.any(found.rise_db[FIRST_ATTACK_BAND:] > limits, axis=0))


def _lift_db(level: NDArray[np.float64], frames: NDArray[np.int64]) -> NDArray[np.float64]:
    """A band's top in the 60 ms from a frame minus its top from 90 to 5 ms before; nothing is before the beginning."""
    first, last = BEFORE_FRAMES
    padded = np.concatenate((np.full(first, level.min()), level))
    before = scipy.ndimage.maximum_filter1d(padded, first - last, mode="nearest", origin=-((first - last) // 2))
    return np.asarray(_ahead_max(level, BODY_FRAMES)[frames] - before[frames])


def _levels_db(bands: NDArray[np.float32]) -> NDArray[np.float64]:
    """Smoothed band levels in dB, no lower than 60 dB under the band's loudest."""
    smooth = np.ones(SMOOTH_FRAMES) / SMOOTH_FRAMES
    rows = []
    for band in bands:
        power = np.maximum(np.convolve(band, smooth.astype(np.float32), mode="same"), 0.0)
        rows.append(10.0 * np.log10(np.maximum(power, max(power.max(), 1e-12) * 10.0 ** (BAND_FLOOR_DB / 10.0))))
    return np.stack(rows)


def _ahead_max(level: NDArray[np.float64], frames: int) -> NDArray[np.float64]:
    """Largest of each frame and the ones after it, `frames` in all."""
    return np.asarray(scipy.ndimage.maximum_filter1d(level, frames, mode="nearest", origin=-(frames // 2)))


def _ahead_mean_db(power: NDArray[np.float32], frames: int, at: NDArray[np.int64]) -> NDArray[np.float64]:
    """Level in dB of the frame and those after it, together, at some frames."""
    summed = np.concatenate(([0.0], np.cumsum(power, dtype=np.float64)))
    mean = (summed[np.minimum(at + frames, len(power))] - summed[at]) / frames
    return np.asarray(10.0 * np.log10(np.maximum(mean, max(float(power.max(initial=0.0)), 1e-12) * 1e-6)))


def _behind_max(level: NDArray[np.float64], frames: int) -> NDArray[np.float64]:
    """Largest of the `frames` before each frame; nothing is known to be there before the beginning."""
    padded = np.concatenate((np.full(frames, level.min()), level[:-1]))
    return np.asarray(
        scipy.ndimage.maximum_filter1d(padded, frames, mode="nearest", origin=-(frames // 2))[: len(level)]
    )


def _candidates(jumps: NDArray[np.float64]) -> NDArray[np.int64]:
    """Frames where the sum of the jumps over their limits is highest in its neighbourhood."""
    limits = np.array(JUMP_DB)[:, np.newaxis]
    score = np.maximum(jumps - limits, 0.0).sum(axis=0)
    reach = round(CLOSEST_S * 1000 / 2)
    highest = scipy.ndimage.maximum_filter1d(score, 2 * reach + 1, mode="constant")
    tops = np.flatnonzero((score > 0.0) & (score >= highest))
    return tops[np.concatenate(([True], np.diff(tops) > reach))] if len(tops) else tops


def _with_late_bodies(frames: NDArray[np.int64], jump_db: NDArray[np.float64]) -> NDArray[np.int64]:
    """Adds places where the body jumps by itself within milliseconds of something brighter: a kick just after a hat."""
    reach = round(CLOSEST_S * 1000 / 2)
    highest = scipy.ndimage.maximum_filter1d(jump_db, 2 * reach + 1, mode="constant")
    tops = np.flatnonzero((jump_db > BARE_JUMP_DB) & (jump_db >= highest))
    if not len(tops) or not len(frames):
        return frames
    tops = tops[np.concatenate(([True], np.diff(tops) > reach))]
    right = np.clip(np.searchsorted(frames, tops), 0, len(frames) - 1)
    left = np.maximum(right - 1, 0)
    nearest = np.where(np.abs(frames[right] - tops) < np.abs(frames[left] - tops), frames[right], frames[left])
    missed = (np.abs(nearest - tops) <= reach) & (jump_db[nearest] < JUMP_DB[BODY_BAND])
    return np.unique(np.concatenate((frames, tops[missed])))


def _strong(levels: NDArray[np.float64]) -> float:
    """The third strongest: bleed may be far more frequent than a track's own hits, and one thump louder."""
    return float(np.sort(levels)[-min(3, len(levels))]) if len(levels) else 0.0


def _own_band(body: NDArray[np.float64], rise: NDArray[np.float64], loudness: NDArray[np.float64]) -> int:
    """The band with the most energy in the strong hits, less where it does not jump with them."""
    strong = loudness > _strong(loudness) - 9.0
    energy = np.median(body[:, strong], axis=1)
    jumping = np.mean(rise[:, strong] > np.array(JUMP_DB)[:, np.newaxis], axis=1)
    return int(np.argmax(energy - STEADY_DB * (1.0 - jumping)))


def _own_attack(
    difference: NDArray[np.float64], rise: NDArray[np.float64], profile: NDArray[np.float64], own: int
) -> NDArray[np.bool_]:
    """Whether every upper band that belongs to this track's attacks jumps, as far as it does in them."""
    upper = [band for band in range(max(own + 1, FIRST_ATTACK_BAND), BANDS) if profile[band] > BAND_FLOOR_DB]
    if not upper:
        return np.zeros(difference.shape[1], dtype=bool)
    jumped = np.all(rise[upper] > np.array(JUMP_DB)[upper, np.newaxis], axis=0)
    spread = difference[upper]
    alike = (np.abs(np.median(spread, axis=0)) < ALIKE_DB) & (np.ptp(spread, axis=0) < ALIKE_DB)
    return np.asarray(jumped & alike)


def _same_attack(
    difference: NDArray[np.float64], rise: NDArray[np.float64], profile: NDArray[np.float64], within_db: float
) -> NDArray[np.bool_]:
    """Whether three bands or more over the body jump to just where they do in this track's own attacks."""
    upper = [band for band in range(BODY_BAND + 1, BANDS) if profile[band] > BAND_FLOOR_DB]
    if len(upper) < SAME_BANDS:
        return np.zeros(difference.shape[1], dtype=bool)
    jumped = np.all(rise[upper] > np.array(JUMP_DB)[upper, np.newaxis], axis=0)
    return np.asarray(jumped & (np.abs(difference[upper]).max(axis=0) < within_db))


def _bend_db(power: NDArray[np.float32], frames: NDArray[np.int64]) -> NDArray[np.float64]:
    """How far the level 20 to 45 ms after a frame lies off the straight line of the 50 ms before it."""
    smooth = np.convolve(power.astype(np.float64), np.ones(BEND_FRAMES) / BEND_FRAMES, mode="same")
    level = 10.0 * np.log10(np.maximum(smooth, max(smooth.max(), 1e-12) * 1e-6))

    def at(offset: int) -> NDArray[np.float64]:
        return np.asarray(level[np.clip(frames + offset, 0, len(level) - 1)])

    slope = (at(-12) - at(-38)) / 26.0
    return np.asarray(0.5 * (at(20) + at(44)) - at(-12) - 44.0 * slope)


def _thinned(
    frame_s: float, frames: NDArray[np.int64], level: NDArray[np.float64], unsure: NDArray[np.bool_], own: int
) -> Hits:
    """Of two hits closer than 35 ms the stronger stays. frames: where they start."""
    kept: list[int] = []
    for i in range(len(frames)):
        if kept and frames[i] - frames[kept[-1]] < CLOSEST_S / frame_s:
            if level[i] > level[kept[-1]] + 3.0:
                kept[-1] = i
        else:
            kept.append(i)
    return Hits(
        tuple(float(frames[i] * frame_s) for i in kept),
        tuple(float(level[i]) for i in kept),
        tuple(bool(unsure[i]) for i in kept),
        own,
    )


@kernel
def _start(power, frame):  # type: ignore[no-untyped-def]
    """The millisecond in which the band that jumps furthest leaves what was there before."""
    first, stop = max(0, frame - 4), min(len(power), frame + 12)
    before = top = 0.0
    for i in range(max(0, first - 6), first):
        before = max(before, math.sqrt(power[i]))
    for i in range(first, stop):
        top = max(top, math.sqrt(power[i]))
    limit = max(START_SHARE * top, min(1.3 * before, 0.9 * top))
    for i in range(first, stop):
        if math.sqrt(power[i]) > limit:
            return i
    return frame
