"""Hits and notes of recorded instruments against the score they were played from; printed by `make proof`.

Matching after `mir_eval`, 10 ms for kicks, 15 ms for other drums, 50 ms and 50 cents for notes. Tuned on seeds 0 to
47; what is reported is seeds 100 to 115: two songs with every kit and every bass.
"""

from collections import defaultdict

import mir_eval
import numpy as np
import pytest

from all_even.measure.pitch.pitch import cents_between
from all_even.measure.recording.character import CharacterMeter
from all_even.measure.time.hits import find_hits
from all_even.measure.time.tempo import Train, find_tempo
from all_even.measure.time.traces import trace_samples
from tests.proof.sampled import BANK, BASSES, PLAYER, RATE, make_song

pytestmark = [
    pytest.mark.proof,
    pytest.mark.skipif(PLAYER is None or not BANK.exists(), reason="FluidSynth or its sound bank is not installed"),
]

SEEDS = range(100, 116)
MIX = {"kick": 1.0, "snare": 0.7, "hat": 0.4}


@pytest.fixture(scope="module")
def songs(tmp_path_factory):
    return [make_song(seed, tmp_path_factory.mktemp("sampled")) for seed in SEEDS]


class Count:
    """Right ones, found ones, true ones; and how far off in ms the right ones are."""

    def __init__(self) -> None:
        self.right = self.found = self.true = 0
        self.off_ms: list[float] = []

    def add(self, true: np.ndarray, found: np.ndarray, window_s: float) -> None:
        matched = mir_eval.util.match_events(true, found, window_s)
        self.right, self.found, self.true = self.right + len(matched), self.found + len(found), self.true + len(true)
        self.off_ms += [1000.0 * float(found[j] - true[i]) for i, j in matched]

    @property
    def precision(self) -> float:
        return self.right / max(1, self.found)

    @property
    def recall(self) -> float:
        return self.right / max(1, self.true)

    def __str__(self) -> str:
        late = f", {np.median(self.off_ms):+.1f} ms late (median)" if self.off_ms else ""
        return f"precision {self.precision:.3f}, recall {self.recall:.3f} of {self.true}{late}"


def test_hits_of_recorded_drums(songs, capsys):
    counts: dict[str, Count] = defaultdict(Count)
    for song in songs:
        for part, window_s in (("kick", 0.010), ("snare", 0.015), ("hat", 0.015)):
            traces = trace_samples(song.sounds[part].astype(np.float32)[:, np.newaxis], RATE)
            counts[part].add(song.times(part), np.array(find_hits(traces, kick=part == "kick").times_s), window_s)
        length = max(len(song.sounds[part]) for part in MIX)
        together = sum(
            gain * np.pad(song.sounds[part], (0, length - len(song.sounds[part]))) for part, gain in MIX.items()
        )
        traces = trace_samples(together.astype(np.float32)[:, np.newaxis], RATE)
        counts["kick in the drum mix"].add(song.times("kick"), np.array(find_hits(traces, kick=True).times_s), 0.010)
    with capsys.disabled():
        for name, count in counts.items():
            print(f"\nRecorded {name}: {count}")
    for part in ("kick", "snare", "hat"):
        assert counts[part].precision >= 0.98
        assert counts[part].recall >= 0.98
    assert counts["kick in the drum mix"].precision >= 0.95
    assert counts["kick in the drum mix"].recall >= 0.95


def test_notes_of_recorded_basses(songs, capsys):
    right, found_notes, true_notes = defaultdict(int), defaultdict(int), defaultdict(int)
    cents = []
    for song in songs:
        meter = CharacterMeter(RATE, 1)
        meter.add(song.sounds["bass"].astype(np.float32)[:, np.newaxis])
        notes = meter.result()[0].notes
        events = song.events["bass"]
        true = np.array([[event.time_s, event.time_s + event.length_s] for event in events])
        pitches = np.array([440.0 * 2.0 ** ((event.note - 69) / 12.0) for event in events])
        found = np.array([[note.start_s, note.end_s] for note in notes]).reshape(-1, 2)
        heard = np.array([note.frequency_hz for note in notes])
        matched = (
            mir_eval.transcription.match_notes(true, pitches, found, heard, offset_ratio=None) if len(found) else []
        )
        name = BASSES[song.bass_program]
        right[name], found_notes[name] = right[name] + len(matched), found_notes[name] + len(found)
        true_notes[name] += len(true)
        cents += [abs(cents_between(heard[j], pitches[i])) for i, j in matched]
    with capsys.disabled():
        print(f"\nRecorded basses, worst pitch {max(cents):.1f} cents off (the bank's own tuning included):")
        for name in true_notes:
            precision, recall = right[name] / max(1, found_notes[name]), right[name] / true_notes[name]
            print(f"  {name}: precision {precision:.3f}, recall {recall:.3f} of {true_notes[name]}")
    assert sum(right.values()) >= 0.9 * sum(true_notes.values())
    assert sum(right.values()) >= 0.95 * sum(found_notes.values())
    assert max(cents) < 15.0


def test_tempo_and_bars_of_recorded_drums(songs, capsys):
    """Players who are 4 ms off (standard deviation): the tempo, and where the bars begin."""
    off_bpm, off_ms = [], []
    for song in songs:
        trains = []
        for part, kind in (("kick", "kick"), ("snare", "snare"), ("hat", "other")):
            traces = trace_samples(song.sounds[part].astype(np.float32)[:, np.newaxis], RATE)
            trains.append(Train(find_hits(traces, kick=part == "kick").times_s, kind))
        found = find_tempo(trains, max(len(sound) for sound in song.sounds.values()) / RATE)
        assert found is not None, song.seed
        bar_s = 4.0 * 60.0 / song.bpm
        astray = (np.array(found.downbeats_s) - 0.5 + bar_s / 2.0) % bar_s - bar_s / 2.0
        off_bpm.append(abs(found.bpm - song.bpm))
        off_ms.append(1000.0 * float(np.abs(astray).max()))
    with capsys.disabled():
        print(
            f"\nRecorded drums: tempo worst {max(off_bpm):.3f} BPM off, bars worst {max(off_ms):.0f} ms off, "
            f"in {len(songs)} songs."
        )
    assert max(off_bpm) < 0.1
    assert sum(off < 20.0 for off in off_ms) >= 0.9 * len(songs)
