"""Sub-octave: a new tone an octave below what is played, mono and band-limited.

Both sides are added and filtered to the band of the fundamentals. Each time that wave rises through
zero its sign is turned over for the next whole period; the result repeats half as often. A low-pass
leaves its lowest tone. Between notes (under -60 dB) the count starts again, so that the same note gives
the same tone. Meant for a parallel path: by itself it returns the new band only.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean, run_sections
from all_even.dsp.processor import Processor, named, quiet, setting
from all_even.dsp.tone import passes
from all_even.kernels import kernel

Array = NDArray[np.float64]

REST = 1e-3
FALL_MS = 50.0
HEAD = 4
BAND_SECTIONS, OUT_SECTIONS = 3, 2


class SubOctave(Processor, frozen=True, kw_only=True, tag_field="kind", tag="sub-octave"):
    """Adds the octave below."""

    LABEL: ClassVar[str] = "Sub-octave"
    SHORT: ClassVar[str] = "Sub"
    WORDS: ClassVar[str] = "subharmonic octave divider low"

    lowest_hz: Annotated[float, setting("Lowest note", "Hz", 20.0, 200.0, step=3.0, scale="log", decimals=0)] = 41.0
    highest_hz: Annotated[float, setting("Highest note", "Hz", 60.0, 500.0, step=3.0, scale="log", decimals=0)] = 110.0
    level_db: Annotated[float, setting("Level", "dB", -40.0, 12.0, step=0.5)] = 0.0
    only_new: Annotated[bool, named("Only the new band")] = True

    def settling_s(self) -> float:
        return math.inf  # which period is turned over depends on all periods since the last rest

    def state_size(self, sample_rate: int) -> int:
        return 4 + 4 * (BAND_SECTIONS + OUT_SECTIONS)

    def coefficients(self, sample_rate: int) -> Array:
        lowest = min(self.lowest_hz, self.highest_hz)
        band = np.concatenate(
            (passes.sections(True, lowest, 12, sample_rate), passes.sections(False, self.highest_hz, 24, sample_rate))
        )
        out = passes.sections(False, 0.6 * self.highest_hz, 24, sample_rate)
        fall = math.exp(-1.0 / (0.001 * FALL_MS * sample_rate))
        head = [10.0 ** (self.level_db / 20.0), 0.0 if self.only_new else 1.0, fall, 0.0]
        return np.concatenate((head, band.ravel(), out.ravel()))

    @classmethod
    def kernels(cls) -> Any:
        return _divide


@kernel
def _divide(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: 0 level, 1 whether turned over, 2 the last sample; then the filters."""
    frames, channels = block.shape
    clean(block)
    band = np.empty((frames, 1))
    for i in range(frames):
        band[i, 0] = 0.5 * (block[i, 0] + block[i, channels - 1])
    run_sections(band, c[HEAD : HEAD + 5 * BAND_SECTIONS].reshape((BAND_SECTIONS, 5)), state[4 : 4 + 4 * BAND_SECTIONS])
    level, turned, last = state[0], state[1], state[2]
    for i in range(frames):
        x = band[i, 0]
        level = max(abs(x), c[2] * level)
        if level < REST:
            turned = 0.0
        elif x >= 0.0 and last < 0.0:
            turned = 1.0 - turned
        last = x
        band[i, 0] = -x if turned > 0.0 else x
    state[0], state[1], state[2] = quiet(level), turned, last
    out = c[HEAD + 5 * BAND_SECTIONS :]
    run_sections(band, out.reshape((OUT_SECTIONS, 5)), state[4 + 4 * BAND_SECTIONS :])
    for i in range(frames):
        for channel in range(channels):
            block[i, channel] = c[1] * block[i, channel] + c[0] * band[i, 0]
