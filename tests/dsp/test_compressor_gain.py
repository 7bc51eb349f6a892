"""The gain of a compressor by itself is that of the compressor, to the last bit."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.compressor_gain import detector_power, gain_db, is_simple
from all_even.dsp.processor import Single

RATE = 48_000
SETTINGS = {
    "usual": Compressor(threshold_db=-30.0, ratio=4.0),
    "quick release": Compressor(threshold_db=-30.0, attack_ms=30.0, release_ms=5.0),
    "filtered": Compressor(threshold_db=-35.0, key_high_pass_hz=100.0, key_low_pass_hz=3000.0),
    "held, decoupled": Compressor(threshold_db=-30.0, hold_ms=20.0, topology="decoupled"),
    "by programme": Compressor(threshold_db=-30.0, programme_release=True, character="supple"),
}


@pytest.fixture(scope="module")
def sound() -> np.ndarray:
    rng = np.random.default_rng(2)
    swell = np.abs(np.sin(np.arange(150_000) / 9_000.0))[:, np.newaxis]
    return (0.4 * swell * rng.standard_normal((150_000, 2))).astype(np.float32)


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("name", SETTINGS)
def test_it_is_the_gain_of_the_compressor(name, channels, sound):
    station, part = SETTINGS[name], sound[:, :channels]
    assert is_simple(station)
    expected = np.zeros(len(part))
    Single(station, RATE)(part, None, expected)
    power = detector_power(part, RATE, station)
    np.testing.assert_array_equal(gain_db(power, RATE, station), expected)
    assert expected.min() < -3.0


def test_other_settings_share_what_the_detector_hears(sound):
    station = SETTINGS["filtered"]
    other = replace(station, threshold_db=-20.0, ratio=8.0, attack_ms=1.0, release_ms=300.0, knee_db=0.0)
    expected = np.zeros(len(sound))
    Single(other, RATE)(sound, None, expected)
    np.testing.assert_array_equal(gain_db(detector_power(sound, RATE, station), RATE, other), expected)


@pytest.mark.parametrize("change", [{"level": "RMS"}, {"link": 50.0}, {"lookahead_ms": 2.0}, {"listen": True}])
def test_what_needs_more_is_not_simple(change):
    assert not is_simple(replace(Compressor(), **change))


def test_means_are_those_of_neighbouring_frames(sound):
    station, whole = SETTINGS["usual"], sound[:50_003]  # no multiple of six, and across the pieces it works in
    power = detector_power(whole, RATE, station)
    plain = gain_db(power, RATE, station)[: 6 * (len(whole) // 6)].reshape(-1, 6)
    np.testing.assert_allclose(gain_db(power, RATE, station, every=6), plain.mean(axis=1), rtol=0.0, atol=1e-12)
