"""Folders in which level moves too much, too little, or at the wrong moment, in one known way."""

from pathlib import Path

import numpy as np

from all_even.figures.book.look import Look
from all_even.session.editing import edits, routing_edits
from all_even.session.tracks.roles import REFERENCE
from tests.measure.sounds import RATE, click, kick, placed, snare
from tests.moves.looks import look_at
from tests.moves.low_sessions import write
from tests.moves.share_sessions import band, chords, held

SECONDS = 13.0
BEAT_S = 0.5
HITS_S = np.arange(0.3, SECONDS - 1.0, BEAT_S)
PLANTED_DB = (0.0, -7.0, 3.0, -5.0, 5.0, -2.0, -9.0, 1.0)
"""Levels of neighbouring notes of an uneven line, in turn."""


def line(planted_db=PLANTED_DB, *, hz: float = 220.0, length_s: float = BEAT_S, share: float = 0.8) -> np.ndarray:
    """Held notes with gaps between them, each as loud as planted."""
    count = int((SECONDS - 1.0) / length_s)
    out = np.zeros(round(SECONDS * RATE))
    for index in range(count):
        note = (0.25 + index * length_s, share * length_s, hz * 2.0 ** ((index % 5) / 12.0))
        out += held([note], 1.2, seconds=SECONDS) * 10.0 ** (planted_db[index % len(planted_db)] / 20.0)
    return 0.25 * out


def speech(seed: int = 1, *, hiss_db: float = -4.0, breath_db: float = -26.0) -> np.ndarray:
    """Vowels, each with an s before it and now and then a breath; levels against the vowel."""
    rng = np.random.default_rng(seed)
    out = line((0.0, -6.0, 4.0, -3.0, 5.0, -8.0), hz=180.0, length_s=0.75, share=0.5)
    hiss, air = band(5000.0, 10_000.0, seed, SECONDS), band(900.0, 6000.0, seed + 1, SECONDS)
    vowel = float(np.sqrt(np.mean(out[np.abs(out) > 1e-3] ** 2)))
    hiss, air = (sound / np.sqrt(np.mean(sound**2)) * vowel for sound in (hiss, air))
    window = np.hanning(round(0.09 * RATE))
    breath = np.hanning(round(0.2 * RATE))
    for index, at_s in enumerate(np.arange(0.25, SECONDS - 1.5, 0.75)):
        at = round((at_s - 0.07) * RATE)
        out[at : at + len(window)] += hiss[at : at + len(window)] * window * 10.0 ** (hiss_db / 20.0)
        if index % 2:
            at = round((at_s - 0.30 + 0.01 * rng.standard_normal()) * RATE)
            out[at : at + len(breath)] += air[at : at + len(breath)] * breath * 10.0 ** (breath_db / 20.0)
    return out


def uneven(folder: Path) -> Path:
    """A voice, a clarinet and a bass of uneven notes beside a line that is even already and a steady pad."""
    sounds = {
        "Lead vox": speech(),
        "Clarinet": line(hz=330.0),
        "Bass": line((0.0, -6.0, 4.0, -4.0), hz=65.0),
        "Trumpet": line((0.0, -1.0, 1.0, -0.5), hz=440.0),
        "Pad": 0.05 * held(chords([196.0, 220.0, 175.0], 4.0), seconds=SECONDS),
        "Kick": placed(kick(), HITS_S[::2], SECONDS),
    }
    return write(folder, sounds)


def struck(folder: Path) -> Path:
    """A kit of close microphones: a snare with clear bleed, a tom that hardly stands out, one hit far too loud."""
    loud = np.ones(len(HITS_S[1::2]))
    loud[5] = 2.6
    drum, big = placed(snare(), HITS_S[1::2], SECONDS, 0.3 * loud), placed(kick(), HITS_S[::2], SECONDS)
    tom = placed(kick(95.0, 300.0, beater=0.05), HITS_S[1::6] + 0.25, SECONDS)
    hats = placed(click(), np.arange(0.05, SECONDS - 0.5, 0.125), SECONDS)
    sounds = {
        "Kick": big + 0.01 * drum,
        "Snare top": drum + 0.004 * hats + 0.01 * big,
        "Tom 1": tom + 0.6 * big + 0.3 * drum,
        "Bass": line((0.0, -2.0, 1.0, -1.0), hz=65.0),
    }
    return write(folder, sounds)


def looks(folder: Path) -> list[Look]:
    """States in which, taken together, every move of dynamics has something to do."""
    lines, kit = (look_at(make(folder / make.__name__)) for make in (uneven, struck))
    drums = [lane.id for lane in kit.session.lanes if lane.role != "bass"]
    grouped, _ = routing_edits.group_strips(kit.session, drums, "Drums")
    return [lines, kit, kit.at(grouped), beside_finished(folder / "beside finished")]


def beside_finished(folder: Path) -> Look:
    """A song beside five finished mixes that have far more treble; they are not heard."""
    mixes = {}
    for index in range(5):
        noise = np.random.default_rng(index).standard_normal(round(SECONDS * RATE))
        mixes[f"Reference {index + 1}"] = np.diff(noise, prepend=0.0)
    write(folder, {"Lead vox": speech(), "Bass": line((0.0, -2.0), hz=65.0), **mixes})
    look = look_at(folder)
    others = [lane.id for lane in look.session.lanes if lane.role == REFERENCE]
    return look.at(edits.change_strips(look.session, others, mute=True))


def overheads(folder: Path) -> Path:
    """A kit under a pair of overheads, one hit of which is far too loud; and a hat."""
    rng = np.random.default_rng(4)
    levels = np.ones(len(HITS_S))
    levels[7] = 4.0
    drums = placed(snare(), HITS_S, SECONDS, levels)
    hat = placed(np.diff(rng.standard_normal(round(0.05 * RATE))) * np.exp(-np.arange(round(0.05 * RATE) - 1) / 400.0),
                 HITS_S + 0.25, SECONDS)  # fmt: skip
    late = np.concatenate((np.zeros(24), drums[:-24]))
    return write(folder, {"OH L": drums + 0.4 * hat, "OH R": late + 0.3 * hat, "HH": hat})
