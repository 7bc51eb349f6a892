"""Bands without phase are what filters run forwards and backwards give. Reference: SciPy's butter and sosfiltfilt."""

import numpy as np
import pytest
import scipy

from all_even.measure.zero_phase import above, analytic_band, band_gain

RATE = 4_000


@pytest.mark.parametrize("band", [(30.0, 160.0), (25.0, 250.0), (100.0, 1_500.0)])
def test_the_gain_of_a_band_is_that_of_the_filter_squared(band):
    frequency = np.linspace(1.0, 1_990.0, 500)
    sections = scipy.signal.butter(2, band, "bandpass", fs=RATE, output="sos")
    _, response = scipy.signal.sosfreqz(sections, frequency, fs=RATE)
    np.testing.assert_allclose(band_gain(frequency, band, RATE), np.abs(response) ** 2, atol=1e-9)


@pytest.mark.parametrize("every", [1, 4])
@pytest.mark.parametrize("frames", [9_000, 9_001, 20_003])
def test_the_analytic_signal_is_that_of_the_filtered_sound(frames, every):
    sound = np.random.default_rng(1).standard_normal(frames)
    # What lies over half the rate that is asked for is left out, not folded down.
    sound = scipy.signal.sosfiltfilt(scipy.signal.butter(8, 300.0, fs=RATE, output="sos"), sound)
    sound[:2_000] = sound[-2_000:] = 0.0  # the ends are where the two ways differ by intention
    sections = scipy.signal.butter(2, (30.0, 160.0), "bandpass", fs=RATE, output="sos")
    band = scipy.signal.sosfiltfilt(sections, sound)
    found = analytic_band(sound, (30.0, 160.0), RATE, every=every)
    np.testing.assert_allclose(found.real, band[::every], atol=2e-3)
    inside = slice(500 // every, -500 // every)
    expected = scipy.signal.hilbert(band)[::every]
    np.testing.assert_allclose(np.abs(found[inside]), np.abs(expected[inside]), atol=5e-3)


def test_what_lies_above_a_frequency():
    time = np.arange(48_000) / 48_000
    low, high = np.sin(2 * np.pi * 100.0 * time), np.sin(2 * np.pi * 8_000.0 * time)
    found = above(low + high, 1_000.0, 48_000)
    np.testing.assert_allclose(found[4_800:-4_800], high[4_800:-4_800], atol=2e-3)
