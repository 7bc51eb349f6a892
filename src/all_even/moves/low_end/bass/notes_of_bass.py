"""The notes of a bass lane as it leaves its chain: their levels under 100 Hz, which stand out, how they move with a
trial."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import low_copy, sounding_basses
from all_even.measure.pitch.evenness import FEWEST_NOTES, note_levels_db
from all_even.measure.pitch.notes import Note
from all_even.measure.pitch.pitch import named
from all_even.moves.metric import Arguments, Metric

Array = NDArray[np.float64]
LOW_NOTES_HZ = 85.0
"""Only notes under this have their fundamental where evenness is heard as loudness of the bottom."""


@dataclass(frozen=True, slots=True, eq=False)
class BassLine:
    """notes: under 85 Hz, on the song's time line; levels_db: of each, under 100 Hz; low: the lane at 4 kHz behind its
    chain."""

    lane_id: str
    notes: tuple[Note, ...]
    levels_db: Array
    low: Array

    @property
    def spread_db(self) -> float:
        """P90 - P10."""
        return float(np.ptp(np.percentile(self.levels_db, (10, 90))))

    @property
    def by_pitch(self) -> dict[int, Array]:
        """Levels by MIDI number, lowest first."""
        found: dict[int, list[float]] = {}
        for note, level in zip(self.notes, self.levels_db, strict=True):
            found.setdefault(named(note.frequency_hz).midi, []).append(float(level))
        return {midi: np.array(found[midi]) for midi in sorted(found)}

    @property
    def pitch_range_db(self) -> float:
        """How far apart the pitches are, each by its median."""
        medians = [float(np.median(levels)) for levels in self.by_pitch.values()]
        return max(medians) - min(medians)

    @property
    def within_db(self) -> float:
        """How far apart notes of one pitch are: median over pitches that are played more than once."""
        spreads = [float(np.ptp(np.percentile(x, (10, 90)))) for x in self.by_pitch.values() if len(x) > 1]
        return float(np.median(spreads)) if spreads else 0.0

    def with_sound(self, low: Array) -> "BassLine":
        """The same notes in another sound."""
        return BassLine(self.lane_id, self.notes, np.array(note_levels_db(low, self.notes)), low)


def line(look: Look, lane_id: str) -> BassLine | None:
    """None for a lane with fewer than four low notes."""
    found = look.get(LINE, lane_id)
    return found if isinstance(found, BassLine) else None


def lines(look: Look) -> list[BassLine]:
    """Of all bass lanes that are heard, the one with the most low notes first."""
    found = [one for lane in sounding_basses(look.session) if (one := line(look, lane.id)) is not None]
    return sorted(found, key=lambda one: -len(one.notes))


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    return digest((prints.strips.get(target), look.session.lane(target).start_s, target in look.reports))


def _compute(look: Look, target: str) -> BassLine | str:
    report = look.reports.get(target)
    lane = look.session.lane(target)
    if report is None or report.character is None:
        return "not measured"
    notes = tuple(
        Note(note.start_s + lane.start_s, note.end_s + lane.start_s, note.frequency_hz, note.level_db)
        for note in report.character.notes
        if note.frequency_hz < LOW_NOTES_HZ
    )
    if len(notes) < FEWEST_NOTES:
        return "too few low notes"
    kept = look.sound(target)
    low = low_copy(kept.read(0, kept.frames), look.session.sample_rate)
    return BassLine(target, notes, np.array(note_levels_db(low, notes)), low)


LINE = Figure("notes of a bass", 1, "strip", _rests_on, _compute)


def _spread_db(look: Look, arguments: Arguments) -> float | None:
    found = line(look, str(arguments["lane"]))
    return found.spread_db if found is not None else None


SPREAD = Metric("note-spread", "spread of the low notes", "dB", 1, 0.35, ("strips", "files"), _spread_db)
