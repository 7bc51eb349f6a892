"""Reverb: sixteen delay lines that feed each other, so that a sound goes on as in a room.

Both sides are blurred by all-passes and wait in the pre-delay. From there come a few early reflections, one in each
cell of time, and what enters sixteen lines of unlike (prime) lengths. What leaves the lines is damped, mixed by a
Hadamard matrix and fed back. Each line's length moves a little, which keeps the late part from ringing. A feedback
delay network as in J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators", AES
convention 90 (1991); the early reflections are velvet noise as in M. Karjalainen and H. Järveläinen, "Reverberation
modeling using velvet noise", AES conference 30 (2007). From memory.

The decay time at frequency f follows 1/T(f) = 1/T + (1/Tl - 1/T) / (1 + (f/fl)²) + (1/Th - 1/T) / (1 + (fh/f)²).
The tail's gain follows from the times, so that a longer tail is not a louder one.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import BEHIND_FRAMES, GRID_FRAMES, Processor, quiet, setting
from all_even.dsp.space.reverb_times import EARLY_TAPS, LINES, early_taps, line_frames
from all_even.kernels import kernel

Array = NDArray[np.float64]

DIFFUSERS_MS = (1.3, 2.1, 3.4, 5.1, 7.7, 11.9)
DIFFUSERS_FOR_MS = 50.0
"""For lines of this mean length or longer; smaller places have shorter all-passes, which would outlast their tail."""
RIGHT_DIFFUSERS = (0.93, 1.07)
"""The right side's all-passes are so much longer or shorter, in turn."""
MODULATION_HZ = 0.7
SETTLED_DB = 140.0
HIGHEST_GAIN = 0.9995

# Coefficients: the head, the all-passes, the early taps, then ten numbers for each line.
HEAD = 16
TAPS = HEAD + 2 * len(DIFFUSERS_MS)
LINE = TAPS + 4 * EARLY_TAPS
PER_LINE = 11
DIFFUSERS = len(DIFFUSERS_MS)
FIXED_STATE = 5


class Reverb(Processor, frozen=True, kw_only=True, tag_field="kind", tag="reverb"):
    """Makes a room around a sound."""

    LABEL: ClassVar[str] = "Reverb"
    SHORT: ClassVar[str] = "Reverb"
    REMEMBERS_LONG: ClassVar[bool] = True
    WORDS: ClassVar[str] = "room hall plate ambience space tail echo"
    FIRST: ClassVar[tuple[str, ...]] = ("decay_s", "predelay_ms", "high_ratio", "brightness_db", "mix_percent")

    decay_s: Annotated[float, setting("Decay time", "s", 0.1, 12.0, step=3.0, scale="log", decimals=2)] = 1.6
    size_ms: Annotated[float, setting("Size", "ms", 30.0, 120.0, step=1.0, decimals=0, fixed=True)] = 50.0
    predelay_ms: Annotated[float, setting("Pre-delay", "ms", 0.0, 200.0, step=1.0, decimals=0, fixed=True)] = 12.0
    early_db: Annotated[float, setting("Early reflections", "dB", -40.0, 6.0, step=0.5)] = -6.0
    early_ms: Annotated[float, setting("Early span", "ms", 5.0, 120.0, step=1.0, decimals=0, fixed=True)] = 40.0
    low_ratio: Annotated[float, setting("Low time", "×", 0.2, 2.0, step=0.05, decimals=2)] = 1.0
    low_hz: Annotated[float, setting("Low corner", "Hz", 60.0, 1000.0, step=3.0, scale="log", decimals=0)] = 250.0
    high_ratio: Annotated[float, setting("High time", "×", 0.1, 1.0, step=0.05, decimals=2)] = 0.6
    high_hz: Annotated[float, setting("High corner", "Hz", 1000.0, 12_000.0, step=3.0, scale="log", decimals=0)] = (
        5000.0
    )
    diffusion: Annotated[float, setting("Diffusion", "", 0.3, 0.75, step=0.05, decimals=2)] = 0.65
    modulation_ms: Annotated[float, setting("Modulation", "ms", 0.0, 1.0, step=0.05, decimals=2, fixed=True)] = 0.3
    brightness_db: Annotated[float, setting("Brightness", "dB", -12.0, 6.0, step=0.5)] = 0.0
    width: Annotated[float, setting("Width", "", 0.0, 1.5, step=0.05, decimals=2)] = 1.0
    mix_percent: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0

    def settling_s(self) -> float:
        longest = self.decay_s * max(1.0, self.low_ratio)
        return longest * SETTLED_DB / 60.0 + (self.predelay_ms + self.early_ms + 2.0 * self.size_ms) / 1000.0

    def rings_s(self) -> float:
        return self.decay_s * max(1.0, self.low_ratio) + (self.predelay_ms + self.size_ms) / 1000.0

    def decay_at(self, frequency_hz: Array | float) -> Array:
        """The time in s in which a sound of this frequency falls by 60 dB."""
        middle, low, high = 1.0 / self.decay_s, 1.0 / self.low_ratio, 1.0 / self.high_ratio
        hz = np.maximum(np.asarray(frequency_hz, dtype=np.float64), 1e-3)
        below = (low - 1.0) / (1.0 + (hz / self.low_hz) ** 2)
        above = (high - 1.0) / (1.0 + (self.high_hz / hz) ** 2)
        result: Array = 1.0 / (middle * (1.0 + below + above))
        return result

    def state_size(self, sample_rate: int) -> int:
        return FIXED_STATE + 2 * LINES

    def history_size(self, sample_rate: int) -> int:
        ring, line, diffuser = self._rings(sample_rate)
        return 2 * ring + LINES * line + 2 * DIFFUSERS * diffuser

    def _rings(self, sample_rate: int) -> tuple[int, int, int]:
        """Frames of a side's pre-delay, of a line and of an all-pass, each with what lies behind."""
        more = GRID_FRAMES + BEHIND_FRAMES
        per_ms = sample_rate / 1000.0
        ring = round(self.predelay_ms * per_ms) + round(self.early_ms * per_ms) + more
        line = max(line_frames(self.size_ms, sample_rate)) + math.ceil(self.modulation_ms * per_ms) + 4 + more
        diffuser = math.ceil(max(DIFFUSERS_MS) * max(RIGHT_DIFFUSERS) * per_ms) + more
        return ring, line, diffuser

    def coefficients(self, sample_rate: int) -> Array:
        per_ms = sample_rate / 1000.0
        lines = np.array(line_frames(self.size_ms, sample_rate), dtype=np.float64)
        numbers = np.zeros(LINE + PER_LINE * LINES)
        wet = self.mix_percent / 100.0
        shelf = _high_shelf(math.tan(math.pi * min(0.45, 4000.0 / sample_rate)), 10.0 ** (self.brightness_db / 20.0))
        numbers[:HEAD] = [
            round(self.predelay_ms * per_ms), self.diffusion, 10.0 ** (self.early_db / 20.0),
            self._tail_gain(lines, sample_rate), self.width, 1.0 - wet, wet,
            self.modulation_ms * per_ms, 2.0 * math.pi * MODULATION_HZ / sample_rate, *self._rings(sample_rate),
            *shelf, 0.0,
        ]  # fmt: skip
        smaller = min(1.0, self.size_ms / DIFFUSERS_FOR_MS)
        numbers[HEAD:TAPS] = [
            max(1, round(ms * smaller * per_ms * (1.0, RIGHT_DIFFUSERS[index % 2])[side]))
            for side in range(2) for index, ms in enumerate(DIFFUSERS_MS)
        ]  # fmt: skip
        for side in range(2):
            times, gains = early_taps(side, round(self.early_ms * per_ms))
            at = TAPS + 2 * side * EARLY_TAPS
            numbers[at : at + EARLY_TAPS], numbers[at + EARLY_TAPS : at + 2 * EARLY_TAPS] = times, gains
        low, high = (math.tan(math.pi * min(0.45, hz / sample_rate)) for hz in (self.low_hz, self.high_hz))
        lost = _read_loss(8000.0, sample_rate) if self.modulation_ms > 0.0 else 1.0
        for k, frames in enumerate(lines):
            gain = _gain_of(self.decay_s, frames, sample_rate)
            under = _gain_of(self.decay_s * self.low_ratio, frames, sample_rate) / gain
            over = min(_gain_of(self.decay_s * self.high_ratio, frames, sample_rate) / lost, HIGHEST_GAIN) / gain
            left, right = _sign(k // 2) * _sign(k // 4) / 4.0, _sign(k // 2) * _sign(k // 8) * _sign(k) / 4.0
            numbers[LINE + PER_LINE * k :][:PER_LINE] = [
                frames, gain, *_low_shelf(low, under), *_high_shelf(high, over), left, right,
                _sign(k // (2 + 2 * (k % 2))),
            ]  # fmt: skip
        return numbers

    def _tail_gain(self, lines: Array, sample_rate: int) -> float:
        """What makes a white sound's tail as strong as the sound, whatever the time.

        Each time round the Hadamard matrix spreads what is left evenly over all lines.
        """
        decay_s = self.decay_at(np.geomspace(100.0, 10_000.0, 41))
        left = np.mean(10.0 ** (-6.0 * lines[:, np.newaxis] / (sample_rate * decay_s)), axis=0)
        return math.sqrt(2.0 / float(np.mean(left / (1.0 - left))))

    @classmethod
    def kernels(cls) -> Any:
        return _reverberate


def _sign(number: int) -> float:
    return 1.0 if number % 2 == 0 else -1.0


def _gain_of(decay_s: float, frames: float, sample_rate: int) -> float:
    """What a line's sound has to be multiplied by at each return, to fall by 60 dB in this time."""
    return float(10.0 ** (-3.0 * frames / (sample_rate * decay_s)))


def _low_shelf(w: float, gain: float) -> tuple[float, float, float]:
    """b0, b1, a1 of (s + w sqrt G)/(s + w/sqrt G): `gain` at 0 Hz, 1 far above. w: tan of half the corner's angle."""
    root = math.sqrt(gain)
    scale = 1.0 + w / root
    return (1.0 + w * root) / scale, (w * root - 1.0) / scale, (w / root - 1.0) / scale


def _high_shelf(w: float, gain: float) -> tuple[float, float, float]:
    """b0, b1, a1 of (sqrt G s + w)/(s/sqrt G + w): 1 at 0 Hz, `gain` far above."""
    root = math.sqrt(gain)
    scale = 1.0 / root + w
    return (root + w) / scale, (w - root) / scale, (w - 1.0 / root) / scale


def _read_loss(frequency_hz: float, sample_rate: int) -> float:
    """The mean gain at a frequency of what is read between the frames, where the place moves: under 1."""
    w = 2.0 * math.pi * min(frequency_hz / sample_rate, 0.35)
    f = np.linspace(0.0, 1.0, 64, endpoint=False)
    weights = (
        -f * (f - 1.0) * (f - 2.0) / 6.0, (f + 1.0) * (f - 1.0) * (f - 2.0) / 2.0,
        -(f + 1.0) * f * (f - 2.0) / 2.0, (f + 1.0) * f * (f - 1.0) / 6.0,
    )  # fmt: skip
    response = sum(weight * np.exp(-1j * w * (place - 1.0)) for place, weight in enumerate(weights))
    return float(np.exp(np.mean(np.log(np.abs(response)))))


@kernel
def _reverberate(block, key, gain, c, state, position, history):  # type: ignore[no-untyped-def]
    """state: 0 the place in all rings, as a frame count, 1 to 4 the shelf of both sides, then two numbers a line.
    history: both sides of the pre-delay, the lines, the all-passes. Runs of at most GRID_FRAMES, on the song's grid.
    What goes over all GRID_FRAMES of a shorter run, for a count the compiler knows, leaves numbers nobody reads."""
    clean(block)
    ring_size, line_size, diffuser_size = int(c[9]), int(c[10]), int(c[11])
    before = history[: 2 * ring_size].reshape((2, ring_size))
    lines = history[2 * ring_size : 2 * ring_size + LINES * line_size].reshape((LINES, line_size))
    diffusers = history[2 * ring_size + LINES * line_size :].reshape((2 * DIFFUSERS, diffuser_size))
    sides = np.empty((2, GRID_FRAMES))
    out = np.zeros((LINES, GRID_FRAMES))
    done = 0
    while done < len(block):
        at = position + done
        frames = min(GRID_FRAMES - at % GRID_FRAMES, len(block) - done)
        part = block[done : done + frames]
        place = int(state[0]) if 0.0 <= state[0] < 4e15 else 0
        _enter(part, c, place, before, diffusers, sides)
        _leave_lines(c, at, place, lines, state[FIXED_STATE:], out, frames)
        _mix_out(c, out, sides)
        _feed_back(c, place, before, lines, out, frames)
        _reflect(c, place, before, sides, frames)
        _finish(part, c, state, sides)
        state[0] = place + frames
        done += frames


@kernel
def _back(place, frames, size):  # type: ignore[no-untyped-def]
    """The place that lies this far behind another in a ring, at most once around."""
    return place - frames if place >= frames else place - frames + size


@kernel
def _onwards(place, frames, size):  # type: ignore[no-untyped-def]
    """The place after a run that ends with the ring at the latest."""
    return place + frames if place + frames < size else 0


@kernel
def _enter(part, c, place, before, diffusers, sides):  # type: ignore[no-untyped-def]
    """Both sides through their all-passes into the pre-delay."""
    frames, channels = part.shape
    for side in range(2):
        for i in range(frames):
            sides[side, i] = part[i, min(side, channels - 1)]
        for j in range(DIFFUSERS):
            ring = diffusers[DIFFUSERS * side + j]
            to = place % len(ring)
            read = _back(to, int(c[HEAD + DIFFUSERS * side + j]), len(ring))
            done = 0
            while done < frames:
                run = min(frames - done, len(ring) - to, len(ring) - read)
                sound, held, kept = sides[side, done : done + run], ring[read : read + run], ring[to : to + run]
                for i in range(run):
                    old = held[i]
                    new = sound[i] + c[1] * old
                    sound[i] = old - c[1] * new
                    kept[i] = quiet(new)
                done, to, read = done + run, _onwards(to, run, len(ring)), _onwards(read, run, len(ring))
        to = place % before.shape[1]
        for i in range(frames):
            before[side, to] = sides[side, i]
            to = to + 1 if to + 1 < before.shape[1] else 0


@kernel
def _leave_lines(c, at, place, lines, state, out, frames):  # type: ignore[no-untyped-def]
    """What comes out of each line, read between the frames, and damped. at: song frame."""
    depth, step = c[7], c[8]
    offset, size = at % GRID_FRAMES, lines.shape[1]
    base = place % size
    around = np.empty(GRID_FRAMES + 3)
    for k in range(LINES):
        q = LINE + PER_LINE * k
        pace = step * (1.0 + 0.083 * k)
        from_ = depth * np.sin(pace * (at - offset) + 2.399963 * k)
        slope = (depth * np.sin(pace * (at - offset + GRID_FRAMES) + 2.399963 * k) - from_) / GRID_FRAMES
        ring, row = lines[k], out[k]
        done = 0
        while done < frames:
            delay = c[q] + from_ + slope * (offset + done)
            whole = int(delay)
            run = _unbroken(delay - whole, slope, frames - done)
            first = (base + done - whole - 2) % size
            if first + run + 3 <= size:
                _read(row, done, run, ring, first, delay - whole, slope, c[q + 1])
            else:
                for i in range(run + 3):
                    around[i] = ring[(first + i) % size]
                _read(row, done, run, around, 0, delay - whole, slope, c[q + 1])
            done += run
    read = np.empty((GRID_FRAMES, LINES))
    for k in range(LINES):
        for i in range(GRID_FRAMES):
            read[i, k] = out[k, i]
    _damp(c, state, read[:frames])
    for k in range(LINES):
        for i in range(GRID_FRAMES):
            out[k, i] = read[i, k]


@kernel
def _unbroken(f, slope, frames):  # type: ignore[no-untyped-def]
    """Frames until a place that moves by `slope` a frame leaves the pair of frames it stands between."""
    if 0.0 <= f + slope * (frames - 1) < 1.0:
        return frames
    run = 1
    while 0.0 <= f + slope * run < 1.0:
        run += 1
    return run


@kernel
def _read(row, done, run, source, first, f, slope, gain):  # type: ignore[no-untyped-def]
    """A run of a row from frames that stand side by side, three more than it has. f: where between them its first one
    stands. Places that can't be negative: only then does the compiler take several at a time."""
    to, at = np.uint64(done), np.uint64(first)
    for i in range(np.uint64(run)):
        twice, once = source[at + i], source[at + i + np.uint64(1)]
        now, after = source[at + i + np.uint64(2)], source[at + i + np.uint64(3)]
        row[to + i] = gain * _between(f + slope * i, twice, once, now, after)


@kernel
def _between(f, twice, once, now, after):  # type: ignore[no-untyped-def]
    """The curve through four frames, f frames before `now`: Lagrange's of the third order."""
    early, late = f * (f - 1.0) * (1.0 / 6.0), (f + 1.0) * (f - 2.0) * 0.5
    return (late * (f - 1.0)) * now - (late * f) * once + (early * (f + 1.0)) * twice - (early * (f - 2.0)) * after


@kernel
def _damp(c, state, read):  # type: ignore[no-untyped-def]
    """The two shelves of each line, in place, all lines at once. state: what each line's first shelf keeps for the
    next frame, then what each second one keeps; read: (frames, LINES)."""
    shelves = np.empty((6, LINES))
    for k in range(LINES):
        for j in range(6):
            shelves[j, k] = c[LINE + PER_LINE * k + 2 + j]
    low, high = state[:LINES].copy(), state[LINES : 2 * LINES].copy()
    for i in range(len(read)):
        row = read[i]
        for k in range(LINES):
            x = row[k]
            y = shelves[0, k] * x + low[k]
            z = shelves[3, k] * y + high[k]
            low[k] = shelves[1, k] * x - shelves[2, k] * y
            high[k] = shelves[4, k] * y - shelves[5, k] * z
            row[k] = z
    for k in range(LINES):
        state[k], state[LINES + k] = quiet(low[k]), quiet(high[k])


@kernel
def _mix_out(c, out, sides):  # type: ignore[no-untyped-def]
    """The tail of both sides, from all lines."""
    sides[:] = 0.0
    for k in range(LINES):
        left, right = c[3] * c[LINE + PER_LINE * k + 8], c[3] * c[LINE + PER_LINE * k + 9]
        for i in range(GRID_FRAMES):
            sides[0, i] += left * out[k, i]
            sides[1, i] += right * out[k, i]


@kernel
def _feed_back(c, place, before, lines, out, frames):  # type: ignore[no-untyped-def]
    """Each line gets a sixteenth of the energy of all, and what comes out of the pre-delay: even lines the left."""
    base, half = place % lines.shape[1], LINES // 2
    while half >= 1:
        for start in range(0, LINES, 2 * half):
            for k in range(start, start + half):
                one, other = out[k], out[k + half]
                for i in range(frames):
                    upper, lower = one[i], other[i]
                    one[i], other[i] = upper + lower, upper - lower
        half //= 2
    first = (place - int(c[0])) % before.shape[1]
    for k in range(LINES):
        into = c[LINE + PER_LINE * k + 10]
        source, ring = before[k % 2], lines[k]
        to, read = base, first
        done = 0
        while done < frames:
            run = min(frames - done, len(ring) - to, len(source) - read)
            row, heard, kept = out[k, done : done + run], source[read : read + run], ring[to : to + run]
            for i in range(run):
                kept[i] = quiet(0.25 * row[i] + into * heard[i])
            done, to, read = done + run, _onwards(to, run, len(ring)), _onwards(read, run, len(source))


@kernel
def _reflect(c, place, before, sides, frames):  # type: ignore[no-untyped-def]
    """Adds the early reflections."""
    last = (place - int(c[0])) % before.shape[1]
    for side in range(2):
        source = before[side]
        for t in range(EARLY_TAPS):
            tap = TAPS + 2 * side * EARLY_TAPS + t
            gain = c[2] * c[tap + EARLY_TAPS]
            read = _back(last, int(c[tap]), len(source))
            first = min(frames, len(source) - read)
            heard, near, later = source[read : read + first], sides[side, :first], sides[side, first:frames]
            for i in range(first):
                near[i] += gain * heard[i]
            for i in range(len(later)):
                later[i] += gain * source[i]


@kernel
def _finish(part, c, state, sides):  # type: ignore[no-untyped-def]
    """Brightness, width, and the mix with the dry sound. state: 1 to 4, the shelf's last in and out of both sides."""
    channels = part.shape[1]
    for side in range(2):
        x1, y1 = state[1 + 2 * side], state[2 + 2 * side]
        for i in range(len(part)):
            x = sides[side, i]
            y1 = c[12] * x + c[13] * x1 - c[14] * y1
            x1 = x
            sides[side, i] = y1
        state[1 + 2 * side], state[2 + 2 * side] = quiet(x1), quiet(y1)
    for i in range(len(part)):
        middle, apart = 0.5 * (sides[0, i] + sides[1, i]), 0.5 * c[4] * (sides[0, i] - sides[1, i])
        if channels == 1:
            part[i, 0] = c[5] * part[i, 0] + c[6] * middle
        else:
            part[i, 0] = c[5] * part[i, 0] + c[6] * (middle + apart)
            part[i, 1] = c[5] * part[i, 1] + c[6] * (middle - apart)
