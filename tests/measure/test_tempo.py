"""Tempo, beats and bars of hits with known places."""

import numpy as np
import pytest

from all_even.measure.time import sections, timing
from all_even.measure.time.tempo import Train, find_tempo


def rock(bpm: float, bars: int, *, first_s: float = 0.0, jitter_s: float = 0.0, seed: int = 1) -> list[Train]:
    """Kick on one and two-and, snare on two and four, hats in eighths."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm

    def at(beats) -> tuple[float, ...]:
        times = [first_s + (4 * bar + place) * beat for bar in range(bars) for place in beats]
        return tuple(float(t) for t in np.array(times) + rng.normal(0.0, jitter_s, len(times)))

    return [Train(at((0, 2.5)), "kick"), Train(at((1, 3)), "snare"), Train(at(np.arange(0, 4, 0.5)), "other")]


@pytest.mark.parametrize("bpm", [70.3, 88.8, 104.0, 131.3, 169.7])
def test_a_steady_tempo_is_found_with_its_beats_and_bars(bpm):
    found = find_tempo(rock(bpm, 12, first_s=0.4), 12 * 240.0 / bpm + 1.0)
    assert found is not None
    assert found.steady
    assert found.bpm == pytest.approx(bpm, abs=0.02)
    assert min(abs(found.downbeats_s[0] - 0.4), abs(found.downbeats_s[1] - 0.4)) < 0.003
    beats = 0.4 + np.arange(48) * 60.0 / bpm
    assert max(np.abs(np.array(found.beats_s) - beat).min() for beat in beats) < 0.003


def test_players_who_are_not_machines_still_have_a_tempo():
    found = find_tempo(rock(97.0, 16, jitter_s=0.008), 40.0)
    assert found is not None
    assert found.bpm == pytest.approx(97.0, abs=0.1)


def test_a_tempo_that_changes_is_followed():
    """From 100 to 120 BPM in a minute."""
    beats = [0.0]
    while beats[-1] < 60.0:
        beats.append(beats[-1] + 60.0 / (100.0 + 20.0 * beats[-1] / 60.0))
    times = np.array(beats)
    halves = np.interp(np.arange(0, len(times) - 1, 0.5), np.arange(len(times)), times)
    found = find_tempo(
        [Train(tuple(times[::2]), "kick"), Train(tuple(times[1::2]), "snare"), Train(tuple(halves))], 60.0
    )
    assert found is not None
    assert not found.steady
    assert max(np.abs(np.array(found.beats_s) - beat).min() for beat in times[:-1]) < 0.020


def test_hits_without_a_pulse_have_no_tempo():
    rng = np.random.default_rng(0)
    assert find_tempo([Train(tuple(np.sort(rng.uniform(0.0, 60.0, 200))))], 60.0) is None
    assert find_tempo([Train((0.0, 0.5, 1.0))], 2.0) is None
    assert find_tempo([], 10.0) is None


def test_late_hits_read_late_against_the_grid_and_each_other():
    trains = rock(100.0, 12)
    found = find_tempo(trains, 30.0)
    assert found is not None
    late = tuple(time + 0.012 for time in trains[0].times_s)
    against = timing.against_grid(late, found)
    assert against is not None
    assert against.late_ms == pytest.approx(12.0, abs=1.0)
    together = timing.against_each_other(late, trains[0].times_s)
    assert together is not None
    assert together.late_ms == pytest.approx(12.0, abs=0.1)
    assert timing.against_each_other(late[:2], trains[0].times_s) is None


def test_sections_stand_where_tracks_enter_and_leave():
    """Eight bars of one second: a second track plays in the middle four."""
    hop = 0.01
    always, middle = np.ones(1600), np.zeros(1600)
    middle[400:1200] = 1.0
    found = sections.find_sections([always, middle, middle], hop, [float(i) for i in range(16)])
    assert [(one.letter, one.start_s, one.end_s) for one in found] == [
        ("A", 0.0, 4.0), ("B", 4.0, 12.0), ("A", 12.0, 16.0),
    ]  # fmt: skip
    assert sections.find_sections([], hop, [0.0, 1.0]) == ()
