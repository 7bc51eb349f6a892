"""Words, relations and rides on sounds that say what is right."""

from itertools import pairwise

import numpy as np
import pytest

from all_even.measure.rides import phrases, riding
from all_even.measure.rides.phrases import Spans
from tests.measure.sounds import RATE
from tests.moves.share_sessions import band, held

SECONDS = 12.0
STARTS_S = np.arange(0.6, 10.5, 1.2)
WORD_S = 0.7


def line(levels_db=None) -> np.ndarray:
    levels = np.zeros(len(STARTS_S)) if levels_db is None else levels_db
    out = np.zeros(round(SECONDS * RATE))
    for start_s, level in zip(STARTS_S, levels, strict=True):
        out += held([(float(start_s), WORD_S, 220.0)], 1.3, seconds=SECONDS) * 10.0 ** (level / 20.0)
    return out


def words(sound: np.ndarray, others: np.ndarray | None = None) -> Spans:
    course = phrases.course_of(sound[:, np.newaxis], RATE)
    return phrases.find_words(course, None if others is None else phrases.course_of(others[:, np.newaxis], RATE).power)


def test_words_begin_and_end_where_they_sound():
    found = words(line())
    assert found.starts_s == pytest.approx(STARTS_S, abs=0.06)
    assert found.ends_s == pytest.approx(STARTS_S + WORD_S, abs=0.12)
    assert len(words(np.zeros(RATE))) == 0


def test_soft_words_count_and_breaths_do_not():
    levels = np.where(np.arange(len(STARTS_S)) % 3 == 1, -12.0, 0.0)
    sound, air = line(levels), band(900.0, 6000.0, 3, SECONDS)
    loud = np.sqrt(np.mean(sound[np.abs(sound) > 1e-3] ** 2))
    window = np.hanning(round(0.25 * RATE))
    planted = []
    for start_s in STARTS_S[[2, 3, 5, 6, 8]]:
        at = round((start_s - 0.32) * RATE)
        planted.append(start_s - 0.32)
        sound[at : at + len(window)] += 0.1 * loud / np.std(air) * air[at : at + len(window)] * window
    found = words(sound)
    assert len(found) == len(STARTS_S)
    assert np.abs(found.starts_s - STARTS_S).max() < 0.08
    course = phrases.course_of(sound[:, np.newaxis], RATE)
    breaths = phrases.breaths(sound[:, np.newaxis], RATE, course, found)
    assert len(breaths) == len(planted)
    assert breaths.starts_s == pytest.approx(planted, abs=0.12)


def test_what_bleeds_in_between_words_is_no_word():
    """Another line, 12 dB under this one in its microphone, sounding all the time."""
    own = line()
    other = np.zeros(len(own))
    for start_s in np.arange(0.2, 11.0, 0.9):
        other += held([(float(start_s), 0.6, 330.0)], 1.0, seconds=SECONDS)
    other *= np.sqrt(np.mean(own**2) / np.mean(other**2))
    mixed = own + 10.0 ** (-12.0 / 20.0) * other
    with_bleed = words(mixed, other)
    assert len(with_bleed) == len(STARTS_S)
    assert with_bleed.starts_s == pytest.approx(STARTS_S, abs=0.12)


def test_phrases_are_parted_by_longer_gaps():
    found = Spans(np.array([0.0, 0.5, 1.5]), np.array([0.4, 1.1, 2.0]))
    assert phrases.phrases_of(found).tolist() == [0, 0, 1]
    assert len(phrases.phrases_of(Spans(np.zeros(0), np.zeros(0)))) == 0


FRAME_S = 0.02


def powers(levels_db, backing_db) -> tuple[np.ndarray, np.ndarray]:
    own, backing = np.zeros(600), np.zeros(600)
    times = np.arange(600) * FRAME_S
    for start_s, level in zip(STARTS_S, levels_db, strict=True):
        own[(times >= start_s) & (times < start_s + WORD_S)] = 10.0 ** (level / 10.0)
    backing[:] = 10.0 ** (np.asarray(backing_db(times)) / 10.0)
    return own, backing


def test_the_relation_is_level_less_backing():
    levels = np.linspace(-6.0, 6.0, len(STARTS_S))
    own, backing = powers(levels, lambda t: np.full(len(t), -10.0))
    found = riding.relations_db(own, backing, FRAME_S, STARTS_S, STARTS_S + WORD_S)
    assert found == pytest.approx(levels + 10.0, abs=0.01)
    nothing = riding.relations_db(own, np.zeros(600), FRAME_S, STARTS_S, STARTS_S + WORD_S)
    assert np.isnan(nothing).all()


def test_a_crescendo_of_all_needs_no_ride():
    swell = np.linspace(-9.0, 0.0, len(STARTS_S))
    own, backing = powers(swell, lambda t: -10.0 + np.interp(t, STARTS_S, swell))
    relation = riding.relations_db(own, backing, FRAME_S, STARTS_S, STARTS_S + WORD_S)
    found = riding.rides(relation, STARTS_S, STARTS_S + WORD_S, np.zeros(len(STARTS_S), dtype=int))
    assert not found.units_db.any()


def rides_of(off: list[float], sections=None, **limits) -> riding.Rides:
    relation = -8.0 + np.array(off)
    starts = 2.0 * np.arange(len(off))
    section = np.zeros(len(off), dtype=np.int64) if sections is None else np.array(sections)
    found = riding.rides(relation, starts, starts + 0.8, section, **limits)
    assert found is not None
    return found


def test_rides_bring_back_what_is_off_and_leave_the_rest():
    found = rides_of([0.0, -7.0, 1.4, 5.0, -1.4, 0.0, -3.0])
    assert found.units_db.tolist() == [0.0, 6.0, 0.0, -5.0, 0.0, 0.0, 3.0]
    assert found.usual_db == -8.0
    assert rides_of([0.0, -7.0, 0.0, 9.0, 0.0], most_db=4.0).units_db.tolist() == [0.0, 4.0, 0.0, -4.0, 0.0]
    assert rides_of([0.0, -7.0, 0.0, 9.0, 0.0], up_db=2.0).units_db.tolist() == [0.0, 2.0, 0.0, -6.0, 0.0]
    assert riding.rides(np.array([0.0, -7.0]), np.arange(2.0), np.arange(2.0) + 0.5, np.zeros(2, dtype=int)) is None


def test_a_fuller_section_is_a_ride_of_its_own():
    off = [0.0, 0.2, -0.2, 0.0, 0.1, -4.0, -4.2, -3.8, -9.0, -4.0]
    found = rides_of(off, [0] * 5 + [1] * 5)
    assert found.units_db.tolist() == [0.0] * 8 + [5.0, 0.0]
    assert len(set(found.section_db[:5])) == len(set(found.section_db[5:])) == 1
    assert found.section_db[5] - found.section_db[0] == pytest.approx(4.0, abs=0.2)
    assert riding.spread_db(np.array(off), np.array([0] * 5 + [1] * 5)) < riding.spread_db(np.array(off))


def test_neighbours_that_need_the_same_go_together():
    starts = np.array([0.0, 0.5, 1.0, 4.0, 8.0, 12.0, 16.0, 20.0])
    relation = np.array([-5.0, -5.6, -5.4, 0.0, 0.0, 0.0, 0.0, 0.0])
    found = riding.rides(relation, starts, starts + 0.3, np.zeros(8, dtype=int))
    assert len(set(found.units_db[:3])) == 1


def test_the_curve_is_there_before_each_word_and_ramps_lie_in_gaps():
    starts, ends = [1.0, 3.0, 5.0, 20.0], [2.0, 4.0, 6.0, 21.0]
    curve = riding.ride_curve(starts, ends, [0.0, 4.0, -2.0, 3.0])

    def at(seconds: float) -> float:
        return float(np.interp(seconds, [t for t, _ in curve], [v for _, v in curve]))

    for start_s, end_s, value in zip(starts, ends, [0.0, 4.0, -2.0, 3.0], strict=True):
        assert [at(t) for t in np.linspace(start_s - 0.019, end_s, 9)] == pytest.approx([value] * 9)
    assert at(10.0) == 0.0
    assert at(30.0) == 0.0
    assert all(a[0] <= b[0] for a, b in pairwise(curve))
    assert riding.ride_curve(starts, ends, [0.0] * 4) == []
    # Words right behind each other: nothing runs backwards.
    close = riding.ride_curve([1.0, 1.5, 1.505], [1.5, 1.504, 2.0], [3.0, -3.0, 3.0])
    assert all(a[0] <= b[0] for a, b in pairwise(close))


def test_what_steps_back_is_down_before_the_lead_and_stays_through_short_gaps():
    curve = riding.dips(np.array([2.0, 3.5, 9.0]), np.array([3.0, 4.0, 10.0]), 2.0)
    times, values = np.array(curve).T
    assert np.interp([1.0, 1.98, 3.2, 4.05, 4.36, 8.0, 9.5, 12.0], times, values) == pytest.approx(
        [0.0, -2.0, -2.0, -2.0, 0.0, 0.0, -2.0, 0.0], abs=1e-3
    )
    assert riding.dips(np.zeros(0), np.zeros(0), 2.0) == []
