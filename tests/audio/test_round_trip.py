"""Sound sent through a device and taken back: checked by construction, on devices whose delay and level are known."""

import numpy as np
import pytest

from all_even.audio import round_trip
from all_even.audio.round_trip import StandIn
from all_even.errors import UserError

RATE = 48_000


class Line:
    """A plain line of a known delay and gain, with hum and noise on it."""

    name = "line"

    def __init__(self, late: int, gain: float, noise: float = 0.0) -> None:
        self.late, self.gain, self.noise = late, gain, noise
        self.highest = 0.0

    def run(self, out, sample_rate, watch):
        self.highest = float(np.abs(out).max())
        watch(0.5)
        came = np.zeros_like(out)
        came[self.late :] = self.gain * out[: len(out) - self.late]
        hum = np.sin(2.0 * np.pi * 50.0 * np.arange(len(out)) / sample_rate)[:, np.newaxis]
        noisy = np.random.default_rng(2).standard_normal(out.shape)
        return (came + self.noise * (hum + noisy)).astype(np.float32)


@pytest.fixture
def sound():
    return (0.3 * np.random.default_rng(1).standard_normal((RATE, 2))).astype(np.float32)


@pytest.mark.parametrize("late", [0, 1, 331, 4_800, 47_000])
@pytest.mark.parametrize("gain", [1.0, -0.25])
def test_a_line_gives_back_what_it_was_given_in_its_place(sound, late, gain):
    trip = round_trip.send(sound, RATE, Line(late, gain))
    assert trip.late == late
    assert trip.change_db == pytest.approx(20.0 * np.log10(abs(gain)), abs=0.01)
    np.testing.assert_allclose(trip.back, gain * sound, atol=1e-6)


def test_hum_and_noise_do_not_move_the_place(sound):
    trip = round_trip.send(sound, RATE, Line(1_234, 0.5, noise=0.004))
    assert trip.late == 1_234
    assert trip.change_db == pytest.approx(-6.0, abs=0.5)


def test_what_is_sent_has_its_peak_where_it_was_asked_for(sound):
    line = Line(10, 1.0)
    round_trip.send(8.0 * sound, RATE, line, peak_db=-20.0)
    assert 20.0 * np.log10(line.highest) == pytest.approx(-20.0, abs=0.01)
    round_trip.send(np.zeros((0, 2), np.float32), RATE, line, peak_db=-20.0)
    assert 20.0 * np.log10(line.highest) == pytest.approx(-26.0, abs=0.1)  # the click alone, under it


def test_a_track_of_one_channel_comes_back_as_one(sound):
    trip = round_trip.send(sound[:, :1], RATE, Line(77, 1.0))
    assert trip.back.shape == (RATE, 1)
    np.testing.assert_allclose(trip.back, sound[:, :1], atol=1e-6)


def test_the_stand_in_is_late_quieter_and_warm(sound):
    trip = round_trip.send(sound, RATE, StandIn())
    assert trip.late == 331
    assert trip.change_db == pytest.approx(-2.0, abs=0.1)
    lowered = 10.0 ** (round_trip.SENT_PEAK_DB / 20.0) / np.abs(sound).max()
    np.testing.assert_allclose(trip.back, np.tanh(lowered * sound) / lowered * 10.0 ** (-2.0 / 20.0), atol=1e-5)


@pytest.mark.parametrize("line", [Line(100, 0.0), Line(100, 0.0, noise=0.01), Line(60_000, 1.0)])
def test_where_no_click_comes_back_nothing_is_taken(sound, line):
    with pytest.raises(UserError, match="did not come back"):
        round_trip.send(sound, RATE, line)


def test_it_can_be_ended_on_the_way(sound):
    def watch(_share):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        round_trip.send(sound, RATE, Line(0, 1.0), watch=watch)
