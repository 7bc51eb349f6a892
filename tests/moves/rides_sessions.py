"""Songs in which phrases, sections and gaps are as they were planted."""

from pathlib import Path

import numpy as np

from all_even.dsp.space.reverb_starts import STARTS
from all_even.figures.book.look import Look
from all_even.session.editing import edits
from all_even.session.model.on_time_line import SectionMark
from all_even.session.model.session import Session
from all_even.session.song import song_map
from tests.measure.sounds import RATE, kick, placed, plucked, snare
from tests.moves.looks import look_at
from tests.moves.low_sessions import write
from tests.moves.share_sessions import held
from tests.moves.space_sessions import CUT, by_role, with_return

SECONDS = 26.0
BEAT_S = 0.75
CHORUS_S, END_S = 12.3, 21.3
WORD_S, EVERY_S = 0.9, 1.5
WORDS_S = np.arange(0.9, END_S - 0.8, EVERY_S)
LATE_S = 11.0
"""Where a voice comes in late."""
PLANTED_DB = {2: -7.0, 5: 5.0, 9: -6.0, 11: 5.0}
"""Words that are not as loud as the others, dB."""


def voice(planted_db: dict[int, float] | None = None, *, from_s: float = 0.0) -> np.ndarray:
    """A vowel for each word from a moment on, as loud as planted."""
    planted = PLANTED_DB if planted_db is None else planted_db
    out = np.zeros(round(SECONDS * RATE))
    for index, start_s in enumerate(WORDS_S):
        if start_s < from_s:
            continue
        hz = (220.0, 247.0, 294.0, 262.0)[index % 4]
        out += held([(float(start_s), WORD_S, hz)], 1.3, seconds=SECONDS) * 10.0 ** (planted.get(index, 0.0) / 20.0)
    return out


def _until(sound: np.ndarray, start_s: float, end_s: float) -> np.ndarray:
    out = np.zeros_like(sound)
    first, last = round(start_s * RATE), round(end_s * RATE)
    out[first:last] = sound[first:last]
    fade = round(0.03 * RATE)
    out[last - fade : last] *= np.linspace(1.0, 0.0, fade)
    return out


def _line(hz: list[float], length_s: float) -> list[tuple[float, float, float]]:
    count = int((SECONDS - 1.0) / length_s)
    return [(0.3 + i * length_s, 0.9 * length_s, hz[(i * i + i // 3) % len(hz)]) for i in range(count)]


def song(folder: Path, planted_db: dict[int, float] | None = None, *, from_s: float = 0.0) -> Path:
    """Kick, snare, bass, a voice of uneven words; guitars and piano, which stop for the last seconds; a chorus with a
    pad and strings; a clarinet that plays some uneven notes."""
    beats = np.arange(0.3, SECONDS - 0.6, BEAT_S)
    clarinet = np.zeros(round(SECONDS * RATE))
    for start_s, level_db in zip(np.arange(5.0, 11.0, 1.0), (0.0, -8.0, 0.0, 5.0, 0.0, -6.0), strict=True):
        clarinet += held([(float(start_s), 0.6, 523.0)], 1.1, seconds=SECONDS) * 10.0 ** (level_db / 20.0)
    sounds = {
        "Kick": 0.5 * placed(kick(), beats[::2], SECONDS),
        "Snare top": 0.4 * placed(snare(), beats[1::2], SECONDS),
        "Bass": 0.7 * _until(plucked(_line([55.0, 61.7, 49.0], BEAT_S), SECONDS), 0.0, END_S),
        "Lead vox": 0.6 * voice(planted_db, from_s=from_s),
        "E Gtr": _until(plucked(_line([330.0, 392.0, 294.0, 440.0], BEAT_S / 2.0), SECONDS), 0.0, END_S),
        "Piano": _until(plucked(_line([262.0, 330.0, 196.0], BEAT_S), SECONDS), 0.0, END_S),
        "Clarinet": 0.5 * clarinet,
        "Pad": 0.5 * _until(held(_line([196.0, 247.0, 294.0], 3.0), 0.8, seconds=SECONDS), CHORUS_S, END_S),
        "Viola": 0.4 * _until(held(_line([392.0, 440.0], 3.0), 0.9, seconds=SECONDS), CHORUS_S, END_S),
    }
    return write(folder, sounds)


def told(session: Session) -> Session:
    """With its sections by name."""
    marks = (SectionMark(start_s=0.0, name="Verse"), SectionMark(start_s=CHORUS_S, name="Chorus"),
             SectionMark(start_s=END_S, name="End"))  # fmt: skip
    return song_map.set_song(session, sections=marks, tempo_bpm=80.0)


def wide(session: Session) -> Session:
    """Guitar and piano at the sides, and a room."""
    session = edits.change_strips(session, [by_role(session, "electric guitar")], pan=-0.7)
    session = edits.change_strips(session, [by_role(session, "piano")], pan=0.7)
    return with_return(session, "Room", ["lead voice", "pad"], STARTS["room"], *CUT)


def louder(session: Session) -> Session:
    """The voice half covered instead of nearly all."""
    return edits.change_strips(session, [by_role(session, "lead voice")], level_db=8.0)


def looks(folder: Path) -> list[Look]:
    """States in which, taken together, every move of the stage has something to do."""
    whole, late = look_at(song(folder / "song")), look_at(song(folder / "late", from_s=LATE_S))
    plain = told(whole.session)
    return [whole.at(plain), whole.at(wide(plain)), late.at(louder(told(late.session)))]
