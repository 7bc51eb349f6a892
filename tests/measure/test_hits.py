"""Hits by ear of the machine: generated kicks with doubles and bleed; MIDI files; beat grids."""

import mido
import numpy as np
import pytest

from all_even.audio import midi
from all_even.errors import UserError
from all_even.measure.time import hits
from all_even.measure.time.traces import trace_samples
from tests.measure.sounds import midi_file

RATE = 48_000


def kicks(times: list[float], levels: list[float]) -> np.ndarray:
    sound = np.zeros(round((max(times) + 0.5) * RATE))
    after = np.arange(round(0.25 * RATE)) / RATE
    for time, level in zip(times, levels, strict=True):
        at = round(time * RATE)
        sound[at : at + len(after)] += (
            level * np.exp(-18 * after) * np.sin(2 * np.pi * (50 + 80 * np.exp(-60 * after)) * after)
        )
    return sound[:, np.newaxis]


def found_in(sound: np.ndarray) -> tuple[float, ...]:
    return hits.find_hits(trace_samples(sound, RATE)).times_s


def test_hits_are_found_to_a_few_milliseconds_with_their_doubles():
    times = [0.1, 0.6, 0.72, 1.1, 1.6, 2.1]
    found = found_in(kicks(times, [1.0, 0.9, 0.7, 1.0, 0.8, 1.0]))
    np.testing.assert_allclose(found, times, atol=0.005)


def test_bleed_far_under_the_hits_is_not_taken_for_one():
    times, bleed = [0.1, 1.1, 2.1], [0.6, 1.6]
    sound = kicks(times + bleed, [1.0] * 3 + [0.02] * 2)
    assert len(found_in(sound)) == 3


def test_silence_and_nothing_have_no_hits():
    assert found_in(np.zeros((RATE, 2))) == ()
    assert found_in(np.zeros((0, 1))) == ()


def test_a_midi_file_gives_its_notes_with_its_own_tempo(tmp_path):
    """Standard MIDI Files: 480 ticks a quarter note; a tempo change half way."""
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=500_000, time=0))
    track.append(mido.Message("note_on", note=36, velocity=100, time=480))
    track.append(mido.Message("note_off", note=36, velocity=0, time=120))
    track.append(mido.MetaMessage("set_tempo", tempo=1_000_000, time=360))
    track.append(mido.Message("note_on", note=38, velocity=100, time=480))
    file = mido.MidiFile(ticks_per_beat=480)
    file.tracks.append(track)
    path = tmp_path / "hits.mid"
    file.save(path)
    assert midi.hits_s(path) == (0.5, 2.0)
    assert midi.hits_s(path, note=36) == (0.5,)


@pytest.mark.parametrize(
    "content", [b"", b"MThd", b"RIFFxxxxWAVE", b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\xff\xff\x00"]
)
def test_a_broken_midi_file_is_one_sentence(tmp_path, content):
    path = tmp_path / "broken.mid"
    path.write_bytes(content)
    with pytest.raises(UserError) as caught:
        midi.hits_s(path)
    assert str(caught.value).startswith("broken.mid ")


@pytest.mark.parametrize(
    ("over", "under", "quarters", "bpm", "beats"),
    [
        (4, 4, 120.0, 120.0, 4),
        (3, 4, 90.0, 90.0, 3),
        (6, 8, 90.0, 60.0, 2),
        (7, 8, 100.0, 200.0, 7),
        (2, 2, 120.0, 60.0, 2),
    ],
)
def test_a_midi_file_tells_tempo_and_beats_of_a_bar(tmp_path, over, under, quarters, bpm, beats):
    """Standard MIDI Files 1.0: set_tempo is microseconds a quarter note whatever the time signature."""
    said = [
        ("set_tempo", 0, {"tempo": round(60e6 / quarters)}),
        ("time_signature", 0, {"numerator": over, "denominator": under}),
        ("end_of_track", 4800, {}),
    ]
    found = midi.tempo(midi_file(tmp_path / "song.mid", said))
    assert found.bpm == pytest.approx(bpm, rel=1e-5)
    assert (found.beats_per_bar, found.changes) == (beats, False)


def test_of_several_tempos_the_one_that_lasts_longest_counts_and_none_is_120(tmp_path):
    said = [("set_tempo", 0, {"tempo": 400_000}), ("set_tempo", 480, {"tempo": 600_000}), ("end_of_track", 9600, {})]
    found = midi.tempo(midi_file(tmp_path / "two.mid", said))
    assert (round(found.bpm), found.changes) == (100, True)
    assert midi.tempo(midi_file(tmp_path / "none.mid", [("end_of_track", 960, {})])).bpm == 120.0
