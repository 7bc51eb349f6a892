"""What is heard now, in figures: levels of strips and mix, what stations take away, loudness of the last seconds."""

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.level import loudness


@dataclass(frozen=True, slots=True, eq=False)
class Meters:
    """What was heard in one block. Linear magnitudes behind the faders, strip ids beside.

    position_frame: of the block's start in the song. short_term_lufs, momentary_lufs: of the mix as
    it was played since the start. held: whether the protective ceiling acted. reductions: the strongest
    gain in dB of each dynamic station, by strip and station.
    """

    stream_frame: int
    position_frame: int
    strip_ids: tuple[str, ...]
    peaks: NDArray[np.float64]
    mix_peaks: tuple[float, float]
    momentary_lufs: float | None
    short_term_lufs: float | None
    held: bool
    reductions: dict[tuple[str, str], float]


def recent_loudness(recent: deque[float]) -> tuple[float | None, float | None]:
    """Momentary and short-term loudness of the last hops; None before a window is full or in silence."""
    weighted = np.fromiter(recent, dtype=np.float64)
    results = []
    for hops in (loudness.MOMENTARY_HOPS, loudness.SHORT_TERM_HOPS):
        power = float(weighted[-hops:].mean()) if len(weighted) >= hops else 0.0
        value = loudness.lufs(power)
        results.append(value if value > loudness.ABSOLUTE_GATE_LUFS else None)
    return results[0], results[1]
