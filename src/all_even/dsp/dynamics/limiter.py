"""Limiter: nothing passes the ceiling, also not between the samples.

The peak is read four times oversampled (the interpolator of ITU-R BS.1770-5, Annex 2, as in
`measure.level.true_peak`). What has to be taken away is held over the look-ahead (a sliding minimum), let go
by a one-pole release, and smoothed by a moving average of the look-ahead's length: so the gain has always
arrived when the peak does, without a step. A small margin covers what the moving gain itself adds
between samples.
"""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import smoothing
from all_even.dsp.dynamics.vector_math import log_block
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import Processor, inside, setting
from all_even.dsp.ring import delayed
from all_even.kernels import kernel

Array = NDArray[np.float64]

TAPS = 24
"""Of each phase of the interpolator."""
KAISER_BETA = 7.0
MARGIN_DB = 0.05
FACTOR = 4
RUN = 64
"""Frames that are worked on together."""
HEAD = 6
"""Numbers of the state before its rings."""
DB_PER_NEPER = 20.0 / float(np.log(10.0))


def phases() -> Array:
    """(3, TAPS): the three points between two samples; the first lies after tap TAPS/2 - 1."""
    time = np.arange(FACTOR * TAPS) / FACTOR - TAPS / 2.0
    taps = np.sinc(time) * np.kaiser(FACTOR * TAPS + 1, KAISER_BETA)[:-1]
    return np.ascontiguousarray(taps.reshape(TAPS, FACTOR).T[1:, ::-1])


class Limiter(Processor, frozen=True, kw_only=True, tag_field="kind", tag="limiter"):
    """Holds true peaks under a ceiling."""

    LABEL: ClassVar[str] = "Limiter"
    SHORT: ClassVar[str] = "Limit"
    WORDS: ClassVar[str] = "ceiling true peak safety"
    DYNAMIC: ClassVar[bool] = True
    LEVEL_DEPENDENT: ClassVar[bool] = True

    ceiling_db: Annotated[float, setting("Ceiling", "dBTP", -40.0, 0.0, step=0.5)] = -1.0
    input_db: Annotated[float, setting("Gain before", "dB", -12.0, 24.0, step=0.5)] = 0.0
    release_ms: Annotated[float, setting("Release", "ms", 5.0, 2000.0, step=5.0, scale="log")] = 80.0
    lookahead_ms: Annotated[float, setting("Look-ahead", "ms", 0.5, 10.0, step=0.5, fixed=True)] = 2.0

    def _window(self, sample_rate: int) -> int:
        return max(4, round(self.lookahead_ms * 0.001 * sample_rate))

    def latency_frames(self, sample_rate: int) -> int:
        return self._window(sample_rate) + TAPS // 2

    def settling_s(self) -> float:
        return 0.001 * (20.0 * self.release_ms + 3.0 * self.lookahead_ms) + 0.01

    def state_size(self, sample_rate: int) -> int:
        window = self._window(sample_rate)
        return HEAD + 2 * self.latency_frames(sample_rate) + 2 * TAPS + 2 * window

    def coefficients(self, sample_rate: int) -> Array:
        head = [
            10.0 ** ((self.ceiling_db - MARGIN_DB) / 20.0),
            10.0 ** (self.input_db / 20.0),
            smoothing(self.release_ms, sample_rate),
            float(self._window(sample_rate)),
            float(self.latency_frames(sample_rate)),
        ]
        return np.concatenate((head, phases().ravel()))

    @classmethod
    def kernels(cls) -> Any:
        return _limit


@kernel
def _limit(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """Everything is kept as *missing gain* (1 - gain), so that a state of zeros is at rest.

    state: 0 place in the ring of the delay, 1 released missing gain, 2 place in the two rings of the window, 3 the
    most and 4 the sum since that place was 0; from HEAD on delay, interpolator history, and two rings of the window:
    of what is missing and of what was released.
    """
    frames, channels = block.shape
    ceiling, before, release = c[0], c[1], c[2]
    window, latency = int(c[3]), int(c[4])
    past = HEAD + 2 * latency
    rings = past + 2 * TAPS
    if len(state) < rings + 2 * window:
        block[:] = 0.0  # a state that was not made for these settings: silence, never foreign memory
        return
    taps = c[5 : 5 + 3 * TAPS]
    most_ring, sum_ring = state[rings : rings + window], state[rings + window : rings + 2 * window]
    clean(block)
    missing = np.empty(RUN)
    for start in range(0, frames, RUN):
        part = block[start : start + RUN]
        count = len(part)
        for i in range(count):
            for channel in range(channels):
                part[i, channel] = before * part[i, channel]
        _true_peaks(part, taps, ceiling, state[past : past + 2 * TAPS].reshape((2, TAPS)), missing)
        for i in range(count):
            missing[i] = 1.0 - ceiling / max(missing[i], ceiling)
        _hold_and_release(missing[:count], release, state[1:5], most_ring, sum_ring)
        for i in range(count):
            missing[i] = 1.0 - missing[i] / window
        state[0] = delayed(part, latency, state[0], state[HEAD:past])
        for i in range(count):
            for channel in range(channels):
                part[i, channel] *= missing[i]
        if len(gain) > 0:
            log_block(missing[:count])
            for i in range(count):
                gain[start + i] = DB_PER_NEPER * missing[i]


@kernel
def _hold_and_release(missing, release, state, most_ring, sum_ring):  # type: ignore[no-untyped-def]
    """In place of the missing gain: the sum of the last window of what it is, held over a window and let go.

    Most and sum of a window that moves are made of two halves: one from the last turn of its ring, one from this turn
    on. So each frame costs the same, and no sum is older than a window (M. van Herk, Pattern Recognition Letters 13
    (1992), of the most; from memory). state: 0 released, 1 place, 2 most and 3 sum of this turn.
    """
    window = len(most_ring)
    released, place, most, total = state[0], inside(state[1], window), state[2], state[3]
    for i in range(len(missing)):
        now = missing[i]
        most = max(most, now)
        behind, before = 0.0, 0.0
        if place + 1 < window:
            behind, before = most_ring[place + 1], sum_ring[place + 1]
        most_ring[place] = now
        highest = max(most, behind)
        released = max(highest, release * released + (1.0 - release) * highest)
        if released < 1e-12:
            released = 0.0
        total += released
        sum_ring[place] = released
        missing[i] = total + before
        place += 1
        if place == window:
            for k in range(window - 2, -1, -1):
                most_ring[k] = max(most_ring[k], most_ring[k + 1])
                sum_ring[k] += sum_ring[k + 1]
            place, most, total = 0, 0.0, 0.0
    state[0], state[1], state[2], state[3] = released, place, most, total


@kernel
def _true_peaks(part, taps, ceiling, past, peaks):  # type: ignore[no-untyped-def]
    """The highest of each frame and of the three points after the frame in the middle of the last `TAPS`. past: (2,
    TAPS), the frames before, then those of this part."""
    frames, channels = part.shape
    peaks[:] = 0.0
    line, loudest, between = np.empty(TAPS - 1 + RUN), np.empty(TAPS - 1 + RUN), np.empty(RUN)
    for channel in range(channels):
        for k in range(TAPS - 1):
            line[k] = past[channel, k + 1]
        for i in range(frames):
            line[TAPS - 1 + i] = part[i, channel]
        top = 0.0
        for i in range(frames + TAPS - 1):
            loudest[i] = abs(line[i])
            top = max(top, loudest[i])
        for i in range(frames):
            peaks[i] = max(peaks[i], loudest[TAPS // 2 - 1 + i], loudest[TAPS // 2 + i])
        if top * 2.5 > ceiling:
            _highest_of_taps(loudest[: frames + TAPS - 1])
            for phase in range(FACTOR - 1):
                between[:] = 0.0
                for k in range(TAPS):
                    tap, shifted = taps[phase * TAPS + k], line[k : k + frames]
                    for i in range(frames):
                        between[i] += tap * shifted[i]
                for i in range(frames):
                    if loudest[i] * 2.5 > ceiling:
                        peaks[i] = max(peaks[i], abs(between[i]))
        for k in range(TAPS):
            past[channel, k] = line[frames - 1 + k]


@kernel
def _highest_of_taps(x):  # type: ignore[no-untyped-def]
    """In place of each number the highest of it and the 23 after it: of two, of four, of eight, of three eights."""
    for reach in (1, 2, 4):
        for i in range(len(x) - reach):
            x[i] = max(x[i], x[i + reach])
    for i in range(len(x) - TAPS + 1):
        x[i] = max(x[i], x[i + 8], x[i + 16])
