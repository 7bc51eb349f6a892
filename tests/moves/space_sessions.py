"""Folders and states in which the space of a song is wrong in one known way, or missing."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace

from all_even.dsp.processor import Processor
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.book.look import Look
from all_even.session.editing import edits, space_edits
from all_even.session.model.on_time_line import SectionMark
from all_even.session.model.session import Session
from all_even.session.song import song_map
from tests.measure.sounds import RATE, click, kick, placed, plucked, snare
from tests.moves.looks import look_at
from tests.moves.low_sessions import write
from tests.moves.share_sessions import held

SECONDS = 13.0
BEAT_S = 0.75
"""80 BPM: the kick comes 750 ms after the snare."""
BEATS = np.arange(0.3, SECONDS - 1.2, BEAT_S)
CUT = (HighPass(frequency_hz=200.0), LowPass(frequency_hz=7000.0))


def melody(hz: list[float], length_s: float, share: float = 0.8) -> list[tuple[float, float, float]]:
    count = int((SECONDS - 1.5) / length_s)
    return [(0.3 + i * length_s, share * length_s, hz[(i * i + i // 3) % len(hz)]) for i in range(count)]


def voice() -> np.ndarray:
    """Held vowels, each begun by a hiss, with pauses between them."""
    out = held(melody([220.0, 247.0, 294.0, 262.0], 1.5, 0.55), 1.3, seconds=SECONDS)
    air = np.diff(np.random.default_rng(4).standard_normal(len(out)), prepend=0.0)
    for start, _, _ in melody([220.0], 1.5):
        at = round(start * RATE)
        out[at : at + 3000] += 0.05 * air[at : at + 3000] * np.hanning(3000)
    return out


def song(folder: Path) -> Path:
    """A band without any room: kick and snare in turn, bass, voice, two guitars, a clarinet, a pad, hats."""
    sounds = {
        "Kick": placed(kick(), BEATS[::2], SECONDS),
        "Snare top": placed(snare(), BEATS[1::2], SECONDS),
        "HH": 0.3 * placed(click(seconds=0.03), np.arange(0.3, SECONDS - 1.0, BEAT_S / 2.0), SECONDS),
        "Bass": plucked(melody([55.0, 61.7, 49.0], BEAT_S), SECONDS),
        "Lead vox": voice(),
        "E Gtr": plucked(melody([330.0, 392.0, 294.0, 440.0], BEAT_S / 2.0), SECONDS),
        "Clarinet": held(melody([523.0, 440.0, 587.0], 1.5), 1.1, seconds=SECONDS),
        "Pad": 0.4 * held(melody([196.0, 247.0, 294.0], 3.0, 0.97), 0.8, seconds=SECONDS),
        "Piano": plucked(melody([262.0, 330.0, 196.0], BEAT_S), SECONDS),
    }
    return write(folder, sounds)


def quintet(folder: Path) -> Path:
    """Five brass instruments without a room."""
    parts = {"Trumpet 1": 587.0, "Trumpet 2": 494.0, "Horn": 330.0, "Trombone": 220.0, "Tuba": 82.4}
    return write(folder, {
        name: held(melody([hz, hz * 9 / 8, hz * 4 / 3], 0.75 + 0.25 * index), 1.0, seconds=SECONDS)
        for index, (name, hz) in enumerate(parts.items())
    })  # fmt: skip


def by_role(session: Session, role: str) -> str:
    return next(lane.id for lane in session.lanes if lane.role == role)


def with_return(
    session: Session, name: str, roles: list[str], *stations: Processor, level_db: float = -12.0
) -> Session:
    session, bus = space_edits.add_return(session, name, stations, [by_role(session, role) for role in roles])
    return edits.change_strips(session, (bus,), level_db=level_db)


ALL = ["snare top", "lead voice", "electric guitar", "clarinet", "pad", "piano"]


def states(session: Session) -> list[Session]:
    """Of the song: dry; in a hall that outlasts the kick; muddy; too loud; hardly there and all at one distance."""
    hall = replace(STARTS["hall"], decay_s=5.0)
    long = with_return(session, "Hall", ["snare top", "clarinet"], hall, *CUT, level_db=-16.0)
    muddy = with_return(session, "Mud", ["kick", "bass", "clarinet"], STARTS["hall"], level_db=0.0)
    loud = with_return(session, "Loud", ["lead voice", "pad"], STARTS["room"], *CUT, level_db=6.0)
    faint = with_return(session, "Faint", [role for role in ALL if role != "lead voice"], STARTS["room"], *CUT,
                        level_db=-45.0)  # fmt: skip
    marks = (SectionMark(start_s=0.0, name="Verse"), SectionMark(start_s=6.3, name="Chorus"))
    return [song_map.set_song(session, sections=marks), long, muddy, loud, song_map.set_song(faint, sections=marks)]


def looks(folder: Path) -> list[Look]:
    """States in which, taken together, every move of the stage has something to do."""
    whole, brass = look_at(song(folder / "song")), look_at(quintet(folder / "brass"))
    return [*(whole.at(state) for state in states(whole.session)), brass]
