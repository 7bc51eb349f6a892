"""What each part of the demo plays: a studio with a score, and one function per file.

Every part is a function from the studio to samples, (frames,) or (frames, 2), at the studio's rate.
"""

from collections.abc import Callable

import numpy as np

from all_even.demo import instruments as sound
from all_even.demo.instruments import SAMPLE_RATE, Signal
from all_even.demo.score import NoteEvent, Score

TAIL_S = 1.0


class Studio:
    """A score, its length in frames and the sounds that several microphones share."""

    def __init__(self, score: Score) -> None:
        self.score = score
        self.frames = int((score.duration_s + TAIL_S) * SAMPLE_RATE)
        rng = self.rng("kit")
        self.kick = self.hits(score.kick, sound.kick(score.kick_hz, score.kick_tail_ms, rng), spread=0.05)
        self.snare = self.hits(score.snare, sound.snare(rng, bottom=False), spread=0.12)
        self.wires = self.hits(score.snare, sound.snare(rng, bottom=True), spread=0.12)
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

    def hits(self, times: tuple[float, ...], hit: Signal, spread: float) -> Signal:
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


def kick_in(s: Studio) -> Signal:
    return s.kick + 0.01 * s.snare


def kick_out(s: Studio) -> Signal:
    late = sound.delayed(s.kick, s.score.faults.kick_out_delay_ms)
    return sound.low_pass(late, 2500.0) + 0.02 * sound.low_pass(s.snare, 900.0)


def kick_alternative(s: Studio) -> Signal:
    hit = sound.kick(s.score.alternative_kick_hz, s.score.alternative_kick_tail_ms, s.rng("alt"), click=0.15)
    return s.hits(s.score.kick, hit, spread=0.03)


def snare_top(s: Studio) -> Signal:
    return s.snare + 0.03 * s.hats + 0.015 * s.kick


def snare_bottom(s: Studio) -> Signal:
    sign = -1.0 if s.score.faults.snare_bottom_inverted else 1.0
    return sign * s.wires + 0.03 * s.kick


def overhead(side: int) -> Callable[[Studio], Signal]:
    def make(s: Studio) -> Signal:
        near, far = (1.0, 0.55) if side == 0 else (0.55, 1.0)
        kit = 0.22 * sound.high_pass(s.kick, 90.0) + 0.5 * s.snare
        kit += near * 0.5 * s.hats + far * 0.5 * s.toms[1] + near * 0.4 * s.toms[0] + 0.6 * s.cymbals
        return sound.high_pass(sound.delayed(kit, 3.1 if side == 0 else 3.4), 60.0)

    return make


def tambourine(s: Studio) -> Signal:
    out, hit, rng = s.silence(), sound.jingle(s.rng("tamb")), s.rng("tamb hits")
    for index, time in enumerate(s.score.hats):
        if s.score.section_at(time) == "chorus":
            sound.add_at(out, time + rng.normal(0, 0.004), hit, 1.0 if index % 4 == 2 else 0.5)
    return out


def bass_amplifier(s: Studio) -> Signal:
    late = sound.delayed(s.bass, s.score.faults.bass_amplifier_delay_ms)
    driven = np.tanh(2.2 * late / np.max(np.abs(late)))
    return sound.low_pass(sound.resonate(driven, 780.0, 400.0, 5.0), 3200.0, 2)


def sub(s: Studio) -> Signal:
    notes = [n for n in s.score.bass if s.score.section_at(n.start_s) == "chorus"]
    return sound.tones(
        s.silence(), notes, partials=np.array([1.0, 0.06]), t60_s=60.0, attack_s=0.012, release_s=0.04,
        cents=s.score.faults.sub_cents,
    )  # fmt: skip


def guitar_chops(s: Studio) -> Signal:
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


def guitar_picked(s: Studio) -> Signal:
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


def mandolin(s: Studio) -> Signal:
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


def accordion(s: Studio) -> Signal:
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


def harmonium(s: Studio) -> Signal:
    notes = s.chord_notes(lambda c: (c[0], c[1], c[2], c[0] + 12), ("intro", "verse", "chorus"))
    return sound.tones(s.silence(), notes, partials=sound.series(22, 0.9), t60_s=40.0, attack_s=0.12, release_s=0.15)


def clarinet(s: Studio) -> Signal:
    notes = s.melody(("chorus", "verse end"), up=0)
    out = sound.tones(
        s.silence(), notes, partials=sound.series(20, 0.9, even=0.12), t60_s=20.0, attack_s=0.03, release_s=0.06,
        vibrato_cents=6.0,
    )  # fmt: skip
    ringing = sound.hertz(s.score.root + 36 + 7)
    return sound.resonate(out, ringing, 9.0, 13.0)


def baritone(s: Studio) -> Signal:
    notes = s.strokes((0, 6), 3.0, ("chorus",), -12)[::3] + [
        NoteEvent(n.start_s, n.length_s, n.pitch + 24, 0.8)
        for n in s.score.bass
        if s.score.section_at(n.start_s) == "verse end"
    ]
    out = sound.tones(s.silence(), notes, partials=sound.series(40, 0.6), t60_s=15.0, attack_s=0.03, release_s=0.05)
    return sound.resonate(sound.low_pass(out, 3800.0), 480.0, 200.0, 5.0)


def trombone(s: Studio) -> Signal:
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


def viola(s: Studio) -> Signal:
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


def lead(s: Studio) -> Signal:
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


def crew(which: int) -> Callable[[Studio], Signal]:
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


def scratch(s: Studio) -> Signal:
    notes = [NoteEvent(n.start_s + 0.03, n.length_s, n.pitch - 12, n.velocity) for n in s.score.melody]
    dry = sound.sung(s.silence(), notes, s.rng("scratch"), breath=0.03, cents=11.0)
    rng = s.rng("room")
    time = np.arange(int(0.7 * SAMPLE_RATE)) / SAMPLE_RATE
    room = rng.standard_normal(len(time)) * 10.0 ** (-3.0 * time / 0.6)
    size = 1 << (len(dry) + len(room)).bit_length()
    wet = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(room, size), size)[: len(dry)]
    return dry / np.abs(dry).max() + 0.5 * wet / np.abs(wet).max() + 0.004 * rng.standard_normal(len(dry))
