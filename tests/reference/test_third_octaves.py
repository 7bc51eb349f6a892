"""Third octaves against IEC 61260-1: midbands in base ten, and levels of tones and noise.

The table is that of the standard's annex (five digits, from memory; checked by its own formula), not the program's.
"""

import numpy as np
import pytest

from all_even.measure.level.third_octave import MIDBANDS_HZ, NOMINAL_HZ, ThirdOctaveMeter
from tests.conftest import RATE, noise, sine


def bands(samples: np.ndarray, rate: int = RATE) -> list[float | None]:
    meter = ThirdOctaveMeter(rate, 1)
    meter.add(samples.astype(np.float32)[:, np.newaxis])
    return meter.result_db()


TABLE = {
    25: 25.119, 31.5: 31.623, 40: 39.811, 50: 50.119, 63: 63.096, 80: 79.433, 100: 100.0, 125: 125.89, 160: 158.49,
    200: 199.53, 250: 251.19, 315: 316.23, 400: 398.11, 500: 501.19, 630: 630.96, 800: 794.33, 1000: 1000.0,
    1250: 1258.9, 1600: 1584.9, 2000: 1995.3, 2500: 2511.9, 3150: 3162.3, 4000: 3981.1, 5000: 5011.9, 6300: 6309.6,
    8000: 7943.3, 10000: 10000.0, 12500: 12589.0, 16000: 15849.0, 20000: 19953.0,
}  # fmt: skip
"""Nominal and exact midband frequencies of one-third octaves, Hz, base ten."""


def test_midbands_are_those_of_the_standard():
    assert list(NOMINAL_HZ) == list(TABLE)
    np.testing.assert_allclose(MIDBANDS_HZ, list(TABLE.values()), rtol=5e-5)


def test_the_edges_of_a_band_are_a_sixth_of_an_octave_away():
    """f·G^(±1/6), G = 10^0.3: a tone just inside is in the band, one just outside in its neighbour."""
    ratio = 10.0 ** (0.3 / 6.0)
    for nominal in (100, 1000, 4000):
        index = list(TABLE).index(nominal)
        inside, outside = (TABLE[nominal] * ratio * factor for factor in (0.97, 1.03))
        assert np.nanargmax(np.array(bands(sine(inside, 4.0, -10.0)), dtype=float)) == index
        assert np.nanargmax(np.array(bands(sine(outside, 4.0, -10.0)), dtype=float)) == index + 1


@pytest.mark.parametrize("nominal", [31.5, 63, 200, 1000, 4000, 16000])
def test_a_tone_at_a_midband_reads_its_rms_level_there_and_little_elsewhere(nominal):
    index = list(TABLE).index(nominal)
    levels = bands(sine(TABLE[nominal], 4.0, -10.0))
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
