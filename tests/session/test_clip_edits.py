"""Clip gain section by section."""

import pytest

from all_even.engine.clip_gain import clip_gains
from all_even.measure.time.sections import Section
from all_even.session.editing import clip_edits, edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

SECTIONS = (Section("A", 0.0, 10.0), Section("B", 10.0, 20.0), Section("C", 20.0, 30.0))


@pytest.fixture
def session() -> Session:
    lane = Lane(id="l0", name="Voice", file="voice.wav", clip_gain_db=2.0)
    return Session(name="Song", sample_rate=48_000, lanes=(lane,))


def gains(session: Session) -> list[float]:
    return list(clip_edits.section_gains_db(session.lane("l0"), SECTIONS))


def test_a_section_gets_its_own_and_the_others_keep_theirs(session):
    there = clip_edits.set_section_gain(session, "l0", SECTIONS, 1, -3.0)
    assert gains(there) == [2.0, -3.0, 2.0]
    there = clip_edits.set_section_gain(there, "l0", SECTIONS, 2, 5.0)
    assert gains(there) == [2.0, -3.0, 5.0]
    there = clip_edits.set_section_gain(there, "l0", SECTIONS, 0, 0.0)
    assert gains(there) == [0.0, -3.0, 5.0]


def test_what_is_heard_changes_within_ten_milliseconds_before_the_section(session):
    there = clip_edits.set_section_gain(session, "l0", SECTIONS, 1, -18.0)
    heard = clip_gains(there.lane("l0"), 3000, 0.01)
    before, inside, after = heard[:998], heard[1000:1998], heard[2000:]
    assert before == pytest.approx(10.0 ** (2.0 / 20.0))
    assert inside == pytest.approx(10.0 ** (-18.0 / 20.0))
    assert after == pytest.approx(10.0 ** (2.0 / 20.0))


def test_the_same_everywhere_is_one_clip_gain_again(session):
    there = session
    for index in range(3):
        there = clip_edits.set_section_gain(there, "l0", SECTIONS, index, -4.0)
    assert not clip_edits.moves(there.lane("l0"))
    assert there.lane("l0").clip_gain_db == -4.0


def test_nudging_moves_all_of_it_and_a_reset_ends_it(session):
    there = clip_edits.set_section_gain(session, "l0", SECTIONS, 1, -3.0)
    assert gains(edits.nudge_clip_gains(there, ("l0",), 1.5)) == [3.5, -1.5, 3.5]
    assert gains(clip_edits.reset(there, ("l0",))) == [0.0, 0.0, 0.0]
    assert not clip_edits.moves(clip_edits.reset(there, ("l0",)).lane("l0"))
