"""Convolution: a sound as it would have been heard where a response was recorded.

The response is a recording of its own, of one channel (heard from both sides alike), two (left and right of one
source) or four (true stereo: left and right of a source on the left, then of one on the right). A session keeps which
file it is (`ResponseFile`); whoever plays reads it (`engine.responses`) and hands it on. There is no latency.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any, ClassVar

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import NO_HISTORY, Described, Identifier, Processor, setting
from all_even.dsp.space import partitioned
from all_even.dsp.space.partitioned import Layout

Array = NDArray[np.float64]
LONGEST_S = 30.0
HEAD = 4
"""Coefficients before those of the response: gain of the sound itself, of the room, taps, and one in reserve."""
FADE_S = 0.01


class ResponseFile(Described, frozen=True, kw_only=True):
    """A recorded response. file: path inside the session's `folders[folder]`, with forward slashes."""

    id: Identifier
    name: Annotated[str, Meta(max_length=200)]
    folder: Annotated[int, Meta(ge=0)] = 0
    file: Annotated[str, Meta(max_length=4000)]


@dataclass(frozen=True, slots=True, eq=False)
class LoadedResponse:
    """A response as it was read. samples: (frames, 1, 2 or 4) at the session's rate; content: which sound it is."""

    id: str
    samples: Array
    content: str


class Convolver(Processor, frozen=True, kw_only=True):
    """What all kinds of convolution have in common: no latency, a mix of the sound and its room."""

    REMEMBERS_LONG: ClassVar[bool] = True
    LARGE: ClassVar[bool] = True

    mix_percent: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0, fixed=True)] = 100.0

    def longest_s(self) -> float:
        """The longest response there can be, s."""
        raise NotImplementedError

    def taps(self, sample_rate: int) -> int:
        return max(1, round(self.longest_s() * sample_rate))

    def settling_s(self) -> float:
        return self.longest_s()

    def rings_s(self) -> float:
        return self.longest_s()

    def state_size(self, sample_rate: int) -> int:
        return 1

    def history_size(self, sample_rate: int) -> int:
        return Layout(self.taps(sample_rate)).history_size()

    def with_response(self, response: Array | None, sample_rate: int) -> Array:
        """Coefficients for a response, (4, frames) or None."""
        taps, wet = self.taps(sample_rate), self.mix_percent / 100.0
        if response is None:
            return np.array([1.0 - wet, 0.0, 0.0, 0.0])
        whole = np.zeros((4, taps))
        count = min(taps, response.shape[1])
        whole[:, :count] = response[:, :count]
        return np.concatenate(([1.0 - wet, wet, float(taps), 0.0], partitioned.transformed(whole)))

    @classmethod
    def kernels(cls) -> Any:
        return clean

    @classmethod
    def process(
        cls,
        block: Array,
        key: Array,
        gain: Array,
        coefficients: Array,
        state: Array,
        position: int,
        short: bool,
        history: Array = NO_HISTORY,
    ) -> None:
        clean(block)
        dry, wet, taps = coefficients[0], coefficients[1], int(coefficients[2])
        if not taps:
            block *= dry
            return
        sound = np.ascontiguousarray(np.repeat(block, 2, axis=1) if block.shape[1] == 1 else block)
        room = sound.copy()
        partitioned.convolve(room, coefficients[HEAD:], taps, state, history)
        if block.shape[1] == 1:
            block[:, 0] = dry * block[:, 0] + wet * 0.5 * (room[:, 0] + room[:, 1])
        else:
            block[:] = dry * sound + wet * room


class Convolution(Convolver, frozen=True, kw_only=True, tag_field="kind", tag="convolution"):
    """Puts a sound where a response was recorded; without a response nothing of that is heard."""

    LABEL: ClassVar[str] = "Convolution"
    SHORT: ClassVar[str] = "Convol."
    WORDS: ClassVar[str] = "impulse response room reverb space recorded"
    FIRST: ClassVar[tuple[str, ...]] = ("length_s", "predelay_ms", "level_db", "mix_percent")

    response: Annotated[str, Meta(max_length=80)] = ""
    length_s: Annotated[
        float, setting("Length", "s", 0.05, LONGEST_S, step=3.0, scale="log", decimals=2, fixed=True)
    ] = 4.0
    predelay_ms: Annotated[float, setting("Pre-delay", "ms", 0.0, 200.0, step=1.0, decimals=0, fixed=True)] = 0.0
    level_db: Annotated[float, setting("Level", "dB", -40.0, 20.0, step=0.5, fixed=True)] = 0.0

    def longest_s(self) -> float:
        return self.length_s + self.predelay_ms / 1000.0

    def coefficients(self, sample_rate: int) -> Array:
        return self.with_response(None, sample_rate)

    def of(self, loaded: LoadedResponse, sample_rate: int) -> Array:
        """Coefficients for a response that was read; what is longer fades out at the station's length."""
        paths = four_paths(loaded.samples) * 10.0 ** (self.level_db / 20.0)
        late, frames = round(self.predelay_ms * sample_rate / 1000.0), round(self.length_s * sample_rate)
        used = paths[:, :frames].copy()
        if paths.shape[1] > frames:
            fade = min(frames, max(1, round(FADE_S * sample_rate)))
            used[:, frames - fade :] *= 0.5 + 0.5 * np.cos(np.pi * np.arange(fade) / fade)
        return self.with_response(np.pad(used, ((0, 0), (late, 0))), sample_rate)


def four_paths(samples: Array) -> Array:
    """(4, frames): left to left, left to right, right to left, right to right, of a recorded response.

    One channel: each side by itself. Two: one source in the middle, heard left and right; a sound on one side alone
    is heard from both, as half of that source.
    """
    left = samples[:, 0]
    silent = np.zeros_like(left)
    if samples.shape[1] == 1:
        return np.stack((left, silent, silent, left))
    right = samples[:, 1]
    if samples.shape[1] == 2:
        return 0.5 * np.stack((left, right, left, right))
    return np.ascontiguousarray(samples[:, :4].T)


def with_loaded(station: Convolution, loaded: LoadedResponse | None, sample_rate: int) -> Array:
    """Coefficients of a station with the response it is linked to."""
    if loaded is None:
        return station.coefficients(sample_rate)
    return _with_loaded(station, _ByContent(loaded), sample_rate)


class _ByContent:
    """A loaded response, equal to any of the same content."""

    def __init__(self, loaded: LoadedResponse) -> None:
        self.loaded = loaded

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _ByContent) and other.loaded.content == self.loaded.content

    def __hash__(self) -> int:
        return hash(self.loaded.content)


@lru_cache(maxsize=8)
def _with_loaded(station: Convolution, loaded: _ByContent, sample_rate: int) -> Array:
    result = station.of(loaded.loaded, sample_rate)
    result.setflags(write=False)
    return result
