"""Echo: what was played comes again, later on each side by a time of its own, and again from what came.

The repeats pass a high-pass and a low-pass each time round, so that they grow thinner and darker. In turn: the sound
goes in on the left, and each repeat comes from the other side. A note's time is 60 000 / BPM times its beats; slightly
off is a matter of taste (common practice).

The times may move slowly, each side in its own time, anchored in the song's; repeats then drift in pitch as from a
worn tape. The low-pass may resonate: two poles, normalised to a peak of one, so that the loop never gains anywhere
(V. Zavalishin, "The Art of VA Filter Design" (2012), the state-variable filter; from memory).
"""

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import BEHIND_FRAMES, GRID_FRAMES, Processor, named, quiet, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

LONGEST_MS = 2500.0
SETTLED_DB = 140.0
LONGEST_MOVE_MS = 10.0
RIGHT_PHASE = 1.7
"""How far the right side's movement is from the left's, rad."""
NOTES: dict[str, float] = {
    "1/2": 2.0, "1/4 dotted": 1.5, "1/4": 1.0, "1/4 triplet": 2.0 / 3.0, "1/8 dotted": 0.75, "1/8": 0.5,
    "1/8 triplet": 1.0 / 3.0, "1/16 dotted": 0.375, "1/16": 0.25, "1/16 triplet": 1.0 / 6.0, "1/32": 0.125,
}  # fmt: skip
"""Note values in beats of a quarter."""


def note_ms(note: str, tempo_bpm: float) -> float:
    """The time of a note in ms. KeyError for what is no note."""
    return 60_000.0 / tempo_bpm * NOTES[note]


class Echo(Processor, frozen=True, kw_only=True, tag_field="kind", tag="echo"):
    """Repeats."""

    LABEL: ClassVar[str] = "Echo"
    SHORT: ClassVar[str] = "Echo"
    REMEMBERS_LONG: ClassVar[bool] = True
    WORDS: ClassVar[str] = "delay repeat ping pong slap tempo note space"
    FIRST: ClassVar[tuple[str, ...]] = ("left_ms", "right_ms", "feedback_percent", "low_pass_hz", "mix_percent")

    left_ms: Annotated[float, setting("Left", "ms", 1.0, LONGEST_MS, step=1.0, decimals=1, fixed=True)] = 375.0
    right_ms: Annotated[float, setting("Right", "ms", 1.0, LONGEST_MS, step=1.0, decimals=1, fixed=True)] = 500.0
    feedback_percent: Annotated[float, setting("Feedback", "%", 0.0, 95.0, step=5.0, decimals=0)] = 30.0
    order: Annotated[Literal["each side", "in turn"], named("Repeats")] = "each side"
    high_pass_hz: Annotated[float, setting("High-pass", "Hz", 20.0, 2000.0, step=3.0, scale="log", decimals=0)] = 200.0
    low_pass_hz: Annotated[float, setting("Low-pass", "Hz", 500.0, 20e3, step=3.0, scale="log", decimals=0)] = 5000.0
    resonance_db: Annotated[float, setting("Resonance", "dB", 0.0, 18.0, step=1.0)] = 0.0
    moves_ms: Annotated[float, setting("Moves by", "ms", 0.0, LONGEST_MOVE_MS, step=0.1, decimals=2)] = 0.0
    rate_hz: Annotated[float, setting("Rate", "Hz", 0.05, 5.0, step=3.0, scale="log", decimals=2)] = 0.3
    mix_percent: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0

    def settling_s(self) -> float:
        return self._falls_s(SETTLED_DB) + 18.4 / (2.0 * math.pi * self.high_pass_hz)

    def rings_s(self) -> float:
        return self._falls_s(60.0)

    def _falls_s(self, by_db: float) -> float:
        """Until the repeats are so far down."""
        longest = (max(self.left_ms, self.right_ms) + self.moves_ms) / 1000.0
        if self.order == "in turn":
            longest = (self.left_ms + self.right_ms + 2.0 * self.moves_ms) / 1000.0
        share = self.feedback_percent / 100.0
        return longest * (1.0 + (by_db / -(20.0 * math.log10(share)) if share > 0.0 else 0.0))

    def state_size(self, sample_rate: int) -> int:
        return 1 + 2 * 4

    def _ring(self, sample_rate: int) -> int:
        longest_ms = max(self.left_ms, self.right_ms) + LONGEST_MOVE_MS
        return math.ceil(longest_ms * sample_rate / 1000.0) + 2 + BEHIND_FRAMES

    def history_size(self, sample_rate: int) -> int:
        return 2 * self._ring(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        left, right = (max(1, round(ms * sample_rate / 1000.0)) for ms in (self.left_ms, self.right_ms))
        low = math.exp(-2.0 * math.pi * min(self.low_pass_hz, 0.45 * sample_rate) / sample_rate)
        high = math.exp(-2.0 * math.pi * self.high_pass_hz / sample_rate)
        wet = self.mix_percent / 100.0
        in_turn = 1.0 if self.order == "in turn" else 0.0
        cutoff = min(self.low_pass_hz, 0.45 * sample_rate)
        q = 10.0 ** (self.resonance_db / 20.0)
        peak = q / math.sqrt(1.0 - 1.0 / (4.0 * q * q)) if self.resonance_db > 0.0 else 0.0
        step = 2.0 * math.pi * self.rate_hz / sample_rate
        return np.array([
            left, right, self.feedback_percent / 100.0, in_turn, low, high, 1.0 - wet, wet,
            self.moves_ms * sample_rate / 1000.0, step, math.tan(math.pi * cutoff / sample_rate), 1.0 / q, peak,
        ])  # fmt: skip

    @classmethod
    def kernels(cls) -> Any:
        return _repeat


@kernel
def _repeat(block, key, gain, c, state, position, history):  # type: ignore[no-untyped-def]
    """state: 0 the place in both rings, as a frame count; four numbers a side of the filters."""
    clean(block)
    channels = block.shape[1]
    ring = len(history) // 2
    place = int(state[0]) if 0.0 <= state[0] < 4e15 else 0
    to = place % ring
    in_turn, feedback, low, high = c[3] != 0.0, c[2], c[4], c[5]
    moves, step, g, damping, peak = c[8], c[9], c[10], c[11], c[12]
    late, slope = np.array([c[0], c[1]]), np.zeros(2)
    for i in range(len(block)):
        offset = (position + i) % GRID_FRAMES
        if moves > 0.0 and (i == 0 or offset == 0):
            grid = float(position + i - offset)
            for side in range(2):
                here = moves * np.sin(step * grid + RIGHT_PHASE * side)
                slope[side] = (moves * np.sin(step * (grid + GRID_FRAMES) + RIGHT_PHASE * side) - here) / GRID_FRAMES
                late[side] = c[side] + here + slope[side] * offset
        for side in range(2):
            s = 1 + 4 * side
            x = _read(history[side * ring : (side + 1) * ring], to, late[side])
            late[side] += slope[side]
            if peak > 0.0:
                v = (state[s] + g * (x - state[s + 3])) / (1.0 + g * (g + damping))
                passed = state[s + 3] + g * v
                state[s], state[s + 3] = 2.0 * v - state[s], 2.0 * passed - state[s + 3]
                passed /= peak
            else:
                state[s] = low * state[s] + (1.0 - low) * x
                passed = state[s]
            state[s + 2] = high * (state[s + 2] + passed - state[s + 1])
            state[s + 1] = passed
        left, right = state[3], state[7]
        dry_left, dry_right = block[i, 0], block[i, channels - 1]
        if in_turn:
            history[to] = quiet(0.5 * (dry_left + dry_right) + feedback * right)
            history[ring + to] = quiet(left)
        else:
            history[to] = quiet(dry_left + feedback * left)
            history[ring + to] = quiet(dry_right + feedback * right)
        if channels == 1:
            block[i, 0] = c[6] * dry_left + c[7] * 0.5 * (left + right)
        else:
            block[i, 0], block[i, 1] = c[6] * dry_left + c[7] * left, c[6] * dry_right + c[7] * right
        to = to + 1 if to + 1 < ring else 0
    state[0] = place + len(block)
    for s in range(1, 9):
        state[s] = quiet(state[s])


@kernel
def _read(ring, to, late):  # type: ignore[no-untyped-def]
    """What lies so many frames before a place, at least one; between two frames a straight line."""
    late = max(1.0, late)
    whole = int(late)
    share = late - whole
    at = (to - whole) % len(ring)
    if share == 0.0:
        return ring[at]
    return (1.0 - share) * ring[at] + share * ring[(at - 1) % len(ring)]
