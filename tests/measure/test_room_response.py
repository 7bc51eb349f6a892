"""Figures of impulse responses, on noise whose decay is known: an ideal reverberation."""

import numpy as np
import pytest

from all_even.measure.space import response
from tests import measuring
from tests.measuring import RAYLEIGH_STD_DB

RATE = 48_000


def ideal(decay_s: float, seconds: float = 3.0, channels: int = 2, seed: int = 0) -> np.ndarray:
    """Gaussian noise that falls by 60 dB in a known time."""
    time_s = np.arange(round(seconds * RATE)) / RATE
    noise = np.random.default_rng(seed).standard_normal((len(time_s), channels))
    return noise * 10.0 ** (-3.0 * time_s / decay_s)[:, np.newaxis]


def test_gaussian_noise_is_fully_dense_at_once_and_four_echoes_never():
    """Abel and Huang 2006: 1 for Gaussian noise."""
    times, density = response.echo_density(ideal(2.0)[:, 0], RATE)
    assert np.mean(density[20:500]) == pytest.approx(1.0, abs=0.03)
    assert response.full_density_s(ideal(2.0)[:, 0], RATE) < 0.01
    assert times[1] - times[0] == pytest.approx(0.001)
    sparse = np.zeros(RATE)
    sparse[[0, 4000, 9000, 17_000]] = (1.0, -0.7, 0.5, 0.3)
    assert response.full_density_s(sparse, RATE) is None


@pytest.mark.parametrize("decay_s", [0.5, 1.0, 2.0])
def test_the_decay_is_found_in_every_octave(decay_s):
    """T30 by Schroeder's backward integration; ISO 3382-2's evaluation range."""
    found = response.decay_by_octave(ideal(decay_s, channels=16), RATE)
    assert set(found) == set(response.OCTAVES_HZ)
    for hz, decay in found.items():
        assert decay.decay_s == pytest.approx(decay_s, rel=0.05), hz
        assert decay.bend_db < (1.5 if hz < 200.0 else 0.6), hz


def test_two_slopes_bend_the_decay():
    both = ideal(0.4, seed=1)[:, 0] + 0.03 * ideal(3.0, seed=2)[:, 0]
    assert response.decay(both, RATE).bend_db > 2.0


def test_the_spectrum_of_noise_is_rayleigh_and_a_ringing_mode_is_not():
    """5.57 dB: 20 log10 of a Rayleigh distribution has that standard deviation (pi/sqrt(6) * 10/ln 10)."""
    assert pytest.approx(np.pi / np.sqrt(6.0) * 10.0 / np.log(10.0), abs=0.01) == RAYLEIGH_STD_DB
    tail = ideal(2.0)[:, 0]
    found = response.evenness(tail, RATE, 0.1, 0.8, 2.0)
    assert found.std_db == pytest.approx(5.57, abs=0.15)
    assert abs(found.peak_db) < 1.5
    time_s = np.arange(len(tail)) / RATE
    ringing = tail + 2.0 * np.sin(2 * np.pi * 1500.0 * time_s) * 10.0 ** (-3.0 * time_s / 2.0)
    assert response.evenness(ringing, RATE, 0.1, 0.8, 2.0).peak_db > 10.0


def test_correlation_by_octave():
    apart = ideal(2.0)
    assert max(abs(value) for hz, value in measuring.correlation_by_octave(apart, RATE).items() if hz > 200.0) < 0.12
    same = np.repeat(apart[:, :1], 2, axis=1)
    assert min(measuring.correlation_by_octave(same, RATE).values()) > 0.999


def test_silence_has_no_figures():
    assert response.decay(np.zeros(1000), RATE) is None
    assert response.full_density_s(np.zeros(1000), RATE) is None
