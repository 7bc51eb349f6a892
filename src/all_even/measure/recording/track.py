"""Everything that one pass over a track's samples tells about its levels.

`Measurement` takes blocks as they come from a file or from a render and gives one `TrackMeasures`.
Definitions are in the modules it uses; what is unknown is None, never 0.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.audio import sound_file
from all_even.decibels import known, level_db, power_db
from all_even.measure.faults import noise
from all_even.measure.faults.clipping import ClipMeter
from all_even.measure.level import loudness, stereo
from all_even.measure.level.hops import HopMeter, Hops
from all_even.measure.level.third_octave import ThirdOctaveMeter
from all_even.measure.level.true_peak import TruePeakMeter

VERSION = 7
"""Raised whenever a figure's definition changes, so that nothing cached is compared with it."""

IDENTICAL_RESIDUAL_DB = -90.0
"""Left and right count as the same when their difference lies this far under them: below 16-bit dither."""


@dataclass(frozen=True, slots=True)
class TrackMeasures:
    """Level figures of one track. Levels in dB re full scale 1.0, loudness in LUFS, times in s.

    rms_dbfs: over all channels and the whole length; a full-scale sine reads -3.01 dBFS (AES17's
    +3 dB convention is not used). active_share: 0 to 1. dc_offset: the largest channel mean, linear.
    limited: the peaks lie in a band under 0.3 dB and the crest is low, as after a limiter. dead_channel: from
    1, the side of a stereo file that holds nothing beside the other.
    """

    sample_rate: int
    channels: int
    frames: int
    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None
    rms_dbfs: float | None
    crest_db: float | None
    integrated_lufs: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    loudness_range_lu: float | None
    dc_offset: float
    clipped_runs: int
    limited: bool
    noise_floor_dbfs: float | None
    active_share: float
    balance_db: float | None
    correlation: float | None
    identical_channels: bool
    not_finite: int
    third_octave_db: tuple[float | None, ...]
    dead_channel: int | None
    hops: Hops

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate

    @property
    def plr_db(self) -> float | None:
        """True peak over integrated loudness; None where one of them is unknown."""
        if self.true_peak_dbtp is None or self.integrated_lufs is None:
            return None
        return self.true_peak_dbtp - self.integrated_lufs


class Measurement:
    """Collects blocks (frames, channels) of float32, full scale = 1.0. NaN is counted and read as 0."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self._sample_rate, self._channels = sample_rate, channels
        self._hop_meter = HopMeter(sample_rate, channels)
        self._true_peak = TruePeakMeter(sample_rate, channels)
        self._clip = ClipMeter(channels)
        self._third_octave = ThirdOctaveMeter(sample_rate, channels)
        self._frames = 0
        self._not_finite = 0
        self._sum = np.zeros(channels)
        self._difference = 0.0

    def add(self, block: NDArray[np.float32]) -> None:
        self._not_finite += sound_file.make_finite(block)
        self._frames += len(block)
        self._sum += block.sum(axis=0, dtype=np.float64)
        if self._channels == 2:
            difference = block[:, 0] - block[:, 1]
            self._difference += float(np.dot(difference, difference))
        self._hop_meter.add(block)
        self._true_peak.add(block)
        self._clip.add(block)
        self._third_octave.add(block)

    def result(self) -> TrackMeasures:
        hops = self._hop_meter.result()
        true_peak = self._true_peak.flush()
        highest = float(hops.high.max(initial=0.0))
        lowest = float(hops.low.min(initial=0.0))
        peak = level_db(max(highest, -lowest))
        mean_square = float(hops.power.mean(dtype=np.float64)) if len(hops) else 0.0
        active = loudness.active_steps(hops.weighted)
        crest = peak - power_db(mean_square) if mean_square > 0 else float("nan")
        mean = self._sum / max(1, self._frames)
        return TrackMeasures(
            sample_rate=self._sample_rate,
            channels=self._channels,
            frames=self._frames,
            sample_peak_dbfs=known(peak),
            true_peak_dbtp=known(level_db(true_peak)),
            rms_dbfs=known(power_db(mean_square)),
            crest_db=known(crest),
            integrated_lufs=loudness.integrated_lufs(hops.weighted),
            max_momentary_lufs=loudness.max_momentary_lufs(hops.weighted),
            max_short_term_lufs=loudness.max_short_term_lufs(hops.weighted),
            loudness_range_lu=loudness.loudness_range_lu(hops.weighted),
            dc_offset=float(mean[np.argmax(np.abs(mean))]),
            clipped_runs=self._clip.runs(lowest, highest),
            limited=_looks_limited(hops),
            noise_floor_dbfs=noise.noise_floor_dbfs(hops),
            active_share=float(active.mean()) if len(active) else 0.0,
            balance_db=stereo.balance_db(hops),
            correlation=stereo.correlation(hops),
            identical_channels=self._identical(mean_square),
            not_finite=self._not_finite,
            third_octave_db=tuple(self._third_octave.result_db()),
            dead_channel=_dead_channel(hops),
            hops=hops,
        )

    def _identical(self, mean_square: float) -> bool:
        if self._channels != 2 or mean_square <= 0.0:
            return False
        return power_db(self._difference / self._frames) < power_db(mean_square) + IDENTICAL_RESIDUAL_DB


DEAD_UNDER_DB = 60.0


def _dead_channel(hops: Hops) -> int | None:
    """The side, from 1, that lies 60 dB and more under the other, or holds nothing at all."""
    if not len(hops) or hops.power.shape[1] != 2:
        return None
    left, right = hops.power.mean(axis=0, dtype=np.float64)
    quiet, loud = (left, right) if left < right else (right, left)
    if loud <= 0.0 or power_db(float(loud)) < -80.0 or quiet > loud * 10.0 ** (-DEAD_UNDER_DB / 10.0):
        return None
    return 1 if left < right else 2


LIMITED_WINDOW_HOPS = 3
LIMITED_BAND_DB = 0.3
LIMITED_TIGHT_DB, LIMITED_TIGHT_SHARE = 0.05, 0.45
"""Of the pressed peaks so many lie this close to the ceiling; notes that fade pass through it evenly."""
LIMITED_SHARE = 0.12
LIMITED_FEWEST = 20
LIMITED_CREST_DB = (3.7, 14.0)
LIMITED_POWER_SPREAD_DB = 1.0
LIMITED_RUN = 3
LIMITED_IN_RUNS = 1.0 / 3.0


def _looks_limited(hops: Hops) -> bool:
    """Whether the peaks press against one ceiling while the power under them still moves.

    Common practice: an unprocessed part's peaks differ by decibels; a limiter holds them in a band of
    tenths. Counted in 30 ms windows: the share of played windows whose peak is within 0.3 dB of the
    highest, their crest, how much their power differs, and how many of them follow each other. The
    power tells a limiter from a synthesiser's steady tone; the runs tell it from a machine's identical
    hits. Limited drums can't be told from equal hits by this, and are not claimed.
    """
    count = len(hops) // LIMITED_WINDOW_HOPS
    size = count * LIMITED_WINDOW_HOPS
    magnitude = np.maximum(hops.high, -hops.low).max(axis=1)[:size]
    peaks = magnitude.reshape(count, LIMITED_WINDOW_HOPS).max(axis=1)
    power = hops.power.mean(axis=1)[:size].reshape(count, LIMITED_WINDOW_HOPS).mean(axis=1)
    top = float(peaks.max(initial=0.0))
    if top <= 0.0:
        return False
    played = peaks > top * 0.1
    pressed = peaks >= top * 10.0 ** (-LIMITED_BAND_DB / 20.0)
    if pressed.sum() < max(LIMITED_FEWEST, LIMITED_SHARE * played.sum()):
        return False
    tight = peaks >= top * 10.0 ** (-LIMITED_TIGHT_DB / 20.0)
    if tight.sum() < LIMITED_TIGHT_SHARE * pressed.sum():
        return False
    power_levels = 10.0 * np.log10(power[pressed])
    crest = 20.0 * np.log10(peaks[pressed]) - power_levels
    low, high = np.percentile(power_levels, (10, 90))
    lowest, highest = LIMITED_CREST_DB
    return bool(
        lowest < np.median(crest) < highest
        and high - low > LIMITED_POWER_SPREAD_DB
        and _in_runs(pressed) >= LIMITED_IN_RUNS * pressed.sum()
    )


def _in_runs(pressed: NDArray[np.bool_]) -> int:
    """How many of the true values stand in runs of at least `LIMITED_RUN`."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], pressed, [False])).astype(np.int8)))
    lengths = edges[1::2] - edges[::2]
    return int(lengths[lengths >= LIMITED_RUN].sum())
