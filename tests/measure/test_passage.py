"""The loudest passage of a mix: the right place, at its own loudness, sure of the key; its key, by pitch classes."""

import numpy as np
import pytest
import soxr
from scipy import signal

from all_even.measure.level import passage, zones
from all_even.measure.level.passage import slope_db_per_octave
from all_even.measure.pitch import key as keys
from tests.measure.sounds import both, pink, plucked

RATE = 48_000


def of(sound: np.ndarray, rate: int = RATE):
    sound = np.ascontiguousarray(sound, dtype=np.float32)
    return passage.passage(lambda start, count: sound[start : start + count], len(sound), sound.shape[1], rate)


def test_the_loudest_twenty_seconds_are_found():
    sound = both(pink(60.0)) * 0.2
    sound[25 * RATE : 45 * RATE] *= 4.0
    found = of(sound)
    assert found.start_s == pytest.approx(25.0, abs=0.1)
    assert found.length_s == pytest.approx(20.0, abs=0.1)


def test_a_level_changes_nothing_but_the_loudness():
    one, other = of(both(pink(25.0))), of(0.25 * both(pink(25.0)))
    assert one.integrated_lufs - other.integrated_lufs == pytest.approx(12.04, abs=0.02)
    np.testing.assert_allclose(one.zones_db, other.zones_db, atol=0.02)
    assert one.peak_to_loudness_db == pytest.approx(other.peak_to_loudness_db, abs=0.02)
    assert one.low_share_db == pytest.approx(other.low_share_db, abs=0.02)


def test_pink_noise_falls_by_3_db_per_octave_and_white_by_none():
    assert slope_db_per_octave(of(both(pink(25.0))).bands_db) == pytest.approx(-3.01, abs=0.2)
    white = 0.1 * np.random.default_rng(2).standard_normal(25 * RATE)
    assert slope_db_per_octave(of(both(white)).bands_db) == pytest.approx(0.0, abs=0.2)


def test_more_lows_are_a_larger_low_share():
    sound = pink(25.0)
    sections = signal.butter(2, 100.0, "lowpass", fs=RATE, output="sos")
    more = of(both(sound + signal.sosfilt(sections, sound)))
    assert more.low_share_db - of(both(sound)).low_share_db > 2.0


def test_width_is_side_over_mid():
    middle, side = pink(25.0, 1), pink(25.0, 2)
    found = of(np.stack([middle + 0.5 * side, middle - 0.5 * side], axis=1))
    expected = 10.0 * np.log10(0.25 * np.mean(side**2) / np.mean(middle**2))
    np.testing.assert_allclose(found.width_db, expected, atol=1.0)
    assert set(of(both(middle)).width_db) == {passage.NARROWEST_DB}


def test_another_key_moves_the_low_bands_little():
    notes = [(0.1 + 0.5 * i, 0.45, (55.0, 65.4, 73.4, 49.0)[i % 4]) for i in range(48)]
    sound = plucked(notes, 25.0, slope=1.0) + 0.02 * pink(25.0)
    three = plucked([(at, length, hz * 2.0 ** (3 / 12)) for at, length, hz in notes], 25.0, slope=1.0) + 0.02 * pink(
        25.0
    )
    one, other = of(both(sound)), of(both(three))
    moved = [abs(a - b) for a, b in zip(one.zones_db[:2], other.zones_db[:2], strict=True)]
    assert max(moved) < 4.0
    assert abs(one.low_share_db - other.low_share_db) < 2.0


def test_silence_has_no_passage_and_a_short_sound_is_one():
    assert of(np.zeros((RATE * 5, 2))) is None
    assert of(both(pink(3.0))).length_s == pytest.approx(3.0, abs=0.02)


def test_the_rate_does_not_matter():
    sound = both(pink(22.0))
    other = soxr.resample(sound, RATE, 44_100)
    np.testing.assert_allclose(of(sound).zones_db, of(other, 44_100).zones_db, atol=0.3)
    assert len(of(sound).zones_db) == len(zones.NAMES)


# The key.


SEMITONES = {
    "major": ((0, 4, 7), (5, 9, 0), (7, 11, 2), (0, 4, 7)),
    "minor": ((0, 3, 7), (5, 8, 0), (7, 10, 2), (0, 3, 7)),
}


def cadence(tonic: int, mode: str, rate: int = RATE) -> np.ndarray:
    """Tonic, subdominant, dominant, tonic, in tones with five overtones."""
    time = np.arange(round(1.2 * rate)) / rate
    parts = []
    for chord in SEMITONES[mode]:
        total = np.zeros(len(time))
        for semitone in chord:
            hz = 130.81 * 2.0 ** (((tonic + semitone) % 12) / 12.0)
            total += sum(np.sin(2 * np.pi * k * hz * time) / k for k in range(1, 6))
        parts.append(total * np.hanning(len(time)))
    return 0.1 * np.concatenate(parts)


@pytest.mark.parametrize("mode", ["major", "minor"])
@pytest.mark.parametrize("tonic", range(12))
def test_the_key_of_a_cadence(tonic, mode):
    found = keys.key_of(keys.pitch_classes(cadence(tonic, mode), RATE))
    assert found is not None
    assert found.name == f"{keys.NAMES[tonic]} {mode}"


def test_silence_and_even_noise_have_no_key():
    assert keys.key_of(keys.pitch_classes(np.zeros(RATE), RATE)) is None
    assert keys.key_of(np.full(12, 1.0 / 12.0)) is None
