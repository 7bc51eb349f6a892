"""Widener: one side of a sound comes a little later, and so from no single place.

Judged in mono, where the delay makes a comb: equal level and 10 to 20 ms take 3.4 to 16.7 dB out of the worst third of
an octave, the late side 6 dB down 2.5 to 6.7 (`measure.space.mono` says how much of this sound).
"""

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import BEHIND_FRAMES, Processor, named, quiet, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]


class Widener(Processor, frozen=True, kw_only=True, tag_field="kind", tag="widener"):
    """Delays one side."""

    LABEL: ClassVar[str] = "Widener"
    SHORT: ClassVar[str] = "Wide"
    REMEMBERS_LONG: ClassVar[bool] = True
    WORDS: ClassVar[str] = "width stereo delay one side haas space"
    FIRST: ClassVar[tuple[str, ...]] = ("late_ms", "late_db")

    side: Annotated[Literal["left", "right"], named("Late side")] = "right"
    late_ms: Annotated[float, setting("Late by", "ms", 1.0, 40.0, step=0.5, decimals=1, fixed=True)] = 12.0
    late_db: Annotated[float, setting("Late side", "dB", -24.0, 0.0, step=0.5)] = -6.0

    def settling_s(self) -> float:
        return self.late_ms / 1000.0

    def state_size(self, sample_rate: int) -> int:
        return 1

    def history_size(self, sample_rate: int) -> int:
        return round(self.late_ms * sample_rate / 1000.0) + 1 + BEHIND_FRAMES

    def coefficients(self, sample_rate: int) -> Array:
        frames = round(self.late_ms * sample_rate / 1000.0)
        return np.array([float(self.side == "right"), float(frames), 10.0 ** (self.late_db / 20.0)])

    @classmethod
    def kernels(cls) -> Any:
        return _delay_side


@kernel
def _delay_side(block, key, gain, c, state, position, history):  # type: ignore[no-untyped-def]
    """state: the place in the ring, as a frame count. A sound of one channel has no sides and stays as it is."""
    clean(block)
    if block.shape[1] < 2:
        return
    side, late = int(c[0]), int(c[1])
    place = int(state[0]) if 0.0 <= state[0] < 4e15 else 0
    to = place % len(history)
    read = (place - late) % len(history)
    for i in range(len(block)):
        history[to] = quiet(block[i, side])
        block[i, side] = c[2] * history[read]
        to = to + 1 if to + 1 < len(history) else 0
        read = read + 1 if read + 1 < len(history) else 0
    state[0] = place + len(block)
