"""Sections of a song, suggested: where what is playing changes.

Per bar, how loud every track is; a boundary stands where the two bars behind it differ most from the
two before, over all tracks, and by enough. Names are the user's; two sections with the same tracks get
the same letter.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

RANGE_DB = 24.0
"""A track this far under its own loud parts counts as silent."""
BARS = 2
LEAST_CHANGE = 0.12
"""Mean change over all tracks (0 to 1 of the range) that makes a boundary."""
SHORTEST_BARS = 3
ALIKE = 0.15
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Section:
    """letter: sections that sound the same tracks share it."""

    letter: str
    start_s: float
    end_s: float


def find_sections(
    levels: Sequence[NDArray[np.floating]], hop_s: float, downbeats_s: Sequence[float]
) -> tuple[Section, ...]:
    """Suggested sections. levels: mean square per hop of each track, on one time line; downbeats_s: rising."""
    bars = np.array(downbeats_s)
    if len(bars) < 2 * SHORTEST_BARS or not levels:
        return ()
    end_s = max(len(track) for track in levels) * hop_s
    edges = np.round(np.append(bars, max(end_s, bars[-1] + np.median(np.diff(bars)))) / hop_s).astype(int)
    playing = np.stack([_per_bar(track, edges) for track in levels])
    playing = playing[playing.max(axis=1) > 0.0]
    if not len(playing):
        return ()
    count = playing.shape[1]
    change = np.zeros(count)
    for bar in range(1, count):
        before = playing[:, max(0, bar - BARS) : bar].mean(axis=1)
        after = playing[:, bar : bar + BARS].mean(axis=1)
        change[bar] = np.abs(after - before).mean()
    starts = [0]
    for bar in np.argsort(change)[::-1]:
        if change[bar] < LEAST_CHANGE:
            break
        if all(abs(bar - other) >= SHORTEST_BARS for other in starts) and count - bar >= SHORTEST_BARS - 1:
            starts.append(int(bar))
    starts.sort()
    heard: list[Array] = []
    sections = []
    for first, last in zip(starts, [*starts[1:], count], strict=True):
        sound = playing[:, first:last].mean(axis=1)
        same = [i for i, other in enumerate(heard) if np.abs(sound - other).mean() < ALIKE]
        if not same:
            heard.append(sound)
        index = same[0] if same else len(heard) - 1
        sections.append(Section(_letter(index), float(edges[first] * hop_s), float(edges[last] * hop_s)))
    return tuple(sections)


def _per_bar(power: NDArray[np.floating], edges: NDArray[np.int64]) -> Array:
    """How much a track plays in each bar, 0 to 1 on a scale of dB under its loudest bar."""
    summed = np.concatenate(([0.0], np.cumsum(power, dtype=np.float64)))
    at = np.minimum(edges, len(power))
    mean = np.diff(summed[at]) / np.maximum(1, np.diff(edges))
    if mean.max(initial=0.0) <= 0.0:
        return np.zeros(len(mean))
    level = 10.0 * np.log10(np.maximum(mean / mean.max(), 1e-12))
    return np.asarray(np.clip(1.0 + level / RANGE_DB, 0.0, 1.0))


def _letter(index: int) -> str:
    return chr(ord("A") + index % 26) + (str(index // 26) if index >= 26 else "")
