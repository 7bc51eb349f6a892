"""Loudness of what was played since the start, from the meters that come with the sound.

Momentary loudness is taken every 100 ms of the song that goes by, as EBU Tech 3341 asks for, and gated as in BS.1770:
nothing is filtered or measured in the sound's own threads for it.
"""

import numpy as np

from all_even.measure.level import loudness

STEP_S = 0.1


class Played:
    def __init__(self) -> None:
        self._powers: list[float] = []
        self._next_s: float | None = None
        self._known: tuple[int, float | None] = (0, None)

    def stop(self) -> None:
        """Playing ended: the next time begins anew."""
        if self._next_s is not None:
            self._next_s = None

    def add(self, position_s: float, momentary_lufs: float | None) -> None:
        """What is heard now. A jump back or ahead goes on; a new start begins anew."""
        if self._next_s is None:
            self._powers.clear()
            self._known = (0, None)
            self._next_s = position_s
        if position_s < self._next_s - 2 * STEP_S or position_s > self._next_s + 1.0:
            self._next_s = position_s  # it was located, or looped
        while position_s >= self._next_s:
            self._next_s += STEP_S
            if momentary_lufs is not None:
                self._powers.append(10.0 ** ((momentary_lufs - loudness.OFFSET_LU) / 10.0))

    @property
    def integrated_lufs(self) -> float | None:
        """Gated at -70 LUFS and 10 LU under the mean of what passes that; None before anything is loud enough."""
        if self._known[0] != len(self._powers):
            kept = loudness.gate(np.array(self._powers), loudness.RELATIVE_GATE_LU)
            self._known = (len(self._powers), loudness.lufs(float(kept.mean())) if len(kept) else None)
        return self._known[1]
