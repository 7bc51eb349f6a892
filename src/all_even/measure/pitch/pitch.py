"""Pitch of a kick and of long notes, and the names of pitches.

A kick has one of three answers. *Settled*: its decay holds one frequency, drifting less than 20 cents
over at least four cycles. *Gliding*: 20 to 60 cents; "about" that frequency. *None*: most acoustic
kicks; no note name is printed for them. The frequency is read from the phase of the decay, band-passed
around its peak: the highest peak of the whole file's spectrum is wrong by octaves on kicks that sweep.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.time.traces import LOW_RATE

A4_HZ = 440.0
NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
DECAY_DB = (-3.0, -24.0)
FEWEST_CYCLES = 4.0
SETTLED_CENTS, GLIDING_CENTS = 20.0, 60.0
PEAK_HZ = (25.0, 220.0)
HITS = 8
"""How many of the strongest, freest hits are looked at."""
PADDING = 8
MOST_STARTS = 20
"""How many beginnings of the settled part are tried."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class KickPitch:
    """state: settled, gliding or none. frequency_hz: of the decay; None for none. drift_cents: over it.

    peak_hz: strongest frequency of the decay, whatever the state. spread_cents: between hits.
    """

    state: Literal["settled", "gliding", "none"]
    frequency_hz: float | None
    drift_cents: float | None
    peak_hz: float | None
    spread_cents: float | None = None


NO_PITCH = KickPitch("none", None, None, None)


@dataclass(frozen=True, slots=True)
class NamedPitch:
    """Equal temperament at A4 = 440 Hz: name with octave, MIDI number, cents off."""

    name: str
    midi: int
    cents: float


def named(frequency_hz: float) -> NamedPitch:
    """The nearest note: 41.20 Hz is E1, 55.00 Hz is A1, 73.42 Hz is D2."""
    exact = 69.0 + 12.0 * math.log2(frequency_hz / A4_HZ)
    midi = round(exact)
    return NamedPitch(f"{NAMES[midi % 12]}{midi // 12 - 1}", midi, 100.0 * (exact - midi))


def hertz(midi: float) -> float:
    """Frequency of a MIDI note number, equal temperament at A4 = 440 Hz."""
    return float(A4_HZ * 2.0 ** ((midi - 69.0) / 12.0))


def cents_between(frequency_hz: float, reference_hz: float) -> float:
    return 1200.0 * math.log2(frequency_hz / reference_hz)


def peak_hz(sound: NDArray[np.floating], rate: int, low_hz: float, high_hz: float) -> float | None:
    """Strongest frequency between two: Hann window, 8x zero padding, parabola through the log of the peak."""
    if len(sound) < 16:
        return None
    size = PADDING * (1 << (len(sound) - 1).bit_length())
    spectrum = np.abs(np.fft.rfft(np.asarray(sound, dtype=np.float64) * np.hanning(len(sound) + 2)[1:-1], size))
    first, last = max(1, int(low_hz * size / rate)), min(len(spectrum) - 2, int(high_hz * size / rate) + 1)
    if last <= first or spectrum[first : last + 1].max() <= 0.0:
        return None
    k = first + int(np.argmax(spectrum[first : last + 1]))
    a, b, c = np.log(spectrum[k - 1 : k + 2] + 1e-30)
    bend = a - 2.0 * b + c
    shift = 0.5 * (a - c) / bend if bend < 0.0 else 0.0
    return float((k + np.clip(shift, -0.5, 0.5)) * rate / size)


def kick_pitch(low: NDArray[np.floating], level_db: Array, times_s: Sequence[float]) -> KickPitch:
    """Pitch of a track of kicks. low: mono at 4 kHz; level_db: `tails.envelope_db` of it; times_s: its hits."""
    ends = [*times_s[1:], len(low) / LOW_RATE]
    room = sorted(
        ((end - time, time, end) for time, end in zip(times_s, ends, strict=False)), key=lambda one: -min(one[0], 1.0)
    )
    found = [one for _, time, end in room[:HITS] if (one := _of_one(low, level_db, time, end)) is not None]
    peaks = [one.peak_hz for one in found if one.peak_hz is not None]
    if not peaks:
        return NO_PITCH
    peak = float(np.median(peaks))
    sure = [one for one in found if one.frequency_hz is not None and one.drift_cents is not None]
    if 2 * len(sure) < len(found):
        return KickPitch("none", None, None, peak)
    frequency = float(np.median([one.frequency_hz for one in sure if one.frequency_hz]))
    drift = float(np.median([one.drift_cents for one in sure if one.drift_cents is not None]))
    off = [abs(cents_between(one.frequency_hz, frequency)) for one in sure if one.frequency_hz]
    spread = float(np.percentile(off, 75))
    if drift < SETTLED_CENTS and spread < SETTLED_CENTS:
        return KickPitch("settled", frequency, drift, peak, spread)
    return KickPitch("gliding", frequency, drift, peak, spread)


def _of_one(low: NDArray[np.floating], level_db: Array, time_s: float, end_s: float) -> KickPitch | None:
    start, stop = max(0, round(time_s * LOW_RATE)), min(len(low), round((min(end_s, time_s + 1.5) - 0.01) * LOW_RATE))
    level = level_db[start:stop]
    if len(level) < 0.03 * LOW_RATE:
        return None
    top = int(np.argmax(level[: round(0.12 * LOW_RATE)]))
    begin = top + int(np.argmax(level[top:] < level[top] + DECAY_DB[0]))
    under = np.flatnonzero(level[begin:] < level[top] + DECAY_DB[1])
    end = begin + (int(under[0]) if len(under) else len(level) - begin)
    late = begin + (end - begin) // 3
    rough = peak_hz(low[start + late : start + end], LOW_RATE, *PEAK_HZ)
    if rough is None or end - begin < 2.0 * LOW_RATE / rough:
        return None if rough is None else KickPitch("none", None, None, rough)
    # The band is cut from the sound around the hit, so that its own edges stay outside.
    before, after = max(0, start - LOW_RATE // 4), min(len(low), start + end + LOW_RATE // 10)
    band = (max(20.0, rough / 1.5), min(rough * 1.5, 0.45 * LOW_RATE))
    sound = scipy.signal.sosfiltfilt(
        _band_pass(round(band[0], 1), round(band[1], 1)), low[before:after].astype(np.float64)
    )
    analytic = scipy.signal.hilbert(sound)[start - before + begin : start - before + end]
    phase = np.unwrap(np.angle(analytic)) / (2.0 * np.pi)
    weight = np.abs(analytic)
    time = np.arange(len(phase)) / LOW_RATE
    best: KickPitch | None = None
    step = max(round(0.5 * LOW_RATE / rough), len(phase) // MOST_STARTS, 1)
    for first in range(0, len(phase), step):
        cycles = phase[-1] - phase[first]
        if cycles < FEWEST_CYCLES:
            break
        # Phase as a parabola: its slope is the frequency, its bend the drift.
        bend, slope = _parabola(time[first:], phase[first:], weight[first:])
        if slope <= 0.0:
            continue
        span = time[-1] - time[first]
        ratio = (slope + bend * span) / max(1e-9, slope - bend * span)
        drift = abs(1200.0 * math.log2(ratio)) if ratio > 0.0 else 9999.0
        if best is None or (best.drift_cents is not None and drift < best.drift_cents):
            best = KickPitch("settled", float(slope), drift, rough)
        if drift < SETTLED_CENTS:
            break
    if best is None or best.drift_cents is None or best.drift_cents >= GLIDING_CENTS:
        return KickPitch("none", None, None, rough)
    return best


@lru_cache(maxsize=256)
def _band_pass(low_hz: float, high_hz: float) -> Array:
    return np.asarray(scipy.signal.butter(2, (low_hz, high_hz), "bandpass", fs=LOW_RATE, output="sos"))


def _parabola(time: Array, phase: Array, weight: Array) -> tuple[float, float]:
    """Bend and slope, at the middle of the time, of the weighted parabola through the phase."""
    t = time - time.mean()
    terms = np.stack((t * t, t, np.ones_like(t)))
    normal = (terms * weight) @ terms.T
    bend, slope, _ = np.linalg.solve(normal + 1e-18 * np.eye(3), (terms * weight) @ phase)
    return float(bend), float(slope)
