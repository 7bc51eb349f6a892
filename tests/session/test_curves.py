"""Curves of automation: what each edit of points does, also at steps, and never anywhere else."""

from itertools import pairwise

import numpy as np
import pytest

from all_even.session.editing import curves

STEP = [(0.0, 0.0), (2.0, 0.0), (2.0, 6.0), (4.0, 6.0)]
RAMP = [(1.0, -6.0), (3.0, 6.0)]


def test_a_value_is_straight_between_points_level_outside_and_the_later_of_a_step():
    assert curves.value_at(RAMP, 2.0) == 0.0
    assert (curves.value_at(RAMP, 0.0), curves.value_at(RAMP, 9.0)) == (-6.0, 6.0)
    assert (curves.value_before(STEP, 2.0), curves.value_at(STEP, 2.0)) == (0.0, 6.0)
    assert curves.value_at([], 1.0, rest=-3.0) == -3.0


def test_many_values_are_those_of_one():
    times = np.linspace(0.0, 5.0, 41)
    for curve in (STEP, RAMP, [(1.0, 2.0)]):
        assert curves.values_at(curve, times) == pytest.approx([curves.value_at(curve, t) for t in times])


@pytest.mark.parametrize("seed", range(20))
def test_a_sum_is_the_sum_everywhere(seed):
    rng = np.random.default_rng(seed)

    def some() -> list[tuple[float, float]]:
        times = np.sort(rng.choice(np.arange(0.0, 10.0, 0.5), size=rng.integers(1, 9)))
        return list(zip(times.tolist(), rng.uniform(-6.0, 6.0, len(times)).tolist(), strict=True))

    one, other = some(), some()
    total = curves.added(one, other)
    for at in rng.uniform(-1.0, 11.0, 60):
        assert curves.value_at(total, at) == pytest.approx(curves.value_at(one, at) + curves.value_at(other, at))
    assert all(a[0] <= b[0] for a, b in pairwise(total))


def test_a_passage_that_is_trimmed_stays_as_it_was_elsewhere():
    made = curves.trimmed(RAMP, 2.0, 2.5, 3.0, ramp_s=0.1)
    assert curves.value_at(made, 2.2) == pytest.approx(curves.value_at(RAMP, 2.2) + 3.0)
    for at in (0.0, 1.5, 1.899, 2.601, 5.0):
        assert curves.value_at(made, at) == pytest.approx(curves.value_at(RAMP, at))
    # At the very beginning there is no room for a ramp.
    assert curves.value_at(curves.trimmed([], 0.0, 1.0, 2.0, ramp_s=0.1, rest=-5.0), 0.0) == -3.0


def test_a_passage_is_copied_as_far_as_both_last():
    curve = [(0.0, 0.0), (1.0, 0.0), (2.0, 4.0), (3.0, 0.0), (9.0, 0.0)]
    made = curves.copied(curve, (1.0, 3.0), [(5.0, 7.0), (8.0, 8.5)])
    for at in np.linspace(1.01, 2.99, 20):
        assert curves.value_at(made, at + 4.0) == pytest.approx(curves.value_at(curve, at))
    assert curves.value_at(made, 8.25) == pytest.approx(1.0)
    assert curves.value_at(made, 8.6) == 0.0
    assert curves.value_at(made, 4.5) == 0.0


def test_thinning_stays_within_what_is_allowed_and_keeps_steps():
    times = np.linspace(0.0, 10.0, 2001)
    curve = list(zip(times.tolist(), (4.0 * np.sin(times)).tolist(), strict=True))
    made = curves.thinned(curve, 0.1)
    assert len(made) < 60
    assert np.abs(curves.values_at(made, times) - 4.0 * np.sin(times)).max() <= 0.1 + 1e-9
    assert curves.thinned(STEP, 5.9) == STEP
    assert curves.thinned([(1.0, 1.0)], 0.1) == [(1.0, 1.0)]


def test_smoothing_keeps_the_ends_of_its_passage_and_what_lies_outside():
    rng = np.random.default_rng(3)
    times = np.linspace(0.0, 20.0, 401)
    curve = list(zip(times.tolist(), rng.normal(0.0, 2.0, len(times)).tolist(), strict=True))
    made = curves.smoothed(curve, 5.0, 15.0, 1.0, within=0.01)
    inside = np.linspace(5.5, 14.5, 200)
    assert np.std(curves.values_at(made, inside)) < 0.5 * np.std(curves.values_at(curve, inside))
    for at in (2.0, 4.9, 15.2, 19.0):
        assert curves.value_at(made, at) == pytest.approx(curves.value_at(curve, at))
    assert curves.value_before(made, 5.0) == pytest.approx(curves.value_before(curve, 5.0))


def test_a_point_moves_between_its_neighbours_only():
    assert curves.moved([(0.0, 0.0), (1.0, 1.0), (2.0, 0.0)], 1, 5.0, 3.0)[1] == (2.0, 3.0)
    made, at = curves.inserted([(0.0, 0.0), (2.0, 0.0)], 1.0, 6.0)
    assert (made[at], len(made)) == ((1.0, 6.0), 3)


def test_a_recorded_ride_is_held_with_ramps_and_goes_back_where_it_ends():
    made = curves.written([], [(2.0, 1.0), (3.0, -2.0)], 5.0, ramp_s=0.05, back_s=0.4, rest=-10.0)
    expected = {0.0: -10.0, 2.0: -10.0, 2.5: -9.0, 3.5: -12.0, 5.0: -12.0, 5.4: -10.0, 9.0: -10.0}
    assert {at: curves.value_at(made, at) for at in expected} == pytest.approx(expected)
    assert curves.written(RAMP, [], 5.0, ramp_s=0.05, back_s=0.4) == RAMP


def test_nobody_hears_the_middle_of_three_points_at_one_time():
    made = curves.replaced([(0.0, 0.0), (4.0, 4.0)], 1.0, 1.0, [(1.0, 7.0)])
    assert sum(at == 1.0 for at, _ in made) <= 2
