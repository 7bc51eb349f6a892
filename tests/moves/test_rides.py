"""Moves of rides on songs in which words, sections and gaps were planted: what they find, promise and do."""

import numpy as np
import pytest

from all_even import stages
from all_even.decibels import OFF_DB
from all_even.dsp.dynamics.compressor import Compressor
from all_even.figures.rides import rides
from all_even.moves import making
from all_even.moves.rides import phrases, throws
from all_even.session.editing import chain_edits, edits, ride_edits, routing_edits
from tests.moves import rides_sessions
from tests.moves.looks import look_at, make, opened, result_of
from tests.moves.rides_sessions import CHORUS_S, END_S, PLANTED_DB, WORDS_S
from tests.moves.space_sessions import by_role


@pytest.fixture(scope="module")
def looks(tmp_path_factory):
    return rides_sessions.looks(tmp_path_factory.mktemp("rides"))


@pytest.fixture
def song(looks):
    return looks[0]


def lead(look) -> str:
    return by_role(look.session, "lead voice")


def of_kind(look, kind: str):
    return next(move for move in opened(look, "rides") if move.kind == kind)


def test_words_are_found_and_the_planted_ones_are_ridden(song):
    line = rides.riding_of(song, lead(song))
    assert len(line) == len(WORDS_S)
    assert line.words.starts_s == pytest.approx(WORDS_S, abs=0.06)
    move = of_kind(song, "rides.phrases")
    _, _, by = phrases.rides_of(move)
    for index, value in PLANTED_DB.items():
        assert by[index] == pytest.approx(-value, abs=1.2)
    assert [i for i in np.flatnonzero(by) if i not in PLANTED_DB] in ([], [13])
    hidden = line.hidden[[int(text) for text in move.parameters["order"]]]
    assert list(hidden) == sorted(hidden, reverse=True)


def test_one_lost_word_among_many_is_ridden_and_told_by_what_it_is_off(song):
    """The spread of all words can't tell it: the word that is furthest off does."""
    all_but_one = making.without_parts(phrases.KIND, of_kind(song, "rides.phrases"), ["0"])
    look = song.at(making.made(song.session, phrases.KIND, all_but_one))
    move = of_kind(look, "rides.phrases")
    assert move.metric == "furthest-off"
    assert np.count_nonzero(phrases.rides_of(move)[2]) == 1
    assert move.before > 3.0
    assert move.expected < move.before - 2.0
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)
    assert not [item for item in making.propose(after, [phrases.KIND]) if item.targets == move.targets]


def test_the_spread_is_halved_as_promised_and_the_worst_word_comes_out(song):
    move = of_kind(song, "rides.phrases")
    after = make(song, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.5)
    assert result_of(after) < 0.5 * move.before
    before, now = (rides.riding_of(look, lead(look)) for look in (song, after))
    planted = [index for index, value in PLANTED_DB.items() if value < 0.0]
    assert (now.hidden[planted] < before.hidden[planted]).all()
    assert now.words.starts_s == pytest.approx(before.words.starts_s)
    assert not [item for item in making.propose(after, [phrases.KIND]) if item.targets == move.targets]


def test_a_line_that_is_even_is_left_alone(tmp_path):
    look = look_at(rides_sessions.song(tmp_path / "even", {}))
    look = look.at(rides_sessions.told(look.session))
    assert not any(lead(look) in move.targets for move in making.propose(look, [phrases.KIND]))


def test_words_that_are_left_out_stay_as_they_are(song):
    move = of_kind(song, "rides.phrases")
    parts = phrases.KIND.parts(song.session, move)
    left = making.without_parts(phrases.KIND, move, [parts[0][0]])
    assert left.expected != move.expected
    assert (phrases.rides_of(left)[2] != 0).sum() == (phrases.rides_of(move)[2] != 0).sum() - 1
    assert result_of(make(song, left)) == pytest.approx(left.expected, abs=0.5)


def test_other_limits_are_found_anew(song):
    wider = making.with_parameters(phrases.KIND, of_kind(song, "rides.phrases"), {"most_db": 3.0})
    assert wider.expected is None
    wider = phrases.KIND.refit(song, wider)
    assert np.abs(phrases.rides_of(wider)[2]).max() == 3.0
    assert result_of(make(song, wider)) == pytest.approx(wider.expected, abs=0.5)


def test_by_region_gain_it_is_tried_through_the_chain(song):
    session = edits.set_work(song.session, ride_by="region gain")
    session = chain_edits.add_station(session, lead(song), Compressor(threshold_db=-30.0, ratio=1.5))
    look = song.at(session)
    move = of_kind(look, "rides.phrases")
    assert move.source == "trial"
    after = make(look, move)
    assert [item.parameter for item in after.session.lane(lead(song)).automation] == ["clip_gain_db"]
    assert result_of(after) == pytest.approx(move.expected, abs=0.1)


def test_behind_a_group_that_answers_to_level_it_is_a_trial(song):
    session, bus = routing_edits.group_strips(song.session, [lead(song)], "Voices")
    session = chain_edits.add_station(session, bus, Compressor(threshold_db=-30.0, ratio=3.0))
    look = song.at(session)
    move = of_kind(look, "rides.phrases")
    assert move.source == "trial"
    assert result_of(make(look, move)) == pytest.approx(move.expected, abs=0.3)


def test_a_ride_stops_at_the_top_of_the_fader(song):
    look = song.at(edits.change_strips(song.session, [lead(song)], level_db=9.0))
    move = of_kind(look, "rides.phrases")
    assert phrases.rides_of(move)[2].max() == pytest.approx(3.0)
    assert result_of(make(look, move)) == pytest.approx(move.expected, abs=0.5)


def test_a_ride_goes_upon_what_is_drawn_already(song):
    session = ride_edits.trim_passage(song.session, lead(song), "level_db", 1.0, 2.0, -3.0)
    made = making.made(session, phrases.KIND, of_kind(song, "rides.phrases"))
    assert ride_edits.value_at(made, lead(song), "level_db", 1.5) == pytest.approx(-3.0)
    planted = float(WORDS_S[2]) + 0.4
    assert ride_edits.value_at(made, lead(song), "level_db", planted) > 5.0


def test_sections_are_ridden_apart_and_half_of_the_way(song):
    move = of_kind(song, "rides.section")
    after = make(song, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.5)
    assert move.expected == pytest.approx(0.5 * move.before, abs=0.4)


def test_parts_step_back_for_a_late_lead_and_never_the_bottom(looks):
    move = of_kind(looks[2], "rides.under")
    session = looks[2].session
    assert {session.lane(lane_id).role for lane_id in move.targets} <= {"electric guitar", "piano", "clarinet", "pad"}
    after = make(looks[2], move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.01)
    assert move.before - result_of(after) >= 0.03
    # Where the lead sounds all the time, a fader is meant, not a ride.
    assert not [item for item in opened(looks[0], "rides") if item.kind == "rides.under"]


def test_verses_come_in_at_the_sides_and_the_chorus_opens(looks):
    move = of_kind(looks[1], "rides.narrow")
    after = make(looks[1], move)
    assert result_of(after) > move.before + 0.5
    guitar = by_role(after.session, "electric guitar")
    at = [ride_edits.value_at(after.session, guitar, "pan", seconds) for seconds in (1.0, CHORUS_S + 1.0, END_S + 1.0)]
    assert at == pytest.approx([-0.525, -0.7, -0.525])


def test_a_word_is_thrown_where_there_is_room_behind_it(song):
    move = of_kind(song, "rides.throws")
    assert float(move.parameters["ends_s"][0]) == pytest.approx(END_S, abs=0.15)
    after = make(song, move)
    assert result_of(after) == pytest.approx(-6.0, abs=0.3)
    session, lane_id = after.session, lead(song)
    bus = next(bus.id for bus in session.buses if bus.name == throws.NAME)
    end_s = float(move.parameters["ends_s"][0])
    sent = [ride_edits.value_at(session, lane_id, f"send:{bus}", at) for at in (5.0, end_s - 0.1, end_s + 0.5)]
    assert sent == [OFF_DB, 0.0, OFF_DB]
    assert not [item for item in opened(after, "rides") if item.kind == "rides.throws"]


def test_what_is_to_be_said_before_anything_is_moved(song):
    said = {remark.kind: remark for remark in stages.stage("rides").moves().remarks(song)}
    assert "LU louder" in said["sections"].text
    assert said["sections"].aside
    assert lead(song) in said["words-hidden"].lanes


def test_two_leads_at_once_are_told(song):
    piano = by_role(song.session, "clarinet")
    look = song.at(edits.change_strips(song.session, [piano], role="lead voice"))
    kinds = [remark.kind for remark in stages.stage("rides").moves().remarks(look)]
    assert "two-leads" in kinds


def test_whatever_a_file_says_the_moves_do_not_fall_over(song):
    move = of_kind(song, "rides.throws")
    from msgspec.structs import replace

    odd = replace(move, arguments={"bus": "Throws", "windows": "x 1-  3-2 -5-4 1.0-2.0"})
    assert throws.echo_over_backing_db(song, odd.arguments) is None
    assert throws.times_in("x 1-  3-2 1.0-2.0") == [(1.0, 2.0)]


def test_what_a_hand_has_drawn_takes_no_card_away(song):
    session = ride_edits.trim_passage(song.session, lead(song), "level_db", 15.0, 16.0, -1.0)
    look = song.at(session)
    move = of_kind(look, "rides.phrases")
    assert result_of(make(look, move)) == pytest.approx(move.expected, abs=0.5)
