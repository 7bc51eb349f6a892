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
from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import Processor, inside, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

TAPS = 24
"""Of each phase of the interpolator."""
KAISER_BETA = 7.0
MARGIN_DB = 0.05
FACTOR = 4
RUN = 64
"""Frames that are worked on together."""


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
        return 8 + 2 * self.latency_frames(sample_rate) + 2 * TAPS + 4 * (window + 2)

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

    state: 0 frames since the start, 1 ring place of the delay, 2 released missing gain, 3 sum of the average,
    4 and 5 head and length of the falling queue; then delay, interpolator history, average ring, queue.
    """
    frames, channels = block.shape
    ceiling, before, release = c[0], c[1], c[2]
    window, latency = int(c[3]), int(c[4])
    if len(state) < 8 + 2 * latency + 2 * TAPS + 4 * (window + 2):
        block[:] = 0.0  # a state that was not made for these settings: silence, never foreign memory
        return
    taps = c[5 : 5 + 3 * TAPS]
    delay = 8
    past = delay + 2 * latency
    average = past + 2 * TAPS
    queue = average + window + 2
    size = window + 2
    place = inside(state[1], latency)
    released = state[2]
    head = inside(state[4], size)
    length = inside(state[5], size + 1)
    now = float(inside(state[0], 1e15))
    clean(block)
    peaks, totals = np.empty(RUN), np.empty(RUN)
    for start in range(0, frames, RUN):
        part = block[start : start + RUN]
        for i in range(len(part)):
            for channel in range(channels):
                part[i, channel] = before * part[i, channel]
        _true_peaks(part, taps, ceiling, state[past : past + 2 * TAPS].reshape((2, TAPS)), peaks)
        began = now
        for i in range(len(part)):
            missing = 1.0 - ceiling / peaks[i] if peaks[i] > ceiling else 0.0
            # Sliding maximum of the missing gain: a queue that only falls; places in `queue` and after.
            while length > 0:
                last = (head + length - 1) % size
                if state[queue + last] > missing:
                    break
                length -= 1
            last = (head + length) % size
            state[queue + last] = missing
            state[queue + size + last] = now
            length += 1
            while length > 1 and now - state[queue + size + head] >= window:
                head = (head + 1) % size
                length -= 1
            most = state[queue + head]
            released = max(most, release * released + (1.0 - release) * most)
            if released < 1e-12:
                released = 0.0
            totals[i] = released
            now += 1.0
        state[3] = _summed(state[average : average + window], int(began % window), totals[: len(part)], state[3])
        for i in range(len(part)):
            g = 1.0 - totals[i] / window
            if len(gain) > 0:
                gain[start + i] = 20.0 * np.log10(g)
            for channel in range(channels):
                s = delay + 2 * place + channel
                y = state[s]
                state[s] = part[i, channel]
                part[i, channel] = y * g
            place = place + 1 if place + 1 < latency else 0
    state[0], state[1], state[2], state[4], state[5] = now, place, released, head, length


@kernel
def _true_peaks(part, taps, ceiling, past, peaks):  # type: ignore[no-untyped-def]
    """The highest of each frame and of the three points after the frame in the middle of the last `TAPS`. past: (2,
    TAPS), the frames before, then those of this part."""
    frames, channels = part.shape
    peaks[:] = 0.0
    line, loudest, between = np.empty(TAPS - 1 + RUN), np.empty(RUN), np.empty(RUN)
    for channel in range(channels):
        for k in range(TAPS - 1):
            line[k] = past[channel, k + 1]
        for i in range(frames):
            line[TAPS - 1 + i] = part[i, channel]
        loudest[:] = 0.0
        top = 0.0
        for k in range(TAPS):
            shifted = line[k : k + frames]
            for i in range(frames):
                loudest[i] = max(loudest[i], abs(shifted[i]))
        for i in range(frames):
            peaks[i] = max(peaks[i], abs(line[TAPS // 2 - 1 + i]), abs(line[TAPS // 2 + i]))
            top = max(top, loudest[i])
        if top * 2.5 > ceiling:
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
def _summed(ring, place, values, last):  # type: ignore[no-untyped-def]
    """In place of the values the sums of the ring as each of them has been put into it, from `place` on. last: the sum
    before them; returns that after them. Four sums at a time: each is a chain of additions for itself."""
    window, done = len(ring), 0
    while done < len(values):
        count = min(4, window, len(values) - done)
        new = values[done : done + count]
        if last == 0.0 and new.max() == 0.0:
            for j in range(count):
                ring[(place + j) % window] = 0.0
        else:
            one, two, three, four = 0.0, 0.0, 0.0, 0.0
            for k in range(window):
                j = k - place if k >= place else k - place + window
                held = ring[k]
                if j < count:
                    one += new[0] if j == 0 else held
                    two += new[j] if j <= 1 else held
                    three += new[j] if j <= 2 else held
                    four += new[j]
                    ring[k] = new[j]
                else:
                    one += held
                    two += held
                    three += held
                    four += held
            for j in range(count):
                new[j] = one if j == 0 else (two if j == 1 else (three if j == 2 else four))
            last = new[count - 1]
        place, done = (place + count) % window, done + count
    return last
