"""Clicks at the hits of a shape: to the sample, whatever comes in."""

import numpy as np
import pytest

from all_even.dsp.ducking.clicks import Clicks, click_track
from all_even.dsp.ducking.shaped import DuckShape, coefficients_with
from all_even.dsp.processor import Single

RATE = 48_000
HITS_S = (0.0, 0.1, 0.1013, 0.25)


def heard(station: Clicks, sound: np.ndarray) -> np.ndarray:
    shape = DuckShape(id="shape", name="Hits", hits_s=HITS_S)
    return Single(station, RATE, coefficients=coefficients_with(station, (shape,), RATE))(sound)


def test_a_click_begins_at_the_sample_of_its_hit_and_lasts_as_long_as_is_said():
    out = heard(Clicks(shape="shape", level_db=-20.0, click_ms=1.0), np.zeros((RATE // 2, 2)))
    on = np.flatnonzero(out[:, 0])
    expected = np.unique(np.concatenate([round(hit * RATE) + np.arange(48) for hit in HITS_S]))
    np.testing.assert_array_equal(on, expected)
    np.testing.assert_allclose(out[on], 0.1)


def test_nothing_of_what_comes_in_is_left():
    noise = np.random.default_rng(1).standard_normal((4800, 1))
    np.testing.assert_array_equal(heard(Clicks(shape="shape"), noise), heard(Clicks(shape="shape"), 0.0 * noise))
    assert np.abs(heard(Clicks(shape="gone"), noise)).max() == 0.0


def test_the_track_of_clicks_is_what_the_station_plays():
    np.testing.assert_array_equal(
        click_track(HITS_S, RATE, RATE), heard(Clicks(shape="shape"), np.zeros((RATE, 1)))[:, 0]
    )


@pytest.mark.parametrize("size", [1, 7, 1024])
def test_blocks_of_any_size_give_the_same(size):
    station, sound = Clicks(shape="shape"), np.zeros((RATE // 8, 1))
    shape = DuckShape(id="shape", name="Hits", hits_s=HITS_S)
    run = Single(station, RATE, coefficients=coefficients_with(station, (shape,), RATE))
    pieces = [run(sound[start : start + size]) for start in range(0, len(sound), size)]
    np.testing.assert_array_equal(np.concatenate(pieces), heard(station, sound))
