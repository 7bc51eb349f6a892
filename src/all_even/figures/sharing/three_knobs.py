"""A lane's tone as a simple board can set it: low shelf at 80 Hz, a swept mid, high shelf at 12 kHz.

Least squares over the curve's decibels, each frequency weighted by what the track has there; the remaining error, RMS
and at the worst place that is heard, says whether it carries over.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.tone.equaliser import Band
from all_even.late import scipy

LOW_HZ, HIGH_HZ = 80.0, 12_000.0
MID_HZ = (100.0, 8_000.0)
MID_Q, SHELF_Q = 0.8, 0.7
MOST_DB = 12.0
SMALL = 0.03
"""A knob that hardly matters stays at 0: so much of an error is a dB of it worth."""
CARRIES_DB = 3.0
HEARD_DB = 20.0
"""A place counts as heard within this of the track's strongest."""
PLACES_HZ = tuple(float(hz) for hz in np.geomspace(*MID_HZ, 24))
REFINED = 3
"""How many places of the mid are worked out exactly: those that are best with knobs taken as straight lines."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ThreeKnobs:
    """Gains in dB; level_db: of the input, or the fader. rms_db: of what is left; worst_hz, worst_db: where it is
    furthest off among what is heard."""

    level_db: float
    low_db: float
    mid_hz: float
    mid_db: float
    high_db: float
    rms_db: float
    worst_hz: float
    worst_db: float

    @property
    def carries(self) -> bool:
        return self.rms_db <= CARRIES_DB and abs(self.worst_db) <= CARRIES_DB

    @property
    def text(self) -> str:
        """As it is dialled in."""
        knobs = f"low {_db(self.low_db)}, mid {_db(self.mid_db)} at {self.mid_hz:.0f} Hz, high {_db(self.high_db)}"
        settings = f"level {_db(self.level_db)}, {knobs}"
        left = f"{self.rms_db:.1f} dB RMS off, {abs(self.worst_db):.1f} at {self.worst_hz:.0f} Hz"
        return f"{settings}; {left}" + ("" if self.carries else ": does not carry")


def _db(value: float) -> str:
    return f"{value:+.1f}".replace("-", "−").replace("+0.0", "0.0").replace("−0.0", "0.0")


def curve_db(knobs: tuple[float, float, float, float], frequencies_hz: Array) -> Array:
    """low_db, mid_hz, mid_db, high_db as a curve."""
    low, hz, mid, high = knobs
    bands = (
        Band(shape="low shelf", frequency_hz=LOW_HZ, gain_db=low, q=SHELF_Q),
        Band(frequency_hz=hz, gain_db=mid, q=MID_Q),
        Band(shape="high shelf", frequency_hz=HIGH_HZ, gain_db=high, q=SHELF_Q),
    )
    return np.asarray(sum(20.0 * np.log10(np.maximum(band.prototype(frequencies_hz), 1e-6)) for band in bands))


def three_knobs(wanted_db: Array, frequencies_hz: Array, weight: Array) -> ThreeKnobs:
    """wanted_db: the curve; weight: power of the track at the same places, linear."""
    part = np.sqrt(weight / max(float(weight.sum()), 1e-30))

    def left(x: Array) -> Array:
        error = (x[4] + curve_db((x[0], float(np.exp(x[1])), x[2], x[3]), frequencies_hz) - wanted_db) * part
        return np.concatenate((error, SMALL * x[[0, 2, 3]]))

    most = [MOST_DB, np.log(MID_HZ[1]), MOST_DB, MOST_DB, MOST_DB]
    least = [-MOST_DB, np.log(MID_HZ[0]), -MOST_DB, -MOST_DB, -MOST_DB]
    starts = sorted((_straight(hz, wanted_db, frequencies_hz, part) for hz in PLACES_HZ), key=lambda item: item[0])
    best = min(
        (scipy.optimize.least_squares(left, np.clip(start, least, most), bounds=(least, most))
         for _, start in starts[:REFINED]),
        key=lambda found: found.cost,
    )  # fmt: skip
    low, mid, high, level = (round(2.0 * float(value)) / 2.0 for value in best.x[[0, 2, 3, 4]])
    hz = float(f"{np.exp(best.x[1]):.2g}")
    error = level + curve_db((low, hz, mid, high), frequencies_hz) - wanted_db
    heard = weight >= weight.max(initial=0.0) * 10.0 ** (-HEARD_DB / 10.0)
    worst = int(np.argmax(np.where(heard, np.abs(error), -1.0)))
    rms = float(np.sqrt(np.sum((error * part) ** 2)))
    return ThreeKnobs(level, low, hz, mid, high, rms, float(frequencies_hz[worst]), float(error[worst]))


def _straight(hz: float, wanted_db: Array, frequencies_hz: Array, part: Array) -> tuple[float, Array]:
    """What is left, squared, with the mid at a place, and all settings: as if decibels were proportional to knobs."""
    knobs = ((1.0, hz, 0.0, 0.0), (0.0, hz, 1.0, 0.0), (0.0, hz, 0.0, 1.0))
    basis = np.stack([*(curve_db(one, frequencies_hz) for one in knobs), np.ones(len(frequencies_hz))], axis=1)
    shrink = SMALL * np.eye(3, 4)
    matrix = np.concatenate((basis * part[:, np.newaxis], shrink))
    goal = np.concatenate((wanted_db * part, np.zeros(3)))
    gains, *_ = np.linalg.lstsq(matrix, goal, rcond=None)
    left = float(np.sum((matrix @ gains - goal) ** 2))
    return left, np.array([gains[0], np.log(hz), gains[1], gains[2], gains[3]])
