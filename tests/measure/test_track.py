"""Figures of a track: each on a sound whose answer is known."""

import threading

import numpy as np
import pytest

from all_even.demo.stems import limit
from all_even.errors import Cancelled
from all_even.measure.recording import cache
from all_even.measure.recording.files import measure_file, measure_files
from tests.conftest import RATE, noise, sine, stereo
from tests.measuring import measure_samples


def measured(samples: np.ndarray):
    return measure_samples(np.atleast_2d(samples.T).T.astype(np.float32), RATE)


def test_a_full_scale_sine_reads_minus_3_01_rms_and_3_01_crest():
    measures = measured(sine(1000.0, 2.0))
    assert measures.sample_peak_dbfs == pytest.approx(0.0, abs=0.01)
    assert measures.rms_dbfs == pytest.approx(-3.01, abs=0.01)
    assert measures.crest_db == pytest.approx(3.01, abs=0.01)


def test_silence_is_unknown_not_zero():
    measures = measured(np.zeros(RATE))
    for name in ("sample_peak_dbfs", "rms_dbfs", "integrated_lufs", "true_peak_dbtp", "crest_db", "noise_floor_dbfs"):
        assert getattr(measures, name) is None, name
    assert measures.active_share == 0.0


def test_direct_current_is_the_mean():
    assert measured(noise(2.0) + 0.02).dc_offset == pytest.approx(0.02, abs=0.001)


def test_clipped_tops_are_counted():
    clipped = np.clip(sine(220.0, 1.0, 6.0), -0.9, 0.9)
    assert measured(clipped).clipped_runs == pytest.approx(440, abs=4)


def test_a_slow_tone_in_16_bits_is_not_clipped():
    """It holds its top for several samples, but does not want to go on."""
    slow = np.rint(sine(20.0, 2.0, -20.0) * 2**15) / 2**15
    assert measured(slow).clipped_runs == 0


@pytest.mark.parametrize("frequency", [997.0, 12_000.0])
def test_a_clean_tone_is_not_clipped(frequency):
    assert measured(sine(frequency, 2.0, -0.01)).clipped_runs == 0


def test_printed_limiting_is_told_from_a_steady_tone_and_from_equal_hits():
    swell = noise(8.0, 1, level=0.5) * (0.4 + np.abs(np.sin(np.arange(8 * RATE) / RATE * 5)))
    assert measured(limit(2.0 * swell[:, np.newaxis].astype(np.float64))).limited
    assert not measured(sine(55.0, 8.0, -10.0)).limited
    hit = sine(60.0, 0.3) * np.exp(-np.arange(int(0.3 * RATE)) / 3000)
    assert not measured(np.tile(np.concatenate([hit, np.zeros(RATE // 5)]), 16)).limited
    assert not measured(swell).limited


def test_the_noise_floor_is_read_where_nobody_plays_and_without_direct_current():
    quiet = noise(6.0, 2, level=10 ** (-60 / 20))
    quiet[: 2 * RATE] += sine(440.0, 2.0, -10.0).astype(np.float32)
    assert measured(quiet + 0.01).noise_floor_dbfs == pytest.approx(-60.0, abs=1.0)
    assert measured(sine(440.0, 3.0)).noise_floor_dbfs is None


def test_balance_is_left_minus_right_and_correlation_follows_the_sides():
    left, right = noise(4.0, 1), noise(4.0, 2)
    assert measured(np.stack([left, 0.5 * left], axis=1)).balance_db == pytest.approx(6.02, abs=0.01)
    assert measured(np.stack([left, left], axis=1)).correlation == pytest.approx(1.0)
    assert measured(np.stack([left, -left], axis=1)).correlation == pytest.approx(-1.0)
    assert measured(np.stack([left, right], axis=1)).correlation == pytest.approx(0.0, abs=0.05)
    assert measured(left).balance_db is None


def test_identical_channels_are_found_and_nearly_identical_ones_are_not():
    assert measure_samples(stereo(noise(2.0)), RATE).identical_channels
    near = stereo(noise(2.0))
    near[:, 1] += noise(2.0, 5, level=1e-4)
    assert not measure_samples(near, RATE).identical_channels


def test_the_share_of_time_played():
    signal = np.zeros(10 * RATE)
    signal[: 4 * RATE] = sine(440.0, 4.0, -12.0)
    assert measured(signal).active_share == pytest.approx(0.42, abs=0.03)


def test_measures_come_back_from_the_cache_as_they_were(write, home):
    path = write("a.wav", noise(2.0))
    first = measure_file(path).measures
    again = measure_file(path).measures
    assert again is not first
    for name in first.__dataclass_fields__:
        if name != "hops":
            assert getattr(again, name) == getattr(first, name), name
    np.testing.assert_array_equal(again.hops.weighted, first.hops.weighted)


def test_a_damaged_cache_is_measured_again(write, home):
    path = write("a.wav", noise(1.0))
    level = measure_file(path).measures.rms_dbfs
    for kept in (home / "cache" / "measures").glob("*.npz"):
        kept.write_bytes(b"PK\x03\x04 not this")
    assert measure_file(path).measures.rms_dbfs == level
    assert cache.load("no such content") is None


def test_measuring_stops_when_cancelled(write, home):
    stop = threading.Event()
    paths = [write(f"{i}.wav", noise(1.0, i)) for i in range(6)]
    with pytest.raises(Cancelled):
        for index, _ in enumerate(measure_files([(path, None) for path in paths], cancelled=stop, workers=1)):
            if index == 0:
                stop.set()


def test_progress_counts_every_file(write, home):
    seen = []
    paths = [write(f"{i}.wav", noise(0.2, i)) for i in range(4)]
    list(measure_files([(path, None) for path in paths], progress=lambda done, total, name: seen.append((done, total))))
    assert seen == [(1, 4), (2, 4), (3, 4), (4, 4)]
