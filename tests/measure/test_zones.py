"""Zones of the spectrum: levels, what references do together, and when that is not enough to judge."""

import numpy as np
import pytest

from all_even.measure.level import zones
from all_even.measure.level.third_octave import NOMINAL_HZ, ThirdOctaveMeter
from all_even.measure.level.zones import Band
from tests.conftest import RATE, sine


def test_equal_third_octaves_give_each_zone_the_sum_of_its_bands():
    found = zones.zone_levels([-20.0] * 30, -14.0)
    counts = [4, 3, 5, 7, 5, 4]  # third octaves of IEC 61260-1 whose nominal midband lies in the zone
    assert sum(counts) == len([hertz for hertz in NOMINAL_HZ if hertz < 16_000])
    assert found == pytest.approx([-20.0 + 10 * np.log10(count) + 14.0 for count in counts])


@pytest.mark.parametrize(("hertz", "zone"), [(40.0, 0), (100.0, 1), (200.0, 2), (1000.0, 3), (4000.0, 4), (9000.0, 5)])
def test_a_tone_is_in_its_zone(hertz, zone):
    meter = ThirdOctaveMeter(RATE, 1)
    meter.add(sine(hertz, 2.0, -10.0)[:, None].astype(np.float32))
    found = zones.zone_levels(meter.result_db(), -13.0)
    assert int(np.argmax([-np.inf if level is None else level for level in found])) == zone
    assert found[zone] == pytest.approx(0.0, abs=0.3)  # a sine of -10 dBFS peak has a power of -13 dB


def test_nothing_is_judged_with_four_references_and_the_band_is_two_deviations():
    levels = [tuple([value] * 6) for value in (-12.0, -10.0, -10.0, -9.0, -3.0)]
    assert zones.bands(levels[:4]) == (None,) * 6
    band = zones.bands(levels)[0]
    half = 2.0 * np.std([-12.0, -10.0, -10.0, -9.0, -3.0], ddof=1)
    assert (band.low_db, band.median_db, band.high_db) == pytest.approx((-10.0 - half, -10.0, -10.0 + half))
    assert zones.bands([tuple([-10.0] * 6)] * 5)[0] == Band(-14.0, -10.0, -6.0)
    assert band.beside_db(band.high_db + 1.5) == pytest.approx(1.5)
    assert band.beside_db(band.low_db - 0.5) == pytest.approx(-0.5)
    assert band.beside_db(-10.0) == 0.0
