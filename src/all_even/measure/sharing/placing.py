"""Tracks side by side: how much of each is covered when they stand at different places.

At each ear a track is covered by what arrives there with it; what counts is the ear where it is covered less. Over
headphones an ear hears its own side only; before loudspeakers it hears the other side as well, less with rising
frequency (the shadow of the head, common figures: -0.5 dB at 200 Hz to -12 dB at 8 kHz). In mono places are gone.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation

SHADOW_DB = ((200.0, -0.5), (500.0, -3.0), (1000.0, -6.0), (2000.0, -8.0), (4000.0, -10.0), (8000.0, -12.0))
EVERY = 3
"""Every third frame is looked at."""
MONO_BANDS_HZ = {"low": (30.0, 250.0), "mid": (250.0, 3000.0), "high": (3000.0, 15_500.0)}
Array = NDArray[np.float64]
Bands = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class Stage:
    """Tracks before their pans. power, weight: (tracks, frames, bands); floor: what is not heard."""

    power: Bands
    weight: Bands
    floor: float
    sample_rate: int

    def __len__(self) -> int:
        return len(self.power)


def stage_of(tracks: Sequence[Excitation], floor: float, sample_rate: int) -> Stage:
    """From excitations of tracks as they arrive, pans left aside."""
    frames = max((len(track.power) for track in tracks), default=0)
    bands = len(masking.centres_hz())
    power = np.zeros((len(tracks), -(-frames // EVERY), bands), dtype=np.float32)
    weight = np.zeros_like(power)
    for index, track in enumerate(tracks):
        part = track.power[::EVERY]
        power[index, : len(part)] = part
        weight[index, : len(part)] = track.weight[::EVERY]
    return Stage(power, weight, floor, sample_rate)


@dataclass(frozen=True, slots=True, eq=False)
class Covered:
    """Share of each track that is covered, 0 to 1, NaN where it never sounds: in one ear (headphones), before
    loudspeakers, and all in the middle."""

    ear: Array
    loudspeakers: Array
    centre: Array


def covered(stage: Stage, gains: Array) -> Covered:
    """gains: (tracks, 2) pan gains of each track, with 0.7071 twice for the centre."""
    shadow = 10.0 ** (
        np.interp(np.log(masking.centres_hz()), np.log([hz for hz, _ in SHADOW_DB]), [db for _, db in SHADOW_DB]) / 10.0
    )
    ones = np.full((len(stage), 2), np.sqrt(0.5))
    spread = masking.spread_of(stage.power, stage.sample_rate)
    return Covered(
        _shares(stage, spread, gains, np.zeros(len(shadow))), _shares(stage, spread, gains, shadow),
        _shares(stage, spread, ones, np.zeros(len(shadow))),
    )  # fmt: skip


def _shares(stage: Stage, spread: Bands, gains: Array, shadow: Array) -> Array:
    ears = 2.0 * gains**2  # 1 in the centre
    heard = np.zeros((2, *spread.shape[1:]))
    for index in range(len(stage)):
        for side in range(2):
            level = ears[index, side] + shadow * ears[index, 1 - side]
            heard[side] += spread[index] * level
    result = np.full(len(stage), np.nan)
    for index in range(len(stage)):
        own = np.stack([ears[index, side] + shadow * ears[index, 1 - side] for side in range(2)])
        value = _share(spread[index], own, heard, stage.weight[index], masking.threshold_factor(), stage.floor)
        result[index] = value if value >= 0.0 else np.nan
    return result


@kernel
def _share(spread, own, heard, weight, factor, floor):  # type: ignore[no-untyped-def]
    masked = whole = 0.0
    for t in range(spread.shape[0]):
        for band in range(spread.shape[1]):
            w = float(weight[t, band])
            if w <= 0.0:
                continue
            least = 1.0
            for side in range(2):
                mine = float(spread[t, band]) * own[side, band]
                threshold = factor[band] * max(0.0, heard[side, t, band] - mine) + floor
                ratio = mine / threshold if threshold > 0.0 else 1e9
                least = min(least, 1.0 / (1.0 + ratio * ratio))
            masked += w * least
            whole += w
    return masked / whole if whole > 0.0 else -1.0


def mono_loss_db(stage: Stage, gains: Array) -> dict[str, float]:
    """What each part of the spectrum loses when both sides are added, against all in the centre, dB."""
    centres, found = masking.centres_hz(), {}
    energy = stage.power.sum(axis=1, dtype=np.float64)
    folded = 0.5 * gains.sum(axis=1) ** 2
    for name, (low, high) in MONO_BANDS_HZ.items():
        inside = (centres >= low) & (centres < high)
        each = energy[:, inside].sum(axis=1)
        whole = float(each.sum())
        found[name] = float(10.0 * np.log10(max(float((each * folded).sum()), 1e-30) / whole)) if whole > 0.0 else 0.0
    return found


def centroids_hz(stage: Stage) -> Array:
    """Where the weight of each track lies, Hz (mean of the logarithm)."""
    weight = stage.weight.sum(axis=1, dtype=np.float64)
    logs = np.log(masking.centres_hz())
    return np.asarray(np.exp((weight * logs).sum(axis=1) / np.maximum(weight.sum(axis=1), 1e-30)))
