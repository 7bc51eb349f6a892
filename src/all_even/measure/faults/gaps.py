"""Dropouts: places where a sound that plays stops dead and comes back, as a lost buffer leaves them.

A dropout is a run of samples held at one value near zero, 0.3 to 250 ms long, in the middle of a sound:
the sound is about as loud before as behind, and on both sides it jumps further than a sound does that
fades. Silence between edited phrases ends otherwise: the next phrase begins louder than the last one
ended, or either side is faded. A low note may be near zero where it stops: for a hole of a few
milliseconds between two equal stretches, which nobody edits, smaller steps are enough.
"""

import numpy as np
from numpy.typing import NDArray

SHORTEST_S, LONGEST_S = 0.0003, 0.25
EDGE_S = 0.003
HELD = 1e-6
LEVEL_OVER = 0.005
"""The sound around has to reach this (-46 dBFS)."""
NEAR_ZERO = 0.1
"""Largest held value, of the loudest sample in the 3 ms before: a clipped top is no dropout."""
ALIKE = 4.0
"""The loudest samples before and behind differ by less than this factor (12 dB)."""
LARGER_STEP, SMALLER_STEP = 0.2, 0.015
"""Steps into and out of the hole, of the loudest sample beside it."""
LEAST_STEP = LEVEL_OVER * SMALLER_STEP
BRIEF_S, AROUND_S = 0.03, 0.02
"""For holes up to the first, a whole period of a low note on both sides is looked at..."""
ABRUPT, CLEARLY_ABRUPT = 0.018, 0.06
"""...and how far it jumps at the edge, of its largest sample: both sides; one of them. A fade of 2 ms leaves 0.01."""
Signal = NDArray[np.float32]


class GapMeter:
    """Feeds blocks of any length, (frames, channels) of float32."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self._rate = sample_rate
        self._edge = max(4, round(EDGE_S * sample_rate))
        self._shortest, self._longest = max(4, round(SHORTEST_S * sample_rate)), round(LONGEST_S * sample_rate)
        self._kept = np.empty((0, channels), dtype=np.float32)
        self._position = 0
        self._found: set[tuple[int, int]] = set()

    def add(self, block: Signal) -> None:
        """Looks at the block together with as much before it as a hole may be long."""
        sound = np.concatenate((self._kept, block))
        start = self._position - len(self._kept)
        for channel in range(sound.shape[1]):
            for first, length in self._holes(sound[:, channel]):
                self._found.add((start + first, length))
        self._position += len(block)
        self._kept = sound[-(self._longest + 2 * round(AROUND_S * self._rate) + 2) :]

    def result(self) -> tuple[tuple[float, float], ...]:
        """(start, length) of each dropout in seconds; both sides dropping out together count once."""
        kept: list[tuple[float, float]] = []
        for first, length in sorted(self._found):
            if not kept or first / self._rate > kept[-1][0] + kept[-1][1]:
                kept.append((first / self._rate, length / self._rate))
        return tuple(kept)

    def _holes(self, x: Signal) -> list[tuple[int, int]]:
        """(first held sample, number of them) of the holes that lie wholly inside."""
        held = np.flatnonzero(np.abs(np.diff(x)) <= HELD)
        if len(held) < self._shortest - 1:
            return []
        breaks = np.flatnonzero(np.diff(held) > 1)
        firsts = held[np.concatenate(([0], breaks + 1))]
        lasts = held[np.concatenate((breaks, [len(held) - 1]))] + 1
        lengths = lasts - firsts + 1
        fits = (lengths >= self._shortest) & (lengths <= self._longest)
        fits &= (firsts > self._edge) & (lasts < len(x) - self._edge)
        inner = np.flatnonzero(fits)
        steps_in, steps_out = (np.abs(x[at + 1] - x[at]) for at in (firsts[inner] - 1, lasts[inner]))
        fits[inner] = np.minimum(steps_in, steps_out) > LEAST_STEP
        found = []
        for first, last in zip(firsts[fits], lasts[fits], strict=True):
            if last - first < BRIEF_S * self._rate and self._is_brief_hole(x, int(first), int(last)):
                found.append((int(first), int(last - first + 1)))
                continue
            before = float(np.abs(x[first - self._edge : first]).max())
            behind = float(np.abs(x[last + 1 : last + 1 + self._edge]).max())
            steps = sorted((abs(float(x[first] - x[first - 1])), abs(float(x[last + 1] - x[last]))))
            if (
                before > LEVEL_OVER
                and before < ALIKE * behind < ALIKE * ALIKE * before
                and abs(float(x[first])) < NEAR_ZERO * before
                and steps[0] > SMALLER_STEP * before
                and steps[1] > LARGER_STEP * before
            ):
                found.append((int(first), int(last - first + 1)))
        return found

    def _is_brief_hole(self, x: Signal, first: int, last: int) -> bool:
        """Whether the sound is as loud on both sides and stops and starts without a fade. x[first : last + 1] held."""
        around = round(AROUND_S * self._rate)
        before, behind = x[max(0, first - around) : first], x[last + 1 : last + 1 + around][::-1]
        if min(len(before), len(behind)) < around:
            return False
        peaks = [float(np.abs(side).max()) for side in (before, behind)]
        alike = min(peaks) > LEVEL_OVER and max(peaks) < ALIKE * min(peaks)
        if not alike or abs(float(x[first])) > NEAR_ZERO * min(peaks):
            return False
        steps = [abs(float(side[-1] - held)) / peak for side, peak, held in
                 ((before, peaks[0], x[first]), (behind, peaks[1], x[last]))]  # fmt: skip
        return min(steps) > ABRUPT and max(steps) > CLEARLY_ABRUPT
