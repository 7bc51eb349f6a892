"""Saturation: five curves, four times oversampled, with the rumble kept out.

The curves have slope 1 at zero, so that quiet sounds pass unchanged at any drive g; y = f(g·x)/g:
- round: f = tanh(x); odd harmonics that fall off quickly;
- firm: f = x / (1 + |x|^3)^(1/3); straight for longer, then harder; odd harmonics;
- uneven: f = (tanh(x + 0.4) - tanh 0.4) / (1 - tanh² 0.4); even harmonics as well. The direct current
  it makes is taken away afterwards.
- hard: f = x up to 1, and 1 from there on; odd harmonics that hardly fall off;
- tape: tanh between a treble lift of 6 dB (from 3 kHz on) and its exact opposite, so that treble gives way first where
  it is loud; behind it a bandwidth of its own (one pole at 15 kHz).

What lies under `low_cut_hz` goes around the curve (one pole, so that both parts add up to the sound that
came in) and is added again unchanged. The oversampling filters are linear-phase Kaiser windows of 90 dB.
"""

import math
from functools import cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters.biquad import clean
from all_even.dsp.processor import Processor, inside, named, quiet, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]
Curve = Literal["round", "firm", "uneven", "hard", "tape"]
CURVES: tuple[Curve, ...] = ("round", "firm", "uneven", "hard", "tape")
"""In the order of their numbers in the kernel."""

FACTOR = 4
PHASE_TAPS = 57
HALF = FACTOR * (PHASE_TAPS - 1) // 2
LATENCY = 2 * HALF // FACTOR
KAISER_BETA = 8.96  # 90 dB
CUTOFF = 0.469
"""Of the base rate, where the filters are 6 dB down: at 48 kHz they pass 20 kHz and stop 25 kHz."""
BIAS = 0.4
DC_HZ = 5.0
EMPHASIS_HZ, EMPHASIS, BANDWIDTH_HZ = 3000.0, 1.0, 15e3
"""Of the tape: where its treble lift begins, by how much of the treble it adds, and how far it reaches."""
HEAD = 10
FIXED_STATE = 14
"""Numbers before the histories of the filters: seven for each of two channels."""


class Saturation(Processor, frozen=True, kw_only=True, tag_field="kind", tag="saturation"):
    """Adds harmonics and rounds peaks."""

    LABEL: ClassVar[str] = "Saturation"
    SHORT: ClassVar[str] = "Sat"
    WORDS: ClassVar[str] = "drive distortion harmonics warmth tape tube"
    LEVEL_DEPENDENT: ClassVar[bool] = True

    curve: Annotated[Curve, named("Curve")] = "round"
    drive_db: Annotated[float, setting("Drive", "dB", 0.0, 48.0, step=0.5)] = 6.0
    low_cut_hz: Annotated[float, setting("Keep out below", "Hz", 0.0, 1000.0, step=5.0, decimals=0)] = 30.0
    output_db: Annotated[float, setting("Output", "dB", -36.0, 24.0, step=0.5)] = 0.0
    mix: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0

    def transfer(self, x: Array) -> Array:
        """What a slow value x comes out as, without the low cut and the mix."""
        g = 10.0 ** (self.drive_db / 20.0) * np.asarray(x)
        offset = math.tanh(BIAS)
        curves = {
            "round": np.tanh(g),
            "firm": g / np.cbrt(1.0 + np.abs(g) ** 3),
            "uneven": (np.tanh(g + BIAS) - offset) / (1.0 - offset**2),
            "hard": np.clip(g, -1.0, 1.0),
            "tape": np.tanh(g),
        }
        return curves[self.curve] * 10.0 ** ((self.output_db - self.drive_db) / 20.0)

    def latency_frames(self, sample_rate: int) -> int:
        return LATENCY

    def settling_s(self) -> float:
        low = 18.4 / (2.0 * math.pi * self.low_cut_hz) if self.low_cut_hz else 0.0
        return 18.4 / (2.0 * math.pi * DC_HZ) + low + 0.02

    def state_size(self, sample_rate: int) -> int:
        return FIXED_STATE + 2 * (PHASE_TAPS + FACTOR * PHASE_TAPS + 2 * LATENCY)

    def coefficients(self, sample_rate: int) -> Array:
        low = 1.0 - math.exp(-2.0 * math.pi * self.low_cut_hz / sample_rate)
        head = [
            float(CURVES.index(self.curve)),
            10.0 ** (self.drive_db / 20.0),
            low,
            10.0 ** (self.output_db / 20.0),
            self.mix / 100.0,
            math.exp(-2.0 * math.pi * DC_HZ / sample_rate),
            1.0 - math.exp(-2.0 * math.pi * EMPHASIS_HZ / sample_rate),
            1.0 - math.exp(-2.0 * math.pi * min(BANDWIDTH_HZ, 0.45 * sample_rate) / sample_rate),
            0.0,
            0.0,
        ]
        return np.concatenate((head, _taps()))

    @classmethod
    def kernels(cls) -> Any:
        return _saturate


@cache
def _taps() -> Array:
    """One symmetric filter for both ways, sum 1, centre at `HALF`."""
    n = np.arange(FACTOR * PHASE_TAPS) - HALF
    taps = np.sinc(2.0 * CUTOFF * n / FACTOR) * np.where(
        abs(n) <= HALF, np.i0(KAISER_BETA * np.sqrt(np.maximum(0.0, 1.0 - (n / HALF) ** 2))), 0.0
    )
    result: Array = taps / taps.sum()
    return result


@kernel
def _add_filtered(out, samples, taps, gain):  # type: ignore[no-untyped-def]
    """Adds a filtered signal; samples has len(taps) - 1 more at its start than out.

    Tap by tap over the whole stretch, so that the compiler works on many samples at once.
    """
    for k in range(len(taps)):
        weight = gain * taps[k]
        part = samples[len(taps) - 1 - k : len(taps) - 1 - k + len(out)]
        for i in range(len(out)):
            out[i] += weight * part[i]


@kernel
def _curve(samples, kind, drive):  # type: ignore[no-untyped-def]
    """The curve in place, with slope 1 at zero."""
    offset = np.tanh(BIAS)
    slope = 1.0 - offset * offset
    for i in range(len(samples)):
        x = drive * samples[i]
        if kind == 1:
            y = x / np.cbrt(1.0 + abs(x) ** 3)
        elif kind == 3:
            y = min(1.0, max(-1.0, x))
        elif abs(x) > 300.0:
            y = (np.sign(x) - offset) / slope if kind == 2 else np.sign(x)
        elif kind != 2:
            y = 1.0 - 2.0 / (np.exp(2.0 * x) + 1.0)
        else:
            y = (1.0 - 2.0 / (np.exp(2.0 * (x + BIAS)) + 1.0) - offset) / slope
        samples[i] = y / drive


@kernel
def _saturate(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state: low part, direct current before and after, ring place, treble on the way in and out, bandwidth, each for
    two channels; then
    per channel the history of the filters (base rate, then each phase) and a ring of low part and dry."""
    frames, channels = block.shape
    kind, drive, low_c, output, mix, dc = int(c[0]), c[1], c[2], c[3], c[4], c[5]
    treble_c, wide_c = c[6], c[7]
    taps = c[HEAD:].copy().reshape((PHASE_TAPS, FACTOR))
    clean(block)
    length = PHASE_TAPS - 1
    line = np.empty(frames + length)
    over = np.empty(frames + length)
    kept = np.empty((frames, 2))
    wet = np.empty(frames)
    per_channel = PHASE_TAPS + FACTOR * PHASE_TAPS + 2 * LATENCY
    for channel in range(channels):
        s = FIXED_STATE + channel * per_channel
        past = state[s : s + length]
        ring = state[s + PHASE_TAPS + FACTOR * PHASE_TAPS : s + per_channel]
        low, treble = state[channel], state[8 + channel]
        line[:length] = past
        for i in range(frames):
            x = block[i, channel]
            low += low_c * (x - low)
            high = x - low
            if kind == 4:
                treble += treble_c * (high - treble)
                high += EMPHASIS * (high - treble)
            line[length + i] = high
            kept[i, 0] = low
            kept[i, 1] = x
        state[channel], state[8 + channel] = quiet(low), quiet(treble)
        past[:] = line[frames : frames + length]
        wet[:] = 0.0
        for phase in range(FACTOR):
            own = np.ascontiguousarray(taps[:, phase])
            past_over = state[s + PHASE_TAPS * (1 + phase) : s + PHASE_TAPS * (1 + phase) + length]
            over[:length] = past_over
            fresh = over[length:]
            fresh[:] = 0.0
            _add_filtered(fresh, line, own, float(FACTOR))
            _curve(fresh, kind, drive)
            past_over[:] = over[frames : frames + length]
            # What was between the samples on the way up lies on the other side of them on the way down.
            if phase == 0:
                _add_filtered(wet, over, own, 1.0)
            else:
                back = np.zeros(PHASE_TAPS)
                back[1:] = taps[:-1, FACTOR - phase]  # the last one is 0
                _add_filtered(wet, over, back, 1.0)
        before, after = state[2 + channel], state[4 + channel]
        treble, wide = state[10 + channel], state[12 + channel]
        kept_treble = EMPHASIS * (1.0 - treble_c)
        place = inside(state[6 + channel], LATENCY)
        for i in range(frames):
            y = wet[i]
            if kind == 2:
                after = dc * after + y - before
                before = y
                y = after
            elif kind == 4:
                y = (y + kept_treble * treble) / (1.0 + kept_treble)
                treble += treble_c * (y - treble)
                wide += wide_c * (y - wide)
                y = wide
            wet_low, dry = ring[2 * place], ring[2 * place + 1]
            ring[2 * place], ring[2 * place + 1] = kept[i, 0], kept[i, 1]
            place += 1
            if place == LATENCY:
                place = 0
            block[i, channel] = mix * output * (y + wet_low) + (1.0 - mix) * dry
        state[2 + channel], state[4 + channel], state[6 + channel] = quiet(before), quiet(after), place
        state[10 + channel], state[12 + channel] = quiet(treble), quiet(wide)
