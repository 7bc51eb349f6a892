"""Tuning of a part against the song: how many cents its notes lie off, against where the others are.

Cents are counted from equal temperament at A4 = 440 Hz and averaged on the circle of a semitone, so
that a band that tuned to 452 Hz is not "48 cents wrong" but 48 cents from the fork; what matters is each
part against the rest.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from all_even.measure.pitch import pitch
from all_even.measure.pitch.notes import Note

FEWEST_NOTES = 4


@dataclass(frozen=True, slots=True)
class Tuning:
    """cents: of the part from equal temperament, -50 to 50. spread_cents: half of the notes lie within."""

    cents: float
    spread_cents: float
    weight_s: float


def tuning(notes: Sequence[Note]) -> Tuning | None:
    """Where a part is tuned, weighted by the lengths of its notes; None for fewer than four."""
    if len(notes) < FEWEST_NOTES:
        return None
    cents = np.array([pitch.named(note.frequency_hz).cents for note in notes])
    lengths = np.array([note.length_s for note in notes])
    turn = np.sum(lengths * np.exp(2j * np.pi * cents / 100.0))
    middle = float(np.angle(turn) / (2.0 * np.pi) * 100.0)
    off = np.abs((cents - middle + 50.0) % 100.0 - 50.0)
    return Tuning(middle, float(np.median(off)), float(lengths.sum()))


def against_the_song(parts: dict[str, Tuning]) -> dict[str, float]:
    """Cents of each part from the others, which count by their lengths. Empty for a single part."""
    result = {}
    for name, part in parts.items():
        others = [other for key, other in parts.items() if key != name]
        turn = sum(other.weight_s * np.exp(2j * np.pi * other.cents / 100.0) for other in others)
        if others and abs(turn) > 0.0:
            middle = math.degrees(float(np.angle(turn))) / 3.6
            result[name] = (part.cents - middle + 50.0) % 100.0 - 50.0
    return result
