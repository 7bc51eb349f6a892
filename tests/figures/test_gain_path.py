"""How long a sound is how loud at a point of its way."""

import numpy as np
import pytest

from all_even.figures.arriving.gain_path import histogram


def test_a_steady_sound_is_one_level_all_the_time():
    steady = np.full(200, 1e-3)
    levels, shares = histogram(steady, steady, -6.0)
    assert sum(shares) == pytest.approx(1.0)
    assert levels[int(np.argmax(shares))] == pytest.approx(-36.0, abs=0.75)
    assert max(shares) == pytest.approx(1.0)


@pytest.mark.parametrize("by_db", [-61.0, -63.0, -120.0, -400.0])
def test_what_never_comes_over_the_lowest_level_has_none(by_db):
    steady = np.full(200, 1e-3)
    assert histogram(steady, steady, by_db) is None


def test_what_does_not_play_has_none():
    assert histogram(np.zeros(0), np.zeros(0), 0.0) is None
