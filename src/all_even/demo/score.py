"""What is played: tempo, key, sections, patterns and notes, the same for the same seed.

Seed 0 is the demo, "Slack Water": 104 BPM, G minor, intro, verse, chorus and verse end. Other seeds
make other keys, tempi, patterns, tails, offsets and faults, for tests and load.
"""

from dataclasses import dataclass, field

import numpy as np

BEATS_PER_BAR = 4
STEPS_PER_BAR = 16

VERSE_CHORDS = ((0, 3, 7), (8, 12, 15), (5, 8, 12), (7, 11, 14))  # minor: i VI iv V
CHORUS_CHORDS = ((3, 7, 10), (10, 14, 17), (0, 3, 7), (7, 11, 14))  # III VII i V
MELODY_STEPS = (0, 2, 3, 5, 7, 8, 10, 12)  # natural minor


@dataclass(frozen=True, slots=True)
class NoteEvent:
    """start_s, length_s: seconds. pitch: MIDI note number. velocity: 0 to 1, linear amplitude."""

    start_s: float
    length_s: float
    pitch: float
    velocity: float = 1.0


@dataclass(frozen=True, slots=True)
class Section:
    name: str
    first_bar: int
    bars: int


@dataclass(frozen=True, slots=True)
class Faults:
    """What is wrong with the recording, as numbers the generator plants."""

    kick_out_delay_ms: float = 2.6
    bass_amplifier_delay_ms: float = 4.3
    sub_cents: float = -22.0
    hot_bass_note_db: float = 6.0
    dc_offset: float = 0.018
    low_phrase_db: float = -7.0
    low_phrase: int = 2
    snare_bottom_inverted: bool = True


@dataclass(frozen=True, slots=True)
class Score:
    """A whole tune. root: MIDI number of the key's bass note. Onsets are in seconds."""

    seed: int
    title: str
    bpm: float
    root: int
    bars: int
    sections: tuple[Section, ...]
    kick_hz: float
    kick_tail_ms: float
    alternative_kick_hz: float
    alternative_kick_tail_ms: float
    faults: Faults
    kick: tuple[float, ...]
    snare: tuple[float, ...]
    hats: tuple[float, ...]
    toms: tuple[tuple[float, int], ...]
    bass: tuple[NoteEvent, ...]
    hot_bass_pitch: float
    chords: tuple[tuple[float, float, tuple[int, ...], str], ...] = field(repr=False)
    melody: tuple[NoteEvent, ...] = field(repr=False)
    phrases: tuple[tuple[float, float], ...]

    @property
    def beat_s(self) -> float:
        return 60.0 / self.bpm

    @property
    def duration_s(self) -> float:
        """The last bar and a second for what rings on."""
        return self.bars * BEATS_PER_BAR * self.beat_s

    def section_at(self, time_s: float) -> str:
        bar = int(time_s / self.beat_s / BEATS_PER_BAR + 1e-6)
        return next((s.name for s in self.sections if s.first_bar <= bar < s.first_bar + s.bars), "end")

    def section_span_s(self, section: Section) -> tuple[float, float]:
        bar_s = self.beat_s * BEATS_PER_BAR
        return section.first_bar * bar_s, (section.first_bar + section.bars) * bar_s


def make_score(seed: int = 0, *, bars: int = 24) -> Score:
    """The demo's score for seed 0; for any other seed a tune of its own."""
    rng = np.random.default_rng(1000 + seed)
    demo = seed == 0
    bpm = 104.0 if demo else round(float(rng.uniform(70.0, 170.0)), 1)
    root = 31 if demo else int(rng.integers(28, 36))  # G1, or E1 to B1
    faults = (
        Faults()
        if demo
        else Faults(
            kick_out_delay_ms=round(float(rng.uniform(0.5, 6.0)), 2),
            bass_amplifier_delay_ms=round(float(rng.uniform(1.0, 8.0)), 2),
            sub_cents=round(float(rng.uniform(-40.0, 40.0)), 1),
            hot_bass_note_db=round(float(rng.uniform(4.0, 8.0)), 1),
            dc_offset=round(float(rng.uniform(0.004, 0.03)), 4),
            low_phrase_db=-round(float(rng.uniform(5.0, 9.0)), 1),
            low_phrase=int(rng.integers(0, 3)),
            snare_bottom_inverted=bool(rng.random() < 0.7),
        )
    )
    sections = _sections(bars)
    step_s = 60.0 / bpm / 4.0
    bar_s = step_s * STEPS_PER_BAR
    kick_steps, doubles = _kick_steps(rng, demo)
    kick = []
    for bar in range(bars):
        steps = set(kick_steps[bar % len(kick_steps)]) | ({doubles[1]} if bar in _double_bars(bars) else set())
        kick += [bar * bar_s + step * step_s for step in sorted(steps)]
    snare = [bar * bar_s + step * step_s for bar in range(bars) for step in (4, 12)]
    intro = sections[0].bars * bar_s
    hats = [time for time in (i * 2 * step_s for i in range(bars * 8)) if time >= intro / 2]
    toms = []
    for section in sections[1:]:
        fill = section.first_bar * bar_s
        toms += [(fill - 4 * step_s, 0), (fill - 3 * step_s, 0), (fill - 2 * step_s, 1), (fill - step_s, 1)]
    chords = _chords(sections, root, bar_s)
    bass, hot = _bass(rng, chords, step_s)
    melody, phrases = _melody(rng, sections, chords, root, bar_s, step_s)
    return Score(
        seed=seed,
        title="Slack Water" if demo else f"Tune {seed}",
        bpm=bpm,
        root=root,
        bars=bars,
        sections=sections,
        kick_hz=52.0 if demo else round(float(rng.uniform(42.0, 70.0)), 1),
        kick_tail_ms=185.0 if demo else round(float(rng.uniform(60.0, 400.0)), 0),
        alternative_kick_hz=46.0,
        alternative_kick_tail_ms=420.0,
        faults=faults,
        kick=tuple(kick),
        snare=tuple(snare),
        hats=tuple(hats),
        toms=tuple(toms),
        bass=tuple(bass),
        hot_bass_pitch=hot,
        chords=tuple(chords),
        melody=tuple(melody),
        phrases=tuple(phrases),
    )


def _sections(bars: int) -> tuple[Section, ...]:
    """Intro, verse, chorus, verse end in the proportions 4 : 8 : 8 : 4."""
    sixth = max(1, bars // 6)
    lengths = (sixth, 2 * sixth, 2 * sixth, max(1, bars - 5 * sixth))
    names = ("intro", "verse", "chorus", "verse end")
    starts = np.cumsum((0, *lengths[:-1]))
    return tuple(Section(n, int(s), b) for n, s, b in zip(names, starts, lengths, strict=True))


def _kick_steps(rng: np.random.Generator, demo: bool) -> tuple[list[tuple[int, ...]], tuple[int, int]]:
    """Steps of the kick per bar, and the step that a double adds right after another."""
    if demo:
        return [(0, 7, 10), (0, 6, 10), (0, 7, 10), (0, 10)], (10, 11)
    bars = []
    for _ in range(4):
        extra = rng.choice([3, 6, 7, 8, 10, 14], size=int(rng.integers(1, 4)), replace=False)
        bars.append(tuple(sorted({0, *map(int, extra)})))
    return bars, (0, 1)


def _double_bars(bars: int) -> tuple[int, int]:
    return bars // 3 + 1, bars * 3 // 4


def _chords(sections: tuple[Section, ...], root: int, bar_s: float) -> list[tuple[float, float, tuple[int, ...], str]]:
    result = []
    for section in sections:
        chords = CHORUS_CHORDS if section.name == "chorus" else VERSE_CHORDS
        for bar in range(section.bars):
            pitches = tuple(root + 24 + step for step in chords[bar % 4])
            result.append(((section.first_bar + bar) * bar_s, bar_s, pitches, section.name))
    return result


def _bass(
    rng: np.random.Generator, chords: list[tuple[float, float, tuple[int, ...], str]], step_s: float
) -> tuple[list[NoteEvent], float]:
    notes = []
    for start, _, pitches, section in chords:
        low = pitches[0] - 24
        while low > 40:
            low -= 12
        if section == "intro":
            notes.append(NoteEvent(start, 15 * step_s, low, 0.8))
            continue
        pattern = ((0, 3, 0), (3, 3, 0), (6, 2, 0), (8, 3, 7), (11, 3, 0), (14, 2, 12))
        for step, length, interval in pattern:
            pitch = low + interval if low + interval <= 45 else low
            velocity = float(rng.uniform(0.82, 1.0))
            notes.append(NoteEvent(start + step * step_s, (length - 0.25) * step_s, pitch, velocity))
    pitches_used = sorted({note.pitch for note in notes})
    hot = pitches_used[len(pitches_used) // 2]
    return notes, hot


def _melody(
    rng: np.random.Generator,
    sections: tuple[Section, ...],
    chords: list[tuple[float, float, tuple[int, ...], str]],
    root: int,
    bar_s: float,
    step_s: float,
) -> tuple[list[NoteEvent], list[tuple[float, float]]]:
    """Two-bar phrases over everything but the intro, each ending on a chord tone."""
    notes, phrases = [], []
    first_bar, bars = sections[0].bars, sections[-1].first_bar + sections[-1].bars
    degree = 4
    for bar in range(first_bar, bars - 1, 2):
        start = bar * bar_s
        lengths = ((0, 3), (3, 1), (4, 4), (8, 2), (10, 2), (12, 6), (20, 2), (22, 6))
        for step, length in lengths:
            degree = int(np.clip(degree + rng.integers(-2, 3), 0, len(MELODY_STEPS) - 1))
            pitch = root + 36 + MELODY_STEPS[degree]
            notes.append(NoteEvent(start + step * step_s, length * step_s * 0.92, pitch, float(rng.uniform(0.8, 1.0))))
        target = chords[min(bar + 1, len(chords) - 1)][2]
        notes.append(
            NoteEvent(
                start + 28 * step_s,
                2.5 * step_s,
                min(target, key=lambda p: abs(p - notes[-1].pitch)) + 12,
                0.85,
            )
        )
        phrases.append((start, start + 30.5 * step_s))
    return notes, phrases
