"""Whether two low sounds add up or cancel: checked against what phasors give."""

import numpy as np
import pytest

from all_even.measure.sharing.meeting import BEFORE_S, meeting

RATE = 4_000
HITS_S = tuple(0.5 + 0.5 * i for i in range(12))
T = np.arange(round(7.0 * RATE)) / RATE


def tone(hz: float, phase: float = 0.0, level: float = 0.3) -> np.ndarray:
    return level * np.sin(2.0 * np.pi * hz * T + phase)


@pytest.mark.parametrize(
    ("degrees", "wanted_db"),
    # Two equal tones of one frequency: power of the sum over the sum of powers is 1 + cos(phase).
    [(0.0, 3.01), (60.0, 1.76), (90.0, 0.0), (120.0, -3.01), (150.0, -8.73)],
)
def test_two_equal_tones_add_as_phasors_do(degrees, wanted_db):
    found = meeting(tone(60.0), tone(60.0, np.radians(degrees)), RATE, HITS_S, 0.2)
    assert found is not None
    np.testing.assert_allclose(found.gains_db, wanted_db, atol=0.05)


def test_opposite_waves_cancel_and_their_worst_moment_says_so():
    found = meeting(tone(60.0), tone(60.0, np.pi * 0.98), RATE, HITS_S, 0.2)
    assert (found.gains_db < -20.0).all()
    assert (found.worst_db < -20.0).all()


def test_sounds_that_have_nothing_to_do_with_each_other_add_in_power():
    rng = np.random.default_rng(5)
    one, other = (0.1 * rng.standard_normal(len(T)) for _ in range(2))
    found = meeting(one, other, RATE, HITS_S, 0.3)
    assert abs(float(np.mean(found.gains_db))) < 1.0


def test_two_tones_of_other_pitch_beat_so_that_hits_differ():
    found = meeting(tone(60.0), tone(61.1), RATE, HITS_S, 0.2)
    assert float(found.gains_db.max()) > 2.0
    assert float(found.gains_db.min()) < -3.0


def test_what_lies_above_has_no_say_and_far_quieter_sounds_do_not_meet():
    above = meeting(tone(60.0), tone(60.0, np.pi / 2) + tone(900.0, level=0.9), RATE, HITS_S, 0.2)
    np.testing.assert_allclose(above.gains_db, 0.0, atol=0.05)
    assert meeting(tone(60.0), tone(60.0, level=0.3 * 10 ** (-30 / 20)), RATE, HITS_S, 0.2) is None


def test_waves_are_locked_to_their_hit():
    kick = np.zeros(len(T))
    for hit in HITS_S:
        after = T - hit
        kick += np.where(after >= 0, 0.5 * np.sin(2 * np.pi * 55.0 * after) * np.exp(-np.maximum(after, 0) / 0.1), 0.0)
    found = meeting(kick, tone(50.0), RATE, HITS_S, 0.2)
    assert found.times_s[0] == pytest.approx(-BEFORE_S)
    np.testing.assert_allclose(
        found.waves[:, 0], np.broadcast_to(found.waves[0, 0], found.waves[:, 0].shape), atol=5e-3
    )
    assert len(found.hits_s) == len(HITS_S)


def test_hits_at_the_edges_and_silence_are_left_out():
    found = meeting(tone(60.0), tone(60.0), RATE, (0.001, 1.0, 6.99), 0.2)
    assert found.hits_s.tolist() == [1.0]
    assert meeting(tone(60.0), np.zeros(len(T)), RATE, HITS_S, 0.2) is None
    assert meeting(tone(60.0), tone(60.0), RATE, (), 0.2) is None
