"""Tone at hits: a low tone that falls away, added to a drum at each hit of a linked shape.

For a drum without bottom: the tone's frequency is chosen, its length set, and it may begin higher and fall to its
pitch, as a skin does. Hits are known beforehand, so there is no latency and every double counts; while one tone rings
and the next begins both are heard, so that nothing clicks.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.decibels import gain
from all_even.dsp.ducking.shaped import DuckShape, Shaped
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

HEAD = 6
BENDS_MS, RISES_MS = 25.0, 2.0
"""Over so long the tone falls to its pitch, and so long it takes to begin."""
SILENT_TIMES = 1.2
"""After so many times its length, 72 dB down, a tone is over."""


class HitTone(Shaped, frozen=True, kw_only=True, tag_field="kind", tag="hit-tone"):
    """Adds a low tone at each hit."""

    LABEL: ClassVar[str] = "Tone at hits"
    SHORT: ClassVar[str] = "Tone"
    WORDS: ClassVar[str] = "drum bottom low sine trigger sub kick tom snare"

    frequency_hz: Annotated[float, setting("Frequency", "Hz", 25.0, 400.0, step=3.0, scale="log", decimals=1)] = 55.0
    length_ms: Annotated[float, setting("Length", "ms", 20.0, 2000.0, step=5.0, scale="log", decimals=0)] = 250.0
    bend_semitones: Annotated[float, setting("Begins higher, semitones", "", 0.0, 24.0, step=1.0, decimals=0)] = 5.0
    level_db: Annotated[float, setting("Level", "dB", -60.0, 0.0, step=0.5)] = -18.0

    def following(self, shape: DuckShape | None, sample_rate: int) -> Array:
        rate = float(sample_rate)
        head = [
            gain(self.level_db), 2.0 * math.pi * self.frequency_hz / rate,
            2.0 ** (self.bend_semitones / 12.0) - 1.0, BENDS_MS * 0.001 * rate, RISES_MS * 0.001 * rate,
            self.length_ms * 0.001 * rate,
        ]  # fmt: skip
        hits = np.sort(shape.hits_s) if shape is not None else np.zeros(0)
        return np.concatenate((head, np.round(hits * sample_rate)))

    @classmethod
    def kernels(cls) -> Any:
        return _add_tones


@kernel
def _add_tones(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """Stateless: a tone follows from how long ago its hit was."""
    clean(block)
    frames, channels = block.shape
    hits, longest = c[HEAD:], SILENT_TIMES * c[5]
    following = np.searchsorted(hits, position, side="right")
    for i in range(frames):
        now = position + i
        while following < len(hits) and hits[following] <= now:
            following += 1
        total = 0.0
        hit = following - 1
        while hit >= 0 and now - hits[hit] < longest:
            total += _tone(now - hits[hit], c)
            hit -= 1
        if total != 0.0:
            for channel in range(channels):
                block[i, channel] += total


@kernel
def _tone(after, c):  # type: ignore[no-untyped-def]
    """A tone so many frames after its hit; 60 dB down at its length."""
    phase = c[1] * (after + c[2] * c[3] * (1.0 - np.exp(-after / c[3])))
    rise = min(1.0, after / c[4])
    return c[0] * rise * np.exp(-6.907755 * after / c[5]) * np.sin(phase)
