"""The song's time as the user puts it right: tempo, where bars begin, sections by name.

What is not said stays as it was found (`session.song.song`). All are edits of `SongMap`.
"""

from collections.abc import Sequence
from dataclasses import replace as replaced

import numpy as np
from msgspec.structs import replace

from all_even.measure.time.sections import Section
from all_even.measure.time.tempo import Tempo
from all_even.session.model.on_time_line import SectionMark, SongMap
from all_even.session.model.session import Session
from all_even.session.song.song import Song

SLOWEST_BPM, FASTEST_BPM = 20.0, 400.0
LONGEST_TAP_S, FEWEST_TAPS = 3.0, 4
NEAR_S = 0.25
"""Two sections can't begin closer than this."""


def told(song: Song, said: SongMap, duration_s: float) -> Song:
    """The song as it was found, with what the user said about it."""
    tempo = _tempo(song.tempo, said, duration_s)
    sections = song.sections
    if said.sections:
        ends = [*(mark.start_s for mark in said.sections[1:]), max(duration_s, said.sections[-1].start_s)]
        sections = tuple(Section(mark.name, mark.start_s, end) for mark, end in zip(said.sections, ends, strict=True))
    return replaced(song, tempo=tempo, sections=sections)


def _tempo(found: Tempo | None, said: SongMap, duration_s: float) -> Tempo | None:
    if said.tempo_bpm is not None:
        beat_s = 60.0 / said.tempo_bpm
        known = found.downbeats_s[0] if found is not None and found.downbeats_s else 0.0
        bar_s = said.bar_s if said.bar_s is not None else known
        first = bar_s - beat_s * int(bar_s / beat_s)
        beats = np.arange(first, max(duration_s, first + beat_s) + beat_s, beat_s)
        found = Tempo(said.tempo_bpm, tuple(beats.tolist()), 0, True, 1.0, said.beats_per_bar)
    elif found is None:
        return None
    if found.beats_per_bar != said.beats_per_bar:
        found = replaced(found, beats_per_bar=said.beats_per_bar)
    if said.bar_s is not None and found.beats_s:
        nearest = int(np.argmin(np.abs(np.array(found.beats_s) - said.bar_s)))
        found = replaced(found, first_downbeat=nearest % said.beats_per_bar)
    return found


def set_song(session: Session, **values: object) -> Session:
    """Other fields of the song's map."""
    return replace(session, song=replace(session.song, **values))


def set_tempo(session: Session, bpm: float | None) -> Session:
    """A typed or tapped tempo; None: as it was found."""
    return set_song(session, tempo_bpm=None if bpm is None else min(FASTEST_BPM, max(SLOWEST_BPM, bpm)))


def shift_bars(session: Session, song: Song, beats: int) -> Session:
    """Bars begin some beats later (or earlier)."""
    tempo = song.tempo
    if tempo is None or not tempo.beats_s:
        return session
    index = (tempo.first_downbeat + beats) % tempo.beats_per_bar
    return set_song(session, bar_s=max(0.0, tempo.beats_s[min(index, len(tempo.beats_s) - 1)]))


def tapped_bpm(times_s: Sequence[float]) -> float | None:
    """The tempo of taps in a row; None for fewer than four. A pause of three seconds begins anew."""
    times = list(times_s)
    for index in range(len(times) - 1, 0, -1):
        if times[index] - times[index - 1] > LONGEST_TAP_S:
            times = times[index:]
            break
    if len(times) < FEWEST_TAPS:
        return None
    beat_s = float(np.polyfit(np.arange(len(times)), times, 1)[0])
    return 60.0 / beat_s if beat_s > 0.0 else None


def marks_of(session: Session, song: Song) -> tuple[SectionMark, ...]:
    """The sections as marks: the user's, else the suggested ones."""
    if session.song.sections:
        return session.song.sections
    return tuple(SectionMark(start_s=section.start_s, name=section.letter) for section in song.sections)


def split_section(session: Session, song: Song, at_s: float, name: str = "") -> Session:
    """A section begins here, on the nearest bar where there is one within half a second."""
    marks = marks_of(session, song)
    at_s = on_bar(song, at_s)
    if any(abs(mark.start_s - at_s) < NEAR_S for mark in marks):
        return session
    fresh = SectionMark(start_s=max(0.0, at_s), name=name.strip()[:200] or f"Section {len(marks) + 1}")
    return set_song(session, sections=tuple(sorted((*marks, fresh), key=lambda mark: mark.start_s)))


def on_bar(song: Song, at_s: float) -> float:
    """The nearest beginning of a bar, where one is near."""
    bars = np.array(song.tempo.downbeats_s) if song.tempo is not None else np.zeros(0)
    if not len(bars):
        return at_s
    nearest = float(bars[np.argmin(np.abs(bars - at_s))])
    return nearest if abs(nearest - at_s) <= 0.5 else at_s


def name_section(session: Session, song: Song, index: int, name: str) -> Session:
    marks = list(marks_of(session, song))
    name = " ".join(name.split())[:200]
    if not 0 <= index < len(marks) or not name:
        return session
    marks[index] = replace(marks[index], name=name)
    return set_song(session, sections=tuple(marks))


def move_section(session: Session, song: Song, index: int, to_s: float) -> Session:
    """Where a section begins, between its neighbours."""
    marks = list(marks_of(session, song))
    if not 0 <= index < len(marks):
        return session
    low = marks[index - 1].start_s + NEAR_S if index else 0.0
    high = marks[index + 1].start_s - NEAR_S if index + 1 < len(marks) else max(to_s, low)
    marks[index] = replace(marks[index], start_s=min(max(to_s, low), max(low, high)))
    return set_song(session, sections=tuple(marks))


def remove_section(session: Session, song: Song, index: int) -> Session:
    """A section goes; the one before it goes on."""
    marks = list(marks_of(session, song))
    if not 0 <= index < len(marks) or len(marks) < 2:
        return session
    del marks[index]
    return set_song(session, sections=tuple(marks))


def section_at(session: Session, song: Song, at_s: float) -> int:
    """The index of the section that plays there; -1 before the first."""
    return sum(mark.start_s <= at_s + 1e-6 for mark in marks_of(session, song)) - 1
