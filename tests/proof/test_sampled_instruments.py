"""Hits and notes of recorded instruments against the score they were played from; printed by `make proof`.

Matching after `mir_eval`, 10 ms for kicks, 15 ms for other drums, 50 ms and 50 cents for notes. Tuned on seeds 0 to
47 of the first bank and 0 to 15 of the second; what is reported is seeds 100 to 115: two songs with every kit and every
bass. The recorded kits were not tuned on, but for one rule about rings of toms, which they showed as well.
"""

from collections import defaultdict

import mir_eval
import numpy as np
import pytest
import soundfile

from all_even.figures.sources.low_sum import low_sum_of
from all_even.measure.faults.reverb import ReverbMeter
from all_even.measure.pitch.pitch import cents_between
from all_even.measure.recording.character import CharacterMeter
from all_even.measure.recording.sounding import SURE
from all_even.measure.recording.track import Measurement
from all_even.measure.time.hits import find_hits
from all_even.measure.time.tempo import Train, find_tempo
from all_even.measure.time.traces import trace_samples
from all_even.moves.balance.lopsided import between_sides_lu
from tests.moves.looks import find, look_at, make, opened, result_of
from tests.proof.draw import WHOLE, beside
from tests.proof.sampled import BANK, BASSES, PLAYER, RATE, SECOND_BANK, Event, make_song, play, play_kit, recorded_kits

pytestmark = [
    pytest.mark.proof,
    pytest.mark.skipif(PLAYER is None or not BANK.exists(), reason="FluidSynth or its sound bank is not installed"),
]

SEEDS = range(100, 116)
MIX = {"kick": 1.0, "snare": 0.7, "hat": 0.4}


@pytest.fixture(scope="module")
def songs(tmp_path_factory):
    """Always all of them: two songs of a kit are too few for a bound on a share."""
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


WINDOWS_S = {"kick": 0.010, "snare": 0.015, "hat": 0.015, "tom": 0.015}


def hits_of(songs) -> tuple[dict[str, Count], int, int]:
    """Counts per part; of the false ones in the drum mix, how many there are and how many are not flagged unsure."""
    counts: dict[str, Count] = defaultdict(Count)
    false, unflagged = 0, 0
    for song in songs:
        for part, window_s in WINDOWS_S.items():
            if part in song.sounds:
                traces = trace_samples(song.sounds[part].astype(np.float32)[:, np.newaxis], RATE)
                counts[part].add(song.times(part), np.array(find_hits(traces, kick=part == "kick").times_s), window_s)
        mixed = [part for part in MIX if part in song.sounds]
        length = max(len(song.sounds[part]) for part in mixed)
        together = sum(MIX[part] * np.pad(song.sounds[part], (0, length - len(song.sounds[part]))) for part in mixed)
        traces = trace_samples(together.astype(np.float32)[:, np.newaxis], RATE)
        found = find_hits(traces, kick=True)
        counts["kick in the drum mix"].add(song.times("kick"), np.array(found.times_s), 0.010)
        matched = {j for _, j in mir_eval.util.match_events(song.times("kick"), np.array(found.times_s), 0.010)}
        wrong = [j for j in range(len(found)) if j not in matched]
        false, unflagged = false + len(wrong), unflagged + sum(not found.unsure[j] for j in wrong)
    return counts, false, unflagged


def told(capsys, title: str, counts: dict[str, Count], false: int, unflagged: int) -> None:
    with capsys.disabled():
        print(f"\n{title}; of {false} false kicks in the drum mix {false - unflagged} are flagged unsure:")
        for name, count in counts.items():
            print(f"  {name}: {count}")


def least(counts: dict[str, Count], part: str) -> float:
    return min(counts[part].precision, counts[part].recall)


def test_hits_of_recorded_drums(songs, capsys):
    counts, false, unflagged = hits_of(songs)
    told(capsys, "Hits of the first bank", counts, false, unflagged)
    assert min(least(counts, part) for part in ("kick", "snare", "hat", "tom")) >= 0.98
    assert least(counts, "kick in the drum mix") >= 0.95


@pytest.mark.skipif(not SECOND_BANK.exists(), reason="the second sound bank is not installed")
def test_hits_of_a_second_bank(tmp_path_factory, capsys):
    """Its orchestral kit is left in, though a bass drum roll under a snare roll is no kick in a mix."""
    folder = tmp_path_factory.mktemp("second")
    counts, false, unflagged = hits_of([make_song(seed, folder, SECOND_BANK) for seed in SEEDS])
    told(capsys, "Hits of the second bank", counts, false, unflagged)
    assert least(counts, "kick") >= 0.985
    assert least(counts, "snare") >= 0.97
    assert min(counts["tom"].precision, counts["hat"].recall) >= 0.95
    assert counts["kick in the drum mix"].recall >= 0.93
    mixed = counts["kick in the drum mix"]
    assert mixed.right / (mixed.right + unflagged) >= 0.90


@pytest.mark.skipif(not recorded_kits(), reason="the recorded drum kits are not installed")
def test_hits_of_recorded_kits(capsys):
    counts, false, unflagged = hits_of([play_kit(kit, 100 + i) for i, kit in enumerate(recorded_kits())])
    told(capsys, f"Hits of {len(recorded_kits())} recorded kits", counts, false, unflagged)
    assert least(counts, "kick") >= 0.96
    assert least(counts, "snare") >= 0.95
    assert counts["tom"].precision >= 0.85
    mixed = counts["kick in the drum mix"]
    assert mixed.right / (mixed.right + unflagged) >= 0.90


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
    assert sum(off >= 20.0 for off in off_ms) <= beside(0.1, len(songs), WHOLE)


HELD = {
    "accordion": 21, "harmonica": 22, "violin": 40, "viola": 41, "cello": 42, "trumpet": 56, "trombone": 57, "tuba": 58,
    "horn": 60, "alto saxophone": 65, "baritone saxophone": 67, "oboe": 68, "clarinet": 71, "flute": 73, "voice": 52,
}  # fmt: skip
ROOMS_S = (0.6, 1.2)


def test_printed_reverberation_of_held_instruments(tmp_path_factory, capsys):
    """Dry, and in rooms of noise that decays evenly, 8 to 12 dB under the direct sound. It is a note, not a fault."""
    folder, told_wet, told_dry, wet = tmp_path_factory.mktemp("held"), [], [], 0
    banks = [bank for bank in (BANK, SECOND_BANK) if bank.exists()]
    for index, (name, program) in enumerate(HELD.items()):
        for number, bank in enumerate(banks):
            rng = np.random.default_rng(500 + 2 * index + number)
            time, events = 0.5, []
            while time < 22.0:
                length = float(rng.choice([0.25, 0.4, 0.7, 1.1]))
                events.append(Event(time, int(rng.integers(55, 72)), int(rng.integers(70, 110)), length))
                time += length + float(rng.choice([0.1, 0.5, 0.9, 1.3]))
            dry = play(events, folder, program=program, drums=False, bank=bank)
            told_dry += [f"{name} ({bank.stem})"] if _reverb_s(dry) is not None else []
            for decay_s in ROOMS_S:
                reply = np.arange(round(1.2 * decay_s * RATE)) / RATE
                room = rng.standard_normal(len(reply)) * 10.0 ** (-3.0 * reply / decay_s)
                size = 1 << (len(dry) + len(room)).bit_length()
                sound = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(room, size), size)[: len(dry)]
                under = 10.0 ** (-rng.uniform(8.0, 12.0) / 20.0) * np.sqrt(np.mean(dry**2) / np.mean(sound**2))
                wet += 1
                told_wet += [name] if _reverb_s(dry + under * sound) is not None else []
    dry_count = len(HELD) * len(banks)
    with capsys.disabled():
        print(f"\nPrinted reverberation: told of {len(told_wet)} of {wet} recorded instruments in rooms,")
        print(f"of {len(told_dry)} of {dry_count} dry ones: {told_dry}")
    assert len(told_wet) >= 0.6 * wet
    assert len(told_dry) <= 0.25 * dry_count


def _reverb_s(samples: np.ndarray) -> float | None:
    meter = ReverbMeter(RATE)
    meter.add(samples.astype(np.float32)[:, np.newaxis])
    return meter.result()


def test_a_second_microphone_of_recorded_kits_is_aligned(tmp_path_factory, capsys):
    """A kick's and a snare's second microphone, darker, later by 0.3 to 4 ms, every other one upside down; 'overheads'
    of the whole kit beside them. Offsets within 0.05 ms, the low sum as promised within 0.3 dB."""
    kits = recorded_kits()[:6]
    banks = [bank for bank in (BANK, SECOND_BANK) if bank.exists()]
    songs = [make_song(100 + i, tmp_path_factory.mktemp("align"), bank) for bank in banks for i in (0, 2, 5)]
    songs += [play_kit(kit, 100 + i) for i, kit in enumerate(kits)]
    off_ms, off_db, proposed, wrong, asked_of = [], [], 0, 0, 0
    for index, song in enumerate(songs):
        rng = np.random.default_rng(900 + index)
        folder = tmp_path_factory.mktemp("kit")
        late_ms, sign = float(rng.uniform(0.3, 4.0)), (1, -1)[index % 2]
        length = min(len(song.sounds[part]) for part in ("kick", "snare"))
        first, snare = song.sounds["kick"][:length], song.sounds["snare"][:length]
        second = sign * _microphone(first, late_ms, 2500.0)
        above = _microphone(first + 0.8 * snare, 3.0, 9000.0)
        beside = _microphone(first + 0.8 * snare, 3.4, 8000.0)
        for name, sound in (
            ("kick in", first),
            ("kick out", second),
            ("snare top", snare),
            ("OH L", above),
            ("OH R", beside),
        ):
            noisy = sound + 1e-4 * rng.standard_normal(len(sound))
            soundfile.write(folder / f"{name}.wav", 0.8 * noisy / np.abs(noisy).max(), RATE, subtype="PCM_24")
        look = look_at(folder)
        moves = [move for move in opened(look, "gather") if move.kind == "gather.align"]
        names = {lane.id: lane.file for lane in look.session.lanes}
        ids = {name: lane_id for lane_id, name in names.items()}
        together = low_sum_of(look, ids["kick in.wav"], ids["kick out.wav"])
        gain = together.gains(late_ms, sign).mean_db - together.gains().mean_db
        asked_of += gain >= 0.7  # nearer than that the low sum hardly gains, and nothing is proposed
        wrong += sum(any(names[lane].startswith("OH") for lane in move.targets) for move in moves)
        move = next((move for move in moves if {names[lane][:4] for lane in move.targets} == {"kick"}), None)
        if move is not None:
            proposed += 1
            off_ms.append(abs(abs(float(move.evidence["offset_ms"])) - late_ms))
            off_db.append(abs(result_of(make(look, move)) - move.expected))
    with capsys.disabled():
        print(
            f"\nSecond microphones: {proposed} proposed, {asked_of} of {len(songs)} worth it, offset at most "
            f"{max(off_ms):.3f} ms off (median {np.median(off_ms):.3f}), summed below 250 Hz at most "
            f"{max(off_db):.2f} dB off; "
            f"overheads asked to move: {wrong}."
        )
    assert proposed >= 0.8 * asked_of
    assert np.median(off_ms) <= 0.05
    assert sum(off > 0.05 for off in off_ms) <= 0.2 * len(off_ms)
    assert max(off_db) <= 0.3
    assert wrong == 0


def _microphone(sound: np.ndarray, late_ms: float, hertz: float) -> np.ndarray:
    """Later by a part of a sample, and darker without phase of its own."""
    spectrum = np.fft.rfft(sound, len(sound) + RATE // 10)
    frequency = np.fft.rfftfreq(len(sound) + RATE // 10, 1.0 / RATE)
    spectrum *= np.exp(-2j * np.pi * frequency * late_ms * 0.001) / (1.0 + (frequency / hertz) ** 2)
    return np.fft.irfft(spectrum, len(sound) + RATE // 10)[: len(sound)]


PROGRAMS = {
    "struck": (),
    "bass": (32, 33, 34, 36, 38),
    "pitched": (0, 4, 16, 21, 24, 27, 40, 42, 48, 52, 56, 57, 65, 71, 73, 81, 89),
}  # fmt: skip


def test_what_recorded_instruments_sound_like_without_their_names(songs, tmp_path_factory, capsys):
    """Struck, bass or pitched, of kits, basses and melodies of both banks; by kind, and of those it is sure of."""
    counts: dict[str, list[int]] = {kind: [0, 0, 0, 0] for kind in PROGRAMS}
    folder = tmp_path_factory.mktemp("sounding")

    def heard(kind: str, samples: np.ndarray) -> None:
        measured, meter = Measurement(RATE, 1), CharacterMeter(RATE, 1)
        block = np.ascontiguousarray(samples.astype(np.float32)[:, np.newaxis])
        measured.add(block)
        meter.add(block)
        found = meter.result(measured.result().third_octave_db)[0].sounding
        if found is not None:
            right, sure = found.kind == kind, found.likely >= SURE
            counts[kind] = [a + b for a, b in zip(counts[kind], (right, 1, right and sure, sure), strict=True)]

    for song in songs[:8]:
        for part in ("kick", "snare", "hat", "tom"):
            heard("struck", song.sounds[part])
        heard("bass", song.sounds["bass"])
    for bank in [bank for bank in (BANK, SECOND_BANK) if bank.exists()]:
        for program in (*PROGRAMS["bass"], *PROGRAMS["pitched"]):
            rng = np.random.default_rng(700 + program)
            low, high = (28, 43) if program in PROGRAMS["bass"] else (55, 76)
            time, events = 0.5, []
            while time < 18.0:
                length = float(rng.choice([0.25, 0.5, 1.0]))
                events.append(Event(time, int(rng.integers(low, high)), int(rng.integers(70, 110)), 0.9 * length))
                time += length
            heard("bass" if program in PROGRAMS["bass"] else "pitched",
                  play(events, folder, program=program, drums=False, bank=bank))  # fmt: skip
    with capsys.disabled():
        print("\nWithout names:")
        for kind, (right, whole, sure_right, sure) in counts.items():
            print(f"  {kind}: {right} of {whole} right; of {sure} it was sure of, {sure_right}")
    assert sum(count[0] for count in counts.values()) >= 0.7 * sum(count[1] for count in counts.values())
    assert sum(count[2] for count in counts.values()) >= 0.9 * sum(count[3] for count in counts.values())


BAND = {
    "Steel guitar": (25, 52), "Clean guitar": (27, 55), "Crunch guitar": (29, 50), "Piano": (0, 60), "Organ": (16, 58),
    "Strings": (48, 62), "Trumpet": (56, 64), "Alto sax": (65, 60), "Viola": (41, 60), "Backing vox": (52, 62),
}  # fmt: skip
"""Names of files, with program and lowest note."""


def test_side_by_side_uncovers_on_bands_of_recorded_instruments(songs, tmp_path_factory, capsys):
    """The promise of the move, which was shaped on other material: covered before loudspeakers and in one ear, left
    against right, mono; for five bands of a kit, a bass, a voice and six others that play in one range at once."""
    gains, ears, sides, off = [], [], [], []
    for song in songs[:5]:
        folder, rng = tmp_path_factory.mktemp(f"band-{song.seed}"), np.random.default_rng(900 + song.seed)
        files = {"Kick": song.sounds["kick"], "Snare": song.sounds["snare"], "Hat": song.sounds["hat"],
                 "Bass": song.sounds["bass"]}  # fmt: skip
        length_s = len(files["Kick"]) / RATE
        chosen = rng.choice(sorted(BAND), 6, replace=False)
        for name, (program, lowest) in {"Lead vox": (53, 62), **{name: BAND[name] for name in chosen}}.items():
            files[str(name)] = play(_part(rng, song.bpm, lowest, length_s), folder, program=program, drums=False)
        for name, sound in files.items():
            soundfile.write(folder / f"{name}.wav", sound, RATE, subtype="PCM_24")
        look = look_at(folder)
        placed = make(look, find(look, "balance.voice-first"))
        move = find(placed, "balance.spread")
        after = make(placed, move)
        gains.append(move.before - result_of(after))
        ears.append(100.0 * float(move.evidence["covered_ear_gain"]))
        sides.append(float(between_sides_lu(after)))
        off.append(abs(result_of(after) - move.expected))
    with capsys.disabled():
        print(f"\nSide by side: {np.round(gains, 1)} % less masked, speakers, {np.round(ears, 1)} in one")
        print(f"  ear; left/right {np.round(sides, 2)} LU; off the promise {np.round(off, 2)} %")
    assert max(off) < 0.5
    assert np.median(gains) >= 5.0
    assert np.median(ears) >= 9.0
    assert np.median(sides) <= 0.5


def _part(rng: np.random.Generator, bpm: float, lowest: int, length_s: float) -> list[Event]:
    """Notes and chords of two, a beat or two each, with rests, in an octave and a half."""
    beat, time, events = 60.0 / bpm, 0.5, []
    while time < length_s - 2.0:
        length = beat * float(rng.choice([0.5, 1.0, 1.0, 2.0]))
        if rng.random() > 0.15:
            for _ in range(int(rng.integers(1, 3))):
                events.append(Event(time, lowest + int(rng.integers(0, 18)), int(rng.integers(70, 110)), 0.9 * length))
        time += length
    return events
