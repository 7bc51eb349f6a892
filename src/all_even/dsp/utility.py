"""Plain tools of a chain: gain and polarity, delay, removal of direct current, width and sides.

Width works on middle and side, M = (L + R)/2 and S = (L - R)/2: width 0 is mono, 100 leaves the sound
as it is, 200 doubles the sides. Each side then stands where its own pan puts it (dual pan, constant
power against the other side's): with left at L 100 and right at R 100 nothing changes. On a mono lane
only gain, delay and direct current do anything.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean, run_sections
from all_even.dsp.processor import Processor, named, setting
from all_even.dsp.ring import delayed
from all_even.kernels import kernel

Array = NDArray[np.float64]

LONGEST_DELAY_MS = 500.0
DC_HZ = 5.0


class Gain(Processor, frozen=True, kw_only=True, tag_field="kind", tag="gain"):
    """A level, and polarity."""

    LABEL: ClassVar[str] = "Gain"
    SHORT: ClassVar[str] = "Gain"
    WORDS: ClassVar[str] = "level trim polarity invert phase"

    gain_db: Annotated[float, setting("Gain", "dB", -60.0, 36.0, step=0.5)] = 0.0
    invert: Annotated[bool, named("Invert polarity")] = False

    def coefficients(self, sample_rate: int) -> Array:
        return np.array([10.0 ** (self.gain_db / 20.0) * (-1.0 if self.invert else 1.0)])

    @classmethod
    def kernels(cls) -> Any:
        return _gain


@kernel
def _gain(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    clean(block)
    block *= c[0]


class Delay(Processor, frozen=True, kw_only=True, tag_field="kind", tag="delay"):
    """Makes a track late on purpose: this delay is *not* compensated. In ms, plus whole frames."""

    LABEL: ClassVar[str] = "Delay"
    SHORT: ClassVar[str] = "Delay"
    WORDS: ClassVar[str] = "offset align time late samples"

    delay_ms: Annotated[float, setting("Delay", "ms", 0.0, LONGEST_DELAY_MS, step=0.1, decimals=2, fixed=True)] = 0.0
    delay_frames: Annotated[
        float, setting("More samples", "samples", 0.0, 4800.0, step=1.0, decimals=0, fixed=True)
    ] = 0.0

    def frames(self, sample_rate: int) -> int:
        return round(self.delay_ms * 0.001 * sample_rate + self.delay_frames)

    def settling_s(self) -> float:
        return self.delay_ms * 0.001 + self.delay_frames / 4000.0

    def state_size(self, sample_rate: int) -> int:
        return 1 + 2 * self.frames(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        return np.array([float(self.frames(sample_rate))])

    @classmethod
    def kernels(cls) -> Any:
        return delay_line


@kernel
def delay_line(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """Delays by c[0] whole frames, at most as many as the state holds. state: the ring's place, then two numbers
    a frame."""
    clean(block)
    state[0] = delayed(block, int(c[0]), state[0], state[1:])


class DcRemoval(Processor, frozen=True, kw_only=True, tag_field="kind", tag="dc-removal"):
    """Takes direct current away: one pole at 5 Hz."""

    LABEL: ClassVar[str] = "DC removal"
    SHORT: ClassVar[str] = "DC"
    WORDS: ClassVar[str] = "direct current dc offset"

    def settling_s(self) -> float:
        return 18.4 / (2.0 * math.pi * DC_HZ)

    def state_size(self, sample_rate: int) -> int:
        return 4

    def coefficients(self, sample_rate: int) -> Array:
        pole = math.exp(-2.0 * math.pi * DC_HZ / sample_rate)
        g = 0.5 * (1.0 + pole)
        return np.array([g, -g, 0.0, -pole, 0.0])

    @classmethod
    def kernels(cls) -> Any:
        return _remove_dc


@kernel
def _remove_dc(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    clean(block)
    run_sections(block, c.reshape((1, 5)), state)


class Width(Processor, frozen=True, kw_only=True, tag_field="kind", tag="width"):
    """Middle and sides, and where each side stands."""

    LABEL: ClassVar[str] = "Width"
    SHORT: ClassVar[str] = "Width"
    WORDS: ClassVar[str] = "stereo mid side ms mono swap dual pan"

    width: Annotated[float, setting("Width", "%", 0.0, 200.0, step=5.0, decimals=0)] = 100.0
    mid_db: Annotated[float, setting("Middle", "dB", -60.0, 12.0, step=0.5)] = 0.0
    side_db: Annotated[float, setting("Sides", "dB", -60.0, 12.0, step=0.5)] = 0.0
    left_pan: Annotated[float, setting("Left stands at", "", -1.0, 1.0, step=0.05, decimals=2)] = -1.0
    right_pan: Annotated[float, setting("Right stands at", "", -1.0, 1.0, step=0.05, decimals=2)] = 1.0

    def coefficients(self, sample_rate: int) -> Array:
        mid, side = 10.0 ** (self.mid_db / 20.0), 10.0 ** (self.side_db / 20.0) * self.width / 100.0
        mix = 0.5 * np.array([[mid + side, mid - side], [mid - side, mid + side]])
        angles = [(pan + 1.0) * math.pi / 4.0 for pan in (self.left_pan, self.right_pan)]
        places = np.array([[math.cos(angle) for angle in angles], [math.sin(angle) for angle in angles]])
        return (places @ mix).ravel()

    @classmethod
    def kernels(cls) -> Any:
        return _widen


@kernel
def _widen(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    clean(block)
    if block.shape[1] == 2:
        for i in range(len(block)):
            left, right = block[i, 0], block[i, 1]
            block[i, 0] = c[0] * left + c[1] * right
            block[i, 1] = c[2] * left + c[3] * right
