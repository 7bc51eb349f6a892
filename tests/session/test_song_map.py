"""The song's time put right by hand: tempo, bars, sections."""

import numpy as np
import pytest

from all_even.measure.time.sections import Section
from all_even.measure.time.tempo import Tempo
from all_even.session.model.session import Session
from all_even.session.song import song_map
from all_even.session.song.song import Song

BEATS = tuple(np.arange(0.5, 40.5, 0.5).tolist())
FOUND = Song(
    Tempo(120.0, BEATS, 0, True, 0.9), (Section("A", 0.5, 16.5), Section("B", 16.5, 40.0)), {}, {}, {}
)  # fmt: skip
EMPTY = Session(name="Song", sample_rate=48_000)


def told(session: Session, duration_s: float = 40.0) -> Song:
    return song_map.told(FOUND, session.song, duration_s)


def test_what_is_not_said_stays_as_it_was_found():
    assert told(EMPTY).tempo == FOUND.tempo
    assert told(EMPTY).sections == FOUND.sections


def test_a_typed_tempo_makes_a_grid_through_the_bar_that_was_found():
    tempo = told(song_map.set_tempo(EMPTY, 100.0)).tempo
    assert tempo.bpm == 100.0
    assert np.diff(tempo.beats_s) == pytest.approx(0.6)
    assert min(abs(beat - 0.5) for beat in tempo.beats_s) < 1e-6
    assert song_map.set_tempo(EMPTY, 9000.0).song.tempo_bpm == song_map.FASTEST_BPM


def test_bars_move_by_a_beat_and_back():
    later = song_map.shift_bars(EMPTY, FOUND, 1)
    assert told(later).tempo.downbeats_s[0] == pytest.approx(1.0)
    back = song_map.shift_bars(later, told(later), -1)
    assert told(back).tempo.downbeats_s[0] == pytest.approx(0.5)


def test_bars_of_three():
    tempo = told(song_map.set_song(EMPTY, beats_per_bar=3)).tempo
    assert np.diff(tempo.downbeats_s)[:4] == pytest.approx(1.5)


@pytest.mark.parametrize("bpm", [67.0, 104.0, 171.0])
def test_taps_give_a_tempo_from_the_fourth_on_and_a_pause_begins_anew(bpm):
    rng = np.random.default_rng(1)
    taps = (100.0 + np.arange(12) * 60.0 / bpm + rng.normal(0.0, 0.008, 12)).tolist()
    assert song_map.tapped_bpm(taps[:3]) is None
    assert song_map.tapped_bpm(taps) == pytest.approx(bpm, rel=0.01)
    assert song_map.tapped_bpm([80.0, 81.0, 82.0, *taps]) == pytest.approx(bpm, rel=0.01)


def test_sections_are_split_on_bars_named_moved_and_joined():
    session = song_map.split_section(EMPTY, FOUND, 8.3, "Bridge")
    assert [(mark.name, mark.start_s) for mark in session.song.sections] == [("A", 0.5), ("Bridge", 8.5), ("B", 16.5)]
    session = song_map.name_section(session, FOUND, 0, " Verse ")
    session = song_map.move_section(session, FOUND, 1, 100.0)
    assert session.song.sections[1].start_s < 16.5
    sections = told(session).sections
    assert [section.letter for section in sections] == ["Verse", "Bridge", "B"]
    assert sections[0].end_s == sections[1].start_s
    assert song_map.section_at(session, FOUND, 17.0) == 2
    joined = song_map.remove_section(session, FOUND, 1)
    assert [mark.name for mark in joined.song.sections] == ["Verse", "B"]
    assert told(song_map.set_song(joined, sections=())).sections == FOUND.sections


def test_two_sections_never_begin_together():
    once = song_map.split_section(EMPTY, FOUND, 8.5)
    assert song_map.split_section(once, FOUND, 8.6) == once
