"""Compressor: feed-forward, worked out in decibels, with a detector of known shape.

Signal path after D. Giannoulis, M. Massberg and J. D. Reiss, "Digital Dynamic Range Compressor
Design - A Tutorial and Analysis", J. Audio Eng. Soc. 60 (2012): level in dB, static curve with a
quadratic knee (their eq. 4), and the smoothing *after* it, on the reduction, so that attack and release
are times to 63 % in decibels and the reduction returns to zero. Two of their detectors:

- branching (eq. 16): the coefficient of attack or release, whichever way the reduction moves;
- decoupled (eq. 17): a release that follows down, then attack smoothing over it; longer, smoother.

Programme-dependent release: a second smoother with eight times the attack and the release runs
beside; the larger reduction counts. A single peak never fills it; a loud passage does.

Characters: how attack and release answer to the size of what has to be done, `x` dB being the distance
the reduction still has to go, `r` dB the reduction there is:
- exact: as set;
- supple: release slowed to release·(1 + r/6), so that deep reduction lets go gently at first;
- eager: attack quickened to attack/(1 + x/6), so that large peaks are caught sooner.

`makeup_follows` does nothing to the sound: whoever edits the session then sets the make-up anew after each change, so
that the level while playing stays (`figures.book.flow.with_makeup`).

Level is read as peak or as mean square over `rms_ms` (one pole). The link goes from each channel by
itself (0) to the louder one for both (1). The reduction is limited to `range_db`.
"""

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.vector_math import exp_block, log_block
from all_even.dsp.filters import biquad
from all_even.dsp.filters.biquad import clean, run_sections
from all_even.dsp.processor import Key, Processor, finite, named, quiet, setting
from all_even.dsp.ring import delayed
from all_even.kernels import kernel

Array = NDArray[np.float64]

DB_PER_NEPER = 10.0 / math.log(10.0)
"""From the natural logarithm of a square to dB."""
NEPER_PER_DB = -math.log(10.0) / 20.0
"""From dB of reduction to the exponent of a gain."""
SLOW = 8.0
"""How much longer the second smoother of the programme-dependent release is."""
LONGEST_LOOKAHEAD_MS = 20.0
LOWEST_KEY_HZ = 5.0
"""A key filter under this is off: its coefficients would vanish in rounding."""

CHUNK = 1 << 10
"""Frames that are worked on at a time."""
HEAD = 20
"""Coefficients before the two key filters of five each."""
FIXED_STATE = 24

Detector = Literal["peak", "RMS"]
Topology = Literal["branching", "decoupled"]
Character = Literal["exact", "supple", "eager"]


def smoothing(time_ms: float, sample_rate: int) -> float:
    """Coefficient of a one-pole smoother that covers 63 % of a step in `time_ms`."""
    return math.exp(-1.0 / (max(time_ms, 1e-3) * 0.001 * sample_rate))


class Dynamics(Processor, frozen=True, kw_only=True):
    """What compressors share, also the band compressor: a detector and its key."""

    key: Key | None = None
    key_high_pass_hz: Annotated[float, setting("Key high-pass", "Hz", 0.0, 10000.0, step=10.0, decimals=0)] = 0.0
    key_low_pass_hz: Annotated[float, setting("Key low-pass", "Hz", 0.0, 22000.0, step=100.0, decimals=0)] = 0.0
    listen: Annotated[bool, named("Listen to the key")] = False

    def key_filters(self, sample_rate: int) -> list[float]:
        """Ten numbers: two sections; under 5 Hz a filter is left out."""
        flat = (1.0, 0.0, 0.0, 0.0, 0.0)
        q = math.sqrt(0.5)
        high = (
            biquad.high_pass(self.key_high_pass_hz / sample_rate, q) if self.key_high_pass_hz >= LOWEST_KEY_HZ else flat
        )
        low = biquad.low_pass(self.key_low_pass_hz / sample_rate, q) if self.key_low_pass_hz >= LOWEST_KEY_HZ else flat
        return [*high, *low]


class Compressor(Dynamics, frozen=True, kw_only=True, tag_field="kind", tag="compressor"):
    """Takes level away above a threshold."""

    LABEL: ClassVar[str] = "Compressor"
    SHORT: ClassVar[str] = "Comp"
    WORDS: ClassVar[str] = "dynamics glue duck key"
    DYNAMIC: ClassVar[bool] = True
    LEVEL_DEPENDENT: ClassVar[bool] = True
    FIRST: ClassVar[tuple[str, ...]] = ("threshold_db", "ratio", "attack_ms", "release_ms", "makeup_db")

    threshold_db: Annotated[float, setting("Threshold", "dB", -80.0, 12.0, step=0.5)] = -18.0
    ratio: Annotated[float, setting("Ratio", ":1", 1.0, 100.0, step=5.0, decimals=1, scale="log")] = 2.0
    limiting: Annotated[bool, named("Ratio infinite")] = False
    knee_db: Annotated[float, setting("Knee", "dB", 0.0, 24.0, step=1.0)] = 6.0
    attack_ms: Annotated[float, setting("Attack", "ms", 0.02, 500.0, step=5.0, scale="log")] = 10.0
    hold_ms: Annotated[float, setting("Hold", "ms", 0.0, 500.0, step=1.0)] = 0.0
    release_ms: Annotated[float, setting("Release", "ms", 1.0, 5000.0, step=5.0, scale="log")] = 100.0
    programme_release: Annotated[bool, named("Release by programme")] = False
    range_db: Annotated[float, setting("Range", "dB", 0.0, 100.0, step=0.5)] = 100.0
    makeup_db: Annotated[float, setting("Make-up", "dB", -24.0, 24.0, step=0.5)] = 0.0
    makeup_follows: Annotated[bool, named("Make-up follows")] = False
    mix: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0
    link: Annotated[float, setting("Stereo link", "%", 0.0, 100.0, step=5.0, decimals=0)] = 100.0
    lookahead_ms: Annotated[float, setting("Look-ahead", "ms", 0.0, LONGEST_LOOKAHEAD_MS, step=0.5, fixed=True)] = 0.0
    level: Annotated[Detector, named("Level")] = "peak"
    rms_ms: Annotated[float, setting("RMS window", "ms", 1.0, 300.0, step=5.0, scale="log")] = 10.0
    topology: Annotated[Topology, named("Detector")] = "branching"
    character: Annotated[Character, named("Character")] = "exact"

    def static_db(self, level_db: Array) -> Array:
        """The static curve: level out for level in, both dB, without make-up and range."""
        slope = 0.0 if self.limiting else 1.0 / self.ratio
        over = np.asarray(level_db) - self.threshold_db
        knee = max(self.knee_db, 1e-9)
        inside = level_db + (slope - 1.0) * (over + knee / 2.0) ** 2 / (2.0 * knee)
        above = self.threshold_db + over * slope
        return np.where(2.0 * over < -knee, level_db, np.where(2.0 * over > knee, above, inside))

    def latency_frames(self, sample_rate: int) -> int:
        return round(self.lookahead_ms * 0.001 * sample_rate)

    def settling_s(self) -> float:
        slow = SLOW if self.programme_release else 1.0
        stretch = 1.5 if self.character == "supple" else 1.0
        smoothers = self.release_ms * slow * stretch + self.attack_ms * slow + self.rms_ms
        return 0.001 * (20.0 * smoothers + self.hold_ms + self.lookahead_ms) + key_ring_s(self)

    def state_size(self, sample_rate: int) -> int:
        return FIXED_STATE + 2 * self.latency_frames(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        slope = 0.0 if self.limiting else 1.0 / self.ratio
        head = [
            self.threshold_db,
            slope - 1.0,
            self.knee_db,
            smoothing(self.attack_ms, sample_rate),
            smoothing(self.release_ms, sample_rate),
            self.hold_ms * 0.001 * sample_rate,
            self.range_db,
            10.0 ** (self.makeup_db / 20.0),
            self.mix / 100.0,
            self.link / 100.0,
            float(self.latency_frames(sample_rate)),
            1.0 if self.level == "RMS" else 0.0,
            smoothing(self.rms_ms, sample_rate),
            1.0 if self.topology == "decoupled" else 0.0,
            {"exact": 0.0, "supple": 1.0, "eager": 2.0}[self.character],
            smoothing(self.attack_ms * SLOW, sample_rate),
            smoothing(self.release_ms * SLOW, sample_rate),
            1.0 if self.programme_release else 0.0,
            1.0 if self.listen else 0.0,
            float(self.key_high_pass_hz > 0.0 or self.key_low_pass_hz > 0.0),
        ]
        return np.array([*head, *self.key_filters(sample_rate)])

    @classmethod
    def kernels(cls) -> Any:
        return compress


def key_ring_s(dynamics: Dynamics) -> float:
    rings = [
        18.4 * math.sqrt(2.0) / (2.0 * math.pi * f)
        for f in (dynamics.key_high_pass_hz, dynamics.key_low_pass_hz)
        if f >= LOWEST_KEY_HZ
    ]
    return sum(rings)


@kernel
def hear(block, key, filtered, c, state, heard):  # type: ignore[no-untyped-def]
    """What the detector hears into (frames, channels), through both key filters.

    c: of both filters, five numbers each; state: eight numbers.
    """
    frames, channels = block.shape
    for channel in range(channels):
        if len(key) > 0:
            source = min(channel, key.shape[1] - 1)
            for i in range(frames):
                heard[i, channel] = finite(key[i, source])
        else:
            for i in range(frames):
                heard[i, channel] = block[i, channel]
    if filtered:
        run_sections(heard[:frames], c.reshape((2, 5)), state)


@kernel
def mean_squares(squares, coefficient, state):  # type: ignore[no-untyped-def]
    """One-pole mean of (frames, channels) in place. state: one number a channel."""
    frames, channels = squares.shape
    for channel in range(channels):
        mean = state[channel]
        for i in range(frames):
            mean = coefficient * mean + (1.0 - coefficient) * squares[i, channel]
            squares[i, channel] = mean
        state[channel] = quiet(mean)


@kernel
def wanted_reduction(squares, c):  # type: ignore[no-untyped-def]
    """The static curve in place of the mean squares: dB to take away, at most the range."""
    threshold, slope, knee, most = c[0], c[1], c[2], c[6]
    lowest = 10.0 ** (0.1 * (threshold - 0.5 * knee))
    loudest = 0.0
    for i in range(len(squares)):
        loudest = max(loudest, squares[i])
    if loudest <= lowest:
        squares[:] = 0.0
        return
    for i in range(len(squares)):
        squares[i] += 1e-30
    log_block(squares)
    for i in range(len(squares)):
        over = DB_PER_NEPER * squares[i] - threshold
        inside = over + 0.5 * knee
        bent = inside * inside / (2.0 * knee + 1e-30)
        wanted = over if 2.0 * over >= knee else (bent if inside > 0.0 else 0.0)
        squares[i] = min(-slope * wanted, most)


@kernel
def smooth_reduction(wanted, c, state):  # type: ignore[no-untyped-def]
    """Attack, hold and release in place. state: reduction, slow reduction, hold left, release stage."""
    attack_set, release_set, hold_frames = c[3], c[4], c[5]
    decoupled, supple, eager, programme = c[13] != 0.0, c[14] == 1.0, c[14] == 2.0, c[17] != 0.0
    slow_attack, slow_release = c[15], c[16]
    fast, slow, hold, stage = state[0], state[1], state[2], state[3]
    if not (decoupled or supple or eager or programme) and hold_frames == 0.0 and hold == 0.0:
        _smooth_plainly(wanted, attack_set, release_set, state)
        return
    for i in range(len(wanted)):
        goal = wanted[i]
        attack, release = attack_set, release_set
        if supple and fast > goal:
            release = 1.0 - (1.0 - release) / (1.0 + fast / 6.0)
        elif eager and goal > fast:
            attack = 1.0 - min(1.0, (1.0 - attack) * (1.0 + (goal - fast) / 6.0))
        if decoupled:
            if goal >= stage:
                stage = goal
                hold = hold_frames
            elif hold > 0.0:
                hold -= 1.0
            else:
                stage = max(goal, release * stage + (1.0 - release) * goal)
            fast = attack * fast + (1.0 - attack) * stage
        elif goal >= fast:
            fast = attack * fast + (1.0 - attack) * goal
            hold = hold_frames
        elif hold > 0.0:
            hold -= 1.0
        else:
            fast = release * fast + (1.0 - release) * goal
        wanted[i] = fast
        if programme:
            if goal >= slow:
                slow = slow_attack * slow + (1.0 - slow_attack) * goal
            else:
                slow = slow_release * slow + (1.0 - slow_release) * goal
            wanted[i] = max(fast, slow)
    state[0], state[1], state[2], state[3] = quiet(fast), quiet(slow), hold, quiet(stage)


@kernel
def _smooth_plainly(wanted, attack, release, state):  # type: ignore[no-untyped-def]
    """Attack and release alone, without a branch that the processor would have to guess.

    With the attack quicker than the release, whichever way it has to move, the larger of both answers is
    the right one; with a quicker release, the smaller.
    """
    reduction = state[0]
    into, away = 1.0 - attack, 1.0 - release
    if attack <= release:
        for i in range(len(wanted)):
            reduction = max(attack * reduction + into * wanted[i], release * reduction + away * wanted[i])
            wanted[i] = reduction
    else:
        for i in range(len(wanted)):
            reduction = min(attack * reduction + into * wanted[i], release * reduction + away * wanted[i])
            wanted[i] = reduction
    state[0] = quiet(reduction)


@kernel
def compress(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: 0-1 mean squares, 2-5 smoother of the left (or both), 6 ring place, 8-15 key filters,
    16-19 smoother of the right, from FIXED_STATE on the look-ahead ring.

    Works through the block in chunks, so that what lies between its loops stays in the nearest cache.
    """
    for start in range(0, len(block), CHUNK):
        end = start + CHUNK
        _compress_chunk(block[start:end], key[start:end], gain[start:end], c, state)


@kernel
def _compress_chunk(block, key, gain, c, state):  # type: ignore[no-untyped-def]
    frames, channels = block.shape
    link, mix, makeup = c[9], c[8], c[7]
    linked = channels == 1 or link >= 1.0
    listening = c[18] != 0.0
    left = np.empty(frames)
    right = left
    heard = block
    if linked and not listening and c[19] == 0.0 and c[11] == 0.0 and len(key) == 0:
        for i in range(frames):  # the usual case in one pass
            x, z = finite(block[i, 0]), finite(block[i, channels - 1])
            block[i, 0], block[i, channels - 1] = x, z
            left[i] = max(x * x, z * z)
    else:
        clean(block)
        heard = np.empty((frames, channels))
        hear(block, key, c[19] != 0.0, c[HEAD : HEAD + 10], state[8:16], heard)
        squares = np.square(heard)
        if c[11] != 0.0:
            mean_squares(squares, c[12], state[0:2])
        if linked:
            for i in range(frames):
                left[i] = max(squares[i, 0], squares[i, channels - 1])
        else:
            right = np.empty(frames)
            for i in range(frames):
                louder = max(squares[i, 0], squares[i, 1]) + 1e-16
                left[i] = louder**link * (squares[i, 0] + 1e-16) ** (1.0 - link)
                right[i] = louder**link * (squares[i, 1] + 1e-16) ** (1.0 - link)
    wanted_reduction(left, c)
    smooth_reduction(left, c, state[2:6])
    if right is not left:
        wanted_reduction(right, c)
        smooth_reduction(right, c, state[16:20])
    for i in range(len(gain)):
        gain[i] = -max(left[i], right[i])
    lookahead = int(c[10])
    state[6] = delayed(block, lookahead, state[6], state[FIXED_STATE:])
    if listening:
        for i in range(frames):
            for channel in range(channels):
                block[i, channel] = heard[i, channel]
        return
    dry, wet = 1.0 - mix, mix * makeup
    gains_of(left, dry, wet)
    if right is not left:
        gains_of(right, dry, wet)
    if channels == 2:
        for i in range(frames):
            block[i, 0] *= left[i]
            block[i, 1] *= right[i]
    else:
        for i in range(frames):
            block[i, 0] *= left[i]


@kernel
def gains_of(reduction, dry, wet):  # type: ignore[no-untyped-def]
    """From dB of reduction to linear gains, in place."""
    most = 0.0
    for i in range(len(reduction)):
        most = max(most, reduction[i])
    if most < 1e-9:
        reduction[:] = dry + wet
        return
    for i in range(len(reduction)):
        reduction[i] *= NEPER_PER_DB
    exp_block(reduction)
    for i in range(len(reduction)):
        reduction[i] = dry + wet * reduction[i]
