"""How the demo's instruments sound: small synthesisers, credible in spectrum, envelope and dynamics.

All signals are float64 mono arrays at `SAMPLE_RATE`; levels are set later. Harmonic sounds run in one
compiled kernel: the partials of a tone by the recurrence sin(kx) = 2 cos(x) sin((k-1)x) - sin((k-2)x).
"""

import numpy as np
from numpy.typing import NDArray

from all_even.demo.score import NoteEvent
from all_even.kernels import kernel

SAMPLE_RATE = 48_000
Signal = NDArray[np.float64]

VOWELS = {  # formant centre Hz, bandwidth Hz, relative level dB: textbook averages for a tenor, from memory
    "a": ((650, 80, 0), (1080, 90, -6), (2650, 120, -12), (2900, 130, -14)),
    "o": ((400, 60, 0), (800, 80, -10), (2600, 120, -18), (2800, 130, -20)),
    "e": ((400, 70, 0), (1700, 90, -10), (2600, 120, -12), (3200, 130, -16)),
    "i": ((290, 50, 0), (1870, 90, -14), (2800, 120, -16), (3250, 130, -20)),
}


def hertz(pitch: float, cents: float = 0.0) -> float:
    """Equal temperament, A4 = 440 Hz = MIDI 69."""
    return float(440.0 * 2.0 ** ((pitch - 69.0 + cents / 100.0) / 12.0))


def decay_per_sample(t60_s: float) -> float:
    return float(10.0 ** (-3.0 / (t60_s * SAMPLE_RATE)))


@kernel
def _partials(out, start, frequency, amplitudes, decays, envelope, vibrato, rate):  # type: ignore[no-untyped-def]
    """Adds one tone: frequency in Hz, a constant; vibrato: (depth as a ratio, Hz, delay in samples)."""
    count = len(amplitudes)
    levels = amplitudes.copy()
    phase = 0.0
    for i in range(min(len(envelope), len(out) - start)):
        wobble = 1.0
        if i > vibrato[2]:
            wobble = 1.0 + vibrato[0] * np.sin(2.0 * np.pi * vibrato[1] * (i - vibrato[2]) / rate)
        phase += 2.0 * np.pi * frequency * wobble / rate
        if phase > 2.0 * np.pi:
            phase -= 2.0 * np.pi
        double_cos = 2.0 * np.cos(phase)
        before, now = 0.0, np.sin(phase)
        total = 0.0
        for k in range(count):
            total += levels[k] * now
            levels[k] *= decays[k]
            before, now = now, double_cos * now - before
        out[start + i] += total * envelope[i]


@kernel
def _resonator(x, frequency, bandwidth, rate):  # type: ignore[no-untyped-def]
    """Two-pole resonator with unit gain at its centre (roughly)."""
    r = np.exp(-np.pi * bandwidth / rate)
    c1, c2 = 2.0 * r * np.cos(2.0 * np.pi * frequency / rate), -r * r
    gain = (1.0 - r) * np.sqrt(1.0 - 2.0 * r * np.cos(4.0 * np.pi * frequency / rate) + r * r)
    y = np.empty_like(x)
    y1 = y2 = 0.0
    for i in range(len(x)):
        value = gain * x[i] + c1 * y1 + c2 * y2
        y2 = y1
        y1 = value
        y[i] = value
    return y


@kernel
def _one_pole(x, frequency, rate, high):  # type: ignore[no-untyped-def]
    """First-order low-pass, or what it leaves over."""
    a = 1.0 - np.exp(-2.0 * np.pi * frequency / rate)
    y = np.empty_like(x)
    state = 0.0
    for i in range(len(x)):
        state += a * (x[i] - state)
        y[i] = x[i] - state if high else state
    return y


def resonate(x: Signal, frequency: float, bandwidth: float, gain_db: float) -> Signal:
    """Adds a resonance: `gain_db` more at its centre."""
    result: Signal = x + (10.0 ** (gain_db / 20.0) - 1.0) * _resonator(x, frequency, bandwidth, SAMPLE_RATE)
    return result


def low_pass(x: Signal, frequency: float, times: int = 1) -> Signal:
    for _ in range(times):
        x = _one_pole(x, frequency, SAMPLE_RATE, False)
    return x


def high_pass(x: Signal, frequency: float, times: int = 1) -> Signal:
    for _ in range(times):
        x = _one_pole(x, frequency, SAMPLE_RATE, True)
    return x


def delayed(x: Signal, ms: float) -> Signal:
    """Later by a time that may fall between samples (64-tap windowed sinc)."""
    shift = ms * SAMPLE_RATE / 1000.0
    whole = int(np.floor(shift))
    fraction = shift - whole
    taps = np.arange(-31, 33)
    weights = np.sinc(taps - fraction) * np.hanning(66)[1:-1]
    filtered = np.convolve(x, weights / weights.sum(), mode="full")[31 : 31 + len(x)]
    result = np.zeros_like(x)
    result[whole:] = filtered[: len(x) - whole]
    return result


def shape(length_s: float, attack_s: float, release_s: float) -> Signal:
    """Raised-cosine attack, flat, raised-cosine release after `length_s`."""
    total = int((length_s + release_s) * SAMPLE_RATE)
    result = np.ones(total)
    attack, release = max(1, int(attack_s * SAMPLE_RATE)), max(1, int(release_s * SAMPLE_RATE))
    attack = min(attack, total)
    result[:attack] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(attack) / attack)
    result[-release:] *= 0.5 + 0.5 * np.cos(np.pi * np.arange(release) / release)
    return result


def add_at(out: Signal, start_s: float, sound: Signal, gain: float = 1.0) -> None:
    start = round(start_s * SAMPLE_RATE)
    stop = min(len(out), start + len(sound))
    if 0 <= start < stop:
        out[start:stop] += gain * sound[: stop - start]


def kick(fundamental_hz: float, tail_ms: float, rng: np.random.Generator, *, click: float = 0.35) -> Signal:
    """A body that sweeps down to its fundamental within 30 ms and dies by 20 dB in `tail_ms`, and a click."""
    decay_s = tail_ms / 1000.0 / np.log(10.0)
    time = np.arange(int((tail_ms / 1000.0 * 3.5 + 0.05) * SAMPLE_RATE)) / SAMPLE_RATE
    sweep_s = 0.008
    phase = 2 * np.pi * (fundamental_hz * time + 140.0 * sweep_s * (1.0 - np.exp(-time / sweep_s)))
    body = np.sin(phase) * np.exp(-time / decay_s) * np.minimum(1.0, time / 0.0008)
    body += 0.12 * np.sin(2.0 * phase) * np.exp(-time / (0.35 * decay_s))
    burst = np.zeros_like(body)
    size = int(0.012 * SAMPLE_RATE)
    burst[:size] = rng.standard_normal(size) * np.exp(-np.arange(size) / (0.0016 * SAMPLE_RATE))
    return body + click * high_pass(burst, 2500.0, 2)


def snare(rng: np.random.Generator, *, bottom: bool) -> Signal:
    time = np.arange(int(0.42 * SAMPLE_RATE)) / SAMPLE_RATE
    head = np.sin(2 * np.pi * (188.0 * time + 0.35 * (1 - np.exp(-time / 0.01)))) * np.exp(-time / 0.055)
    head += 0.5 * np.sin(2 * np.pi * 331.0 * time) * np.exp(-time / 0.03)
    wires = rng.standard_normal(len(time)) * np.exp(-time / (0.085 if bottom else 0.06))
    wires = high_pass(wires, 1800.0 if bottom else 1200.0, 2)
    onset = np.minimum(1.0, time / 0.0005)
    return onset * (0.45 * head + 0.9 * wires if bottom else head + 0.5 * wires)


def hat(rng: np.random.Generator, *, open_: bool = False) -> Signal:
    time = np.arange(int((0.35 if open_ else 0.12) * SAMPLE_RATE)) / SAMPLE_RATE
    metal = sum(np.sign(np.sin(2 * np.pi * f * time)) for f in (2451.0, 3137.0, 4279.0, 5381.0, 6173.0))
    sound = high_pass(rng.standard_normal(len(time)) + 0.25 * np.asarray(metal), 6500.0, 3)
    return sound * np.exp(-time / (0.11 if open_ else 0.028)) * np.minimum(1.0, time / 0.0004)


def cymbal(rng: np.random.Generator) -> Signal:
    time = np.arange(int(2.4 * SAMPLE_RATE)) / SAMPLE_RATE
    return high_pass(rng.standard_normal(len(time)), 3500.0, 2) * np.exp(-time / 0.6) * np.minimum(1.0, time / 0.003)


def tom(frequency: float, rng: np.random.Generator) -> Signal:
    time = np.arange(int(0.7 * SAMPLE_RATE)) / SAMPLE_RATE
    body = np.sin(2 * np.pi * (frequency * time + 0.5 * (1 - np.exp(-time / 0.02)))) * np.exp(-time / 0.16)
    stick = rng.standard_normal(len(time)) * np.exp(-time / 0.004)
    return (body + 0.15 * high_pass(stick, 1500.0)) * np.minimum(1.0, time / 0.0006)


def jingle(rng: np.random.Generator) -> Signal:
    time = np.arange(int(0.16 * SAMPLE_RATE)) / SAMPLE_RATE
    return high_pass(rng.standard_normal(len(time)), 5000.0, 2) * np.exp(-time / 0.035) * np.minimum(1, time / 0.006)


def tones(
    out: Signal,
    notes: list[NoteEvent] | tuple[NoteEvent, ...],
    *,
    partials: Signal,
    t60_s: NDArray[np.floating] | float,
    attack_s: float,
    release_s: float,
    cents: float = 0.0,
    vibrato_cents: float = 0.0,
    vibrato_hz: float = 5.4,
    highest_hz: float = 14_000.0,
) -> Signal:
    """Adds every note as a harmonic tone; partials: amplitudes from the fundamental up."""
    fades = np.broadcast_to(np.asarray(t60_s, dtype=np.float64), partials.shape)
    decays = np.array([decay_per_sample(float(value)) for value in fades])
    for note in notes:
        frequency = hertz(note.pitch, cents)
        count = max(1, min(len(partials), int(highest_hz / frequency)))
        vibrato = np.array([2.0 ** (vibrato_cents / 1200.0) - 1.0, vibrato_hz, 0.25 * SAMPLE_RATE])
        _partials(
            out, round(note.start_s * SAMPLE_RATE), frequency, partials[:count] * note.velocity,
            decays[:count], shape(note.length_s, attack_s, release_s), vibrato, float(SAMPLE_RATE),
        )  # fmt: skip
    return out


def series(count: int, slope: float, *, even: float = 1.0, pluck: float | None = None) -> Signal:
    """Amplitudes falling as 1 / k^slope; even partials scaled; a comb for where a string is plucked."""
    k = np.arange(1, count + 1)
    result = k.astype(np.float64) ** -slope
    result[1::2] *= even
    if pluck is not None:
        result *= np.abs(np.sin(np.pi * k * pluck)) + 0.05
    return result


def sung(
    out: Signal, notes: list[NoteEvent], rng: np.random.Generator, *, breath: float = 0.01, cents: float = 0.0
) -> Signal:
    """A voice: partials shaped by the formants of a vowel that changes from note to note."""
    vowels = list(VOWELS.values())
    for index, note in enumerate(notes):
        frequency = hertz(note.pitch, cents + float(rng.normal(0.0, 6.0)))
        k = np.arange(1, max(2, int(9000.0 / frequency)))
        amplitudes = np.zeros(len(k))
        for centre, width, level in vowels[index % len(vowels)]:
            amplitudes += 10 ** (level / 20) / (1.0 + ((k * frequency - centre) / (1.6 * width)) ** 2)
        amplitudes = (amplitudes + 0.02) * k**-0.35
        vibrato = np.array([2.0 ** (18.0 / 1200.0) - 1.0, 5.1 + 0.4 * rng.random(), 0.22 * SAMPLE_RATE])
        _partials(
            out, round(note.start_s * SAMPLE_RATE), frequency, amplitudes * note.velocity,
            np.full(len(k), decay_per_sample(12.0)), shape(note.length_s, 0.045, 0.07), vibrato, float(SAMPLE_RATE),
        )  # fmt: skip
        if index % 3 == 0:
            size = int(0.06 * SAMPLE_RATE)
            hiss = high_pass(rng.standard_normal(size), 4500.0, 2) * np.hanning(size)
            add_at(out, note.start_s - 0.05, hiss, 12.0 * breath * note.velocity)
    return out
