"""Scales of the lanes: where a decibel, a loudness or a place lies along a row, and back.

Plain functions of numbers, tested without a screen. A level rail gives most of its width to the
range where faders are set: -20 to +6 dB.
"""

from dataclasses import dataclass
from itertools import pairwise

from all_even.decibels import OFF_DB
from all_even.dsp.parameter import LEVEL

LEVEL_POINTS = ((OFF_DB, 0.0), (-60.0, 0.06), (-40.0, 0.14), (-20.0, 0.30), (6.0, 0.92), (12.0, 1.0))
"""Level in dB against share of the rail: piecewise linear, 62 % of it for -20 to +6 dB."""
LEVEL_TICKS = (-40.0, -20.0, -15.0, -10.0, -5.0, 0.0, 6.0, 12.0)

LOUDNESS_RANGE = (-60.0, 0.0)
LOUDNESS_TICKS = (-50.0, -40.0, -30.0, -20.0, -10.0)
"""Of a nudge or a drag while Shift is held."""


@dataclass(frozen=True, slots=True)
class Rail:
    """A stretch of pixels from `left`, `width` long."""

    left: float
    width: float

    def level_x(self, level_db: float) -> float:
        return self.left + self.width * _between(level_db, LEVEL_POINTS)

    def level_at(self, x: float) -> float:
        """The level under a pixel; the first pixels are off."""
        share = (x - self.left) / self.width
        if share <= 0.01:
            return OFF_DB
        return LEVEL.clamped(_between(share, tuple((y, x) for x, y in LEVEL_POINTS)))

    def loudness_x(self, lufs: float) -> float:
        low, high = LOUDNESS_RANGE
        return self.left + self.width * (min(high, max(low, lufs)) - low) / (high - low)

    def pan_x(self, pan: float) -> float:
        return self.left + self.width * (pan + 1.0) / 2.0

    def pan_at(self, x: float) -> float:
        pan = 2.0 * (x - self.left) / self.width - 1.0
        return 0.0 if abs(pan) < 0.03 else min(1.0, max(-1.0, pan))


def _between(x: float, points: tuple[tuple[float, float], ...]) -> float:
    """Straight between points that rise, level outside: for one number this is much quicker than an array is made."""
    if x <= points[0][0]:
        return points[0][1]
    for (x1, y1), (x2, y2) in pairwise(points):
        if x <= x2:
            return y1 + (y2 - y1) * (x - x1) / (x2 - x1)
    return points[-1][1]


def meter_share(level_db: float) -> float:
    """A lane meter's length for a peak level: 0 at -60 dBFS, 1 at 0."""
    return min(1.0, max(0.0, 1.0 + level_db / 60.0))
