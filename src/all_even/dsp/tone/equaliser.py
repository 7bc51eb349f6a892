"""Equaliser: bells, shelves, notches, tilts and passes, as many bands as wanted, in one processor.

Minimum phase: second-order sections matched to the analogue prototype (`dsp.filters.biquad`). Linear phase:
one symmetric filter with the same magnitude, made by frequency sampling and a tapered window; it delays
everything by half its length, which is reported, and rings before a hit as much as after it.
"""

import math
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from msgspec import Meta
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.filters import biquad
from all_even.dsp.filters.biquad import clean, run_sections
from all_even.dsp.processor import NO_HISTORY, Described, Processor, named, setting
from all_even.kernels import kernel
from all_even.late import scipy

Array = NDArray[np.float64]

MOST_BANDS = 32
LINEAR_S = 0.17
"""Length of the linear-phase filter: 8161 taps at 48 kHz, so that a bell of Q 1 at 40 Hz is still right."""
PRE_RINGING_DB = -60.0
LINEAR_EDGE = 0.6
"""Share of the filter that its raised-cosine ends take."""

Shape = Literal["bell", "low shelf", "high shelf", "notch", "tilt", "high-pass", "low-pass"]
GAINLESS = ("notch", "high-pass", "low-pass")


class Band(Described, frozen=True, kw_only=True):
    """One band. q: of a pass, only its steepness near the corner (12 dB per octave)."""

    on: Annotated[bool, named("On")] = True
    shape: Annotated[Shape, named("Shape")] = "bell"
    frequency_hz: Annotated[float, setting("Frequency", "Hz", 10.0, 22000.0, step=3.0, scale="log", decimals=0)] = (
        1000.0
    )
    gain_db: Annotated[float, setting("Gain", "dB", -24.0, 24.0, step=0.5)] = 0.0
    q: Annotated[float, setting("Q", "", 0.1, 30.0, step=5.0, scale="log", decimals=2)] = 1.0

    def section(self, sample_rate: int) -> tuple[float, ...]:
        f = self.frequency_hz / sample_rate
        match self.shape:
            case "bell":
                return biquad.bell(f, self.gain_db, self.q)
            case "low shelf":
                return biquad.low_shelf(f, self.gain_db, self.q)
            case "high shelf":
                return biquad.high_shelf(f, self.gain_db, self.q)
            case "notch":
                return biquad.notch(f, self.q)
            case "tilt":
                return biquad.tilt(f, self.gain_db)
            case "high-pass":
                return biquad.high_pass(f, self.q)
            case "low-pass":
                return biquad.low_pass(f, self.q)

    def prototype(self, frequencies_hz: Array) -> Array:
        """Linear magnitude of the analogue filter this band stands for."""
        s = 1j * np.asarray(frequencies_hz) / self.frequency_hz
        A = 10.0 ** (self.gain_db / 40.0)
        q, root = self.q, math.sqrt(A)
        match self.shape:
            case "bell":
                response = (s * s + s * A / q + 1) / (s * s + s / (A * q) + 1)
            case "low shelf":
                response = A * (s * s + root / q * s + A) / (A * s * s + root / q * s + 1)
            case "high shelf":
                response = A * (A * s * s + root / q * s + 1) / (s * s + root / q * s + A)
            case "notch":
                response = (s * s + 1) / (s * s + s / q + 1)
            case "tilt":
                response = (A * s + 1) / (s + A)
            case "high-pass":
                response = s * s / (s * s + s / q + 1)
            case "low-pass":
                response = 1 / (s * s + s / q + 1)
        return np.abs(response)


class Equaliser(Processor, frozen=True, kw_only=True, tag_field="kind", tag="equaliser"):
    """A static tone curve."""

    LABEL: ClassVar[str] = "Equaliser"
    SHORT: ClassVar[str] = "EQ"
    WORDS: ClassVar[str] = "eq tone bell shelf notch tilt"

    BAND_COUNTS: ClassVar[tuple[int, int]] = (0, MOST_BANDS)

    bands: Annotated[tuple[Band, ...], Meta(max_length=MOST_BANDS)] = ()
    phase: Annotated[Literal["minimum", "linear"], named("Phase")] = "minimum"
    output_db: Annotated[float, setting("Output", "dB", -24.0, 24.0, step=0.5)] = 0.0

    def with_band(self, index: int) -> "Equaliser":
        """A new band behind this one."""
        return replace(self, bands=(*self.bands[: index + 1], Band(), *self.bands[index + 1 :]))

    def without_band(self, index: int) -> "Equaliser":
        return replace(self, bands=(*self.bands[:index], *self.bands[index + 1 :]))

    def sections(self, sample_rate: int) -> Array:
        """(bands in use, 5)."""
        return np.array([band.section(sample_rate) for band in self.bands if band.on]).reshape(-1, 5)

    def magnitude(self, frequencies_hz: Array, sample_rate: int) -> Array:
        """Linear gain at some frequencies, as it sounds; for the drawing."""
        shape = biquad.magnitude(self.sections(sample_rate), frequencies_hz, sample_rate)
        return shape * 10.0 ** (self.output_db / 20.0)

    def latency_frames(self, sample_rate: int) -> int:
        return _taps(sample_rate) // 2 if self.phase == "linear" else 0

    def pre_ringing_ms(self, sample_rate: int) -> float:
        """How long before a hit linear phase is heard, down to 60 dB under its peak; 0 for minimum phase."""
        if self.phase != "linear":
            return 0.0
        taps = np.abs(_linear(self.bands, sample_rate))
        middle = len(taps) // 2
        heard = np.flatnonzero(taps[:middle] > taps.max() * 10.0 ** (PRE_RINGING_DB / 20.0))
        return 1000.0 * (middle - int(heard[0])) / sample_rate if len(heard) else 0.0

    def settling_s(self) -> float:
        if self.phase == "linear":
            return LINEAR_S
        slowest = (max(0.5, band.q * 10.0 ** (abs(band.gain_db) / 40.0)) / band.frequency_hz for band in self.bands)
        return sum(18.4 * quality / math.pi for quality in slowest)

    def state_size(self, sample_rate: int) -> int:
        return 2 * _taps(sample_rate) if self.phase == "linear" else 4 * MOST_BANDS

    def coefficients(self, sample_rate: int) -> Array:
        output = 10.0 ** (self.output_db / 20.0)
        if self.phase == "minimum":
            return np.concatenate(([0.0, output], self.sections(sample_rate).ravel()))
        return np.concatenate(([1.0, 1.0], output * _linear(self.bands, sample_rate)))

    @classmethod
    def kernels(cls) -> Any:
        return _equalise

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
        if coefficients[0] == 0.0:
            super().process(block, key, gain, coefficients, state, position, short)
        else:
            _convolve(block, coefficients[2:], state)


@kernel
def _equalise(block, key, gain, coefficients, state, position):  # type: ignore[no-untyped-def]
    clean(block)
    run_sections(block, coefficients[2:].reshape(((len(coefficients) - 2) // 5, 5)), state)
    if coefficients[1] != 1.0:
        block *= coefficients[1]


def _taps(sample_rate: int) -> int:
    """Odd, so that the middle is a whole frame."""
    return 2 * int(LINEAR_S * sample_rate / 2.0) + 1


@lru_cache(maxsize=64)
def _linear(bands: tuple[Band, ...], sample_rate: int) -> Array:
    taps = _taps(sample_rate)
    size = scipy.fft.next_fast_len(8 * taps, real=True)
    frequencies = np.fft.rfftfreq(size, 1.0 / sample_rate)
    magnitude = np.ones(len(frequencies))
    for band in bands:
        if band.on:
            magnitude *= band.prototype(np.maximum(frequencies, 1e-3))
    impulse = np.roll(scipy.fft.irfft(magnitude, size), taps // 2)[:taps]
    result: Array = impulse * scipy.signal.windows.tukey(taps, LINEAR_EDGE)
    return result


def _convolve(block: Array, taps: Array, state: Array) -> None:
    """Direct result of the filter by fast transforms over what came before and this block."""
    clean(block)
    frames, channels = block.shape
    if not frames:
        return
    before = len(taps) - 1
    history = state[: 2 * before].reshape(before, 2)
    joined = np.concatenate((history[:, :channels], block))
    block[:] = scipy.signal.oaconvolve(joined, taps[:, np.newaxis], mode="valid", axes=0)
    history[:, :channels] = joined[frames:]
