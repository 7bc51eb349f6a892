"""Twenty sessions of material that no rule was tuned on: what different people would open.

Generated tunes, genres on two banks of recorded instruments (`tests.proof.sampled`), an ensemble and a small band that
were recorded in one room (everybody's microphone hears all others, later and softer), layered synthesisers, loops with
a long synthetic bass, and club tracks whose kick and held bass stand on one note. Twelve to sixteen seconds each; every
file peaks somewhere else, as takes do.
"""

from collections.abc import Callable, Iterable
from itertools import pairwise
from pathlib import Path

import numpy as np
import soundfile

from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import STEMS, render_stem
from tests.measure.sounds import RATE, kick, overtones, placed, snare
from tests.proof import sampled, share_runs

BARS = 7
PARTS = (
    "01_KIK IN.wav", "02_kik_out.wav", "SnTop_01.wav", "HH.wav", "OH L.wav", "OH R.wav", "BASS_DI.wav", "eGtr1.wav",
    "gtr 2 pick_03.wav", "harmonium take2.wav", "tbn_take 3.wav", "LD VOX comp.wav",
)  # fmt: skip
BLEED_DB, ROOM_S = -15.0, (0.004, 0.013)
Sounds = dict[str, np.ndarray]


def _write(folder: Path, sounds: Sounds, rng: np.random.Generator) -> Path:
    for name, sound in sounds.items():
        peak = 10.0 ** (float(rng.uniform(-12.0, -3.0)) / 20.0)
        soundfile.write(folder / f"{name}.wav", peak * sound / max(np.abs(sound).max(), 1e-9), RATE, subtype="PCM_24")
    return folder


def tune(folder: Path, seed: int) -> Path:
    studio = Studio(make_score(seed, bars=BARS))
    for stem in STEMS:
        if stem.file in PARTS:
            soundfile.write(folder / stem.file, render_stem(stem, studio), stem.sample_rate, subtype="PCM_24")
    return folder


def _played(name: str, bank: Path, folder: Path, seed: int) -> Sounds:
    """The parts of a genre of `share_runs`, drawn anew."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / float(rng.uniform(84.0, 140.0))
    bars = max(4, round(13.0 / (4 * beat)))
    sounds = {
        part: sampled.play(share_runs.played(rng, how, beat, bars, program), folder, program=program, drums=False,
                           bank=bank)
        for part, program, how in share_runs.GENRES[name]
    }  # fmt: skip
    if name not in share_runs.WITHOUT_DRUMS:
        steps = {"Kick": (36, (0, 6, 8)), "Snare": (38, (4, 12)), "HH": (42, tuple(range(0, 16, 2)))}
        for part, (note, places) in steps.items():
            events = [sampled.Event(0.25 + (4 * bar + place / 4) * beat, note, int(rng.integers(80, 115)))
                      for bar in range(bars) for place in places]  # fmt: skip
            sounds[part] = sampled.play(events, folder, program=int(rng.choice([0, 8, 16])), drums=True, bank=bank)
    for scrap in ("part.mid", "part.wav"):
        (folder / scrap).unlink(missing_ok=True)
    return sounds


def genre(name: str, bank: Path = sampled.BANK) -> Callable[[Path, int], Path]:
    return lambda folder, seed: _write(folder, _played(name, bank, folder, seed), np.random.default_rng(seed))


def one_room(name: str, bank: Path = sampled.SECOND_BANK) -> Callable[[Path, int], Path]:
    """The same people around each other: each microphone hears all."""

    def made(folder: Path, seed: int) -> Path:
        rng = np.random.default_rng(seed)
        sounds = _played(name, bank, folder, seed)
        longest = max(map(len, sounds.values()))
        own = {part: np.pad(sound, (0, longest - len(sound))) for part, sound in sounds.items()}
        heard = {}
        for part, sound in own.items():
            heard[part] = sound.copy()
            for other, theirs in own.items():
                if other != part:
                    late = round(float(rng.uniform(*ROOM_S)) * RATE)
                    level = 10.0 ** ((BLEED_DB + float(rng.uniform(-4.0, 4.0))) / 20.0)
                    heard[part][late:] += level * theirs[: longest - late]
        return _write(folder, heard, rng)

    return made


def _beats(rng: np.random.Generator, low: float, high: float) -> tuple[float, int]:
    """Seconds a beat, and how many bars."""
    beat = 60.0 / float(rng.uniform(low, high))
    return beat, max(4, round(13.0 / (4.0 * beat)))


def _drums(rng: np.random.Generator, beat: float, bars: int, seconds: float, places: tuple[float, ...],
           kick_hz: float, tail_ms: float) -> tuple[Sounds, list[float]]:  # fmt: skip
    hits = [0.1 + (4 * bar + place) * beat for bar in range(bars) for place in places]
    clap = [0.1 + (4 * bar + place) * beat for bar in range(bars) for place in (1.0, 3.0)]
    hat = np.diff(np.diff(rng.standard_normal(round(0.06 * RATE)), prepend=0.0), prepend=0.0)
    hat *= np.exp(-np.arange(len(hat)) / (0.012 * RATE))
    hats = [0.1 + (i + 0.5) * beat / 2.0 for i in range(8 * bars)]
    levels = rng.uniform(0.85, 1.0, len(hits))
    return {
        "Kick": placed(kick(kick_hz, tail_ms, sweep_hz=float(rng.uniform(120.0, 260.0))), hits, seconds, levels),
        "Clap": placed(snare(int(rng.integers(100))), clap, seconds),
        "Hats": placed(hat, hats, seconds, rng.uniform(0.5, 1.0, len(hats))),
    }, hits


def _tone(hz: float, length_s: float, slope: float, fade_s: float, highest_hz: float) -> np.ndarray:
    """Harmonics that fall with their number, and all of it over time."""
    frames = round(length_s * RATE)
    time = np.arange(frames) / RATE
    edges = np.minimum(1.0, time / 0.004) * np.minimum(1.0, (time[-1] - time) / 0.02)
    return overtones(frames, hz, highest_hz, slope) * edges * np.exp(-time / fade_s)


def _laid(tones: Iterable[tuple[float, np.ndarray]], seconds: float) -> np.ndarray:
    """Tones at their times, s."""
    out = np.zeros(round(seconds * RATE))
    for start_s, tone in tones:
        at = round(start_s * RATE)
        out[at : at + len(tone)] += tone[: len(out) - at]
    return out


def _chords(rng: np.random.Generator, beat: float, bars: int, seconds: float, root_hz: float) -> Sounds:
    pad, lead = np.zeros(round(seconds * RATE)), np.zeros(round(seconds * RATE))
    for bar in range(bars):
        turn = 2.0 ** ((0, 5, 3, 7)[bar % 4] / 12.0)
        at = round((0.1 + 4 * bar * beat) * RATE)
        for step in (0, 3, 7):
            tone = _tone(8.0 * root_hz * turn * 2.0 ** (step / 12.0) / 2.0, 3.9 * beat, 1.3, 9.0, 6000.0)
            pad[at : at + len(tone)] += tone[: len(pad) - at]
        for place in np.flatnonzero(rng.random(16) < 0.4):
            tone = _tone(16.0 * root_hz * 2.0 ** (float(rng.choice([0, 3, 5, 7, 10])) / 12.0), beat / 3.0, 1.1, 0.3,
                         9000.0)  # fmt: skip
            start = at + round(place * beat / 4.0 * RATE)
            lead[start : start + len(tone)] += tone[: max(0, len(lead) - start)]
    return {"syn pad": pad, "Syn LEAD 1": lead}


def club(folder: Path, seed: int) -> Path:
    """A kick on every beat, and a bass that holds the same note."""
    rng = np.random.default_rng(seed)
    beat, bars = _beats(rng, 118.0, 132.0)
    seconds = 4 * bars * beat + 0.8
    hz = float(rng.uniform(40.0, 52.0))
    sounds, _ = _drums(rng, beat, bars, seconds, (0.0, 1.0, 2.0, 3.0), hz * float(rng.uniform(0.97, 1.06)),
                       float(rng.uniform(180.0, 320.0)))  # fmt: skip
    length = float(rng.choice([1.0, 2.0, 4.0]))
    bass = _laid(((0.1 + start * beat, _tone(hz, 0.97 * length * beat, float(rng.uniform(1.4, 2.6)), 30.0, 1500.0))
                  for start in np.arange(0.0, 4.0 * bars, length)), seconds)  # fmt: skip
    return _write(folder, sounds | {"BASS held": bass} | _chords(rng, beat, bars, seconds, hz), rng)


def long_bass(folder: Path, seed: int) -> Path:
    """A loop at half time over a synthetic bass whose notes fade over a second."""
    rng = np.random.default_rng(seed)
    beat, bars = _beats(rng, 70.0, 95.0)
    seconds = 4 * bars * beat + 1.5
    places = ((0.0, 1.75, 2.5), (0.0, 0.75, 2.5), (0.0, 2.25))[seed % 3]
    sounds, hits = _drums(rng, beat, bars, seconds, places, float(rng.uniform(52.0, 66.0)),
                          float(rng.uniform(90.0, 170.0)))  # fmt: skip
    root = float(rng.uniform(36.0, 50.0))
    tones = []
    for hit, until in pairwise([*hits, seconds - 0.1]):
        hz = root * 2.0 ** (float(rng.choice([0, 0, 3, 5, -2, 7])) / 12.0)
        slope, fade_s = float(rng.uniform(2.2, 3.5)), float(rng.uniform(0.8, 1.3))
        tones.append((hit, _tone(hz, min(until - hit, 2.2), slope, fade_s, 900.0)))
    bass = _laid(tones, seconds)
    return _write(folder, sounds | {"sub bass long": bass} | _chords(rng, beat, bars, seconds, root), rng)


def layers(folder: Path, seed: int) -> Path:
    """The same chords on five synthesisers, over a short kick and a synthesiser's bass."""
    rng = np.random.default_rng(seed)
    beat, bars = _beats(rng, 100.0, 128.0)
    seconds = 4 * bars * beat + 0.8
    sounds, _ = _drums(rng, beat, bars, seconds, (0.0, 2.0, 2.75), 56.0, 120.0)
    chords = share_runs.played(rng, "chords", beat, bars, 81)
    for name, program in (("saw stack", 81), ("square stack", 80), ("warm pad", 89), ("poly", 90), ("str machine", 50)):
        sounds[f"synth {name}"] = sampled.play(chords, folder, program=program, drums=False, bank=sampled.SECOND_BANK)
    for name, program, how in (("Synth bass", 38, "line"), ("lead vox", 54, "melody")):
        events = share_runs.played(rng, how, beat, bars, program)
        sounds[name] = sampled.play(events, folder, program=program, drums=False, bank=sampled.SECOND_BANK)
    for scrap in ("part.mid", "part.wav"):
        (folder / scrap).unlink(missing_ok=True)
    return _write(folder, sounds, rng)


MADE: dict[str, Callable[[Path, int], Path]] = {
    "tune": tune, "club": club, "long bass": long_bass, "layers": layers,
    "rock": genre("rock"), "soul": genre("soul", sampled.SECOND_BANK), "metal": genre("metal", sampled.SECOND_BANK),
    "latin": genre("latin"), "jazz": genre("jazz"), "quintet in a room": one_room("brass band"),
    "band in a room": one_room("rock"),
}  # fmt: skip
SESSIONS: tuple[tuple[str, int], ...] = (
    ("club", 801), ("tune", 811), ("long bass", 821), ("rock", 831),
    ("soul", 832), ("club", 802), ("tune", 812), ("long bass", 822),
    ("layers", 841), ("metal", 833), ("club", 803), ("tune", 813),
    ("long bass", 823), ("quintet in a room", 851), ("latin", 834), ("club", 804),
    ("tune", 814), ("long bass", 824), ("band in a room", 852), ("layers", 842),
)  # fmt: skip
"""In an order in which every fourth, as a day draws them, are of different kinds."""


def make(what: str, seed: int, folder: Path) -> Path:
    return MADE[what](folder, seed)
