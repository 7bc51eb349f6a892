"""Loudness and true peak against the published test signals and an independent implementation.

Sources: ITU-R BS.1770-5 (filter tables, Annex 1); EBU Tech 3341 (loudness metering, cases 1 to 5, 9, 12,
13, 15 to 19); EBU Tech 3342 (loudness range, cases 1 to 4). The signals are made from the documents'
descriptions, which are quoted from memory. `pyloudnorm` is the second opinion.
"""

import numpy as np
import pyloudnorm
import pytest

from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter, k_weighting
from all_even.measure.level.true_peak import true_peak
from tests.conftest import RATE, noise, sine, stereo
from tests.measuring import measure_samples


def steps(*parts: tuple[float, float], frequency: float = 1000.0) -> np.ndarray:
    """Stereo sine in steps of (level in dBFS, seconds)."""
    return stereo(np.concatenate([sine(frequency, seconds, level) for level, seconds in parts]))


def weighted(samples: np.ndarray, rate: int = RATE) -> np.ndarray:
    meter = HopMeter(rate, samples.shape[1])
    meter.add(np.ascontiguousarray(samples, dtype=np.float32))
    return meter.result().weighted


def test_filters_at_48_khz_are_those_of_the_recommendation():
    shelf, high_pass = k_weighting(48_000)
    expected_shelf = [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585]
    np.testing.assert_allclose(shelf, expected_shelf, atol=1e-8)
    np.testing.assert_allclose(high_pass, [1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621], atol=1e-8)


def test_a_full_scale_sine_in_one_channel_reads_minus_3_lufs():
    measures = measure_samples(sine(997.0, 10.0)[:, np.newaxis].astype(np.float32), RATE)
    assert measures.integrated_lufs == pytest.approx(-3.01, abs=0.02)


@pytest.mark.parametrize(
    ("signal", "expected"),
    [
        (((-23.0, 20.0),), -23.0),
        (((-33.0, 20.0),), -33.0),
        (((-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)), -23.0),
        (((-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)), -23.0),
        (((-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)), -23.0),
    ],
    ids=["case 1", "case 2", "case 3", "case 4", "case 5"],
)
def test_integrated_loudness_of_tech_3341(signal, expected):
    assert loudness.integrated_lufs(weighted(steps(*signal))) == pytest.approx(expected, abs=0.1)


def test_short_term_loudness_of_tech_3341_case_9():
    course = loudness.short_term_lufs(weighted(steps(*((-20.0, 1.34), (-30.0, 1.66)) * 5)))
    np.testing.assert_allclose(course, -23.0, atol=0.1)


def test_momentary_loudness_of_tech_3341_case_12():
    course = loudness.momentary_lufs(weighted(steps(*((-20.0, 0.18), (-30.0, 0.22)) * 25)))
    np.testing.assert_allclose(course[10:], -23.0, atol=0.1)


@pytest.mark.parametrize("offset", range(0, 20, 3))
def test_a_tone_of_400_ms_reaches_its_momentary_loudness_wherever_it_starts_case_13(offset):
    silence = np.zeros(round(0.02 * offset * RATE))
    signal = stereo(np.concatenate([silence, sine(1000.0, 0.4, -23.0), np.zeros(RATE)]))
    assert loudness.max_momentary_lufs(weighted(signal)) == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize(
    ("divisor", "degrees", "amplitude", "expected"),
    [(4, 0.0, 0.5, -6.0), (4, 45.0, 0.5, -6.0), (6, 60.0, 0.5, -6.0), (8, 67.5, 0.5, -6.0), (4, 45.0, 1.41, 3.0)],
    ids=["case 15", "case 16", "case 17", "case 18", "case 19"],
)
def test_true_peak_of_tech_3341_within_its_tolerance(divisor, degrees, amplitude, expected):
    time = np.arange(RATE)
    # The document's signals are faded in and out; without that the onset itself would overshoot.
    fade = np.minimum(1.0, np.minimum(time, time[::-1]) / 4800.0)
    signal = amplitude * fade * np.sin(2 * np.pi * time / divisor + np.radians(degrees))
    level = 20 * np.log10(true_peak(stereo(signal), RATE))
    assert expected - 0.4 <= level <= expected + 0.2


@pytest.mark.parametrize(
    ("signal", "expected"),
    [
        (((-20.0, 20.0), (-30.0, 20.0)), 10.0),
        (((-20.0, 20.0), (-15.0, 20.0)), 5.0),
        (((-40.0, 20.0), (-20.0, 20.0)), 20.0),
        (((-50.0, 20.0), (-35.0, 20.0), (-20.0, 20.0), (-35.0, 20.0), (-50.0, 20.0)), 15.0),
    ],
    ids=["case 1", "case 2", "case 3", "case 4"],
)
def test_loudness_range_of_tech_3342(signal, expected):
    assert loudness.loudness_range_lu(weighted(steps(*signal))) == pytest.approx(expected, abs=1.0)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("channels", [1, 2])
def test_integrated_loudness_agrees_with_pyloudnorm(rate, channels):
    swell = np.abs(np.sin(np.arange(12 * rate) / rate)) ** 2
    samples = np.stack([noise(12.0, seed, rate) * swell for seed in range(channels)], axis=1).astype(np.float32)
    # Its default K filter is exact at 48 kHz only; the one of De Man (2014) holds at every rate.
    peer = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(samples)
    assert loudness.integrated_lufs(weighted(samples, rate)) == pytest.approx(peer, abs=0.05)


def test_blocks_of_any_length_give_the_same_hops():
    samples = noise(1.0)[:, np.newaxis]
    whole = HopMeter(RATE, 1)
    whole.add(samples)
    parts = HopMeter(RATE, 1)
    for start in range(0, len(samples), 777):
        parts.add(np.ascontiguousarray(samples[start : start + 777]))
    np.testing.assert_allclose(whole.result().weighted, parts.result().weighted, rtol=1e-6)
