"""Hits that hide: strokes into a ringing tail, drums that swell twice, a kick just behind a hat."""

import numpy as np

from all_even.measure.pitch import notes
from all_even.measure.time import hits, tails
from all_even.measure.time.traces import trace_samples
from tests.measure.sounds import RATE, click, decay, kick, placed


def kick_hits(sound: np.ndarray) -> np.ndarray:
    return np.array(hits.find_hits(trace_samples(sound[:, np.newaxis], RATE), kick=True).times_s)


def test_a_drum_that_swells_once_more_after_its_attack_is_one_hit():
    times = [0.5, 1.1, 1.7, 2.3, 2.9]
    swell = 1.2 * decay(50.0, 120.0, 0.4)
    swell *= np.minimum(1.0, np.arange(len(swell)) / (0.025 * RATE)) ** 2
    shell = 0.3 * decay(220.0, 300.0, 0.5)
    swells = placed(swell, [time + 0.095 for time in times], 4.0)
    found = kick_hits(placed(kick(55.0, 60.0), times, 4.0) + placed(shell, times, 4.0) + swells)
    assert len(found) == len(times)
    np.testing.assert_allclose(found, times, atol=0.005)


def test_a_second_stroke_that_only_holds_the_level_of_the_first_counts():
    """A ringing floor tom struck twice: its own band hardly moves, its attack is its own."""
    quarter_s = 7.25 / 82.0  # a quarter of a period off: neither adds nor cancels
    times = [0.5, 0.5 + quarter_s, 2.0, 2.0 + quarter_s, 3.5, 3.5 + quarter_s]
    stroke = kick(82.0, 500.0, sweep_hz=0.0, beater=0.6)
    found = kick_hits(placed(stroke, times, 5.0))
    np.testing.assert_allclose(found, times, atol=0.008)


def test_a_kick_just_behind_a_hat_is_still_found():
    times = [0.5, 1.0, 1.512, 2.0, 2.511, 3.0]
    hats = 0.15 * click(5, seconds=0.05)
    found = kick_hits(placed(kick(beater=0.02), times, 4.0) + placed(hats, np.arange(0.0, 3.9, 0.25), 4.0))
    assert len(found) == len(times)
    np.testing.assert_allclose(found, times, atol=0.010)


def test_the_tail_is_that_of_hits_that_stand_alone():
    """Most hits come on top of the tail before: their own looks shorter. Those that do not tell the length."""
    times = [0.2, 0.32, 1.5, 1.62, 2.8, 2.92, 4.1, 4.22, 5.4]
    level = tails.envelope_db(trace_samples(placed(decay(55.0, 400.0, 1.2), times, 6.6)[:, np.newaxis], RATE).low)
    found = tails.typical(tails.tails(level, times))
    assert found is not None
    assert not found.estimated
    assert abs(found.ms - 400.0) < 40.0


def test_a_note_without_a_pitch_at_first_begins_where_it_was_struck():
    """100 ms of noise before the string is heard, as in a slap."""
    starts = [0.3, 1.0, 1.7, 2.4]
    time = np.arange(round(0.6 * RATE)) / RATE
    tone = sum(np.sin(2 * np.pi * 82.4 * k * time) / k for k in range(1, 20)) * np.clip((time - 0.1) / 0.02, 0.0, 1.0)
    noise = np.random.default_rng(1).standard_normal(len(time)) * (time < 0.11)
    found = notes.find_notes(trace_samples(placed(0.2 * tone + 0.3 * noise, starts, 3.2)[:, np.newaxis], RATE))
    assert len(found) == len(starts)
    np.testing.assert_allclose([note.start_s for note in found], starts, atol=0.02)
    np.testing.assert_allclose([note.frequency_hz for note in found], 82.4, rtol=0.005)
