"""Masked share: published thresholds, invariances, and the controls that keep it honest.

Tone in noise: J. E. Hawkins and S. S. Stevens, "The masking of pure tones and of speech by white noise",
J. Acoust. Soc. Am. 22 (1950): level of a just audible tone over the noise's spectrum level (from memory).
"""

import numpy as np
import pytest

from all_even.measure.sharing import hearing, masking
from tests.conftest import RATE, noise, sine

SECONDS = 6.0


def excitation(sound: np.ndarray):
    return masking.excitation_of(np.asarray(sound)[:, np.newaxis], RATE)


@pytest.fixture(scope="module")
def tracks():
    """A voice-like, a bass-like, a bright and a soft unimportant track."""
    rng = np.random.default_rng(0)
    slow = np.repeat(rng.uniform(0.2, 1.0, 24), RATE // 4)
    return {
        "voice": excitation(slow * sum(sine(220.0 * k, SECONDS, -12.0 - 3 * k) for k in range(1, 12))),
        "bass": excitation(slow[::-1] * sum(sine(55.0 * k, SECONDS, -10.0 - 6 * k) for k in range(1, 8))),
        "hats": excitation(np.diff(noise(SECONDS, 3), prepend=0.0)),
        "pad": excitation(
            0.2 * sum(sine(330.0 * k, SECONDS, -16.0 - 3 * k) for k in range(1, 9)) + 0.02 * noise(SECONDS)
        ),
    }


@pytest.mark.parametrize(("hertz", "over_db"), [(500.0, 17.0), (1000.0, 18.0), (2000.0, 20.0), (4000.0, 23.0)])
def test_a_tone_in_noise_is_masked_at_the_published_level(hertz, over_db):
    masker = excitation(noise(SECONDS, level=1.0))
    spectrum_level = -10.0 * np.log10(RATE / 2.0)
    tone = excitation(sine(hertz, SECONDS, spectrum_level + 3.0103))
    band = int(np.argmax(tone.spread[20]))
    threshold = masking.threshold_factor()[band] * float(masker.spread[5:-5, band].mean())
    found = 10.0 * np.log10(threshold / float(np.median(tone.spread[5:-5, band])))
    assert found == pytest.approx(over_db, abs=2.0)


def test_doubling_all_levels_changes_nothing(tracks):
    plain = masking.find_masking(tracks)
    louder = masking.find_masking({name: track.scaled(6.0206) for name, track in tracks.items()})
    assert set(plain.shares) == set(tracks)
    for name, share in plain.shares.items():
        assert louder.shares[name] == pytest.approx(share, abs=1e-6)


def test_swapping_lanes_swaps_the_table(tracks):
    a, b = masking.find_masking(tracks), masking.find_masking(dict(reversed(tracks.items())))
    assert a.shares == pytest.approx(b.shares, abs=1e-9)
    first, second = masking.pair_table(a), masking.pair_table(b)
    np.testing.assert_array_equal(first["voice", "pad"].median_db, second["voice", "pad"].median_db)


def changed(before: masking.Masking, name: str, track: masking.Excitation) -> masking.Masking:
    """The table after one track changed, with the floor of the one before so that figures compare."""
    return masking.find_masking({**before.tracks, name: track}, floor=before.floor)


def test_a_table_is_compared_with_the_floor_of_the_one_before(tracks):
    before = masking.find_masking(tracks)
    quieter = changed(before, "pad", tracks["pad"].scaled(-9.0))
    assert quieter.floor == before.floor
    anew = masking.find_masking(quieter.tracks)
    for name in tracks:
        assert quieter.shares[name] == pytest.approx(anew.shares[name], abs=2e-3)
    gone = changed(before, "pad", excitation(np.zeros(100)))
    assert gone.shares["pad"] is None
    assert gone.shares["voice"] < before.shares["voice"]


def test_the_pair_table_says_who_covers_whom_and_where(tracks):
    table = masking.pair_table(masking.find_masking(tracks))
    centres = masking.centres_hz()
    pair = table["voice", "pad"]
    assert float(pair.weight.sum()) == pytest.approx(1.0, abs=1e-4)
    assert np.nanmax(table["voice", "bass"].above[centres > 3000.0]) < 0.2
    both = table["pad", "voice"].median_db + pair.median_db
    factor = 20.0 * np.log10(masking.threshold_factor())
    heard = np.isfinite(both) & (np.abs(both) < 50.0) & (pair.overlap > 0.9) & (table["pad", "voice"].overlap > 0.9)
    assert heard.any()
    np.testing.assert_allclose(both[heard], factor[heard], atol=1.0)
    assert set(masking.pair_table(masking.find_masking(tracks), ["pad"])) == {pair for pair in table if "pad" in pair}


def test_a_section_is_judged_by_itself():
    late = np.concatenate((np.zeros(3 * RATE), noise(3.0, 5)))
    tone = sine(1000.0, SECONDS, -52.0)
    table = masking.find_masking({"tone": excitation(tone), "noise": excitation(late)})
    first, second = table.section(0.0, 2.8), table.section(3.2, 6.0)
    assert first["tone"] < 0.1 < 0.5 < second["tone"]
    assert first["noise"] is None


def test_silence_has_no_share_and_breaks_nothing():
    table = masking.find_masking({"a": excitation(np.zeros(RATE)), "b": excitation(np.zeros(0))})
    assert table.shares == {"a": None, "b": None}
    assert table.importance_mean({}) is None
    assert masking.find_masking({}).shares == {}


def test_blocks_of_any_length_give_the_same(tracks):
    sound = np.stack([noise(1.0, 1), noise(1.0, 2)], axis=1)
    meter = masking.BandPowerMeter(RATE, sound.shape[1])
    for start in range(0, len(sound), 777):
        meter.add(sound[start : start + 777])
    np.testing.assert_allclose(
        masking.excitation_of_power(meter.result().mean(axis=0), RATE).spread,
        masking.excitation_of(sound, RATE).spread,
        rtol=1e-4,
        atol=1e-12,
    )


def test_the_erb_scale_is_that_of_glasberg_and_moore():
    """Hear. Res. 47 (1990), equation 3: ERB of 1 kHz is 132.6 Hz; equation 4: 15.6 ERB below 1 kHz."""
    assert float(hearing.erb_hz(1000.0)) == pytest.approx(132.64, abs=0.01)
    assert float(hearing.erb_number(1000.0)) == pytest.approx(15.62, abs=0.01)
    assert float(hearing.frequency_of(hearing.erb_number(440.0))) == pytest.approx(440.0)


def test_a_weighting_is_that_of_the_standard():
    """IEC 61672-1, table of nominal frequencies: -39.4 dB at 31.5 Hz, -19.1 at 100, 0 at 1 k, +1.0 at 4 k."""
    for hertz, wanted in ((31.62, -39.4), (100.0, -19.1), (1000.0, 0.0), (3981.0, 1.0), (10_000.0, -2.5)):
        assert 10.0 * np.log10(float(hearing.a_weighting(hertz))) == pytest.approx(wanted, abs=0.1)
