"""Sounds with known hits, tails, pitches and notes, made from numbers for the measures that judge."""

from functools import lru_cache

import numpy as np

RATE = 48_000


def decay(
    frequency_hz: float, tail_ms: float, seconds: float, *, sweep_hz: float = 0.0, rate: int = RATE
) -> np.ndarray:
    """A sine that falls by 20 dB in `tail_ms`, from `sweep_hz` above its frequency within 20 ms."""
    time = np.arange(round(seconds * rate)) / rate
    phase = frequency_hz * time + sweep_hz * 0.008 * (1.0 - np.exp(-time / 0.008))
    return np.sin(2 * np.pi * phase) * 10.0 ** (-time / (tail_ms / 1000.0)) * np.minimum(1.0, time / 0.0008)


def click(seed: int = 0, seconds: float = 0.012, rate: int = RATE) -> np.ndarray:
    """A beater: a short burst of treble."""
    time = np.arange(round(seconds * rate)) / rate
    burst = np.random.default_rng(seed).standard_normal(len(time)) * np.exp(-time / 0.0016)
    return np.diff(burst, prepend=0.0)


def kick(
    frequency_hz: float = 55.0, tail_ms: float = 180.0, *, sweep_hz: float = 140.0, beater: float = 0.2
) -> np.ndarray:
    sound = decay(frequency_hz, tail_ms, tail_ms / 1000.0 * 3.0 + 0.1, sweep_hz=sweep_hz)
    attack = click()
    sound[: len(attack)] += beater * attack
    return sound


def snare(seed: int = 3) -> np.ndarray:
    time = np.arange(round(0.3 * RATE)) / RATE
    wires = np.diff(np.random.default_rng(seed).standard_normal(len(time)), prepend=0.0) * np.exp(-time / 0.06)
    return np.minimum(1.0, time / 0.0005) * (np.sin(2 * np.pi * 190.0 * time) * np.exp(-time / 0.05) + 0.4 * wires)


def placed(sound: np.ndarray, times_s, seconds: float, levels=None) -> np.ndarray:
    """The sound at each time, (frames,)."""
    out = np.zeros(round(seconds * RATE))
    for index, time in enumerate(times_s):
        at = round(time * RATE)
        part = sound[: max(0, len(out) - at)]
        out[at : at + len(part)] += part * (1.0 if levels is None else levels[index])
    return out


@lru_cache(maxsize=64)  # a line plays the same few notes again and again
def overtones(frames: int, hz: float, highest_hz: float, slope: float, *, bent: bool = False) -> np.ndarray:
    """All harmonics up to a frequency, each falling with its number; one sine each, by powers of one rotation.

    bent: the phases rise with the square of the number, which keeps the peak low.
    """
    turn = np.exp(2j * np.pi * hz * np.arange(frames) / RATE)
    total = np.zeros_like(turn)
    for k in range(int(highest_hz / hz) - 1, 0, -1):
        total += np.exp(1j * k * k * bent) / k**slope
        total *= turn
    return total.imag


def plucked(notes, seconds: float, *, slope: float = 1.2, gap_s: float = 0.04) -> np.ndarray:
    """notes: (start s, length s, Hz); harmonic tones that begin within 4 ms and end within 30."""
    out = np.zeros(round(seconds * RATE))
    for start, length, hz in notes:
        time = np.arange(round((length - gap_s) * RATE)) / RATE
        tone = overtones(len(time), hz, 3500.0, slope)
        envelope = np.minimum(1.0, time / 0.004) * np.minimum(1.0, (time[-1] - time) / 0.03) * np.exp(-time / 1.5)
        at = round(start * RATE)
        part = (tone * envelope)[: len(out) - at]
        out[at : at + len(part)] += 0.2 * part
    return out


def pink(seconds: float, seed: int = 0) -> np.ndarray:
    """Equal power in each octave: a density of -3.01 dB per octave."""
    count = round(seconds * RATE)
    spectrum = np.fft.rfft(np.random.default_rng(seed).standard_normal(count))
    hz = np.fft.rfftfreq(count, 1.0 / RATE)
    spectrum[1:] /= np.sqrt(hz[1:])
    sound = np.fft.irfft(spectrum, count)
    return 0.1 * sound / np.abs(sound).max()


def both(mono: np.ndarray) -> np.ndarray:
    return np.stack([mono, mono], axis=1)


def midi_file(path, messages, ticks=480):
    import mido

    file = mido.MidiFile(ticks_per_beat=ticks)
    track = mido.MidiTrack()
    track.extend(mido.MetaMessage(kind, time=time, **values) for kind, time, values in messages)
    file.tracks.append(track)
    file.save(path)
    return path
