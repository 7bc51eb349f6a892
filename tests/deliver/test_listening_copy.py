"""The listening copy: as loud as four limits let it be, its true peak under the ceiling, the mix untouched."""

import numpy as np
import pyloudnorm
import pytest
import soundfile
from scipy import signal

from all_even.deliver import listening_copy
from all_even.deliver.listening_copy import MOST_DB, STEP_DB, best
from all_even.errors import UserError
from all_even.figures.dynamics import limited as limited_figures
from all_even.figures.dynamics.limited import CEILING_DBTP, limited, tried
from all_even.measure.level.true_peak import true_peak
from all_even.measure.sharing.duck import ripple_db as duck_ripple
from tests.measure.sounds import RATE, kick, placed, plucked, snare

SECONDS = 14.0
HITS_S = np.arange(0.2, SECONDS - 0.5, 0.5)


def song(peak_dbfs: float = -5.0, hits: float = 1.0) -> np.ndarray:
    """Drums over a bass and held tones, (frames, 2)."""
    time = np.arange(round(SECONDS * RATE)) / RATE
    notes = [(0.2 + 0.5 * i, 0.45, (55.0, 65.4, 49.0)[i % 3]) for i in range(26)]
    drums = placed(kick(), HITS_S[::2], SECONDS) + 0.8 * placed(snare(), HITS_S[1::2], SECONDS)
    bed = plucked(notes, SECONDS, slope=1.3)
    tones = sum(np.sin(2 * np.pi * hz * time) for hz in (220.0, 277.2, 329.6)) / 3.0
    mono = hits * drums + 0.5 * bed / np.abs(bed).max() + 0.3 * tones
    sides = np.stack([mono, mono + 0.05 * np.roll(tones, 200)], axis=1)
    return (10.0 ** (peak_dbfs / 20.0) * sides / np.abs(sides).max()).astype(np.float32)


@pytest.fixture(scope="module")
def copy():
    return best(song(), RATE, list(HITS_S))


def test_all_four_limits_are_kept_and_the_next_step_breaks_one(copy):
    assert copy.chosen.is_kept
    assert copy.stopped is None or not copy.stopped.is_kept
    if copy.stopped is not None:
        assert copy.stopped.gain_db == copy.chosen.gain_db + STEP_DB
    else:
        assert copy.chosen.gain_db == MOST_DB


def test_it_is_louder_and_its_true_peak_stays_under_the_ceiling(copy):
    assert copy.chosen.gain_db > 3.0
    assert copy.chosen.true_peak_dbtp <= CEILING_DBTP + 0.1
    # Sixteen times oversampled by SciPy's resampler, a second opinion.
    finely = signal.resample_poly(copy.samples.astype(np.float64), 16, 1, axis=0)
    assert 20.0 * np.log10(np.abs(finely).max()) <= CEILING_DBTP + 0.1


def test_loudness_is_that_of_a_reference_library(copy):
    # pyloudnorm: ITU-R BS.1770-4.
    meter = pyloudnorm.Meter(RATE)
    assert copy.chosen.lufs == pytest.approx(meter.integrated_loudness(copy.samples.astype(np.float64)), abs=0.1)
    rise = copy.chosen.lufs - meter.integrated_loudness(song().astype(np.float64))
    assert copy.chosen.lost_lu == pytest.approx(copy.chosen.gain_db - rise, abs=0.1)


def test_each_limit_says_more_with_more_gain():
    told = [tried(song(), RATE, list(HITS_S), gain_db)[0] for gain_db in (3.0, 9.0, 15.0)]
    for name in ("lost_lu", "hits_db", "pump_db", "ripple_db"):
        values = [getattr(item, name) for item in told]
        assert values == sorted(values), name


def test_under_the_ceiling_nothing_is_lost_and_nothing_is_changed():
    mix = song(peak_dbfs=-20.0)
    found, out = tried(mix, RATE, list(HITS_S), 6.0)
    assert found.lost_lu == pytest.approx(0.0, abs=0.01)
    assert found.hits_db == pytest.approx(0.0, abs=0.01)
    assert found.pump_db == pytest.approx(0.0, abs=0.01)
    np.testing.assert_allclose(out, mix * 10.0 ** (6.0 / 20.0), atol=2e-6)


def test_a_mix_that_is_over_by_itself_is_made_softer():
    found = best(song(peak_dbfs=9.0), RATE, list(HITS_S))
    assert found.chosen.gain_db < 0.0
    assert found.chosen.is_kept
    assert found.chosen.true_peak_dbtp <= CEILING_DBTP + 0.1
    assert "softer" in found.words


def test_the_level_of_the_mix_does_not_change_what_comes_out():
    one, other = best(song(-5.0), RATE, list(HITS_S)), best(song(-8.0), RATE, list(HITS_S))
    if other.stopped is not None:
        assert one.chosen.lufs == pytest.approx(other.chosen.lufs, abs=0.3)
    assert other.chosen.gain_db >= one.chosen.gain_db


def test_few_hits_are_no_limit_and_silence_is_refused():
    found, _ = tried(song(), RATE, [1.0], 6.0)
    assert found.hits_db is None
    assert found.limits[1][1] == "no strong hits"
    with pytest.raises(UserError, match="silent"):
        best(np.zeros((RATE, 2), dtype=np.float32), RATE)


def test_ripple_of_a_gain_that_shakes_is_its_depth():
    time = np.arange(4 * RATE) / RATE
    sound = np.tile(np.sin(2 * np.pi * 300.0 * time)[:, None], 2)
    shaking = 20.0 * np.log10(1.0 + 0.05 * np.sin(2 * np.pi * 200.0 * time))
    # Power of a modulation of 5 %: 0.05^2 / 2.
    assert limited_figures.ripple_db(sound, shaking, RATE) == pytest.approx(10.0 * np.log10(0.05**2 / 2.0), abs=0.3)
    slow = -6.0 + 3.0 * np.sin(2 * np.pi * 1.0 * time)
    assert limited_figures.ripple_db(sound, slow, RATE) < -45.0
    assert duck_ripple(sound[:, 0], slow, RATE) < -40.0


def test_pump_is_what_moves_between_half_a_hertz_and_eight():
    time = np.arange(20 * RATE) / RATE
    swing = 2.0 * np.sin(2 * np.pi * 2.0 * time)
    assert limited_figures.pump_db(swing, RATE) == pytest.approx(np.sqrt(2.0), abs=0.05)
    assert limited_figures.pump_db(2.0 * np.sin(2 * np.pi * 0.05 * time), RATE) < 0.1
    assert limited_figures.pump_db(2.0 * np.sin(2 * np.pi * 30.0 * time), RATE) < 0.25


def test_it_is_on_time_with_the_mix():
    mix = song()
    out, _ = limited(mix, RATE, 2.0)
    assert len(out) == len(mix)
    lag = np.argmax(signal.correlate(out[:RATE, 0], mix[:RATE, 0], "full")) - (RATE - 1)
    assert lag == 0


def test_the_file_is_what_was_found(copy, tmp_path):
    written = listening_copy.write(copy, listening_copy.beside(tmp_path / "Song.wav"))
    assert written.path.name == "Song listening copy.wav"
    sound, rate = soundfile.read(written.path)
    assert rate == RATE
    peak = true_peak(sound.astype(np.float32), RATE)
    assert 20.0 * np.log10(peak) <= CEILING_DBTP + 0.1
    np.testing.assert_allclose(sound, copy.samples, atol=2e-7 * 2)
