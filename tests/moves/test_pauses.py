"""A duck that goes on where the kick pauses: which hits are added, and that the bass then stays as it is."""

import numpy as np
import pytest

from all_even.moves import making
from all_even.moves.low_end.ducks import duck, pauses
from all_even.session.editing import edits
from all_even.session.model.strips import HitChanges
from all_even.session.song.hits import lane_hits_s
from tests.moves import low_sessions
from tests.moves.looks import look_at, make, result_of

EVEN = [0.25 + 0.5 * i for i in range(27)]


@pytest.fixture(scope="module")
def pausing(tmp_path_factory):
    return look_at(low_sessions.pausing(tmp_path_factory.mktemp("low") / "pausing"))


def with_duck(look, name: str):
    numbers = {**duck.fitted(look).ducks.method(name).numbers, "depth_db": 12.0, "release_ms": 150.0}
    return look.at(making.made(look.session, duck.KIND, duck.chosen(look, name, numbers)))


def test_hits_are_added_in_pauses_only_and_where_the_missing_ones_were():
    left = [hit for hit in EVEN if not 3.0 < hit < 5.0]
    assert pauses.added_hits(EVEN, (), 13.5) == []
    np.testing.assert_allclose(pauses.added_hits(left, (), 13.5), [3.25, 3.75, 4.25, 4.75])


def test_what_comes_before_the_first_hit_is_counted_back_and_after_the_last_one_on():
    late = [hit for hit in EVEN if 2.0 < hit < 10.0]
    np.testing.assert_allclose(pauses.added_hits(late, (), 12.0)[:4], [0.25, 0.75, 1.25, 1.75])
    np.testing.assert_allclose(pauses.added_hits(late, (), 12.0)[4:], [10.25, 10.75, 11.25, 11.75])


def test_a_hit_goes_to_the_beat_where_one_is_near_and_the_kick_s_own_distances_are_no_pauses():
    left = [hit for hit in EVEN if not 3.0 < hit < 5.0]
    beats = [0.02 + 0.25 + 0.5 * i for i in range(30)]
    np.testing.assert_allclose(pauses.added_hits(left, beats, 13.5), [3.27, 3.77, 4.27, 4.77])
    syncopated = sorted([2.0 * i + step for i in range(7) for step in (0.0, 0.75, 1.25)])
    assert pauses.added_hits(syncopated, (), 14.0) == []


@pytest.mark.parametrize("name", ["drawn", "keyed_click"])
def test_the_bass_no_longer_comes_up_where_the_kick_pauses(pausing, name):
    look = with_duck(pausing, name)
    (move,) = making.propose(look, [pauses.KIND])
    assert move.evidence["bass_comes_up_db"] > 1.0
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.1)
    assert abs(result_of(after)) < 0.5
    assert making.propose(after, [pauses.KIND]) == []


def test_a_duck_that_listens_to_the_kick_has_nothing_to_hear_there(pausing):
    assert making.propose(with_duck(pausing, "keyed"), [pauses.KIND]) == []
    assert making.propose(pausing, [pauses.KIND]) == []


def test_with_too_few_hits_there_is_nothing_to_tell(pausing):
    """Also of a move that was made when there were more."""
    (kick,) = [lane for lane in pausing.session.lanes if lane.role == "kick"]
    hits = lane_hits_s(kick, pausing.reports[kick.id].character)
    few = edits.change_strips(pausing.session, (kick.id,), hits=HitChanges(removed_s=hits[1:]))
    assert pauses.comes_up_db(pausing.at(few), {}) is None
