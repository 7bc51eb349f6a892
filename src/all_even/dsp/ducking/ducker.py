"""Ducker: one gain shape for every hit, known in advance.

The shape is drawn in words and milliseconds: it is down when the hit comes (it begins `smoothing_ms`
earlier, on half a cosine, so that nothing clicks), holds for `hold_ms`, and is back `length_ms` later.
`curve` bends the way back: 0 is straight in dB, positive leaves slowly and arrives quickly, negative the
other way. Where hits come closer than that, the deeper value counts. Each lane that is linked has its own depth.
"""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.ducking.shaped import DuckShape, Shaped
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

HEAD = 6
NEPER_PER_DB = np.log(10.0) / 20.0


class Ducker(Shaped, frozen=True, kw_only=True, tag_field="kind", tag="ducker"):
    """Steps back at each hit of a linked shape."""

    LABEL: ClassVar[str] = "Ducker"
    SHORT: ClassVar[str] = "Duck"
    WORDS: ClassVar[str] = "duck hit shape sidechain pump kick"
    DYNAMIC: ClassVar[bool] = True

    depth_db: Annotated[float, setting("Depth", "dB", 0.0, 60.0, step=0.5)] = 6.0

    def following(self, shape: DuckShape | None, sample_rate: int) -> Array:
        if shape is None:
            return np.zeros(HEAD)
        ms = 0.001 * sample_rate
        head = [
            self.depth_db,
            shape.smoothing_ms * ms,
            shape.hold_ms * ms,
            shape.length_ms * ms,
            4.0**shape.curve,
            0.0,
        ]
        return np.concatenate((head, np.round(np.sort(shape.hits_s) * sample_rate)))

    @classmethod
    def kernels(cls) -> Any:
        return _duck


@kernel
def _duck(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """Stateless: the gain at a frame follows from the hits around it."""
    frames, channels = block.shape
    clean(block)
    depth, fade, hold, length, power = c[0], c[1], c[2], c[3], c[4]
    hits = c[HEAD:]
    if len(gain) > 0:
        gain[:] = 0.0
    if len(hits) == 0 or depth == 0.0:
        return
    first = np.searchsorted(hits, position - hold - length)
    for i in range(frames):
        now = position + i
        while first < len(hits) and hits[first] + hold + length < now:
            first += 1
        share = 0.0
        h = first
        while h < len(hits) and hits[h] - fade <= now:
            t = now - hits[h]
            if t < 0.0:
                part = 0.5 - 0.5 * np.cos(np.pi * (1.0 + t / fade))
            elif t <= hold:
                part = 1.0
            else:
                part = 1.0 - min(1.0, (t - hold) / length) ** power
            share = max(share, part)
            h += 1
        if share > 0.0:
            change = -depth * share
            if len(gain) > 0:
                gain[i] = change
            g = np.exp(NEPER_PER_DB * change)
            for channel in range(channels):
                block[i, channel] *= g
