"""Ducker: one gain shape for every hit, known in advance.

The shape is drawn in words and milliseconds: it is down when the hit comes (it begins `smoothing_ms`
earlier, on half a cosine, so that nothing clicks), holds for `hold_ms`, and is back `length_ms` later.
`curve` bends the way back: 0 is straight in dB, positive leaves slowly and arrives quickly, negative the
other way. Where hits come closer than that, the deeper value counts.

Hits are times in the song: found in a track, read from a MIDI file, or a beat grid. Since nothing has to
be detected while playing, there is no latency and every double counts. One shape may be linked to
several lanes; each has its own depth.
"""

import bisect
from functools import lru_cache
from typing import Annotated, Any, ClassVar

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from all_even.dsp.biquad import clean
from all_even.dsp.processor import Described, Identifier, Processor, key_of, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]
Time = Annotated[float, Meta(ge=0.0, le=1e6)]

HEAD = 6
NEPER_PER_DB = np.log(10.0) / 20.0


class DuckShape(Described, frozen=True, kw_only=True):
    """A shape that lanes may be linked to. hits_from: where the hits are from, in words."""

    id: Identifier
    name: Annotated[str, Meta(max_length=200)]
    hits_s: Annotated[tuple[Time, ...], Meta(max_length=100_000)] = ()
    hits_from: Annotated[str, Meta(max_length=400)] = ""
    hold_ms: Annotated[float, setting("Holds", "ms", 0.0, 500.0, step=5.0)] = 40.0
    length_ms: Annotated[float, setting("Is back after", "ms", 5.0, 1000.0, step=5.0)] = 90.0
    curve: Annotated[float, setting("Bend of the way back", "", -1.0, 1.0, step=0.1, decimals=2)] = 0.0
    smoothing_ms: Annotated[float, setting("Steps back within", "ms", 0.5, 50.0, step=0.5)] = 4.0

    def attenuation(self, after_hit_ms: Array) -> Array:
        """Share of the depth, 0 to 1, at times after (negative: before) a single hit."""
        t = np.asarray(after_hit_ms, dtype=np.float64)
        back = np.clip((t - self.hold_ms) / self.length_ms, 0.0, 1.0)
        fade = 0.5 - 0.5 * np.cos(np.pi * np.clip(1.0 + t / self.smoothing_ms, 0.0, 1.0))
        return np.where(t < 0.0, fade, 1.0 - back ** (4.0**self.curve))


class Ducker(Processor, frozen=True, kw_only=True, tag_field="kind", tag="ducker"):
    """Steps back at each hit of a linked shape."""

    LABEL: ClassVar[str] = "Ducker"
    SHORT: ClassVar[str] = "Duck"
    WORDS: ClassVar[str] = "duck hit shape sidechain pump kick"
    DYNAMIC: ClassVar[bool] = True

    shape: Annotated[str, Meta(max_length=80)] = ""
    depth_db: Annotated[float, setting("Depth", "dB", 0.0, 60.0, step=0.5)] = 6.0

    def coefficients(self, sample_rate: int) -> Array:
        return np.zeros(HEAD)

    @classmethod
    def kernels(cls) -> Any:
        return _duck


@lru_cache(maxsize=256)
def linked(ducker: Ducker, shape: DuckShape | None, sample_rate: int) -> Array:
    """Coefficients of a ducker with the shape it is linked to; without one it does nothing."""
    if shape is None:
        return np.zeros(HEAD)
    ms = 0.001 * sample_rate
    head = [
        ducker.depth_db,
        shape.smoothing_ms * ms,
        shape.hold_ms * ms,
        shape.length_ms * ms,
        4.0**shape.curve,
        0.0,
    ]
    return np.concatenate((head, np.round(np.sort(shape.hits_s) * sample_rate)))


def hits_between(shape: DuckShape, start_s: float, end_s: float) -> tuple[float, ...]:
    """The hits of a stretch of the song."""
    hits = sorted(shape.hits_s)
    return tuple(hits[bisect.bisect_left(hits, start_s) : bisect.bisect_right(hits, end_s)])


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


def follows_another(processor: Processor) -> bool:
    """Whether what it does depends on another track: by a key, or by a shape of that track's hits."""
    return isinstance(processor, Ducker) or key_of(processor) is not None
