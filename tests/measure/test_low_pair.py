"""Kick and bass at the bottom: what a fader can't do counts, and who owns it is read from the tracks."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.measure.pitch.notes import Note
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.low_pair import energy_db, net_db, pair_figures
from all_even.measure.sharing.owner import ownership
from tests.measure.sounds import RATE as FULL
from tests.measure.sounds import kick, placed, plucked

SECONDS = 6.0
HITS = tuple(0.25 + 0.5 * i for i in range(11))
STEP = FULL // RATE
KICK = 0.5 * placed(kick(56.0, 150.0), HITS, SECONDS)[::STEP]
BASS = plucked([(0.5 * i, 0.5, (55.0, 61.7)[i % 2]) for i in range(12)], SECONDS)[::STEP]


@settings(max_examples=8, deadline=None)
@given(st.floats(-6.0, 6.0), st.floats(-3.0, 3.0))
def test_a_fader_does_not_move_the_room(bass_db, kick_db):
    before = pair_figures(KICK, BASS, HITS)
    after = pair_figures(KICK * 10.0 ** (kick_db / 20.0), BASS * 10.0 ** (bass_db / 20.0), HITS, floor=before.floor)
    assert net_db(before, after) == pytest.approx(0.0, abs=0.02)
    assert after.limit_db - before.limit_db == pytest.approx(kick_db - bass_db, abs=0.02)


def test_taking_the_bass_away_only_while_the_kick_sounds_gives_room():
    gain = np.ones(len(BASS))
    for hit in HITS:
        gain[round(hit * RATE) : round((hit + 0.15) * RATE)] = 0.4
    before = pair_figures(KICK, BASS, HITS)
    after = pair_figures(KICK, BASS * gain, HITS, floor=before.floor)
    assert net_db(before, after) > 1.0
    assert after.kick_masked < before.kick_masked


def test_energy_is_that_of_the_band_parseval():
    """Parseval: a sine of amplitude 0.5 has a mean power of 0.125, -9.03 dB; outside the band it has none."""
    time = np.arange(4 * RATE) / RATE
    assert energy_db(0.5 * np.sin(2 * np.pi * 100.0 * time)) == pytest.approx(-9.03, abs=0.01)
    assert energy_db(0.5 * np.sin(2 * np.pi * 600.0 * time)) < -100.0


def test_without_a_meeting_there_is_no_room_to_tell():
    silent = pair_figures(KICK, np.zeros_like(KICK), HITS)
    assert silent.room_db is None
    assert net_db(silent, silent) is None


def notes(hz: float, length_s: float) -> list[Note]:
    return [Note(i * 0.5, i * 0.5 + length_s, hz, -12.0) for i in range(12)]


def test_a_long_low_bass_under_a_short_kick_owns_the_bottom():
    deep = plucked([(0.5 * i, 0.5, 41.2) for i in range(12)], SECONDS, slope=2.0)[::STEP]
    short = 0.3 * placed(kick(80.0, 60.0), HITS, SECONDS)[::STEP]
    found = ownership(short, 2.0 * deep, HITS, 60.0, notes(41.2, 0.45))
    assert found.owner == "bass"
    assert any("under 70 Hz" in words for words in found.speaking("bass"))
    assert found.speaking("kick") == ()


def test_a_long_deep_kick_over_a_high_bass_owns_the_bottom():
    high = plucked([(0.25 * i, 0.25, 98.0) for i in range(22)], SECONDS)[::STEP]
    long = 0.9 * placed(kick(48.0, 260.0), HITS, SECONDS)[::STEP]
    found = ownership(long, 0.4 * high, HITS, 260.0, notes(98.0, 0.2))
    assert found.owner == "kick"
    assert "bass notes are short" in found.speaking("kick")


def test_the_genre_pulls_what_is_not_clear():
    asked = {pull: ownership(KICK, BASS, HITS, 150.0, notes(58.0, 0.3), pull).z for pull in (-1.0, 0.0, 1.0)}
    assert asked[1.0] - asked[0.0] == pytest.approx(1.0)
    assert asked[0.0] - asked[-1.0] == pytest.approx(1.0)
