"""Printed reverberation: whether notes end in a room.

Where a held sound stops, a dry track falls at once, or as fast as the player lets go; a room or a
printed reverberation takes over with a decay of its own, straight in decibels and alike after each note.
Plucked strings, drums and cymbals also fade straight, but from their beginning: so the sound has to have
held its level before. The direct sound falls first and faster; so the slope is read late, from 12 dB
down to 36 dB or the noise, and carried on to 60 dB, as ISO 3382 reads decays (from memory).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.measure.time.traces import Traces

SMOOTH_FRAMES = 30
HELD_FRAMES = 120
HELD_WITHIN_DB = 5.0
"""A held sound's level moves by no more than this in the 120 ms before it ends."""
FROM_DB, TO_DB, LEAST_TO_DB = -12.0, -34.0, -22.0
LONGEST_FRAMES = 2500
SHORTEST_T60_S = 0.25
"""A dry vocal booth is shorter (common practice)."""
LONGEST_T60_S = 8.0
STRAIGHT_DB = 3.0
"""Residual of the fitted line, RMS."""
FEWEST_DECAYS = 3
ALIKE_SHARE = 0.5
"""Half of the decays lie within this share of the median."""
OVER_FLOOR_DB = 6.0
Array = NDArray[np.float64]


def reverb_s(traces: Traces) -> float | None:
    """Decay time (60 dB) of printed reverberation in seconds; None where the track is dry or can't tell."""
    found = _decays(traces.bands[1] + traces.bands[2])
    if len(found) < FEWEST_DECAYS:
        return None
    times = np.array(found)
    middle = float(np.median(times))
    alike = float(np.mean(np.abs(times - middle) < ALIKE_SHARE * middle))
    return middle if middle >= SHORTEST_T60_S and alike >= 0.6 else None


def _decays(power: NDArray[np.float32]) -> Sequence[float]:
    """Decay times after held sounds; dry endings count with how short they are."""
    if len(power) < 4 * HELD_FRAMES:
        return []
    window = np.hanning(SMOOTH_FRAMES + 2)[1:-1]
    smooth = np.convolve(power.astype(np.float64), window / window.sum(), mode="same")
    level = 10.0 * np.log10(np.maximum(smooth, 1e-20))
    loud, floor = float(np.percentile(level, 95)), float(np.percentile(level, 2))
    falling = np.flatnonzero((level[:-15] >= loud - 15.0) & (level[15:] <= level[:-15] - 1.5))[::5]
    found: list[float] = []
    free = HELD_FRAMES
    for frame in falling[falling < len(level) - 100]:
        before = level[frame - HELD_FRAMES : frame]
        if frame < free or np.ptp(before) > HELD_WITHIN_DB:
            continue
        start = float(np.median(before[-HELD_FRAMES // 2 :]))
        after = level[frame : frame + LONGEST_FRAMES]
        risen = np.flatnonzero(after - np.minimum.accumulate(after) > 4.0)
        after = after[: int(risen[0])] if len(risen) else after
        end_db = max(start + TO_DB, floor + OVER_FLOOR_DB)
        under = np.flatnonzero(after < end_db)
        if not len(under) or end_db > start + LEAST_TO_DB:
            free = frame + 20
            continue
        end = int(under[0])
        begin = int(np.argmax(after < start + FROM_DB))
        time = _decay_time(after[begin:end])
        if time is not None:
            found.append(time)
        free = frame + max(end, 20)
    return found


def _decay_time(level: Array) -> float | None:
    """Time for 60 dB of a straight decay, s, from one level per ms; None where it is not straight."""
    if len(level) < 12:
        return 0.0  # it drops
    index = np.arange(len(level))
    slope, offset = np.polyfit(index, level, 1)
    if slope >= 0.0:
        return None
    if np.sqrt(np.mean((level - slope * index - offset) ** 2)) > STRAIGHT_DB:
        return None
    return float(min(LONGEST_T60_S, -60.0 / slope / 1000.0))
