"""A small band in which approaches find something that no other test's folders have: uneven hits and brass, a voice
with bleed, a note one partial of which runs away, a click that is loud, a tambourine in the middle."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace

from all_even.figures.book.look import Look
from all_even.session.model.approaches import all_chosen
from tests.measure.sounds import RATE, kick, overtones, pink, placed, plucked, snare
from tests.moves.dynamic_sessions import line as uneven_line
from tests.moves.looks import look_at
from tests.moves.low_sessions import BEAT_S, HITS, SECONDS, line, write

HARD = [1.0, 0.35, 0.8, 0.5] * 7
"""How hard the hits are struck, one after the other."""


def _fading(pitches_hz: list[float], highest_hz: float = 9000.0) -> np.ndarray:
    """Long plucked notes that fade."""
    out = np.zeros(round(SECONDS * RATE))
    for start_s, length_s, hz in line(pitches_hz, 2.0 * BEAT_S):
        frames, at = round(0.95 * length_s * RATE), round(start_s * RATE)
        tone = overtones(frames, hz, highest_hz, 1.0).real * np.exp(-np.arange(frames) / (0.25 * RATE))
        out[at : at + frames] += tone[: len(out) - at]
    return out


def _with_a_runaway(pitches_hz: list[float], on_hz: float, partial: int) -> np.ndarray:
    """A clarinet's line, one partial of one pitch far too strong."""
    notes = line(pitches_hz)
    out = plucked(notes, SECONDS, slope=1.4)
    for start_s, length_s, hz in notes:
        if hz == on_hz:
            at, frames = round(start_s * RATE), round(0.8 * length_s * RATE)
            part = out[at : at + frames]
            part += 1.5 * np.abs(part).max() * np.sin(2 * np.pi * partial * hz * np.arange(len(part)) / RATE)
    return out


def band(folder: Path) -> Path:
    rng = np.random.default_rng(7)
    beater = kick(58.5, 150.0, beater=2.5)
    shake = np.diff(rng.standard_normal(round(0.08 * RATE)), prepend=0.0) * np.exp(-np.arange(round(0.08 * RATE)) / 900)
    voice = uneven_line((0.0, -4.0, 3.0, -2.0), hz=220.0, length_s=2.0, share=0.4)
    voice = voice / np.abs(voice).max() + 0.3 * pink(SECONDS, 4)[: len(voice)]
    pad = sum(plucked(line([hz], 4.0 * BEAT_S), SECONDS, slope=0.8) for hz in (220.0, 277.2, 329.6))
    hiss = np.diff(rng.standard_normal(round(SECONDS * RATE)), prepend=0.0)
    return write(folder, {
        "Kick": placed(beater, HITS, SECONDS, HARD[: len(HITS)]),
        "Snare": placed(snare(), HITS[1::2], SECONDS),
        "Bass": plucked(line([58.3, 65.4, 58.3, 87.3]), SECONDS, slope=1.3),
        "Tambourine": placed(shake, np.arange(0.3, SECONDS - 0.3, BEAT_S / 2), SECONDS,
                             (HARD * 3)[: len(np.arange(0.3, SECONDS - 0.3, BEAT_S / 2))]),
        "E Gtr": _fading([196.0, 220.0, 246.9, 261.6]),
        "Trombone": uneven_line((0.0, -7.0, 4.0, -3.0, 5.0, -6.0), hz=146.8),
        "Clarinet": _with_a_runaway([293.7, 329.6, 349.2, 392.0, 440.0, 493.9, 523.3], 392.0, 5),
        "Lead vox": voice, "Synth pad": pad + 0.02 * hiss,
    })  # fmt: skip


def in_a_room(folder: Path) -> Path:
    """A kick with a body an octave and a half up, whose microphone hears the bass."""
    bass = plucked(line([110.0, 123.5, 98.0, 130.8], BEAT_S / 2), SECONDS, slope=1.2)
    bass = bass / np.abs(bass).max()
    struck = kick(56.0, 120.0)
    time_s = np.arange(len(struck)) / RATE
    struck = struck + np.sin(2 * np.pi * 210.0 * time_s) * np.exp(-time_s / 0.05)
    return write(folder, {"Kick": placed(struck, HITS, SECONDS) + 0.3 * np.roll(bass, 300), "Bass": bass})


def look(folder: Path) -> Look:
    """The band with every approach chosen."""
    return chosen(look_at(band(folder)))


def chosen(plain: Look) -> Look:
    return plain.at(replace(plain.session, approaches=all_chosen()))
