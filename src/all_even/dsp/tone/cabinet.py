"""Cabinet: a loudspeaker in a box and a microphone before it, for what was recorded without one.

Four boxes of our own making, each a drawn magnitude: where the box rings, how the cone falls off, and the dip that the
microphone beside the middle of the cone hears. The response is of minimum phase (by the real cepstrum, A. V. Oppenheim
and R. W. Schafer, "Discrete-Time Signal Processing", chapter on the cepstrum; from memory), so there is no latency.
With distance the floor comes back later and softer, which makes the comb that a microphone in a room hears.
"""

import math
from functools import lru_cache
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import named, setting
from all_even.dsp.space.convolution import Convolver

Array = NDArray[np.float64]
Box = Literal["open back", "closed back", "bass", "small radio"]
BOXES: dict[str, tuple[tuple[float, float], ...]] = {
    "open back": ((40, -30), (80, -10), (120, 0), (250, -2), (500, -3), (1200, 0), (2300, 5), (3200, 2), (4300, -4),
                  (5500, -16), (8000, -34), (16000, -60)),
    "closed back": ((40, -24), (70, -4), (110, 4), (200, 0), (450, -4), (900, -2), (1800, 2), (2800, 5), (3800, 0),
                    (4800, -12), (6500, -28), (10000, -50), (16000, -64)),
    "bass": ((20, -24), (35, -6), (50, 1), (90, 2), (180, 0), (400, -4), (800, -2), (1500, 1), (2500, 0), (3500, -8),
             (5000, -20), (9000, -40), (16000, -60)),
    "small radio": ((80, -40), (200, -20), (350, -4), (600, 2), (1100, 5), (1800, 2), (2600, 4), (3600, -2),
                    (4800, -14), (7000, -34), (16000, -60)),
}  # fmt: skip
"""dB at Hz, straight lines over octaves between."""
LENGTH_S = 0.05
SIZE = 8192
SOUND_M_S = 343.0
NEAREST_M, HEIGHT_M, FLOOR = 0.03, 0.4, 0.5
"""Of the microphone from the cone, of both over the floor; and what the floor gives back."""


class Cabinet(Convolver, frozen=True, kw_only=True, tag_field="kind", tag="cabinet"):
    """A loudspeaker cabinet, heard by a microphone."""

    LABEL: ClassVar[str] = "Cabinet"
    SHORT: ClassVar[str] = "Cab"
    WORDS: ClassVar[str] = "amplifier speaker box guitar bass direct tone"
    FIRST: ClassVar[tuple[str, ...]] = ("box", "distance_cm", "mix_percent")

    box: Annotated[Box, named("Box")] = "closed back"
    distance_cm: Annotated[float, setting("Microphone at", "cm", 3.0, 150.0, step=3.0, scale="log", decimals=0,
                                          fixed=True)] = 5.0  # fmt: skip

    def longest_s(self) -> float:
        return LENGTH_S

    def coefficients(self, sample_rate: int) -> Array:
        one = response(self.box, self.distance_cm, sample_rate)
        silent = np.zeros_like(one)
        return self.with_response(np.stack((one, silent, silent, one)), sample_rate)


def magnitude_db(box: str, frequency_hz: NDArray[np.floating]) -> Array:
    """What a box was drawn with, dB; past its last point it goes on falling."""
    hertz, level = (np.array(column, dtype=np.float64) for column in zip(*BOXES[box], strict=True))
    at = np.log2(np.maximum(frequency_hz, 1.0))
    return np.asarray(np.interp(at, np.log2(hertz), level))


@lru_cache(maxsize=32)
def response(box: str, distance_cm: float, sample_rate: int) -> Array:
    """(frames,) of minimum phase, with the floor's answer."""
    size = SIZE * max(1, math.ceil(sample_rate / 48_000))
    level = magnitude_db(box, np.fft.rfftfreq(size, 1.0 / sample_rate))
    cepstrum = np.fft.irfft(level * math.log(10.0) / 20.0, size)
    folded = np.zeros(size)
    folded[0], folded[size // 2] = cepstrum[0], cepstrum[size // 2]
    folded[1 : size // 2] = 2.0 * cepstrum[1 : size // 2]
    own = np.fft.irfft(np.exp(np.fft.rfft(folded)), size)[: round(LENGTH_S * sample_rate)]
    far_m = max(NEAREST_M, distance_cm / 100.0)
    way_m = math.hypot(far_m, 2.0 * HEIGHT_M)
    late, share = round((way_m - far_m) / SOUND_M_S * sample_rate), FLOOR * far_m / way_m
    heard = own.copy()
    heard[late:] += share * own[: len(own) - late]
    heard.setflags(write=False)
    return heard
