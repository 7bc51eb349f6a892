"""Shapes at hits: times in the song that are known in advance, and the stations that follow them.

Hits are found in a track, read from a MIDI file, or a beat grid. Since nothing has to be detected while playing,
there is no latency and every double counts. One shape may be linked to several lanes: changed once, all follow.
"""

from collections.abc import Iterable
from functools import lru_cache
from typing import Annotated

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from all_even.dsp.processor import Described, Identifier, Processor, coefficients_of, key_of, setting
from all_even.dsp.space.convolution import Convolution, LoadedResponse, with_loaded

Array = NDArray[np.float64]
Time = Annotated[float, Meta(ge=0.0, le=1e6)]


class DuckShape(Described, frozen=True, kw_only=True):
    """A shape that lanes may be linked to. hits_from: where the hits are from, in words."""

    id: Identifier
    name: Annotated[str, Meta(max_length=200)]
    hits_s: Annotated[tuple[Time, ...], Meta(max_length=100_000)] = ()
    hits_from: Annotated[str, Meta(max_length=400)] = ""
    hold_ms: Annotated[float, setting("Hold", "ms", 0.0, 500.0, step=5.0)] = 40.0
    length_ms: Annotated[float, setting("Release", "ms", 5.0, 1000.0, step=5.0)] = 90.0
    curve: Annotated[float, setting("Release curve", "", -1.0, 1.0, step=0.1, decimals=2)] = 0.0
    smoothing_ms: Annotated[float, setting("Attack", "ms", 0.5, 50.0, step=0.5)] = 4.0

    def attenuation(self, after_hit_ms: Array) -> Array:
        """Share of the depth, 0 to 1, at times after (negative: before) a single hit."""
        t = np.asarray(after_hit_ms, dtype=np.float64)
        back = np.clip((t - self.hold_ms) / self.length_ms, 0.0, 1.0)
        fade = 0.5 - 0.5 * np.cos(np.pi * np.clip(1.0 + t / self.smoothing_ms, 0.0, 1.0))
        return np.where(t < 0.0, fade, 1.0 - back ** (4.0**self.curve))


class Shaped(Processor, frozen=True, kw_only=True):
    """A station that follows a shape of the session, by its id; without one it has no hits."""

    shape: Annotated[str, Meta(max_length=80)] = ""

    def coefficients(self, sample_rate: int) -> Array:
        return self.following(None, sample_rate)

    def following(self, shape: DuckShape | None, sample_rate: int) -> Array:
        """What the kernel needs, with the shape it is linked to."""
        raise NotImplementedError


Linked = DuckShape | LoadedResponse
"""What a station may be linked to by an id."""


def coefficients_with(processor: Processor, linked: Iterable[Linked], sample_rate: int) -> Array:
    """Coefficients of any station; of one that follows a shape or has a response, with that one among these."""
    if isinstance(processor, Convolution):
        loaded = (item for item in linked if isinstance(item, LoadedResponse) and item.id == processor.response)
        return with_loaded(processor, next(loaded, None), sample_rate)
    if not isinstance(processor, Shaped):
        return coefficients_of(processor, sample_rate)
    return _followed(processor, shape_of(processor, linked), sample_rate)


@lru_cache(maxsize=256)
def _followed(station: Shaped, shape: DuckShape | None, sample_rate: int) -> Array:
    result = station.following(shape, sample_rate)
    result.setflags(write=False)
    return result


def shape_of(station: Processor, linked: Iterable[Linked]) -> DuckShape | None:
    """The shape that a station is linked to; None where it follows none, or one that is gone."""
    wanted = station.shape if isinstance(station, Shaped) else ""
    return next((item for item in linked if isinstance(item, DuckShape) and item.id == wanted), None)


def follows_another(processor: Processor) -> bool:
    """Whether how far it takes a sound down depends on another track: by a key, or by a shape of that track's hits."""
    return (isinstance(processor, Shaped) and processor.DYNAMIC) or key_of(processor) is not None
