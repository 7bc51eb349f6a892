"""Six zones of the spectrum of a whole mix, against those of references at equal loudness: flags, never a target.

Zones 25, 60, 125, 400, 2000, 6300, 16 000 Hz (trade words; the edges are ours). A reference's zone is its power there
against its own loudness. Finished mixes differ widely, so a zone is flagged only outside the median of the references
± twice their standard deviation (at least 2 dB), and only where there are five of them: with that, one flag in seven to
fourteen was a false one on mixes nobody had changed, and a change of 6 dB was found in a quarter to three quarters.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from all_even.measure.level.third_octave import NOMINAL_HZ

EDGES_HZ = (25.0, 60.0, 125.0, 400.0, 2000.0, 6300.0, 16_000.0)
NAMES = ("sub", "bass", "low mids", "mids", "upper mids", "top")
FEWEST = 5
LEAST_SD_DB = 2.0
WIDTH = 2.0
Levels = tuple[float | None, ...]
"""One for each zone, dB against the loudness; None where nothing is known there."""


def zone_levels(third_octave_db: Sequence[float | None], integrated_lufs: float) -> Levels:
    """Power of the zones against the loudness, dB. third_octave_db: 30 bands from 25 Hz to 20 kHz."""
    found: list[float | None] = []
    for low, high in pairwise(EDGES_HZ):
        powers = [
            10.0 ** (level / 10.0)
            for level, hertz in zip(third_octave_db, NOMINAL_HZ, strict=True)
            if level is not None and low <= hertz < high
        ]
        total = sum(powers)
        found.append(10.0 * float(np.log10(total)) - integrated_lufs if total > 0.0 else None)
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Band:
    """What references do in one zone, dB against their loudness."""

    low_db: float
    median_db: float
    high_db: float

    def beside_db(self, level_db: float) -> float:
        """How far a level lies outside, signed; 0 inside."""
        return max(0.0, level_db - self.high_db) + min(0.0, level_db - self.low_db)


def bands(references: Sequence[Levels]) -> tuple[Band | None, ...]:
    """One for each zone; None where fewer than five references say something about it."""
    found: list[Band | None] = []
    for index in range(len(NAMES)):
        known = [value for levels in references if (value := levels[index]) is not None]
        if len(known) < FEWEST:
            found.append(None)
            continue
        middle, half = float(np.median(known)), WIDTH * max(LEAST_SD_DB, float(np.std(known, ddof=1)))
        found.append(Band(middle - half, middle, middle + half))
    return tuple(found)
