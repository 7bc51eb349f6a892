"""Ear words: what people call an excess or a lack, and where it lies on the ruler.

Starting points of the trade, no verdicts: role by role instruments differ by 3 to 20 dB, so a word names a place, and
how much there is of it is held against the track's own doubles, sections or a reference. Without any of these only
what is gross is named: the *contrast* of a place, its three third octaves against those four and five steps beside.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.sharing import hearing, masking

Array = NDArray[np.float64]
THIRDS_HZ = 1000.0 * 10.0 ** (np.arange(-11, 12) / 10.0)
"""80 Hz to 12.5 kHz."""


@dataclass(frozen=True, slots=True)
class Word:
    """low_hz, high_hz: where; lack: whether it means too little; families: of whom it is said, all where empty."""

    name: str
    low_hz: float
    high_hz: float
    lack: bool = False
    families: tuple[str, ...] = ()


WORDS = (
    Word("boomy", 80.0, 200.0), Word("muddy", 200.0, 400.0), Word("boxy", 400.0, 700.0),
    Word("nasal", 700.0, 1200.0, families=("voices", "winds & brass")), Word("honky", 700.0, 1300.0),
    Word("hard", 1300.0, 2000.0),
    Word("stringy", 4000.0, 6000.0, families=("strings", "guitars")), Word("harsh", 2000.0, 5000.0),
    Word("sibilant", 5000.0, 9000.0, families=("voices",)), Word("sharp", 5000.0, 9000.0),
    Word("airy", 9000.0, 16_000.0),
    Word("thin", 80.0, 250.0, lack=True), Word("lacking body", 400.0, 630.0, lack=True),
    Word("lacking presence", 3000.0, 5000.0, lack=True), Word("dull", 3000.0, 16_000.0, lack=True),
)  # fmt: skip
"""Common practice."""


def word_at(hz: float, family: str = "", *, lack: bool = False) -> str:
    """What an excess (or a lack) at a place is called; empty where there is no word."""
    for word in WORDS:
        fits = not word.families or family in word.families
        if word.lack == lack and word.low_hz <= hz < word.high_hz and fits:
            return word.name
    return ""


def third_octaves(power: NDArray[np.floating]) -> Array:
    """(23,) power in third octaves of a track's band powers, (frames, bands), dB."""
    centres = masking.centres_hz()
    density = np.asarray(power, dtype=np.float64).mean(axis=0) * centres / hearing.erb_hz(centres)
    near = np.abs(np.log2(centres[np.newaxis, :] / THIRDS_HZ[:, np.newaxis])) <= 1.0 / 6.0 + 0.03
    return np.asarray(10.0 * np.log10(np.maximum((near @ density) / near.sum(axis=1), 1e-20)))


EMPTY_DB, SLOPE_DB = 25.0, 9.0
"""A side that lies this much under a place holds nothing to compare with; then the other side counts alone, less what a
spectrum falls by over 1.5 octaves anyway (6 dB per octave)."""


def contrast(levels_db: Array) -> Array:
    """(23,) how far each place stands over those 4 and 5 third octaves below and above; NaN where there are none."""
    found = np.full(len(levels_db), np.nan)
    for i in range(1, len(levels_db) - 1):
        own = float(levels_db[i - 1 : i + 2].mean())
        steps = [step for step in (4, 5) if i + step < len(levels_db)]
        both = [step for step in steps if i - step >= 0]
        if not steps:
            continue
        below = [float(levels_db[i - step]) for step in both]
        above = [float(levels_db[i + step]) for step in both or steps]
        low, high = (float(np.mean(side)) if side else own - 2.0 * EMPTY_DB for side in (below, above))
        if own - low > EMPTY_DB:
            found[i] = own - high - SLOPE_DB
        elif own - high <= EMPTY_DB:
            found[i] = own - 0.5 * (low + high)
    return found
