"""The song as its tracks tell it together: tempo and beats, sections, tuning and timing of the parts.

What one track alone can't know. Roles say whose hits carry the pulse: kicks and snares tell the beat and
the bar, other drums and percussion the grid, and where nobody drums the notes of the bass.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from all_even.measure.level.hops import HOP_S
from all_even.measure.pitch import pitch, tuning
from all_even.measure.pitch.notes import Note
from all_even.measure.recording.character import Character
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.sounding import attacks_ms
from all_even.measure.recording.track import TrackMeasures
from all_even.measure.time import sections, tempo, timing
from all_even.measure.time.sections import Section
from all_even.measure.time.tempo import Tempo, Train
from all_even.measure.time.timing import Timing
from all_even.session.song.hits import is_kick, is_struck, struck
from all_even.session.tracks.roles import family_of

FEWEST_STRUCK = 8
"""Hits of drums and percussion under which the notes of other parts help to find the pulse."""

BEFORE_PITCH_S, AFTER_PITCH_S = 0.060, 0.012
"""How long before its pitch is there a note may begin to sound, and how far after."""


def attack_ms(report: FileReport) -> float:
    """How long a file's sounds take to come up, median, from 20 dB under the peak to 3; 0 without onsets."""
    envelope = report.envelope
    found = attacks_ms(np.square(envelope.astype(np.float64))) if envelope is not None else ()
    return float(np.median(found)) if len(found) else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Part:
    """One track in the song. onsets_s: on the song's time line; None where it begins neither hits nor notes. attack_ms:
    how long its notes take to come up, median; 0 where that is not known."""

    name: str
    role: str
    measures: TrackMeasures
    character: Character
    onsets_s: tuple[float, ...] | None
    start_s: float = 0.0
    attack_ms: float = 0.0

    @property
    def attacks_s(self) -> tuple[float, ...]:
        """Where its notes are heard to begin: the hit with which one starts to rise, up to 60 ms before its pitch is
        there. Notes without one are left out; all of them where hardly any has one."""
        onsets, hits = np.array(self.onsets_s or ()), np.array(self.character.own.hits.times_s) + self.start_s
        if not len(onsets) or not len(hits):
            return tuple(onsets.tolist())
        before = np.searchsorted(hits, onsets + AFTER_PITCH_S, side="right") - 1
        found = hits[np.maximum(before, 0)]
        near = (before >= 0) & (onsets - found < BEFORE_PITCH_S)
        return tuple(found[near].tolist()) if 2 * int(near.sum()) > len(onsets) else tuple(onsets.tolist())


@dataclass(frozen=True, slots=True, eq=False)
class Song:
    """tempo: None where there is no pulse. By part name: tuning_cents against the others; timing against the
    grid; bass_timing: each bass against the kicks."""

    tempo: Tempo | None
    sections: tuple[Section, ...]
    tuning_cents: dict[str, float]
    grid_timing: dict[str, Timing]
    bass_timing: dict[str, Timing]


def is_line(role: str, character: Character) -> bool:
    """Whether a track is read as a line of notes; a track of unknown role with one pitch only may be a drum."""
    if is_struck(role) or not character.notes:
        return False
    pitches = {pitch.named(note.frequency_hz).midi for note in character.notes}
    return role != "unknown" or len(pitches) > 1 or len(character.own.hits) < len(character.notes)


def onsets_s(role: str, character: Character) -> tuple[float, ...] | None:
    """Where a track's hits or notes begin, in s of its file; None where neither can be told apart."""
    if is_line(role, character):
        return tuple(note.start_s for note in character.notes)
    if is_struck(role) or (role == "unknown" and len(character.own.hits)):
        return struck(character, role).hits.times_s
    return None


def main_pitch_hz(character: Character) -> float | None:
    """The frequency of the note that sounds longest in a line."""
    by_note: dict[int, list[Note]] = {}
    for note in character.notes:
        by_note.setdefault(pitch.named(note.frequency_hz).midi, []).append(note)
    if not by_note:
        return None
    longest = max(by_note.values(), key=lambda notes: sum(note.length_s for note in notes))
    return float(np.median([note.frequency_hz for note in longest]))


def find_song(parts: Sequence[Part]) -> Song:
    """Puts the parts together."""
    duration_s = max((part.start_s + part.measures.duration_s for part in parts), default=0.0)
    found = tempo.find_tempo(_trains(parts), duration_s)
    levels = [
        np.concatenate((np.zeros(round(part.start_s / HOP_S)), part.measures.hops.power.mean(axis=1))) for part in parts
    ]
    suggested = sections.find_sections(levels, HOP_S, found.downbeats_s) if found else ()
    grid = {
        part.name: against
        for part in parts
        if found and part.onsets_s and (against := timing.against_grid(part.onsets_s, found)) is not None
    }
    kicks = sorted({time for part in parts if is_kick(part.role) for time in part.onsets_s or ()})
    basses = {
        part.name: replace(against, attack_ms=part.attack_ms)
        for part in parts
        if family_of(part.role) == "bass" and part.onsets_s
        if (against := timing.against_each_other(part.attacks_s, kicks)) is not None
    }
    tuned = {
        part.name: part.character.tuning
        for part in parts
        if not is_struck(part.role) and part.character.tuning is not None
    }
    return Song(found, suggested, tuning.against_the_song(tuned), grid, basses)


def _trains(parts: Sequence[Part]) -> list[Train]:
    trains = []
    for part in parts:
        if part.onsets_s and is_struck(part.role):
            kind = "kick" if part.role.startswith("kick") else "snare" if part.role.startswith("snare") else "other"
            trains.append(Train(part.onsets_s, kind))  # type: ignore[arg-type]
    if sum(len(train.times_s) for train in trains) < FEWEST_STRUCK:
        trains += [Train(part.onsets_s, weight=0.5) for part in parts if part.onsets_s and not is_struck(part.role)]
    return trains
