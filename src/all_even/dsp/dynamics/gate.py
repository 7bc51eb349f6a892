"""Gate and expander: takes level away below a threshold.

The same detector as the compressor (`dsp.dynamics.compressor`: level in dB, static curve, branching smoothing of
the reduction), turned around: `ratio` dB of fall out for each dB of fall in, at most `range_db`. Opening
is the attack; closing waits for the hold and then takes the release. There is no memory of having been
open beside the hold, so that a song started in the middle soon sounds as if played from the beginning.

Characters:
- gate: as set, with a corner at the threshold; what is shut out is gone;
- expander: a knee of 12 dB around the threshold (the quadratic one of the compressor, turned around), and a range of
  10 dB at most: bleed and breaths step back, the room stays.
"""

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics import compressor
from all_even.dsp.dynamics.compressor import Dynamics, hear, smoothing
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import named, quiet, setting
from all_even.dsp.ring import delayed
from all_even.kernels import kernel

Array = NDArray[np.float64]

HEAD = 8
FIXED_STATE = 16
LEVEL_MS = 2.0
"""Release of the level reading, so that a low note does not open and close the gate with its wave."""
SOFT_KNEE_DB, SOFT_RANGE_DB = 12.0, 10.0
"""Of an expander. Common practice: 6 to 10 dB of range."""
Character = Literal["gate", "expander"]
DB_PER_NEPER = 10.0 / np.log(10.0)
NEPER_PER_DB = -np.log(10.0) / 20.0


class Gate(Dynamics, frozen=True, kw_only=True, tag_field="kind", tag="gate"):
    """Turns down what lies under a threshold."""

    LABEL: ClassVar[str] = "Gate"
    SHORT: ClassVar[str] = "Gate"
    WORDS: ClassVar[str] = "expander noise bleed"
    DYNAMIC: ClassVar[bool] = True
    LEVEL_DEPENDENT: ClassVar[bool] = True
    FIRST: ClassVar[tuple[str, ...]] = ("threshold_db", "range_db", "attack_ms", "hold_ms", "release_ms")

    threshold_db: Annotated[float, setting("Threshold", "dB", -90.0, 0.0, step=0.5)] = -45.0
    ratio: Annotated[float, setting("Ratio", ":1", 1.0, 100.0, step=5.0, scale="log")] = 4.0
    range_db: Annotated[float, setting("Range", "dB", 0.0, 100.0, step=1.0)] = 40.0
    attack_ms: Annotated[float, setting("Attack", "ms", 0.02, 100.0, step=5.0, scale="log")] = 1.0
    hold_ms: Annotated[float, setting("Hold", "ms", 0.0, 2000.0, step=5.0)] = 30.0
    release_ms: Annotated[float, setting("Release", "ms", 1.0, 5000.0, step=5.0, scale="log")] = 100.0
    lookahead_ms: Annotated[
        float, setting("Look-ahead", "ms", 0.0, compressor.LONGEST_LOOKAHEAD_MS, step=0.5, fixed=True)
    ] = 0.0
    character: Annotated[Character, named("Character")] = "gate"

    @property
    def knee_db(self) -> float:
        return SOFT_KNEE_DB if self.character == "expander" else 0.0

    @property
    def most_db(self) -> float:
        """The most it takes away."""
        return min(self.range_db, SOFT_RANGE_DB) if self.character == "expander" else self.range_db

    def static_db(self, level_db: Array) -> Array:
        """The static curve: level out for level in, both dB."""
        under = self.threshold_db - np.asarray(level_db)
        knee = max(self.knee_db, 1e-9)
        inside = (under + knee / 2.0) ** 2 / (2.0 * knee)
        under = np.where(under <= -knee / 2.0, 0.0, np.where(under < knee / 2.0, inside, under))
        return level_db - np.minimum(self.most_db, under * (self.ratio - 1.0))

    def latency_frames(self, sample_rate: int) -> int:
        return round(self.lookahead_ms * 0.001 * sample_rate)

    def settling_s(self) -> float:
        times = 20.0 * (self.release_ms + self.attack_ms + LEVEL_MS) + self.hold_ms + self.lookahead_ms
        return 0.001 * times + compressor.key_ring_s(self)

    def state_size(self, sample_rate: int) -> int:
        return FIXED_STATE + 2 * self.latency_frames(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        head = [
            self.threshold_db,
            self.ratio - 1.0,
            self.most_db,
            smoothing(self.attack_ms, sample_rate),
            smoothing(self.release_ms, sample_rate),
            self.hold_ms * 0.001 * sample_rate,
            smoothing(LEVEL_MS, sample_rate),
            1.0 if self.listen else 0.0,
        ]
        tail = [
            float(self.key_high_pass_hz > 0.0 or self.key_low_pass_hz > 0.0),
            float(self.latency_frames(sample_rate)),
            self.knee_db,
        ]
        return np.array([*head, *self.key_filters(sample_rate), *tail])

    @classmethod
    def kernels(cls) -> Any:
        return _gate


@kernel
def _gate(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: 0 level, 1 reduction, 2 hold left, 3 ring place, 4-11 key filters, then the ring."""
    frames, channels = block.shape
    clean(block)
    heard = np.empty((frames, channels))
    hear(block, key, c[18] != 0.0, c[HEAD : HEAD + 10], state[4:12], heard)
    threshold, slope, most = c[0], c[1], c[2]
    attack, release, hold_frames, fall, knee = c[3], c[4], c[5], c[6], c[20]
    level, reduction, hold = state[0], state[1], state[2]
    reductions = np.empty(frames)
    for i in range(frames):
        x = max(abs(heard[i, 0]), abs(heard[i, channels - 1]))
        level = max(x, fall * level)
        under = threshold - 2.0 * DB_PER_NEPER * np.log(level + 1e-9)
        if knee > 0.0 and abs(under) < 0.5 * knee:
            under = (under + 0.5 * knee) ** 2 / (2.0 * knee)
        goal = min(most, slope * under) if under > 0.0 else 0.0
        if goal <= reduction:
            reduction = attack * reduction + (1.0 - attack) * goal
            hold = hold_frames
        elif hold > 0.0:
            hold -= 1.0
        else:
            reduction = release * reduction + (1.0 - release) * goal
        reductions[i] = reduction
    state[0], state[1], state[2] = quiet(level), quiet(reduction), hold
    state[3] = delayed(block, int(c[19]), state[3], state[FIXED_STATE:])
    if len(gain) > 0:
        gain[:] = -reductions
    if c[7] != 0.0:
        block[:] = heard
        return
    for i in range(frames):
        g = np.exp(NEPER_PER_DB * reductions[i])
        for channel in range(channels):
            block[i, channel] *= g
