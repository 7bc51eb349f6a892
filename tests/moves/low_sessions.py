"""Folders with a kick and a bass, each made so that one thing at the low end is wrong, or nothing."""

from pathlib import Path

import numpy as np
import soundfile

from tests.measure.sounds import RATE, kick, placed, plucked

SECONDS = 14.0
BEAT_S = 0.5
HITS = [0.25 + BEAT_S * i for i in range(27)]
WITH_A_PAUSE = tuple(hit for hit in HITS if not 6.0 < hit < 9.0)


def write(folder: Path, sounds: dict[str, np.ndarray], peak: float = 0.4) -> Path:
    """One WAV per sound, by its name, each with the same peak."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, sound in sounds.items():
        scaled = peak * sound / max(float(np.abs(sound).max()), 1e-9)
        soundfile.write(folder / f"{name}.wav", scaled, RATE, subtype="PCM_24")
    return folder


def line(pitches_hz: list[float], length_s: float = BEAT_S, start_s: float = 0.0) -> list[tuple[float, float, float]]:
    count = int((SECONDS - start_s - 0.6) / length_s)
    return [(start_s + i * length_s, length_s, pitches_hz[i % len(pitches_hz)]) for i in range(count)]


def colliding(folder: Path, tail_ms: float = 160.0) -> Path:
    """Kick and bass in one octave at the same time."""
    bass = plucked(line([55.0, 61.7, 55.0, 49.0]), SECONDS)
    return write(folder, {"Kick": placed(kick(56.0, tail_ms), HITS, SECONDS), "Bass": bass})


def pausing(folder: Path) -> Path:
    """The same with a kick that pauses for three seconds while the bass goes on."""
    bass = plucked(line([55.0, 61.7, 55.0, 49.0]), SECONDS)
    return write(folder, {"Kick": placed(kick(56.0, 160.0), WITH_A_PAUSE, SECONDS), "Bass": bass})


def long_tail(folder: Path) -> Path:
    """A kick that rings through the bass's notes."""
    hits = HITS[::2]
    bass = plucked(line([49.0, 51.9, 49.0, 58.3], 2 * BEAT_S, 0.25), SECONDS, slope=1.6)
    write(folder, {"Bass": bass}, peak=0.15)
    return write(folder, {"Kick": placed(kick(52.0, 420.0), hits, SECONDS)}, peak=0.5)


def baked(folder: Path) -> Path:
    """A bass sample that holds a kick; its notes begin between the hits."""
    bass = plucked(line([65.4, 73.4, 65.4, 58.3], 2 * BEAT_S, 0.5), SECONDS)
    bass = bass / np.abs(bass).max() + 1.2 * placed(kick(70.0, 90.0, beater=0.02), HITS, SECONDS)
    return write(folder, {"Kick": placed(kick(56.0, 150.0), HITS, SECONDS), "Bass": bass})


def rumbling(folder: Path) -> Path:
    """A kick with steps on the floor under it."""
    rng = np.random.default_rng(5)
    noise = rng.standard_normal(round(SECONDS * RATE))
    spectrum = np.fft.rfft(noise)
    hz = np.fft.rfftfreq(len(noise), 1.0 / RATE)
    floor = np.fft.irfft(np.where((hz > 9.0) & (hz < 20.0), spectrum, 0.0), len(noise))
    struck = placed(kick(58.0, 140.0), HITS, SECONDS)
    bass = plucked(line([82.4, 98.0, 82.4, 110.0]), SECONDS)
    return write(folder, {"Kick": struck + 0.12 * floor / np.abs(floor).max(), "Bass": bass})


def droning(folder: Path) -> Path:
    """A bass with a room's drone under its notes, just where the kick is, and an amplifier's hiss over them."""
    bass = plucked(line([98.0, 110.0, 98.0, 123.5]), SECONDS)
    drone = np.sin(2 * np.pi * 48.0 * np.arange(len(bass)) / RATE)
    hiss = 0.01 * np.random.default_rng(3).standard_normal(len(bass))
    bass = bass / np.abs(bass).max() + 0.3 * drone + hiss
    return write(folder, {"Kick": placed(kick(48.0, 160.0), HITS, SECONDS), "Bass": bass})


def high_line(folder: Path) -> Path:
    """A bass that never goes low."""
    bass = plucked(line([110.0, 123.5, 98.0, 130.8], BEAT_S / 2), SECONDS, slope=2.2)
    return write(folder, {"Kick": placed(kick(95.0, 70.0), HITS, SECONDS), "Bass": bass})


def sine_sub(folder: Path) -> Path:
    """A bass of hardly anything but fundamentals."""
    bass = plucked(line([41.2, 46.2, 41.2, 36.7]), SECONDS, slope=6.0)
    return write(folder, {"Kick": placed(kick(62.0, 120.0), HITS, SECONDS), "Sub bass": bass})


def uneven(folder: Path) -> Path:
    """Notes that differ from one to the next; and one pitch of them that is always louder."""
    rng = np.random.default_rng(7)
    notes = line([41.2, 49.0, 55.0, 61.7, 65.4])
    bass = np.zeros(round(SECONDS * RATE))
    for start, length, hz in notes:
        level = 10.0 ** (rng.uniform(-5.0, 5.0) / 20.0)
        bass += level * plucked([(start, length, hz)], SECONDS)
    return write(folder, {"Kick": placed(kick(62.0, 120.0), HITS, SECONDS), "Bass": bass})


def one_loud_pitch(folder: Path) -> Path:
    notes = line([41.2, 49.0, 55.0, 61.7, 73.4])
    bass = np.zeros(round(SECONDS * RATE))
    for start, length, hz in notes:
        bass += (2.2 if hz == 55.0 else 1.0) * plucked([(start, length, hz)], SECONDS)
    return write(folder, {"Kick": placed(kick(62.0, 120.0), HITS, SECONDS), "Bass": bass})


def apart(folder: Path, seed: int) -> Path:
    """Kick and bass that leave each other room: in time (the bass plays between the hits) or in pitch."""
    rng = np.random.default_rng(seed)
    tail_ms = float(rng.uniform(50.0, 90.0))
    own_hz = float(rng.uniform(48.0, 62.0))
    struck = placed(kick(own_hz, tail_ms), HITS, SECONDS)
    if seed % 2:
        root = float(rng.uniform(41.0, 60.0))
        notes = [(hit + 0.24, 0.22, root * float(rng.choice([1.0, 1.19, 1.33, 1.5]))) for hit in HITS[:-1]]
        bass = plucked(notes, SECONDS)
    else:
        root = float(rng.uniform(190.0, 230.0))
        bass = plucked(line([root, root * 1.19, root * 1.33, root * 1.5]), SECONDS)
    return write(folder, {"Kick": struck, "Bass": bass})


def one_note(folder: Path, bass_peak: float = 0.4) -> Path:
    """A club's loop: a kick on every beat, and a bass that holds the kick's own note and owns the bottom."""
    held = plucked([(4 * BEAT_S * i, 4 * BEAT_S, 44.0) for i in range(6)], SECONDS, slope=2.4)
    write(folder, {"Bass": held}, peak=bass_peak)
    return write(folder, {"Kick": placed(kick(44.5, 190.0), HITS, SECONDS)})


def masked_bass(folder: Path) -> Path:
    """A long low bass that owns the bottom, under a kick that is far too loud for it."""
    held = plucked([(4 * BEAT_S * i, 4 * BEAT_S, 41.2) for i in range(6)], SECONDS, slope=2.4)
    write(folder, {"Bass": held}, peak=0.12)
    return write(folder, {"Kick": placed(kick(44.0, 480.0), HITS, SECONDS)}, peak=0.7)


def treble() -> np.ndarray:
    """A hat: nothing at the bottom."""
    hat = np.diff(np.random.default_rng(9).standard_normal(round(0.05 * RATE)), prepend=0.0)
    hat = np.diff(hat, prepend=0.0) * np.exp(-np.arange(len(hat)) / (0.01 * RATE))
    return placed(hat, [0.25 * i for i in range(50)], SECONDS)
