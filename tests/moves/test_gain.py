"""Moves of Gain: what answers to level meets a sensible one, and the balance stays."""

import numpy as np
import pytest

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.utility import Gain
from all_even.figures.arriving.gain_path import gain_path, histograms, trouble
from all_even.moves.gain.paths import arriving_lufs
from all_even.session.editing import chain_edits, edits
from tests.moves.looks import find, look_at, make, opened, result_of


@pytest.fixture
def look(short_folder):
    return look_at(short_folder)


def by_role(look, role: str):
    return next(lane for lane in look.session.lanes if lane.role == role)


def with_chain(look, role: str, *stations):
    lane = by_role(look, role)
    session = look.session
    for station in stations:
        session = chain_edits.add_station(session, lane.id, station)
    return look.at(session), lane.id


def path(look, lane_id: str):
    return gain_path(look.session, look.session.lane(lane_id), look.measures(lane_id), look.flow)


def test_no_move_where_nothing_answers_to_level(look):
    loud, lane = with_chain(look, "kick", Equaliser(bands=(Band(gain_db=12.0),)), Gain(gain_db=24.0))
    assert path(loud, lane)[3].level.rms_dbfs > -12.0
    assert not [move for move in opened(loud, "gain") if move.kind == "gain.into-range"]


def test_a_hot_recording_is_put_right_at_the_clip_and_arrives_as_before(look):
    hot, lane = with_chain(look, "kick", Compressor(threshold_db=-30.0, ratio=4.0))
    hot = hot.at(edits.change_strips(hot.session, [lane], clip_gain_db=12.0))
    move = find(hot, f"gain.into-range.{lane}")
    assert move.parameters["before"] == ""
    before = arriving_lufs(hot, hot.session, lane)
    after = make(hot, move)
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)
    assert arriving_lufs(after, after.session, lane) == pytest.approx(before, abs=0.05)
    assert trouble(path(after, lane), after.session.lane(lane).chain, after.session.settings) is None


def test_where_a_station_made_it_hot_that_is_put_right_and_not_the_recording(look):
    hot, lane = with_chain(look, "bass DI", Gain(gain_db=20.0), Compressor(threshold_db=-20.0))
    quiet = edits.nudge_clip_gains(hot.session, [lane], -24.0 - path(hot, lane)[0].level.rms_dbfs)
    hot = hot.at(quiet)
    move = find(hot, f"gain.into-range.{lane}")
    after = make(hot, move)
    kinds = [station.LABEL for station in after.session.lane(lane).chain]
    assert kinds == ["Gain", "Compressor"]
    assert after.session.chain(lane)[0].gain_db < 12.0
    assert after.session.lane(lane).clip_gain_db == hot.session.lane(lane).clip_gain_db


def test_saturation_driven_hot_is_colour_and_no_fault(look):
    """Common practice: saturation is often driven hot on purpose."""
    hot, lane = with_chain(look, "bass DI", Gain(gain_db=24.0), Saturation(drive_db=18.0))
    assert path(hot, lane)[2].level.rms_dbfs > -12.0
    assert not [move for move in opened(hot, "gain") if move.kind == "gain.into-range"]


def test_on_the_way_to_what_answers_to_level_a_saturation_keeps_its_colour(look):
    """Its drive goes against the gain: the samples behind it are the same but for that gain, harmonics and all."""
    hot, lane = with_chain(look, "bass DI", Saturation(drive_db=9.0), Compressor(threshold_db=-20.0))
    hot = hot.at(edits.change_strips(hot.session, [lane], clip_gain_db=14.0))
    move = find(hot, f"gain.into-range.{lane}")
    gain_db = move.parameters["gain_db"]
    assert gain_db < -3.0
    after = make(hot, move)
    saturation = after.session.lane(lane).chain[0]
    assert saturation.drive_db == pytest.approx(9.0 - gain_db)
    assert result_of(after) == pytest.approx(move.expected, abs=0.05)
    coloured = [
        np.array(state.book.sound(chain_edits.set_chain(state.session, lane, state.session.chain(lane)[:1]), lane)
                 .read(0, 200_000)) for state in (hot, after)
    ]  # fmt: skip
    np.testing.assert_allclose(coloured[1], coloured[0] * 10.0 ** (gain_db / 20.0), atol=1e-5)


def test_recordings_are_brought_to_the_working_level_and_nothing_is_heard_of_it(look):
    lanes = [lane.id for lane in look.session.lanes]
    low = look.at(edits.nudge_clip_gains(look.session, lanes, -24.0))
    move = find(low, "gain.ready")
    before = low.mix.integrated_lufs
    after = make(low, move)
    assert result_of(after) == 0.0
    assert after.mix.integrated_lufs == pytest.approx(before, abs=0.01)
    assert "gain.ready" not in [item.id for item in opened(after, "gain")]


def test_parts_of_a_move_can_be_left_out(look):
    from all_even import stages
    from all_even.moves import making

    lanes = [lane.id for lane in look.session.lanes]
    low = look.at(edits.nudge_clip_gains(look.session, lanes, -24.0))
    move, kind = find(low, "gain.ready"), stages.kinds()["gain.ready"]
    (first, words), *_ = kind.parts(low.session, move)
    assert low.session.lane(first).name in words
    less = making.without_parts(kind, move, [first])
    assert less.expected == 1.0
    after = make(low, less)
    assert after.session.lane(first) == low.session.lane(first)
    assert result_of(after) == 1.0


def test_level_after_each_station_as_before_it(look):
    loud, lane = with_chain(
        look, "bass DI", Equaliser(bands=(Band(frequency_hz=80.0, gain_db=9.0, q=0.5),)),
        Compressor(threshold_db=-40.0, ratio=4.0), Saturation(drive_db=12.0),
    )  # fmt: skip
    move = find(loud, f"gain.even-chain.{lane}")
    assert move.before > 1.5
    assert result_of(make(loud, move)) < 0.3


def test_the_other_school_is_a_setting(look):
    loud, lane = with_chain(look, "bass DI", Compressor(threshold_db=-40.0, ratio=4.0))
    loud = loud.at(edits.set_work(loud.session, station_gain_db=1.0))
    after = make(loud, find(loud, f"gain.even-chain.{lane}"))
    before, behind = path(after, lane)[1], path(after, lane)[2]
    assert behind.level.rms_dbfs - before.level.rms_dbfs == pytest.approx(1.0, abs=0.3)


def test_histograms_belong_to_the_points(look):
    made, lane = with_chain(look, "kick", Compressor(threshold_db=-30.0))
    made = made.at(edits.change_strips(made.session, [lane], clip_gain_db=-3.0, level_db=-6.0))
    points = path(made, lane)
    shapes = histograms(made.session, made.session.lane(lane), made.measures(lane), made.flow)
    assert [point.place for point in points][:2] == ["file", "clip"]
    assert len(shapes) == len(points)
    for point, (levels, shares) in zip(points, shapes, strict=True):
        assert sum(shares) == pytest.approx(1.0, abs=1e-6)
        assert min(levels) <= point.level.rms_dbfs <= max(levels) + 1.5
