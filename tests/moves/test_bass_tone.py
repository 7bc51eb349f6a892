"""The tone of bass and kick over and under their middle: bite, hiss, the kick's click, a high-pass on what yields."""

import numpy as np
import pytest

from all_even.figures.low_end.low_end import owner
from all_even.moves import making
from all_even.moves.low_end import click, yielding
from all_even.moves.low_end.bass import bite, hiss
from tests.measure.sounds import RATE, kick, placed, plucked
from tests.moves import low_sessions
from tests.moves.looks import look_at, make, result_of


def the_move(look, kind):
    (move,) = making.propose(look, [kind])
    return move


def narrow_noise(low_hz: float, high_hz: float) -> np.ndarray:
    rng = np.random.default_rng(4)
    spectrum = np.fft.rfft(rng.standard_normal(round(low_sessions.SECONDS * RATE)))
    hz = np.fft.rfftfreq(round(low_sessions.SECONDS * RATE), 1.0 / RATE)
    return np.fft.irfft(np.where((hz > low_hz) & (hz < high_hz), spectrum, 0.0))


def test_bite_goes_where_the_rest_of_the_mix_leaves_most_of_the_bass_to_be_heard(tmp_path):
    """A pad over 550 to 1000 Hz covers the bass there: the place moves up, and the promise is kept."""
    alone = look_at(low_sessions.colliding(tmp_path / "alone"))
    covered = low_sessions.colliding(tmp_path / "covered")
    low_sessions.write(covered, {"Organ": narrow_noise(550.0, 1000.0)}, peak=0.4)
    beside = look_at(covered)
    move = the_move(beside, bite.KIND)
    assert move.parameters["place_hz"] > the_move(alone, bite.KIND).parameters["place_hz"]
    after = make(beside, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.2)
    assert making.propose(after, [bite.KIND]) == []


def test_a_bass_without_anything_there_gets_no_bite(tmp_path):
    assert making.propose(look_at(low_sessions.sine_sub(tmp_path / "sine")), [bite.KIND]) == []


def test_only_noise_is_taken_away_over_a_bass():
    """Hiss that does not move with the notes, with gaps and without; a pick that does is left alone."""
    notes = plucked(low_sessions.line([55.0, 61.7, 55.0, 49.0]), low_sessions.SECONDS, gap_s=0.2)
    rng = np.random.default_rng(8)
    noise = 0.002 * rng.standard_normal(len(notes))
    held = np.sin(2 * np.pi * 55.0 * np.arange(len(notes)) / RATE)
    tick = np.diff(rng.standard_normal(round(0.02 * RATE)), prepend=0.0)
    picked = notes + placed(0.02 * tick, [start for start, _, _ in low_sessions.line([55.0])], low_sessions.SECONDS)
    assert hiss.is_only_noise(notes + noise, RATE)
    assert hiss.is_only_noise(held + noise, RATE)
    assert not hiss.is_only_noise(picked + 0.1 * noise, RATE)


def test_hiss_goes_as_far_as_promised(tmp_path):
    look = look_at(low_sessions.droning(tmp_path / "droning"))
    move = the_move(look, hiss.KIND)
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.5)
    assert move.before - result_of(after) > 6.0
    assert making.propose(after, [hiss.KIND]) == []


def test_a_sharp_click_is_softened_and_a_usual_one_lifted(tmp_path):
    sharp = placed(kick(56.0, 160.0, beater=30.0), low_sessions.HITS, low_sessions.SECONDS)
    bass = plucked(low_sessions.line([55.0, 61.7]), low_sessions.SECONDS)
    softened = the_move(look_at(low_sessions.write(tmp_path / "sharp", {"Kick": sharp, "Bass": bass})), click.KIND)
    lifted = the_move(look_at(low_sessions.colliding(tmp_path / "usual")), click.KIND)
    assert softened.expected < softened.before
    assert softened.parameters == {"gain_db": click.SOFTER_DB, "down_db": 0.0}
    assert lifted.expected > lifted.before


def test_what_yields_is_high_passed_only_where_it_is_worth_more_than_a_fader(tmp_path):
    sub = look_at(low_sessions.sine_sub(tmp_path / "sub"))
    move = the_move(sub, yielding.KIND)
    assert owner(sub) == "bass"
    assert [sub.session.lane(lane).role for lane in move.targets] == ["kick"]
    assert result_of(make(sub, move)) == pytest.approx(move.expected, abs=move.tolerance)
    assert move.evidence["net_db"] >= 0.5
    assert making.propose(look_at(low_sessions.colliding(tmp_path / "colliding")), [yielding.KIND]) == []


def test_no_note_of_the_bass_is_cut_off(tmp_path):
    look = look_at(low_sessions.uneven(tmp_path / "uneven"))
    lowest = min(note.frequency_hz for note in yielding.bass_notes(look))
    assert yielding.time_under(look, lowest - 1.0) == 0.0
    assert yielding.time_under(look, 2000.0) == 1.0
    assert 0.1 < yielding.time_under(look, lowest * 1.1) < 0.5
