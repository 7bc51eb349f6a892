"""Tail of a hit: how long a kick or a drum stays above a level after its onset.

The tail decides how long the bass has to step back. It is read from the smoothed energy envelope, not
from the samples, so that the phase of a low note does not move it: analytic power, 10 ms Hann window,
for a kick in the band 25 to 250 Hz. It ends at the *last* crossing before the next hit. Where the sound
sinks into noise or the next hit comes first, a line fitted to the decay is carried on, and the tail is
marked estimated.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.measure.time.traces import LOW_RATE
from all_even.measure.zero_phase import analytic_band

BAND_HZ = (25.0, 250.0)
SMOOTH_S = 0.010
ONSET_DB = -30.0
FIT_FROM_DB = -3.0
OVER_FLOOR_DB = 6.0
FLOOR_PERCENTILE, FLOOR_S = 2.0, 0.060
SHORTEST_FIT_S = 0.02
BEFORE_S = 0.015
"""Where the level has not been under the threshold within this before a hit, another one is still sounding."""
LEAST_DROP_DB = 6.0
"""A decay that is followed for less than this tells nothing about its length."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Tail:
    """ms: from the onset to `drop_db` under the peak. estimated: carried on from the decay's line, or read from a hit
    on top of the tail of the one before, which makes its peak higher and so its own tail shorter."""

    ms: float
    estimated: bool


def envelope_db(low: NDArray[np.floating], *, band_hz: tuple[float, float] | None = BAND_HZ) -> Array:
    """Smoothed analytic power in dB of the mono sound at 4 kHz, one number a sample; None: no band-pass."""
    if len(low) < 64:
        return np.full(len(low), -200.0)
    analytic = analytic_band(np.asarray(low, dtype=np.float32), band_hz, LOW_RATE)
    power = 0.5 * (analytic.real**2 + analytic.imag**2).astype(np.float64)
    window = np.hanning(round(SMOOTH_S * LOW_RATE) + 2)[1:-1]
    smooth = np.convolve(power, window / window.sum(), mode="same")
    return np.asarray(10.0 * np.log10(np.maximum(smooth, 1e-20)))


@kernel
def _tail(level_db, onset_s, end_s, drop_db, floor_db):  # type: ignore[no-untyped-def]
    """Tail of one hit in ms, and whether it is estimated; below 0 ms where nothing decays before `end_s`."""
    start, stop = max(0, round((onset_s - 0.005) * LOW_RATE)), min(len(level_db), round((end_s - 0.008) * LOW_RATE))
    shortest = SHORTEST_FIT_S * LOW_RATE
    if stop - start < shortest:
        return -1.0, False
    top = start + np.argmax(level_db[start : min(stop, start + round(0.12 * LOW_RATE))])
    peak = level_db[top]
    onset = start
    while level_db[onset] < peak + ONSET_DB:
        onset += 1
    onset = max(onset, round((onset_s - 0.002) * LOW_RATE))
    floor = max(floor_db, peak - 80.0)
    threshold = peak - drop_db
    last = stop - 1
    while level_db[last] < threshold:
        last -= 1
    if last < stop - 1 and threshold >= floor + OVER_FLOOR_DB:
        before = max(0, round((onset_s - BEFORE_S) * LOW_RATE))
        on_another = level_db[before : start + 1].min() > threshold
        return 1000.0 * (last - onset) / LOW_RATE, on_another
    # Too near the noise, or the next hit comes first: carry the line of the decay on.
    begin = stop - 1
    while level_db[begin] < peak + FIT_FROM_DB:
        begin -= 1
    end = begin
    while end < stop and level_db[end] >= floor + OVER_FLOOR_DB:
        end += 1
    if end - begin < shortest or level_db[begin] - level_db[end - 1] < LEAST_DROP_DB:
        return -1.0, False
    middle, mean = 0.5 * (begin + end - 1), level_db[begin:end].mean()
    along = across = 0.0
    for i in range(begin, end):
        along += (i - middle) * (level_db[i] - mean)
        across += (i - middle) ** 2
    slope = along / across
    if slope >= 0.0:
        return -1.0, False
    return 1000.0 * (middle + (threshold - mean) / slope - onset) / LOW_RATE, True


def noise_db(level_db: Array) -> float:
    """What is there between the hits: the quietest stretches of 60 ms. Over 10 ms noise itself has holes."""
    length = round(FLOOR_S * LOW_RATE)
    count = len(level_db) // length
    if not count:
        return float(level_db.min(initial=0.0))
    power = np.mean(10.0 ** (level_db[: count * length].reshape(count, length) / 10.0), axis=1)
    return float(10.0 * np.log10(max(float(np.percentile(power, FLOOR_PERCENTILE)), 1e-20)))


def tails(level_db: Array, times_s: Sequence[float], *, drop_db: float = 20.0) -> tuple[Tail | None, ...]:
    """The tail of every hit, each up to the next. level_db: `envelope_db`; drop_db: dB, > 0."""
    if not len(level_db):
        return ()
    ends, floor = [*times_s[1:], len(level_db) / LOW_RATE], noise_db(level_db)
    found = [_tail(level_db, float(time), float(end), drop_db, floor) for time, end in zip(times_s, ends, strict=False)]
    return tuple(Tail(ms, estimated) if ms >= 0.0 else None for ms, estimated in found)


def typical(found: Sequence[Tail | None]) -> Tail | None:
    """The median tail; of those that were not estimated where there are some."""
    measured = [one.ms for one in found if one is not None and not one.estimated]
    estimated = [one.ms for one in found if one is not None and one.estimated]
    if len(measured) >= max(1, len(estimated) // 8):
        return Tail(float(np.median(measured)), False)
    return Tail(float(np.median(estimated)), True) if estimated else None
