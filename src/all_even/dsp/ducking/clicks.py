"""Clicks: a short click at each hit of a linked shape, in place of what comes in.

For silent triggers: a compressor keyed by clicks answers the same at every hit, so that depth and length of what it
does are nearly independent, and it goes on where the track whose hits they are pauses, if hits are added there. A
click is full magnitude of one sign, so a detector hears it at once; it is not for listening.
"""

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.decibels import gain
from all_even.dsp.ducking.shaped import DuckShape, Shaped
from all_even.dsp.processor import Single, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

HEAD = 2


class Clicks(Shaped, frozen=True, kw_only=True, tag_field="kind", tag="clicks"):
    """Clicks at the hits of a linked shape, to key from."""

    LABEL: ClassVar[str] = "Clicks"
    SHORT: ClassVar[str] = "Clicks"
    WORDS: ClassVar[str] = "trigger silent key sidechain hits"

    level_db: Annotated[float, setting("Level of a click", "dBFS", -40.0, 0.0, step=0.5)] = -6.0
    click_ms: Annotated[float, setting("Length of a click", "ms", 0.5, 20.0, step=0.5)] = 2.0

    def following(self, shape: DuckShape | None, sample_rate: int) -> Array:
        head = [gain(self.level_db), max(1.0, np.round(self.click_ms * 0.001 * sample_rate))]
        hits = np.sort(shape.hits_s) if shape is not None else np.zeros(0)
        return np.concatenate((head, np.round(hits * sample_rate)))

    @classmethod
    def kernels(cls) -> Any:
        return _click


def click_track(hits_s: Iterable[float], frames: int, sample_rate: int) -> Array:
    """(frames,): what `Clicks` at its defaults plays at these hits."""
    station, shape = Clicks(), DuckShape(id="hits", name="hits", hits_s=tuple(hits_s))
    run = Single(station, sample_rate, coefficients=station.following(shape, sample_rate))
    return run(np.zeros((frames, 1)))[:, 0]


@kernel
def _click(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """Stateless: whether a click sounds at a frame follows from the last hit before it."""
    frames, channels = block.shape
    level, length = c[0], c[1]
    hits = c[HEAD:]
    if len(gain) > 0:
        gain[:] = 0.0
    following = np.searchsorted(hits, position, side="right")
    for i in range(frames):
        now = position + i
        while following < len(hits) and hits[following] <= now:
            following += 1
        sounds = following > 0 and now < hits[following - 1] + length
        for channel in range(channels):
            block[i, channel] = level if sounds else 0.0
