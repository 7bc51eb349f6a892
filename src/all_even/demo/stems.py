"""The demo's files: every instrument of a score, with planted faults, as somebody would send them.

`write_stems` writes WAV files and `truth.json`. Names are inconsistent on purpose.
"""

import json
import os
import shutil
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soxr

from all_even import places
from all_even.audio.writing import write_sound
from all_even.demo import instruments as sound
from all_even.demo.instruments import SAMPLE_RATE, Signal
from all_even.demo.score import NoteEvent, Score, make_score

TAIL_S = 1.0
CLIP_LEVEL = 10.0 ** (-0.3 / 20.0)
LIMIT_LEVEL = 10.0 ** (-1.0 / 20.0)
BREATH_OF_ROOM = 10.0 ** (-78.0 / 20.0)
DEMO_VERSION = 2


@dataclass(frozen=True, slots=True)
class Stem:
    """One file: its name, the role it plays, its peak in dBFS, and how to make it, (frames,) or (frames, 2)."""

    file: str
    role: str
    peak_dbfs: float
    make: Callable[["Studio"], Signal]
    sample_rate: int = SAMPLE_RATE


class Studio:
    """A score, its length in frames and the sounds that several microphones share."""

    def __init__(self, score: Score) -> None:
        self.score = score
        self.frames = int((score.duration_s + TAIL_S) * SAMPLE_RATE)
        rng = self.rng("kit")
        self.kick = self._hits(score.kick, sound.kick(score.kick_hz, score.kick_tail_ms, rng), spread=0.05)
        self.snare = self._hits(score.snare, sound.snare(rng, bottom=False), spread=0.12)
        self.wires = self._hits(score.snare, sound.snare(rng, bottom=True), spread=0.12)
        hats = [sound.hat(rng), sound.hat(rng, open_=True)]
        self.hats = self.silence()
        for index, time in enumerate(score.hats):
            accent = (1.0, 0.45, 0.7, 0.5)[index % 4] * rng.uniform(0.85, 1.0)
            sound.add_at(self.hats, time, hats[index % 16 == 15], accent)
        self.toms = [self.silence(), self.silence()]
        pitches = [sound.tom(112.0, rng), sound.tom(78.0, rng)]
        for time, which in score.toms:
            sound.add_at(self.toms[which], time, pitches[which], rng.uniform(0.8, 1.0))
        self.cymbals = self.silence()
        crash = sound.cymbal(rng)
        for section in score.sections:
            sound.add_at(self.cymbals, score.section_span_s(section)[0], crash)
        self.bass = self._bass()

    def rng(self, part: str) -> np.random.Generator:
        """A generator of its own for each part, so that parts can be made in any order."""
        return np.random.default_rng([self.score.seed, *part.encode()])

    def silence(self) -> Signal:
        return np.zeros(self.frames)

    def _hits(self, times: tuple[float, ...], hit: Signal, spread: float) -> Signal:
        rng, out = self.rng("hits"), self.silence()
        for time in times:
            sound.add_at(out, time, hit, 1.0 - spread * rng.random())
        return out

    def _bass(self) -> Signal:
        hot = 10.0 ** (self.score.faults.hot_bass_note_db / 20.0)
        notes = [
            NoteEvent(
                n.start_s,
                n.length_s,
                n.pitch,
                n.velocity * (hot if n.pitch == self.score.hot_bass_pitch else 1.0),
            )
            for n in self.score.bass
        ]
        partials = sound.series(24, 1.15, pluck=0.17)
        return sound.tones(
            self.silence(),
            notes,
            partials=partials,
            t60_s=9.0 / np.arange(1.0, 25.0) ** 0.6,
            attack_s=0.004,
            release_s=0.05,
        )

    def chord_notes(
        self, voicing: Callable[[tuple[int, ...]], tuple[int, ...]], sections: tuple[str, ...]
    ) -> list[NoteEvent]:
        """Held chords of the named sections."""
        return [
            NoteEvent(start, length * 0.97, pitch, 0.85)
            for start, length, pitches, section in self.score.chords
            if section in sections
            for pitch in voicing(pitches)
        ]

    def strokes(
        self, steps: tuple[int, ...], length_steps: float, sections: tuple[str, ...], up: int
    ) -> list[NoteEvent]:
        """Short chords on the given sixteenths of every bar."""
        step_s = self.score.beat_s / 4.0
        return [
            NoteEvent(
                start + step * step_s + 0.004 * index,
                length_steps * step_s,
                pitch + up,
                0.9 if step % 8 == 4 else 0.7,
            )
            for start, _, pitches, section in self.score.chords
            if section in sections
            for step in steps
            for index, pitch in enumerate(pitches)
        ]

    def melody(self, sections: tuple[str, ...], up: int = 0) -> list[NoteEvent]:
        return [
            NoteEvent(n.start_s, n.length_s, n.pitch + up, n.velocity)
            for n in self.score.melody
            if self.score.section_at(n.start_s) in sections
        ]


EVERYWHERE = ("intro", "verse", "chorus", "verse end")


def _kick_in(s: Studio) -> Signal:
    return s.kick + 0.01 * s.snare


def _kick_out(s: Studio) -> Signal:
    late = sound.delayed(s.kick, s.score.faults.kick_out_delay_ms)
    return sound.low_pass(late, 2500.0) + 0.02 * sound.low_pass(s.snare, 900.0)


def _kick_alternative(s: Studio) -> Signal:
    hit = sound.kick(s.score.alternative_kick_hz, s.score.alternative_kick_tail_ms, s.rng("alt"), click=0.15)
    return s._hits(s.score.kick, hit, spread=0.03)


def _snare_top(s: Studio) -> Signal:
    return s.snare + 0.03 * s.hats + 0.015 * s.kick


def _snare_bottom(s: Studio) -> Signal:
    sign = -1.0 if s.score.faults.snare_bottom_inverted else 1.0
    return sign * s.wires + 0.03 * s.kick


def _overhead(side: int) -> Callable[[Studio], Signal]:
    def make(s: Studio) -> Signal:
        near, far = (1.0, 0.55) if side == 0 else (0.55, 1.0)
        kit = 0.22 * sound.high_pass(s.kick, 90.0) + 0.5 * s.snare
        kit += near * 0.5 * s.hats + far * 0.5 * s.toms[1] + near * 0.4 * s.toms[0] + 0.6 * s.cymbals
        return sound.high_pass(sound.delayed(kit, 3.1 if side == 0 else 3.4), 60.0)

    return make


def _tambourine(s: Studio) -> Signal:
    out, hit, rng = s.silence(), sound.jingle(s.rng("tamb")), s.rng("tamb hits")
    for index, time in enumerate(s.score.hats):
        if s.score.section_at(time) == "chorus":
            sound.add_at(out, time + rng.normal(0, 0.004), hit, 1.0 if index % 4 == 2 else 0.5)
    return out


def _bass_amplifier(s: Studio) -> Signal:
    late = sound.delayed(s.bass, s.score.faults.bass_amplifier_delay_ms)
    driven = np.tanh(2.2 * late / np.max(np.abs(late)))
    return sound.low_pass(sound.resonate(driven, 780.0, 400.0, 5.0), 3200.0, 2)


def _sub(s: Studio) -> Signal:
    notes = [n for n in s.score.bass if s.score.section_at(n.start_s) == "chorus"]
    return sound.tones(
        s.silence(), notes, partials=np.array([1.0, 0.06]), t60_s=60.0, attack_s=0.012, release_s=0.04,
        cents=s.score.faults.sub_cents,
    )  # fmt: skip


def _guitar_chops(s: Studio) -> Signal:
    notes = s.strokes((4, 12), 1.4, ("verse", "chorus", "verse end"), 12)
    out = sound.tones(
        s.silence(),
        notes,
        partials=sound.series(26, 0.9, pluck=0.13),
        t60_s=1.6,
        attack_s=0.002,
        release_s=0.03,
    )
    return sound.low_pass(sound.high_pass(np.tanh(0.8 * out), 120.0), 5200.0)


def _guitar_picked(s: Studio) -> Signal:
    step_s = s.score.beat_s / 4.0
    notes = [
        NoteEvent(
            start + 2 * i * step_s,
            1.9 * step_s,
            pitches[(0, 1, 2, 1)[i % 4]] + (12 if i % 8 < 4 else 24),
            0.8,
        )
        for start, _, pitches, section in s.score.chords
        if section in ("intro", "chorus", "verse end")
        for i in range(8)
    ]
    out = sound.tones(
        s.silence(),
        notes,
        partials=sound.series(22, 1.2, pluck=0.21),
        t60_s=2.4,
        attack_s=0.003,
        release_s=0.05,
    )
    return sound.low_pass(out, 4500.0)


def _mandolin(s: Studio) -> Signal:
    step_s = s.score.beat_s / 8.0
    notes = [
        NoteEvent(start + i * step_s, step_s * 0.9, pitches[i // 4 % 3] + 24, 0.6 + 0.4 * (i % 4 == 0))
        for start, _, pitches, section in s.score.chords
        if section in ("verse", "chorus")
        for i in range(32)
    ]
    out = sound.tones(
        s.silence(),
        notes,
        partials=sound.series(18, 0.8, pluck=0.11),
        t60_s=0.7,
        attack_s=0.0015,
        release_s=0.02,
    )
    return sound.resonate(sound.high_pass(out, 160.0), 900.0, 180.0, 11.0)


def _accordion(s: Studio) -> Signal:
    right, left = s.silence(), s.silence()
    melody = s.melody(EVERYWHERE) + s.chord_notes(lambda c: tuple(p + 12 for p in c), ("intro",))
    for cents in (-7.0, 8.0):
        sound.tones(
            right,
            melody,
            partials=sound.series(26, 0.75),
            t60_s=30.0,
            attack_s=0.03,
            release_s=0.06,
            cents=cents,
        )
    step_s = s.score.beat_s
    reeds = [
        NoteEvent(start + beat * step_s, 0.8 * step_s, pitches[0] - 12, 0.9)
        for start, _, pitches, _ in s.score.chords
        for beat in (0, 2)
    ]
    sound.tones(left, reeds, partials=sound.series(30, 0.85), t60_s=30.0, attack_s=0.02, release_s=0.05)
    chops = s.strokes((4, 12), 2.0, EVERYWHERE, 0)
    sound.tones(left, chops, partials=sound.series(20, 0.9), t60_s=30.0, attack_s=0.02, release_s=0.05)
    return np.stack([0.9 * left + 0.25 * right, 0.15 * left + right], axis=1)


def _harmonium(s: Studio) -> Signal:
    notes = s.chord_notes(lambda c: (c[0], c[1], c[2], c[0] + 12), ("intro", "verse", "chorus"))
    return sound.tones(s.silence(), notes, partials=sound.series(22, 0.9), t60_s=40.0, attack_s=0.12, release_s=0.15)


def _clarinet(s: Studio) -> Signal:
    notes = s.melody(("chorus", "verse end"), up=0)
    out = sound.tones(
        s.silence(), notes, partials=sound.series(20, 0.9, even=0.12), t60_s=20.0, attack_s=0.03, release_s=0.06,
        vibrato_cents=6.0,
    )  # fmt: skip
    ringing = sound.hertz(s.score.root + 36 + 7)
    return sound.resonate(out, ringing, 9.0, 13.0)


def _baritone(s: Studio) -> Signal:
    notes = s.strokes((0, 6), 3.0, ("chorus",), -12)[::3] + [
        NoteEvent(n.start_s, n.length_s, n.pitch + 24, 0.8)
        for n in s.score.bass
        if s.score.section_at(n.start_s) == "verse end"
    ]
    out = sound.tones(s.silence(), notes, partials=sound.series(40, 0.6), t60_s=15.0, attack_s=0.03, release_s=0.05)
    return sound.resonate(sound.low_pass(out, 3800.0), 480.0, 200.0, 5.0)


def _trombone(s: Studio) -> Signal:
    notes = s.strokes((0, 3, 8), 2.2, ("chorus",), 0)[1::3] + s.chord_notes(lambda c: (c[2],), ("verse end",))
    out = sound.tones(
        s.silence(),
        notes,
        partials=sound.series(30, 0.7),
        t60_s=12.0,
        attack_s=0.035,
        release_s=0.06,
        vibrato_cents=5.0,
    )
    return sound.resonate(sound.low_pass(out, 3200.0), 620.0, 300.0, 4.0)


def _viola(s: Studio) -> Signal:
    notes = s.chord_notes(lambda c: (c[1] + 12,), ("verse", "verse end")) + s.melody(("chorus",), up=-5)
    out = sound.tones(
        s.silence(),
        notes,
        partials=sound.series(34, 0.8),
        t60_s=25.0,
        attack_s=0.07,
        release_s=0.09,
        vibrato_cents=14.0,
    )
    return sound.resonate(sound.high_pass(out, 110.0), 2800.0, 500.0, 13.0)


def _lead(s: Studio) -> Signal:
    rng, notes = s.rng("lead"), []
    for index, (start, end) in enumerate(s.score.phrases):
        level = 10.0 ** (
            (s.score.faults.low_phrase_db if index == s.score.faults.low_phrase else rng.uniform(-1.5, 1.5)) / 20.0
        )
        notes += [
            NoteEvent(n.start_s, n.length_s, n.pitch - 12, n.velocity * level)
            for n in s.score.melody
            if start <= n.start_s < end
        ]
    return sound.sung(s.silence(), notes, rng, breath=0.012)


def _crew(which: int) -> Callable[[Studio], Signal]:
    def make(s: Studio) -> Signal:
        rng = s.rng(f"words {which}")
        step_s = s.score.beat_s / 4.0
        notes = [  # words, not held vowels: every syllable its own length and strength
            NoteEvent(held.start_s + step * step_s, 0.9 * length * step_s, held.pitch, float(rng.uniform(0.45, 1.0)))
            for held in s.chord_notes(lambda c: (c[which],), ("chorus",))
            for step, length in ((0, 2), (2, 2), (4, 4), (8, 3), (11, 4))
        ]
        return sound.sung(s.silence(), notes, s.rng(f"crew {which}"), breath=0.02, cents=(-6.0, 4.0, 9.0)[which])

    return make


def _scratch(s: Studio) -> Signal:
    notes = [NoteEvent(n.start_s + 0.03, n.length_s, n.pitch - 12, n.velocity) for n in s.score.melody]
    dry = sound.sung(s.silence(), notes, s.rng("scratch"), breath=0.03, cents=11.0)
    rng = s.rng("room")
    time = np.arange(int(0.7 * SAMPLE_RATE)) / SAMPLE_RATE
    room = rng.standard_normal(len(time)) * 10.0 ** (-3.0 * time / 0.6)
    size = 1 << (len(dry) + len(room)).bit_length()
    wet = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(room, size), size)[: len(dry)]
    return dry / np.abs(dry).max() + 0.5 * wet / np.abs(wet).max() + 0.004 * rng.standard_normal(len(dry))


STEMS: tuple[Stem, ...] = (
    Stem("01_KIK IN.wav", "kick", -6.5, _kick_in),
    Stem("02_kik_out.wav", "kick out", -9.0, _kick_out),
    Stem("KICK alt LONG tail.wav", "kick", -7.0, _kick_alternative),
    Stem("SnTop_01.wav", "snare top", -5.0, _snare_top),
    Stem("snr_btm.wav", "snare bottom", -11.0, _snare_bottom),
    Stem("HH.wav", "hi-hat", -14.0, lambda s: s.hats + 0.04 * s.snare),
    Stem("Tom1.wav", "tom", -8.0, lambda s: s.toms[0] + 0.02 * s.snare),
    Stem("FT.wav", "tom", -7.5, lambda s: s.toms[1] + 0.03 * s.kick),
    Stem("OH L.wav", "overhead", -9.5, _overhead(0)),
    Stem("OH R.wav", "overhead", -10.5, _overhead(1)),
    Stem("tamb crew.wav", "tambourine", -16.0, _tambourine),
    Stem("BASS_DI.wav", "bass DI", -8.0, lambda s: s.bass),
    Stem("Bass amp mic.wav", "bass amplifier", -12.0, _bass_amplifier),
    Stem("sub syn chorus.wav", "sub bass", -10.0, _sub),
    Stem("eGtr1.wav", "electric guitar", -11.0, _guitar_chops),
    Stem("gtr 2 pick_03.wav", "electric guitar", -15.0, _guitar_picked),
    Stem("MANDO.wav", "mandolin", -9.0, _mandolin, sample_rate=44_100),
    Stem("Accordion ST.wav", "accordion", -7.0, _accordion),
    Stem("harmonium take2.wav", "harmonium", -13.0, _harmonium),
    Stem("Clar(1).wav", "clarinet", -10.0, lambda s: np.repeat(_clarinet(s)[:, np.newaxis], 2, axis=1)),
    Stem("bari.wav", "baritone saxophone", -8.5, _baritone),
    Stem("tbn_take 3.wav", "trombone", 2.5, _trombone),
    Stem("Vla.wav", "viola", -14.0, _viola),
    Stem("LD VOX comp.wav", "lead voice", -6.0, _lead),
    Stem("crew vox 1.wav", "backing voice", -12.0, _crew(0)),
    Stem("crew vox 2.wav", "backing voice", 3.0, _crew(1)),
    Stem("crew_vox3.wav", "backing voice", -17.0, _crew(2)),
    Stem("scratch vox.wav", "scratch voice", -9.0, _scratch),
    Stem("Audio 23_07.wav", "unknown", -200.0, lambda s: s.silence()),
)
CLIPPED, LIMITED, OFFSET, SILENT = (
    "tbn_take 3.wav",
    "crew vox 2.wav",
    "harmonium take2.wav",
    "Audio 23_07.wav",
)


def render_stem(stem: Stem, studio: Studio) -> np.ndarray:
    """The file's samples, (frames, channels) float32, at the stem's own rate."""
    signal = stem.make(studio)
    signal = signal[:, np.newaxis] if signal.ndim == 1 else signal
    rng = studio.rng(stem.file)
    if stem.file != SILENT:
        peak = np.max(np.abs(signal))
        if peak > 0.0:
            signal = signal * (10.0 ** (stem.peak_dbfs / 20.0) / peak)
        # The same noise on both sides keeps a mono sound in a stereo file identical.
        signal = signal + BREATH_OF_ROOM * rng.standard_normal((len(signal), 1))
    if stem.file == CLIPPED:
        signal = np.clip(signal, -CLIP_LEVEL, CLIP_LEVEL)
    if stem.file == LIMITED:
        signal = _limit(signal)
    if stem.file == OFFSET:
        signal = signal + studio.score.faults.dc_offset
    result = signal.astype(np.float32)
    if stem.sample_rate != SAMPLE_RATE:
        result = soxr.resample(result, SAMPLE_RATE, stem.sample_rate, quality="VHQ")
    return result


def write_stems(folder: Path, *, seed: int = 0, tracks: int | None = None, bars: int = 24, workers: int = 2) -> Path:
    """Writes a score's files, 24-bit WAV, and truth.json; returns the folder.

    tracks: how many files (more than there are parts repeats them as doubles); bars: length.
    """
    folder.mkdir(parents=True, exist_ok=True)
    studio = Studio(make_score(seed, bars=bars))
    wanted = list(STEMS if tracks is None else [STEMS[i % len(STEMS)] for i in range(tracks)])
    names = [
        stem.file if i < len(STEMS) else f"{stem.file[:-4]} dbl{i // len(STEMS)}.wav" for i, stem in enumerate(wanted)
    ]

    def write(name: str, stem: Stem) -> None:
        samples = render_stem(stem, studio)
        write_sound(folder / name, [samples], sample_rate=stem.sample_rate, channels=samples.shape[1])

    with ThreadPoolExecutor(workers) as pool:
        for future in [pool.submit(write, name, stem) for name, stem in zip(names, wanted, strict=True)]:
            future.result()
    (folder / "truth.json").write_text(json.dumps(truth(studio.score, names, wanted), indent=1))
    return folder


def demo_folder() -> Path:
    """The demo's stems in the user's cache, made on first use."""
    folder = places.cache_folder("demo") / f"slack-water-{DEMO_VERSION}"
    if not (folder / "truth.json").exists():
        beside = folder.with_name(f"{folder.name}.{os.getpid()}.part")
        shutil.rmtree(beside, ignore_errors=True)
        write_stems(beside)
        try:
            beside.rename(folder)
        except OSError:  # another process was quicker
            shutil.rmtree(beside, ignore_errors=True)
    return folder


def truth(score: Score, names: list[str], stems: list[Stem]) -> dict[str, Any]:
    """What was planted, for tests."""
    return {
        "title": score.title,
        "seed": score.seed,
        "tempo_bpm": score.bpm,
        "key_root_midi": score.root,
        "duration_s": score.duration_s + TAIL_S,
        "sections": [
            {"name": s.name, "start_s": score.section_span_s(s)[0], "end_s": score.section_span_s(s)[1]}
            for s in score.sections
        ],
        "kick": {
            "fundamental_hz": score.kick_hz,
            "tail_ms": score.kick_tail_ms,
            "onsets_s": list(score.kick),
            "alternative_fundamental_hz": score.alternative_kick_hz,
            "alternative_tail_ms": score.alternative_kick_tail_ms,
        },
        "snare_onsets_s": list(score.snare),
        "bass": {
            "notes": [[n.start_s, n.length_s, n.pitch, sound.hertz(n.pitch)] for n in score.bass],
            "hot_pitch": score.hot_bass_pitch,
        },
        "phrases": [list(phrase) for phrase in score.phrases],
        "faults": asdict(score.faults),
        "roles": {name: stem.role for name, stem in zip(names, stems, strict=True)},
        "files": {
            "clipped": CLIPPED,
            "limited": LIMITED,
            "dc_offset": OFFSET,
            "silent": SILENT,
            "identical_channels": "Clar(1).wav",
            "other_rate": "MANDO.wav",
            "honky_900_hz": "MANDO.wav",
            "harsh_2800_hz": "Vla.wav",
            "on_the_bass": "Accordion ST.wav",
        },
    }


def _limit(signal: Signal) -> Signal:
    """Look-ahead gain so that no peak passes the ceiling: printed limiting, heard as such."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    level = np.abs(signal).max(axis=1)
    gain = np.minimum(1.0, LIMIT_LEVEL / np.maximum(level, 1e-9))
    gain = uniform_filter1d(minimum_filter1d(gain, 961), 481)
    return signal * gain[:, np.newaxis]
