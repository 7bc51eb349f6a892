"""Translation: how much of each track is left where the mix is heard over another system.

A system is a gain for each of the ear's bands, and noise around the listener. The mix is played as loud there as here
(equal A-weighted loud moments, their 95th percentile). How loud a track is among all others is

    N = mean over the frames in which it plays of the sum over bands of (A P)^0.3 (1 - masked)

with P its power in a band, A the A-weighting and *masked* as in `masking`, the noise masking too. Its figure is
10 log2 of its share of the N of all tracks, there against here: -10 is half as loud (ten phon halve loudness, S. S.
Stevens' rule), and is said to *vanish*. Nobody has listened to where a part is lost: -10 is a rule of ours.

The noise has equal power in each band of half an ERB.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.sharing import hearing, masking

VERSION = 1
VANISHES = -10.0
GONE = -100.0
"""The figure has an end: what is left of nothing is not asked."""
ACTIVE_DB = 40.0
"""A track plays in frames within this of its own loud moments."""
MOST_FRAMES, MOST_ROWS = 3000, 100_000
"""Of a longer song so many frames are taken, and of many tracks fewer (so many rows in all): by chance, the same ones
every time; a stride would fall in with the beat."""
SEED = 11
Array = NDArray[np.float64]
Bands = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class Playback:
    """gains: (bands,) power. mono: both sides come from one place. noise_db: under the loud moments of the mix, both
    A-weighted."""

    gains: Array
    mono: bool
    noise_db: float


@dataclass(frozen=True, slots=True, eq=False)
class Stage:
    """What is played: (tracks, frames, bands) power of both sides, and of their mean, where they come from one place.
    playing: (tracks, frames) whether a track plays. frames: which ones of the song. The last tracks may be what belongs
    to none: it masks only."""

    both: Bands
    middle: Bands
    playing: NDArray[np.bool_]
    frames: NDArray[np.intp]
    sample_rate: int

    def row(self, powers: Bands) -> Bands:
        """Powers of any length, (frames, bands), at the frames that are taken."""
        result = np.zeros((len(self.frames), powers.shape[1]), dtype=np.float32)
        inside = self.frames[self.frames < len(powers)]
        result[: len(inside)] = powers[inside]
        return result

    def changed(self, track: int, both: Bands, middle: Bands) -> "Stage":
        """The same with other powers, (frames, bands), of one track; when it plays stays."""
        new_both, new_middle = self.both.copy(), self.middle.copy()
        new_both[track], new_middle[track] = both, middle
        return Stage(new_both, new_middle, self.playing, self.frames, self.sample_rate)


def stage_of(both: Sequence[Bands], middle: Sequence[Bands], sample_rate: int) -> Stage:
    """From the powers of each track, (frames, bands), of any lengths."""
    frames = max((len(track) for track in both), default=0)
    kept = np.arange(frames)
    most = min(MOST_FRAMES, MOST_ROWS // max(1, len(both)))
    if frames > most:
        kept = np.sort(np.random.default_rng(SEED).permutation(frames)[:most])
    empty = np.zeros((len(both), len(kept), len(masking.centres_hz())), dtype=np.float32)
    stage = Stage(empty, empty.copy(), np.zeros(empty.shape[:2], dtype=bool), kept, sample_rate)
    for powers, result in ((both, stage.both), (middle, stage.middle)):
        for track, row in zip(powers, result, strict=True):
            row[:] = stage.row(track)
    loud = stage.both @ hearing.a_weighting(masking.centres_hz()).astype(np.float32)
    for own, playing in zip(loud, stage.playing, strict=True):
        if np.any(own > 0.0):
            playing[:] = own > np.percentile(own[own > 0.0], 95) * 10.0 ** (-ACTIVE_DB / 10.0)
    return stage


def loud_moments(stage: Stage, playback: Playback) -> float:
    """A-weighted power of the loud moments of the mix there (95th percentile); 0 in silence."""
    powers = stage.middle if playback.mono else stage.both
    mix = powers.sum(axis=0, dtype=np.float64) @ (playback.gains * hearing.a_weighting(masking.centres_hz()))
    return float(np.percentile(mix[mix > 0.0], 95)) if np.any(mix > 0.0) else 0.0


def heard(stage: Stage, playback: Playback, count: int | None = None) -> Array:
    """(tracks,) share of the N of all tracks; zeros in silence. count: of tracks that count, all where None."""
    powers = (stage.middle if playback.mono else stage.both) * playback.gains.astype(np.float32)
    count = len(powers) if count is None else count
    weighting = hearing.a_weighting(masking.centres_hz())
    loud = loud_moments(stage, playback)
    if loud <= 0.0:
        return np.zeros(count)
    powers = powers * np.float32(1.0 / loud)  # the loud moments of the mix are 1, wherever it is played
    noise = np.full((1, powers.shape[2]), 10.0 ** (playback.noise_db / 10.0) / weighting.sum(), dtype=np.float32)
    spread = masking.spread_of(powers, stage.sample_rate)
    total = spread.sum(axis=0, dtype=np.float64) + masking.spread_of(noise, stage.sample_rate)
    floor = 10.0 ** (masking.FLOOR_DB / 10.0)
    found = np.zeros(count)
    for track in range(count):
        playing = stage.playing[track]
        if playing.any():
            weight = (powers[track, playing] * weighting.astype(np.float32)) ** np.float32(masking.COMPRESSION)
            own = np.ascontiguousarray(spread[track, playing])
            masked, whole = masking.covered_by_band(own, np.ascontiguousarray(total[playing]), weight, floor)
            found[track] = float((whole - masked).sum()) / int(playing.sum())
    return found / max(float(found.sum()), 1e-30)


def translation(stage: Stage, here: Playback, there: Playback, count: int | None = None) -> Array:
    """(tracks,) 10 log2 of what is left of each; -10 is half as loud; NaN for a track that is not heard here."""
    return compared(heard(stage, here, count), heard(stage, there, count))


def compared(here: Array, there: Array) -> Array:
    """The figure from two sets of shares."""
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = 10.0 * np.log2(there / here)
    return np.where(here > 0.0, np.maximum(np.nan_to_num(ratio, neginf=GONE), GONE), np.nan)
