"""Partials of a line of notes, and the places where they stick out: on one note, or on many.

Each partial of each pitch (the median over its notes) is held against the same partial of other pitches within nine
semitones (r1), and against other pitches' partials nearby (r2). On clean synthesis all planted ones were found; on
recorded instruments, whose partials scatter by 4 dB, about half of +8 to +12 dB, with half a false one on a clean line.
So they are places to look at, nothing more.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.pitch.notes import Note

HIGHEST_HZ, MOST_PARTIALS = 9_000.0, 24
LONGEST_S, SHORTEST_S, SETTLED_S = 0.35, 0.08, 0.03
WITHIN = 0.03
"""A partial is looked for so far beside its multiple."""
NEAR_SEMITONES, NEAR_OCTAVES = 9, 0.25
LEAST_DB, SPREADS = 6.0, 2.5
LEAST_RE_NOTE_DB = -14.0
HEARD_DB = 50.0
"""Partials further under their note are not counted for its middle."""
RESONANCE_OCTAVES, RESONANCE_PITCHES, RESONANCE_DB, MOSTLY_DB = 0.05, 3, 6.0, 3.0
SCATTER = 1.48
"""MAD to standard deviation."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Spot:
    """What sticks out. hz: where; over_db: how far; midi: the pitch, None where it is on many; partial: its number."""

    hz: float
    over_db: float
    midi: int | None
    partial: int
    pitches: int


@dataclass(frozen=True, slots=True, eq=False)
class Partials:
    """levels_db: (pitches, partials) re the middle one of each note, NaN where there is none: a fundamental that rings
    is most of its note, and would not stand out against the whole of it. of_note_db: re the whole. notes: of each
    pitch."""

    midi: NDArray[np.int64]
    levels_db: Array
    of_note_db: Array
    notes: NDArray[np.int64]

    def hz(self) -> Array:
        """(pitches, partials), in equal temperament at A4 = 440 Hz."""
        return 440.0 * 2.0 ** ((self.midi[:, np.newaxis] - 69) / 12.0) * (1.0 + np.arange(self.levels_db.shape[1]))


def partials(sound: NDArray[np.floating], sample_rate: int, notes: Sequence[Note], start_s: float = 0.0) -> Partials:
    """sound: (frames,) of the whole song; start_s: where the file whose notes these are begins in it."""
    by_pitch: dict[int, list[Array]] = {}
    for note in notes:
        begin = round((note.start_s + start_s + SETTLED_S) * sample_rate)
        length_s = min(note.length_s - SETTLED_S, LONGEST_S)
        if length_s < SHORTEST_S:
            continue
        part = sound[begin : begin + round(length_s * sample_rate)]
        if len(part) < round(SHORTEST_S * sample_rate):
            continue
        levels = _levels_db(np.asarray(part, dtype=np.float64), sample_rate, note.frequency_hz)
        if levels is not None:
            midi = round(69 + 12 * np.log2(note.frequency_hz / 440.0))
            by_pitch.setdefault(int(midi), []).append(levels)
    order = sorted(by_pitch)
    if not order:
        nothing = np.zeros((0, MOST_PARTIALS))
        return Partials(np.zeros(0, dtype=np.int64), nothing, nothing, np.zeros(0, dtype=np.int64))
    of_note = np.array([np.median(by_pitch[midi], axis=0) for midi in order])
    middle = np.array([np.median(row[row > -HEARD_DB]) if np.any(row > -HEARD_DB) else 0.0 for row in of_note])
    counts = np.array([len(by_pitch[midi]) for midi in order])
    return Partials(np.array(order), of_note - middle[:, np.newaxis], of_note, counts)


def _levels_db(part: Array, sample_rate: int, hz: float) -> Array | None:
    """Levels of the partials re the power of all of them."""
    size = 1 << int(np.ceil(np.log2(len(part) * 2)))
    window = np.hanning(len(part))
    power = np.abs(np.fft.rfft(part * window, size)) ** 2
    per_bin = sample_rate / size
    found = np.full(MOST_PARTIALS, np.nan)
    for n in range(MOST_PARTIALS):
        centre = hz * (n + 1)
        if centre > min(HIGHEST_HZ, 0.45 * sample_rate):
            break
        low, high = int(centre * (1 - WITHIN) / per_bin), int(np.ceil(centre * (1 + WITHIN) / per_bin)) + 1
        found[n] = float(power[low:high].max(initial=0.0))
    whole = float(np.nansum(found))
    return 10.0 * np.log10(np.maximum(found, 1e-20) / whole) if whole > 1e-16 else None


def spots(found: Partials) -> list[Spot]:
    """What sticks out, furthest first: resonances of many pitches, then runaway partials of one."""
    if len(found.midi) < RESONANCE_PITCHES:
        return []
    hz = found.hz()
    r1, r2 = _against_others(found, hz)
    resonances = _resonances(hz, found.of_note_db, r1)
    lesser = np.fmin(r1, r2)
    known = lesser[np.isfinite(lesser)]
    if not len(known):
        return resonances
    middle = float(np.median(known))
    limit = max(LEAST_DB, middle + SPREADS * SCATTER * float(np.median(np.abs(known - middle))))
    single = [
        Spot(float(hz[p, k]), float(lesser[p, k]), int(found.midi[p]), k + 1, 1)
        for p, k in zip(*np.where(np.nan_to_num(lesser, nan=-99.0) > limit), strict=True)
        if found.notes[p] >= 2 and found.of_note_db[p, k] > LEAST_RE_NOTE_DB
        and all(abs(np.log2(hz[p, k] / spot.hz)) > 2 * RESONANCE_OCTAVES for spot in resonances)
    ]  # fmt: skip
    return sorted((*resonances, *single), key=lambda spot: -spot.over_db)


def _against_others(found: Partials, hz: Array) -> tuple[Array, Array]:
    levels = found.levels_db
    r1, r2 = np.full(levels.shape, np.nan), np.full(levels.shape, np.nan)
    for p in range(len(found.midi)):
        near = np.abs(found.midi - found.midi[p]) <= NEAR_SEMITONES
        near[p] = False
        for k in range(levels.shape[1]):
            if not np.isfinite(levels[p, k]):
                continue
            same = levels[near, k]
            same = same[np.isfinite(same)]
            if len(same) >= 2:
                r1[p, k] = levels[p, k] - float(np.median(same))
            close = (np.abs(np.log2(hz / hz[p, k])) <= NEAR_OCTAVES) & np.isfinite(levels)
            close[p] = False
            if close.sum() >= 2:
                r2[p, k] = levels[p, k] - float(np.median(levels[close]))
    return r1, r2


def _resonances(hz: Array, of_note_db: Array, r1: Array) -> list[Spot]:
    """Places at which several pitches have a partial, and most of these stick out."""
    known = np.isfinite(r1) & (of_note_db > LEAST_RE_NOTE_DB - 12.0)
    if not known.any():
        return []
    pitch, place = np.where(known)
    where, over = np.log2(hz[known]), r1[known]
    spots: list[Spot] = []
    for centre in np.arange(where.min(), where.max(), RESONANCE_OCTAVES / 2.0):
        near = np.abs(where - centre) <= RESONANCE_OCTAVES
        if len(set(pitch[near])) < RESONANCE_PITCHES or len(set(place[near])) < 2:
            continue
        middle = float(np.median(over[near]))
        if middle > RESONANCE_DB and float(np.mean(over[near] > MOSTLY_DB)) >= 0.75:
            spots.append(Spot(float(2.0**centre), middle, None, 0, len(set(pitch[near]))))
    best: list[Spot] = []
    for spot in sorted(spots, key=lambda item: -item.over_db):
        if all(abs(np.log2(spot.hz / other.hz)) > 4 * RESONANCE_OCTAVES for other in best):
            best.append(spot)
    return best
