"""Transient shaper: more or less attack, more or less sustain, whatever the level.

Two followers of the same level in dB: a quick one that rises within 1 ms and a slow one that rises
within 20 ms; both fall with 60 ms. Their distance is the attack part of the sound, so `attack_db` is
added in proportion to it (fully at 12 dB). A third, which falls with 400 ms, lies above the slow one
while the sound dies away; their distance is the sustain part. The gain never depends on the level
itself, only on how it moves.
"""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.biquad import clean
from all_even.dsp.compressor import smoothing
from all_even.dsp.processor import Processor, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

QUICK_MS, SLOW_MS, FALL_MS, LINGER_MS = 1.0, 20.0, 60.0, 400.0
FULL_DB = 12.0
FLOOR_DB = -80.0
DB_PER_NEPER = 10.0 / np.log(10.0)
NEPER_PER_DB = np.log(10.0) / 20.0


class TransientShaper(Processor, frozen=True, kw_only=True, tag_field="kind", tag="transient"):
    """Lifts or softens the start and the tail of each hit."""

    LABEL: ClassVar[str] = "Transient shaper"
    SHORT: ClassVar[str] = "Trans"
    WORDS: ClassVar[str] = "attack sustain punch drums"
    DYNAMIC: ClassVar[bool] = True

    attack_db: Annotated[float, setting("Attack", "dB", -12.0, 12.0, step=0.5)] = 0.0
    sustain_db: Annotated[float, setting("Sustain", "dB", -12.0, 12.0, step=0.5)] = 0.0
    mix: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0

    def settling_s(self) -> float:
        return 0.001 * 20.0 * (LINGER_MS + SLOW_MS)

    def state_size(self, sample_rate: int) -> int:
        return 4

    def coefficients(self, sample_rate: int) -> Array:
        times = (smoothing(ms, sample_rate) for ms in (QUICK_MS, SLOW_MS, FALL_MS, LINGER_MS))
        return np.array([self.attack_db / FULL_DB, self.sustain_db / FULL_DB, self.mix / 100.0, *times])

    @classmethod
    def kernels(cls) -> Any:
        return _shape


@kernel
def _shape(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: followers quick, slow, lingering, in dB above the floor, so that zero is silence."""
    frames, channels = block.shape
    clean(block)
    attack, sustain, mix = c[0], c[1], c[2]
    rise_quick, rise_slow, fall, linger = c[3], c[4], c[5], c[6]
    quick, slow, lingering = state[0], state[1], state[2]
    for i in range(frames):
        x = max(abs(block[i, 0]), abs(block[i, channels - 1]))
        level = max(0.0, 2.0 * DB_PER_NEPER * np.log(x + 1e-9) - FLOOR_DB)
        a = rise_quick if level > quick else fall
        quick = a * quick + (1.0 - a) * level
        a = rise_slow if level > slow else fall
        slow = a * slow + (1.0 - a) * level
        a = rise_slow if level > lingering else linger
        lingering = a * lingering + (1.0 - a) * level
        onset = min(FULL_DB, max(0.0, quick - slow))
        tail = min(FULL_DB, max(0.0, lingering - slow))
        change = attack * onset + sustain * tail
        if len(gain) > 0:
            gain[i] = change
        g = 1.0 - mix + mix * np.exp(NEPER_PER_DB * change)
        for channel in range(channels):
            block[i, channel] *= g
    state[0] = quick if quick > 1e-20 else 0.0
    state[1] = slow if slow > 1e-20 else 0.0
    state[2] = lingering if lingering > 1e-20 else 0.0
