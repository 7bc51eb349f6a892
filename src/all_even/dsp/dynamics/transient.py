"""Transient shaper: more or less attack, more or less sustain of struck sounds, whatever the level.

The level in dB is held for a moment (it falls by 5 ms), so that the wave itself does not move it. Three followers:
a quick one that rises within 1 ms, a slow one that rises within 20 ms, both fall with 40 ms; and a lingering one that
rises with the quick and falls with 800 ms. The slow one is never more than 12 dB under the quick, or after silence it
would lag through the whole hit.

- What the quick one stands over the slow is the attack: `attack_db` is added in proportion to it, fully at 12 dB.
- What the lingering one stands over both is the tail: `sustain_db` is added in proportion to that, but less the
  further a new hit stands over the slow follower, and not at all from 6 dB on: sustain leaves attacks as they are.

The gain never depends on the level itself, only on how it moves. Made for what is struck: on held notes the followers
find nothing to tell apart.
"""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import smoothing
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import Processor, quiet, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

QUICK_MS, SLOW_MS, FALL_MS, LINGER_MS, HOLD_MS = 1.0, 20.0, 40.0, 800.0, 5.0
FULL_DB = 12.0
NEW_HIT_DB = 6.0
"""By how much over the slow follower a level is a new hit, whose tail has not begun."""
FLOOR_DB = -80.0
DB_PER_NEPER = 10.0 / np.log(10.0)
NEPER_PER_DB = np.log(10.0) / 20.0


class TransientShaper(Processor, frozen=True, kw_only=True, tag_field="kind", tag="transient"):
    """Lifts or softens the start and the tail of each hit: struck sounds only."""

    LABEL: ClassVar[str] = "Transient shaper"
    SHORT: ClassVar[str] = "Trans"
    WORDS: ClassVar[str] = "attack sustain punch drums struck"
    DYNAMIC: ClassVar[bool] = True

    attack_db: Annotated[float, setting("Attack", "dB", -12.0, 12.0, step=0.5)] = 0.0
    sustain_db: Annotated[float, setting("Sustain", "dB", -12.0, 12.0, step=0.5)] = 0.0
    makeup_db: Annotated[float, setting("Make-up", "dB", -24.0, 24.0, step=0.5)] = 0.0
    mix: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0

    def settling_s(self) -> float:
        return 0.001 * 20.0 * (LINGER_MS + SLOW_MS + HOLD_MS)

    def state_size(self, sample_rate: int) -> int:
        return 4

    def coefficients(self, sample_rate: int) -> Array:
        times = (smoothing(ms, sample_rate) for ms in (QUICK_MS, SLOW_MS, FALL_MS, LINGER_MS, HOLD_MS))
        makeup = 10.0 ** (self.makeup_db / 20.0)
        return np.array([self.attack_db / FULL_DB, self.sustain_db / FULL_DB, self.mix / 100.0, *times, makeup])

    @classmethod
    def kernels(cls) -> Any:
        return _shape


@kernel
def _shape(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: followers quick, slow, lingering, in dB above the floor, so that zero is silence; then the held level."""
    frames, channels = block.shape
    clean(block)
    attack, sustain, mix = c[0], c[1], c[2]
    rise_quick, rise_slow, fall, linger, hold, makeup = c[3], c[4], c[5], c[6], c[7], c[8]
    quick, slow, lingering, held = state[0], state[1], state[2], state[3]
    for i in range(frames):
        held = max(abs(block[i, 0]), abs(block[i, channels - 1]), hold * held)
        level = max(0.0, 2.0 * DB_PER_NEPER * np.log(held + 1e-9) - FLOOR_DB)
        a = rise_quick if level > quick else fall
        quick = a * quick + (1.0 - a) * level
        a = rise_slow if level > slow else fall
        slow = max(a * slow + (1.0 - a) * level, quick - FULL_DB)
        a = rise_quick if level > lingering else linger
        lingering = a * lingering + (1.0 - a) * level
        onset = min(FULL_DB, max(0.0, quick - slow))
        tail = min(FULL_DB, max(0.0, lingering - max(quick, slow)))
        tail *= min(1.0, max(0.0, 1.0 - (level - slow) / NEW_HIT_DB))
        change = attack * onset + sustain * tail
        if len(gain) > 0:
            gain[i] = change
        g = 1.0 - mix + mix * makeup * np.exp(NEPER_PER_DB * change)
        for channel in range(channels):
            block[i, channel] *= g
    state[0] = quick if quick > 1e-20 else 0.0
    state[1] = slow if slow > 1e-20 else 0.0
    state[2] = lingering if lingering > 1e-20 else 0.0
    state[3] = quiet(held)
