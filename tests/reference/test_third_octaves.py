"""Third octaves against IEC 61260-1: midbands in base ten, and levels of tones and noise."""

import numpy as np
import pytest

from all_even.measure.third_octave import MIDBANDS_HZ, NOMINAL_HZ, ThirdOctaveMeter
from tests.conftest import RATE, noise, sine


def bands(samples: np.ndarray, rate: int = RATE) -> list[float | None]:
    meter = ThirdOctaveMeter(rate, 1)
    meter.add(samples.astype(np.float32)[:, np.newaxis])
    return meter.result_db()


def test_exact_midbands_are_within_a_percent_of_the_nominal_ones():
    """IEC 61260-1, annex: nominal midband frequencies are the exact ones, rounded."""
    np.testing.assert_allclose(MIDBANDS_HZ, NOMINAL_HZ, rtol=0.013)
    assert MIDBANDS_HZ[NOMINAL_HZ.index(1000)] == pytest.approx(1000.0)
    assert MIDBANDS_HZ[NOMINAL_HZ.index(2000)] == pytest.approx(1995.26, abs=0.01)


@pytest.mark.parametrize("index", [1, 4, 9, 16, 22, 28])
def test_a_tone_at_a_midband_reads_its_rms_level_there_and_little_elsewhere(index):
    levels = bands(sine(float(MIDBANDS_HZ[index]), 4.0, -10.0))
    assert levels[index] == pytest.approx(-13.01, abs=0.3)
    for other in (index - 3, index + 3):
        if 0 <= other < len(levels):
            assert levels[other] is None or levels[other] < -50.0


def test_white_noise_rises_by_3_db_per_octave():
    levels = bands(noise(30.0))
    assert levels[22] - levels[13] == pytest.approx(9.0, abs=0.6)


def test_bands_over_half_the_rate_are_unknown():
    levels = bands(noise(4.0, rate=16_000), 16_000)
    assert levels[-1] is None
    assert levels[NOMINAL_HZ.index(5000)] is not None
