"""Evenness of a bass line: how differently loud its notes are where they carry, under 100 Hz.

Level of a note: RMS of the sound under 100 Hz (zero-phase Butterworth, second order) from 20 to 500 ms
of the note. The spread is the 90th percentile less the 10th; notes that stand out are given by name,
since a string or a room lifts or swallows the same note each time.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.pitch import pitch
from all_even.measure.pitch.notes import Note
from all_even.measure.time.traces import LOW_RATE

BELOW_HZ = 100.0
FROM_S, TO_S = 0.020, 0.500
FEWEST_NOTES = 4
STANDS_OUT_DB = 3.0
"""Common practice: less than this is playing, not a fault of string or room."""


@dataclass(frozen=True, slots=True)
class NoteLevel:
    """One pitch of the line. midi: its number. difference_db: its median level less the line's median."""

    name: str
    midi: int
    count: int
    difference_db: float


@dataclass(frozen=True, slots=True)
class Evenness:
    """spread_db: P90 - P10 over all notes. outstanding: pitches over 3 dB off, furthest first."""

    spread_db: float
    median_db: float
    outstanding: tuple[NoteLevel, ...]


def note_levels_db(low: NDArray[np.floating], notes: Sequence[Note]) -> tuple[float, ...]:
    """Level of each note under 100 Hz, dB RMS. low: the mono sound at 4 kHz."""
    if not notes or len(low) < 64:
        return ()
    band = scipy.signal.sosfiltfilt(
        scipy.signal.butter(2, BELOW_HZ, fs=LOW_RATE, output="sos"), np.asarray(low, dtype=np.float64)
    )
    power = np.concatenate(([0.0], np.cumsum(band * band)))
    levels = []
    for note in notes:
        begin = min(note.start_s + FROM_S, note.end_s)
        start, stop = (
            int(np.clip(round(time * LOW_RATE), 0, len(low))) for time in (begin, min(note.end_s, note.start_s + TO_S))
        )
        mean = (power[stop] - power[start]) / (stop - start) if stop > start else 0.0
        levels.append(float(10.0 * np.log10(max(mean, 1e-20))))
    return tuple(levels)


def evenness(low: NDArray[np.floating], notes: Sequence[Note]) -> Evenness | None:
    """How even a line is; None where it has fewer than four notes."""
    if len(notes) < FEWEST_NOTES:
        return None
    levels = np.array(note_levels_db(low, notes))
    p10, median, p90 = np.percentile(levels, (10, 50, 90))
    by_pitch: dict[int, list[float]] = {}
    for note, level in zip(notes, levels, strict=True):
        by_pitch.setdefault(pitch.named(note.frequency_hz).midi, []).append(float(level))
    outstanding = [
        NoteLevel(pitch.named(pitch.hertz(midi)).name, midi, len(found), float(np.median(found) - median))
        for midi, found in by_pitch.items()
        if abs(np.median(found) - median) > STANDS_OUT_DB
    ]
    outstanding.sort(key=lambda one: -abs(one.difference_db))
    return Evenness(float(p90 - p10), float(median), tuple(outstanding))


@dataclass(frozen=True, slots=True)
class NarrowBand:
    """A bell on a line of notes: takes: notes that get at least half of its gain. range_db: max - min."""

    takes: int
    notes: int
    range_db: float
    too_narrow: bool


NARROW_RANGE_DB = 3.0


def narrow_band(gains_db: Sequence[float], gain_db: float) -> NarrowBand:
    """Whether an EQ band takes out single notes. gains_db: of the EQ at each note's fundamental; gain_db: the bell's.

    Too narrow: the gains differ by over 3 dB and fewer than half of the notes get at least half of it.
    """
    gains = np.asarray(gains_db, dtype=np.float64)
    takes = int(np.sum(gains / gain_db >= 0.5)) if gain_db else 0
    spread = float(np.ptp(gains)) if len(gains) else 0.0
    return NarrowBand(takes, len(gains), spread, spread > NARROW_RANGE_DB and 2 * takes < len(gains))
