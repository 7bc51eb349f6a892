"""Tails, pitches and note names against sounds with known ones, and equal temperament."""

import numpy as np
import pytest

from all_even.measure.pitch import pitch
from all_even.measure.time import tails
from all_even.measure.time.hits import find_hits
from all_even.measure.time.traces import trace_samples
from tests.measure.sounds import RATE, decay, kick, placed

TIMES = [0.2 + 0.9 * i for i in range(6)]


def read(sound: np.ndarray):
    traces = trace_samples(sound[:, np.newaxis], RATE)
    found = find_hits(traces, kick=True)
    level = tails.envelope_db(traces.low)
    return found, tails.typical(tails.tails(level, found.times_s)), pitch.kick_pitch(traces.low, level, found.times_s)


@pytest.mark.parametrize("tail_ms", [80.0, 150.0, 250.0, 400.0])
def test_a_tail_is_the_time_to_minus_20_db(tail_ms):
    _, tail, _ = read(placed(kick(55.0, tail_ms), TIMES, 6.0))
    assert tail is not None
    assert not tail.estimated
    assert tail.ms == pytest.approx(tail_ms, rel=0.12)


def test_a_tail_under_the_noise_is_estimated_and_says_so():
    sound = placed(kick(55.0, 300.0), TIMES, 6.0)
    rng = np.random.default_rng(2)
    _, tail, _ = read(sound + 0.5 * rng.standard_normal(len(sound)))
    assert tail is not None
    assert tail.estimated
    assert tail.ms == pytest.approx(300.0, rel=0.25)


def test_a_tail_longer_than_the_beat_is_carried_on():
    sound = placed(kick(50.0, 700.0), [0.2 + 0.4 * i for i in range(10)], 4.2)
    traces = trace_samples(sound[:, np.newaxis], RATE)
    times = find_hits(traces, kick=True).times_s
    assert len(times) == 10
    found = [tail for tail in tails.tails(tails.envelope_db(traces.low), times) if tail is not None]
    assert all(tail.estimated for tail in found)
    assert tails.typical(found).ms == pytest.approx(700.0, rel=0.25)


@pytest.mark.parametrize("frequency", [43.65, 55.0, 61.7])
def test_a_kick_that_holds_its_pitch_is_settled_within_10_cents(frequency):
    _, _, found = read(placed(kick(frequency, 250.0), TIMES, 6.0))
    assert found.state == "settled"
    assert abs(pitch.cents_between(found.frequency_hz, frequency)) < 10.0


def test_a_kick_that_glides_or_sweeps_has_no_note():
    time = np.arange(round(0.6 * RATE)) / RATE

    def falling(semitones_per_s: float) -> np.ndarray:
        phase = np.cumsum(60.0 * 2.0 ** (-semitones_per_s * time / 12.0)) / RATE
        return np.sin(2 * np.pi * phase) * 10.0 ** (-time / 0.25) * np.minimum(1.0, time / 0.001)

    assert read(placed(falling(5.0), TIMES, 6.0))[2].state == "gliding"
    swept = read(placed(falling(24.0), TIMES, 6.0))[2]
    assert swept.state == "none"
    assert swept.frequency_hz is None
    assert swept.peak_hz is not None


def test_notes_have_the_frequencies_of_equal_temperament():
    """A4 = 440 Hz; E1 41.20, A1 55.00, D2 73.42 Hz are the tabulated values of twelve-tone equal temperament."""
    for name, hertz in (("E1", 41.20), ("A1", 55.00), ("D2", 73.42), ("A4", 440.0)):
        found = pitch.named(hertz)
        assert found.name == name
        assert abs(found.cents) < 0.3
        assert pitch.hertz(found.midi) == pytest.approx(hertz, abs=0.005)


def test_the_peak_of_a_long_note_is_found_between_the_bins():
    time = np.arange(4000 // 2) / 4000.0
    found = pitch.peak_hz(np.sin(2 * np.pi * 41.2 * time), 4000, 30.0, 60.0)
    assert abs(pitch.cents_between(found, 41.2)) < 3.0
    assert pitch.peak_hz(np.zeros(2000), 4000, 30.0, 60.0) is None
    assert pitch.peak_hz(np.zeros(4), 4000, 30.0, 60.0) is None


def test_two_equal_tones_in_phase_add_6_02_db():
    tone = decay(60.0, 5000.0, 1.0)
    assert 20.0 * np.log10(np.abs(tone + tone).max() / np.abs(tone).max()) == pytest.approx(6.0206, abs=1e-3)
