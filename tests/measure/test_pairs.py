"""Files that belong together: offsets, polarity, duplicates, and what only plays together."""

import numpy as np
import pytest

from all_even.measure.recording.files import measure_file
from all_even.measure.recording.pairs import find_pairs
from tests.conftest import RATE, noise
from tests.measure.sounds import kick, placed, plucked, snare

SECONDS = 8.0
TIMES = [0.3 + 0.61 * i for i in range(11)]


def delayed(sound: np.ndarray, ms: float) -> np.ndarray:
    """Later by any time, exactly, in the spectrum."""
    spectrum = np.fft.rfft(np.append(sound, np.zeros(RATE)))
    frequency = np.fft.rfftfreq(len(sound) + RATE, 1.0 / RATE)
    return np.fft.irfft(spectrum * np.exp(-2j * np.pi * frequency * ms / 1000.0))[: len(sound)]


@pytest.fixture
def drums():
    levels = np.random.default_rng(4).uniform(0.6, 1.0, len(TIMES))
    return 0.5 * placed(kick(), TIMES, SECONDS, levels) + 0.3 * placed(
        snare(), [t + 0.3 for t in TIMES], SECONDS, levels
    )


@pytest.fixture
def pairs(write, home):
    def found(*sounds: np.ndarray, rates=None):
        reports = []
        for index, sound in enumerate(sounds):
            rate = RATE if rates is None else rates[index]
            samples = sound + 1e-5 * noise(len(sound) / RATE, seed=50 + index)[: len(sound)]
            if rate != RATE:
                import soxr

                samples = soxr.resample(samples, RATE, rate)
            reports.append(measure_file(write(f"{index}.wav", samples, rate=rate)))
        return find_pairs(reports)

    return found


@pytest.mark.parametrize("ms", [0.35, 2.61, 7.37, 24.3])
def test_an_offset_is_found_to_a_hundredth_of_a_millisecond(pairs, drums, ms):
    found = {pair.kind: pair.value for pair in pairs(drums, 0.4 * delayed(drums, ms) + 0.02 * noise(SECONDS))}
    assert found["offset"] == pytest.approx(ms, abs=0.01)
    assert found["polarity"] == 1.0


def test_polarity_and_direction_are_told(pairs, drums):
    found = {pair.kind: pair.value for pair in pairs(delayed(drums, 3.1), -drums)}
    assert found["offset"] == pytest.approx(-3.1, abs=0.01)
    assert found["polarity"] == -1.0


def test_rates_may_differ(pairs, drums):
    found = {pair.kind: pair.value for pair in pairs(drums, -0.5 * delayed(drums, 1.7), rates=(48_000, 44_100))}
    assert found["offset"] == pytest.approx(1.7, abs=0.03)
    assert found["polarity"] == -1.0


def test_a_copy_is_a_duplicate_also_softer(pairs, drums):
    found = pairs(drums, 0.5 * drums)
    assert [pair.kind for pair in found] == ["duplicate"]
    assert found[0].value < -50.0


def test_a_copy_that_starts_seconds_later_is_found(pairs, drums):
    late = np.concatenate((np.zeros(round(1.5 * RATE)), drums))
    found = {pair.kind: pair.value for pair in pairs(drums, late)}
    assert found["offset"] == pytest.approx(1500.0, abs=0.05)
    assert "duplicate" in found


def test_parts_that_only_play_together_are_no_pair(pairs):
    """Kick, bass and snare of one rhythm; two takes of one line."""
    bass = plucked([(time, 0.5, 55.0 * 2 ** (i % 5 / 12)) for i, time in enumerate(TIMES)], SECONDS)
    other = plucked([(time + 0.004 * (i % 3), 0.5, 55.1 * 2 ** (i % 5 / 12)) for i, time in enumerate(TIMES)], SECONDS)
    assert pairs(placed(kick(), TIMES, SECONDS), placed(snare(), TIMES, SECONDS), bass, other * 0.8) == ()


def test_silence_belongs_to_nothing(pairs, drums):
    assert pairs(np.zeros(len(drums)), drums) == ()
    assert pairs() == ()
