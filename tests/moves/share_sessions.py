"""Folders in which instruments hide each other in one known way, or not at all."""

from pathlib import Path

import numpy as np
import soundfile

from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import STEMS, render_stem
from tests.measure.sounds import RATE, kick, overtones, placed, plucked
from tests.moves.low_sessions import write

SECONDS = 12.0
BEAT_S = 0.5


def held(notes, slope: float = 1.0, highest_hz: float = 9000.0, seconds: float = SECONDS) -> np.ndarray:
    """notes: (start s, length s, Hz); harmonic tones that stay as loud as they begin."""
    out = np.zeros(round(seconds * RATE))
    for start, length, hz in notes:
        time = np.arange(round(length * RATE)) / RATE
        tone = overtones(len(time), hz, highest_hz, slope, bent=True)
        envelope = np.minimum(1.0, time / 0.03) * np.minimum(1.0, (time[-1] - time) / 0.05)
        at = round(start * RATE)
        part = (tone * np.maximum(envelope, 0.0))[: len(out) - at]
        out[at : at + len(part)] += part
    return out


def melody(hz: list[float], length_s: float = BEAT_S, end_s: float = SECONDS - 0.6) -> list[tuple[float, float, float]]:
    count = int(end_s / length_s)
    return [(i * length_s, 0.95 * length_s, hz[(i * i + i // 3) % len(hz)]) for i in range(count)]


def chords(roots_hz: list[float], length_s: float = 2.0) -> list[tuple[float, float, float]]:
    count = int((SECONDS - 0.6) / length_s)
    return [(i * length_s, 0.97 * length_s, roots_hz[i % len(roots_hz)] * ratio)
            for i in range(count) for ratio in (1.0, 1.25, 1.5)]  # fmt: skip


def band(low_hz: float, high_hz: float, seed: int, seconds: float = SECONDS) -> np.ndarray:
    """Noise of one band."""
    noise = np.random.default_rng(seed).standard_normal(round(seconds * RATE))
    hz = np.fft.rfftfreq(len(noise), 1.0 / RATE)
    spectrum = np.where((hz > low_hz) & (hz < high_hz), np.fft.rfft(noise), 0.0)
    return np.fft.irfft(spectrum, len(noise))


def crowded(folder: Path) -> Path:
    """Six parts in the same octaves, two clarinets among them, a guide, and a kick with its bass."""
    sounds = {
        "Kick": placed(kick(55.0, 140.0), np.arange(0.25, SECONDS - 1.0, BEAT_S), SECONDS),
        "Bass": plucked(melody([55.0, 61.7, 49.0, 73.4]), SECONDS),
        "Lead vox": held(melody([220.0, 247.0, 294.0, 330.0, 262.0]), 1.2),
        "Scratch vox": held(melody([220.0, 247.0, 294.0, 330.0, 262.0]), 1.1),
        "Organ": held(chords([196.0, 220.0, 175.0]), 0.9),
        "Harmonium": held(chords([196.0, 262.0, 220.0]), 0.8),
        "Clarinet 1": held(melody([392.0, 440.0, 330.0, 494.0]), 1.2),
        "Clarinet 2": held(melody([392.0, 349.0, 440.0, 523.0]), 0.9),
    }
    return write(folder, sounds)


def now_and_then(folder: Path) -> Path:
    """A voice that sings a third of the time over an organ that never stops."""
    voice = held([(start, 0.9, hz) for start, hz in ((1.0, 294.0), (4.0, 330.0), (7.0, 294.0), (9.6, 262.0))], 0.9)
    organ = held(chords([262.0, 294.0, 247.0]), 0.7)
    return write(folder, {"Lead vox": voice, "Organ": organ})


def rumbling(folder: Path) -> Path:
    """A guitar with steps on the floor under it, beside a kick and a bass."""
    guitar = plucked(melody([330.0, 392.0, 294.0, 440.0]), SECONDS)
    guitar = guitar / np.abs(guitar).max()
    floor = band(30.0, 70.0, 4)
    return write(folder, {
        "Kick": placed(kick(55.0, 140.0), np.arange(0.25, SECONDS - 1.0, BEAT_S), SECONDS),
        "Bass": plucked(melody([55.0, 61.7, 49.0, 73.4]), SECONDS),
        "Electric guitar": guitar + 0.25 * floor / np.abs(floor).max(),
    })  # fmt: skip


def hissing(folder: Path) -> Path:
    """A guitar that pauses, with hiss of its amplifier throughout; a flute with air of its own over 8 kHz, and pauses
    without."""
    notes = [note for note in melody([330.0, 392.0, 294.0, 440.0]) if note[0] % 4.0 < 2.5]
    guitar, flute = held(notes, 1.6, 3000.0), held(notes, 1.6, 3000.0)
    level = np.sqrt(np.mean(guitar**2))
    air = band(6500.0, 15_000.0, 6)
    air *= np.convolve(np.abs(flute) > 0.0, np.ones(480) / 480.0, "same")
    return write(folder, {
        "Electric guitar": guitar + 0.004 * level * _unit(band(20.0, 20_000.0, 5)),
        "Flute": flute + 0.004 * level * _unit(air),
        "Organ": held(chords([131.0, 147.0]), 1.4, 4000.0),
    })  # fmt: skip


def _unit(sound: np.ndarray) -> np.ndarray:
    return sound / np.sqrt(np.mean(sound**2))


def apart(folder: Path, seed: int) -> Path:
    """Three or four parts, each with a part of the spectrum, or a time, of its own: nothing collides."""
    rng = np.random.default_rng(seed)
    turn = float(rng.uniform(0.9, 1.1))
    bass = held(melody([turn * hz for hz in (55.0, 61.7, 49.0)]), 3.0, 250.0)
    middle = held(melody([turn * hz for hz in (440.0, 494.0, 392.0)], 1.0), 3.0, 900.0)
    hats = np.arange(0.25, SECONDS - 1.0, float(rng.choice([0.25, 0.5])))
    sounds = {"Bass": bass, "Flute": middle, "HH": placed(band(9000.0, 14_000.0, seed)[:2400], hats, SECONDS)}
    if rng.random() < 0.5:
        sounds["Violin"] = band(2500.0, 3600.0, seed + 50) * (np.arange(round(SECONDS * RATE)) > 4.0 * RATE)
    return write(folder, sounds)


def winds(folder: Path) -> Path:
    """Clarinet, trombone and baritone saxophone of the demo's end, alike enough and all at once, over an accordion."""
    folder.mkdir(parents=True, exist_ok=True)
    studio = Studio(make_score(0))
    for stem in STEMS:
        if stem.role in ("clarinet", "trombone", "baritone saxophone", "accordion"):
            sound = render_stem(stem, studio).mean(axis=1)[-round(SECONDS * stem.sample_rate) :]
            name = stem.role.capitalize()
            sound = 0.05 * sound / np.sqrt(np.mean(sound**2))
            soundfile.write(folder / f"{name}.wav", sound, stem.sample_rate, subtype="PCM_24")
    return folder


def doubles(folder: Path) -> Path:
    """Two lines of the same notes, the second with 9 dB less from 3 to 6 kHz."""
    line, other = (held(melody(hz), 0.5) for hz in ([220.0, 247.0, 294.0, 330.0], [330.0, 294.0, 220.0, 247.0]))
    spectrum = np.fft.rfft(other)
    hz = np.fft.rfftfreq(len(other), 1.0 / RATE)
    near = np.exp(-0.5 * (np.log2(np.maximum(hz, 1.0) / 4000.0) / 0.4) ** 2)
    dull = np.fft.irfft(spectrum * 10.0 ** (-9.0 * near / 20.0), len(other))
    return write(folder, {"Viola": line, "Viola dull": dull})


def made(folder: Path) -> list[Path]:
    """Those in which, taken together, every move of the stage has something to do."""
    return [make(folder / make.__name__) for make in (crowded, now_and_then, rumbling, winds, hissing)]
