"""High-pass and low-pass: Butterworth from 6 to 48 dB per octave, and a gentle 3 dB per octave.

Butterworth of order n is a cascade of pole pairs with Q = 1/(2·cos(angle)), and one single pole where
n is odd; -3.01 dB at the frequency. The gentle slope has no such definition: a single pole and a
zero half an octave apart, one pair to the octave, over seven octaves past the frequency. From one to
five octaves past it the slope stays within 0.6 dB of 3 dB per octave, with a ripple of ±0.2 dB.
"""

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters import biquad
from all_even.dsp.filters.biquad import clean, run_sections
from all_even.dsp.processor import Processor, named, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]
Slope = Literal[3, 6, 12, 18, 24, 30, 36, 42, 48]

GENTLE_OCTAVES = 7
GENTLE_START = 2.0**0.55
"""Places the first pole so that the gentle slope is -3 dB at its frequency."""
MOST_SECTIONS = 8


def butterworth_q(order: int) -> list[float]:
    """Quality of each pole pair of a Butterworth filter, lowest first."""
    return [1.0 / (2.0 * math.sin(math.pi * (2 * k + 1) / (2 * order))) for k in reversed(range(order // 2))]


def sections(high: bool, frequency_hz: float, slope: int, sample_rate: int) -> Array:
    """(count, 5) sections of a high-pass (`high`) or low-pass."""
    f = frequency_hz / sample_rate
    if slope == 3:
        return _gentle(high, f)
    order = slope // 6
    pair, single = (biquad.high_pass, biquad.high_pass_first) if high else (biquad.low_pass, biquad.low_pass_first)
    found = [pair(f, q) for q in butterworth_q(order)]
    if order % 2:
        found.append(single(f))
    return np.array(found)


def _gentle(high: bool, f: float) -> Array:
    found = []
    for octave in range(GENTLE_OCTAVES):
        if high:
            pole = f * GENTLE_START / 2.0**octave
            zero, at_zero = pole / math.sqrt(2.0), math.sqrt(0.5)
        else:
            pole = f / GENTLE_START * 2.0**octave
            zero, at_zero = pole * math.sqrt(2.0), 1.0
        if pole < biquad.HIGHEST:
            found.append(biquad.first_order(zero, pole, at_zero))
    return np.array(found) if found else np.array([[1.0, 0.0, 0.0, 0.0, 0.0]])


@kernel
def _pass(block, key, gain, coefficients, state, position):  # type: ignore[no-untyped-def]
    clean(block)
    run_sections(block, coefficients.reshape((len(coefficients) // 5, 5)), state)


class _Pass(Processor, frozen=True, kw_only=True):
    HIGH: ClassVar[bool] = True

    def sections(self, sample_rate: int) -> Array:
        raise NotImplementedError

    def coefficients(self, sample_rate: int) -> Array:
        return self.sections(sample_rate).ravel()

    def state_size(self, sample_rate: int) -> int:
        return 4 * MOST_SECTIONS

    @classmethod
    def kernels(cls) -> Any:
        return _pass


class HighPass(_Pass, frozen=True, kw_only=True, tag_field="kind", tag="high-pass"):
    """Takes away what lies under its frequency."""

    LABEL: ClassVar[str] = "High-pass"
    SHORT: ClassVar[str] = "HP"
    WORDS: ClassVar[str] = "low cut rumble filter hpf"

    frequency_hz: Annotated[float, setting("Frequency", "Hz", 10.0, 4000.0, step=3.0, scale="log", decimals=0)] = 30.0
    slope: Annotated[Slope, named("Slope, dB per octave")] = 12

    def sections(self, sample_rate: int) -> Array:
        return sections(True, self.frequency_hz, self.slope, sample_rate)

    def settling_s(self) -> float:
        return ring_s(self.frequency_hz, self.slope)


class LowPass(_Pass, frozen=True, kw_only=True, tag_field="kind", tag="low-pass"):
    """Takes away what lies over its frequency."""

    LABEL: ClassVar[str] = "Low-pass"
    SHORT: ClassVar[str] = "LP"
    WORDS: ClassVar[str] = "high cut filter lpf"

    frequency_hz: Annotated[float, setting("Frequency", "Hz", 100.0, 22000.0, step=3.0, scale="log", decimals=0)] = (
        12000.0
    )
    slope: Annotated[Slope, named("Slope, dB per octave")] = 12

    def sections(self, sample_rate: int) -> Array:
        return sections(False, self.frequency_hz, self.slope, sample_rate)

    def settling_s(self) -> float:
        return ring_s(self.frequency_hz, self.slope)


def ring_s(frequency_hz: float, slope: int) -> float:
    """Until the slowest pole of such a filter has fallen by 160 dB."""
    if slope == 3:
        return 18.4 / (2.0 * math.pi * frequency_hz / 2.0**GENTLE_OCTAVES)
    quality = max([*butterworth_q(slope // 6), 0.5])
    return 18.4 * 2.0 * quality / (2.0 * math.pi * frequency_hz) * (1.5 if slope > 12 else 1.1)
