"""Meters that are fed block by block: the length of the blocks must not matter."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.measure.faults.clipping import ClipMeter
from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter
from all_even.measure.level.stereo import correlation
from all_even.measure.level.third_octave import ThirdOctaveMeter
from all_even.measure.level.true_peak import TruePeakMeter, oversampling, true_peak
from all_even.measure.recording.track import Measurement
from tests.conftest import RATE, noise, sine, stereo
from tests.measuring import measure_samples

SOUND = np.stack([noise(1.3, 1), np.clip(noise(1.3, 2, level=0.4), -0.5, 0.5)], axis=1)

lengths = st.lists(st.integers(1, 9000), min_size=1, max_size=30)


def blocks(cuts: list[int]) -> list[np.ndarray]:
    edges = [0, *np.cumsum(cuts).tolist()]
    pieces = [SOUND[a:b] for a, b in itertools.pairwise(edges)]
    return [np.ascontiguousarray(piece) for piece in [*pieces, SOUND[edges[-1] :]] if len(piece)]


@settings(max_examples=25, deadline=None)
@given(lengths)
def test_figures_do_not_depend_on_the_blocks(cuts):
    parts = Measurement(RATE, 2)
    for block in blocks(cuts):
        parts.add(block.copy())
    found, whole = parts.result(), measure_samples(SOUND, RATE)
    assert found.frames == whole.frames == len(SOUND)
    assert found.clipped_runs == whole.clipped_runs > 0
    for name in ("true_peak_dbtp", "rms_dbfs", "integrated_lufs", "correlation", "balance_db", "dc_offset"):
        assert getattr(found, name) == pytest.approx(getattr(whole, name), abs=1e-5), name
    np.testing.assert_allclose(found.hops.weighted, whole.hops.weighted, rtol=1e-5)
    np.testing.assert_allclose(found.third_octave_db, whole.third_octave_db, atol=1e-4)


def test_true_peak_is_never_under_the_sample_peak_and_blocks_do_not_matter():
    meter = TruePeakMeter(RATE, 2)
    for block in blocks([100, 7, 4000, 1]):
        meter.add(block)
    assert meter.flush() == pytest.approx(true_peak(SOUND, RATE), rel=1e-6)
    assert meter.peak >= np.abs(SOUND).max()


@pytest.mark.parametrize(("rate", "factor"), [(44_100, 4), (48_000, 4), (96_000, 2), (192_000, 1), (384_000, 1)])
def test_oversampling_follows_the_rate(rate, factor):
    """BS.1770-5 Annex 2: at least 192 kHz after oversampling; higher rates need less of it."""
    assert oversampling(rate) == factor


def test_skipping_stretches_finds_the_same_peak_as_looking_everywhere():
    """The loudest stretch is not the one with the highest peak between samples."""
    time = np.arange(4800)
    between = 0.70 * np.sin(np.pi / 2 * time + np.pi / 4)
    quiet = sine(1000.0, 0.1, -6.0)
    signal = np.concatenate([quiet, np.hanning(4800) * between, quiet]).astype(np.float32)[:, np.newaxis]
    assert true_peak(signal, RATE) == pytest.approx(0.70, rel=0.02)


def test_a_short_sound_is_measured_too():
    for frames in (1, 10, 479, 480, 5000):
        measures = measure_samples(stereo(sine(1000.0, 1.0, -6.0))[:frames], RATE)
        assert measures.frames == frames
        assert measures.integrated_lufs is None


@pytest.mark.parametrize("rate", [4_000, 8_000, 22_050, 192_000, 384_000])
def test_every_rate_is_measured(rate):
    measures = measure_samples(sine(440.0, 2.0, -12.0, rate=rate)[:, np.newaxis].astype(np.float32), rate)
    assert measures.rms_dbfs == pytest.approx(-15.01, abs=0.05)
    assert measures.integrated_lufs == pytest.approx(-15.7, abs=0.5)


def test_hops_hold_extremes_and_means():
    meter = HopMeter(RATE, 1)
    meter.add((noise(0.1) + 0.05)[:, np.newaxis])
    hops = meter.result()
    assert len(hops) == 10
    assert (hops.low < hops.mean).all()
    assert (hops.mean < hops.high).all()
    assert hops.mean.mean() == pytest.approx(0.05, abs=0.01)


def test_a_flat_top_is_one_run_however_long_it_is():
    meter = ClipMeter(1)
    ramp = np.linspace(0.0, 0.8, 9)
    meter.add(np.concatenate([ramp, np.full(500, 0.8), ramp[::-1], np.zeros(10)]).astype(np.float32)[:, np.newaxis])
    assert meter.runs(-0.1, 0.8) == 1


def test_held_values_below_the_peak_are_not_clipping():
    meter = ClipMeter(1)
    meter.add(np.repeat([0.0, 0.3, 0.1, 0.3, 0.9, 0.0], 5).astype(np.float32)[:, np.newaxis])
    assert meter.runs(0.0, 0.95) == 0


def test_an_octave_of_pink_noise_is_level_in_third_octaves():
    """Textbook: power falling as 1/f gives equal power per fractional octave."""
    spectrum = np.fft.rfft(noise(20.0))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    pink = np.fft.irfft(spectrum)
    meter = ThirdOctaveMeter(RATE, 1)
    meter.add((0.1 * pink / np.abs(pink).max()).astype(np.float32)[:, np.newaxis])
    levels = np.array(meter.result_db()[6:26])
    assert np.ptp(levels) < 2.0


def test_silence_has_neither_loudness_nor_correlation():
    meter = HopMeter(RATE, 2)
    meter.add(np.zeros((RATE, 2), dtype=np.float32))
    hops = meter.result()
    assert correlation(hops) is None
    assert loudness.integrated_lufs(hops.weighted) is None
    assert not loudness.active_steps(hops.weighted).any()
    assert np.isneginf(loudness.momentary_lufs(hops.weighted)).all()
