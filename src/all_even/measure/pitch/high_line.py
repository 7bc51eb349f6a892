"""Notes of a line that climbs over 1 kHz: a mandolin, a flute, a violin, which the reading of bass lines leaves out.

Simpler than `measure.pitch.notes`: runs of one semitone, from YIN up to 2.5 kHz. For places to look at only.
"""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from all_even.measure.pitch.notes import Note
from all_even.measure.pitch.yin import HOP_S, pitch_track

RATE = 16_000
HIGHEST_HZ = 2_500.0
VOICED_UNDER, VOICED_SHARE = 0.3, 0.5
SHORTEST_S = 0.1
LOW_HARMONICS, HOLLOW_DB, HOLLOW_SHARE = 3, -20.0, 0.25
"""A note has one of its first three harmonics within 20 dB of its strongest; the common period of a chord has not."""
LOWEST_NOTE_HZ, HIGH_SHARE = 400.0, 0.8
"""What is mostly lower is a line that was read before, or chords."""
Array = NDArray[np.float64]


def high_notes(sound: NDArray[np.floating]) -> tuple[Note, ...]:
    """The notes in order, none where it is no line. sound: (frames,) at 16 kHz."""
    if len(sound) < RATE // 2:
        return ()
    frequency, aperiodicity = pitch_track(sound, RATE, highest_hz=HIGHEST_HZ)
    sounding = frequency > 0.0
    voiced = sounding & (aperiodicity < VOICED_UNDER)
    if voiced.sum() < VOICED_SHARE * max(1, int(sounding.sum())):
        return ()
    midi = np.where(voiced, np.round(69.0 + 12.0 * np.log2(np.maximum(frequency, 1.0) / 440.0)), -1.0)
    edges = [0, *(np.flatnonzero(np.diff(midi)) + 1), len(midi)]
    notes: list[Note] = []
    hollow = 0
    for first, last in pairwise(edges):
        if midi[first] < 0.0 or (last - first) * HOP_S < SHORTEST_S:
            continue
        hz = float(np.median(frequency[first:last]))
        part = sound[int(first * HOP_S * RATE) : int(last * HOP_S * RATE)]
        if _is_hollow(part, hz):
            hollow += 1
            continue
        level = 10.0 * float(np.log10(np.mean(np.square(part, dtype=np.float64)) + 1e-20))
        notes.append(Note(first * HOP_S, last * HOP_S, hz, level))
    high = [note for note in notes if note.frequency_hz > LOWEST_NOTE_HZ]
    if len(high) < HIGH_SHARE * len(notes):
        return ()
    return tuple(high) if hollow <= HOLLOW_SHARE * (hollow + len(notes)) else ()


def _is_hollow(part: NDArray[np.floating], hz: float) -> bool:
    """Whether what looks like a fundamental has hardly any of its low harmonics."""
    power = np.abs(np.fft.rfft(part * np.hanning(len(part)), 4 * len(part))) ** 2
    per_bin = RATE / (4 * len(part))

    def at(multiple: int) -> float:
        low, high = int(0.97 * multiple * hz / per_bin), int(1.03 * multiple * hz / per_bin) + 2
        return float(power[low:high].max(initial=0.0))

    loudest = float(power.max(initial=0.0))
    return max(at(n) for n in range(1, LOW_HARMONICS + 1)) < loudest * 10.0 ** (HOLLOW_DB / 10.0)
