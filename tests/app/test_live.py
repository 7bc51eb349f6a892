"""What moves while it plays, what can be heard in its place, printing a track and going on, the tour."""

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from all_even.app import tour
from all_even.app.head.played import STEP_S, Played
from all_even.app.machine import kept_layout
from all_even.app.status import LATE_S
from all_even.deliver import printed_track
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.utility import Delay
from all_even.engine.render import render
from all_even.measure.level import loudness
from all_even.session.editing import alternatives, chain_edits, edits
from all_even.session.model.strips import MIX
from tests.app.conftest import NO_STAGE
from tests.conftest import RATE


def test_loudness_so_far_is_gated_as_the_whole_is():
    rng = np.random.default_rng(3)
    loud = np.repeat(rng.uniform(-40.0, -12.0, 60), 10)  # every 100 ms, a minute
    played = Played()
    for index, value in enumerate(loud):
        played.add(index * STEP_S + 1e-6, float(value))
    powers = 10.0 ** ((loud - loudness.OFFSET_LU) / 10.0)
    wanted = loudness.lufs(float(loudness.gate(powers, loudness.RELATIVE_GATE_LU).mean()))
    assert played.integrated_lufs == pytest.approx(wanted, abs=0.01)
    played.stop()
    played.add(0.0, -20.0)
    assert played.integrated_lufs == pytest.approx(-20.0, abs=0.01)


def test_a_loop_goes_on_and_silence_is_no_figure():
    played = Played()
    played.add(0.0, None)
    assert played.integrated_lufs is None
    for round_ in range(3):
        for index in range(20):
            played.add(5.0 + index * STEP_S, -20.0 - round_)
    assert played.integrated_lufs is not None


@pytest.fixture
def sharing(opened):
    opened.desk.set_stage("share")
    opened.measured()
    opened.wait(lambda: opened.window.workbench.lanes.body.shown.measured is not None)
    return opened


def test_the_trace_is_the_measured_moment_of_the_source_and_the_sum(sharing):
    shown = sharing.window.workbench.lanes.body.shown
    found = shown.measured.found
    lane = found.units[0].id
    own, total = shown.moment(lane, 2.0 * found.frame_s)
    power = found.scene.power[:, 2].astype(float)
    scale = 10.0 ** (own / 10.0) / np.maximum(power[0], 1e-30)
    loud = power[0] > 1e-12
    np.testing.assert_allclose(10.0 ** (total / 10.0)[loud], (power.sum(axis=0) * scale)[loud], rtol=1e-3)
    assert (total >= own - 1e-6).all()
    assert shown.moment(lane, 1e6) is None
    assert shown.moment("nobody", 1.0) is None


def test_rows_and_bench_paint_the_moment_while_it_plays(sharing):
    window, view = sharing.window, sharing.window.workbench.lanes
    lane = view.body.shown.measured.found.units[0].id
    sharing.desk.select((lane,))
    index = view.lane_ids().index(lane)
    view.scroll_to(index)
    sharing.settle_paint()
    before = view.grab().toImage()
    view.set_levels({}, 0.4)
    after = view.grab().toImage()  # at once: the next tick of the window knows of no playing
    assert view.row_box(index).contains(view.row_box(index).center())
    assert before != after
    bench = window.workbench.bench.of("share")
    bench.tick(1.0, object())
    assert bench.pair._moments != (None, None)
    bench.tick(1.0, None)
    assert bench.pair._moments == (None, None)


def test_the_opened_station_shows_what_it_takes_away_just_now(opened):
    desk, bench = opened.desk, opened.window.workbench.bench.of("dynamics")
    lane = opened.lane("KIK IN")
    desk.edit(lambda s: chain_edits.add_station(s, lane.id, Compressor(threshold_db=-40.0, ratio=8.0)))
    station = opened.lane("KIK IN").chain[-1]
    desk.set_stage("dynamics")
    desk.select((lane.id,))
    opened.measured()
    bench.open_part(station.id)
    drawing = bench.station.drawing
    assert drawing._playing_db is None
    still = drawing.grab().toImage()
    desk.ears.play_from(0.0)
    opened.wait(lambda: (drawing._playing_db or 0.0) < -6.0)  # a kick against 8:1 from -40 dB on
    assert drawing.grab().toImage() != still
    desk.player.stop()
    opened.wait(lambda: drawing._playing_db is None)
    assert drawing.grab().toImage() == still


def test_faders_alone_are_heard_as_loud_and_given_back(opened):
    desk = opened.desk
    desk.edit(lambda s: chain_edits.add_station(s, MIX, Compressor(makeup_db=-12.0)))
    opened.measured()
    before = desk.session
    opened.give("Faders alone, or as it is")
    opened.wait(lambda: desk.hearing.name == "Faders alone")
    assert desk.hearing.matched_db < -0.5  # what took level away is missing, so it is lowered
    assert desk.session is before
    opened.give("Faders alone, or as it is")
    opened.wait(lambda: desk.hearing.name == "now")
    versions = opened.window.workbench.side.versions
    versions.part.setCurrentIndex(versions.part.findData("dynamics"))
    versions.bare.hold()
    opened.wait(lambda: desk.hearing.name == "Without dynamics")
    versions.bare.release()
    opened.wait(lambda: desk.hearing.name == "now")
    desk.player.stop()


def test_a_track_is_printed_with_its_inserts_and_goes_on_as_it_was(opened, tmp_path):
    opened.looks_at = NO_STAGE
    desk = opened.desk
    lane = opened.lane("BASS")
    opened.give("Print with its inserts and go on")  # not saved yet: nothing is written
    assert not list(tmp_path.glob("*printed*"))
    desk.documents.save(tmp_path / "song.alleven")
    opened.wait(lambda: not desk.work.busy())
    desk.edit(lambda s: chain_edits.add_station(s, lane.id, Compressor(threshold_db=-30.0, ratio=4.0)))
    desk.edit(lambda s: chain_edits.add_station(s, lane.id, Delay(delay_ms=3.0)))
    desk.edit(lambda s: edits.change_strips(s, (lane.id,), level_db=-5.0, pan=0.4, clip_gain_db=2.0))
    opened.measured()
    before, state = np.concatenate(list(render(desk.plan()))), desk.session
    desk.select((lane.id,))
    opened.give("Print with its inserts and go on")
    opened.wait(lambda: desk.session is not state)
    opened.measured()
    (printed,) = (tmp_path / "song printed").glob("*.wav")
    info = soundfile.info(printed)
    assert (info.samplerate, info.subtype) == (RATE, "FLOAT")
    now = desk.session.lane(lane.id)
    assert (now.file, now.level_db, now.pan, now.clip_gain_db) == (printed.name, -5.0, 0.4, 0.0)
    assert all(station.bypass for station in now.chain)
    after = np.concatenate(list(render(desk.plan())))
    length = min(len(before), len(after))
    assert np.abs(after[:length] - before[:length]).max() < 1e-6
    group = alternatives.candidates(desk.session, lane.id)
    assert len(group) == 2
    (recording,) = [item for item in group if item.id != lane.id]
    assert recording.mute
    assert recording.file == lane.file
    assert [type(station) for station in recording.chain] == [Compressor, Delay]
    desk.edit(lambda s: alternatives.play_next(s, lane.id))  # U: the recording with its inserts
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan())))[:length], before[:length], atol=1e-6)
    desk.undo()
    desk.undo()
    assert desk.session.lane(lane.id).file == lane.file
    assert desk.session.lanes == state.lanes
    assert printed.exists()


def test_what_was_sent_out_comes_back_in_its_place_to_the_sample(opened, tmp_path, monkeypatch):
    opened.looks_at = NO_STAGE
    desk, window = opened.desk, opened.window
    lane = opened.lane("BASS")
    desk.documents.save(tmp_path / "song.alleven")
    opened.wait(lambda: not desk.work.busy())
    desk.select((lane.id,))
    state = desk.session
    opened.give("Print with its inserts and go on")
    opened.wait(lambda: desk.session is not state)
    (sent,) = (tmp_path / "song printed").glob("*.wav")
    sound, rate = soundfile.read(sent, dtype="float32")
    wet = np.tanh(3.0 * sound).astype(np.float32)  # driven, inverted, 1,234 samples late, as a file of 24 bits
    came = tmp_path / "from outside.wav"
    soundfile.write(came, -np.concatenate((np.zeros(1234, np.float32), wet)), rate, subtype="PCM_24")
    desk.undo()
    state = desk.session
    monkeypatch.setattr(window.verbs.files, "choose_processed", lambda: came)
    opened.give("Take a processed file back …")
    opened.wait(lambda: desk.session is not state)
    assert "1234 samples late" in desk.session.ledger[-1].text
    placed = tmp_path / "song printed" / desk.session.lane(lane.id).file
    back, _ = soundfile.read(placed, dtype="float32")
    np.testing.assert_allclose(back, -wet, atol=1e-5)
    assert len(alternatives.candidates(desk.session, lane.id)) == 2


def test_a_file_of_something_else_has_no_place():
    rng = np.random.default_rng(1)
    sent, other = (0.1 * rng.standard_normal((4 * RATE, 1)).astype(np.float32) for _ in range(2))
    assert printed_track._late_by(sent, other, RATE) is None
    assert printed_track._late_by(sent, -0.5 * sent[777:], RATE) == -777
    assert printed_track._late_by(sent, np.zeros_like(sent), RATE) is None


def test_a_session_that_is_closed_while_its_cards_are_made_needs_none(opened):
    moves = opened.window.workbench.side.moves
    moves._steps = [lambda: opened.desk.session.name]
    opened.desk.close_session()
    opened.window.close_session()
    moves._build()  # what the timer does next
    assert not moves._steps


def test_level_and_mute_come_to_rest_in_one_step(opened):
    desk = opened.desk
    first, second = desk.session.lanes[:2]
    desk.edit(lambda s: edits.change_strips(s, (first.id,), level_db=-7.0, mute=True))
    desk.edit(lambda s: edits.change_strips(s, (second.id,), level_db=3.0, solo=True))
    desk.select((first.id,))
    opened.give("Level and mute at rest")
    assert all((lane.level_db, lane.mute, lane.solo) == (0.0, False, False) for lane in desk.session.lanes)
    desk.undo()
    assert desk.session.lane(first.id).mute


def test_a_wait_says_what_and_how_far_from_a_second_on_and_can_be_cancelled(opened):
    status, desk = opened.window.status, opened.desk
    status._on_started("figures")
    status._on_progress("figures", 0.5, "Share: looking for moves, 7 of 14 rules")
    assert not status.progress.isVisible()
    status._going["figures"].since_s -= LATE_S + 19.0
    status._tell()
    assert status.progress.isVisible()
    assert status.progress_text.text() == "Share: looking for moves, 7 of 14 rules; 20 s"
    assert status.cancel_button.isVisible()
    status._on_ended("figures")
    assert not status.progress.isVisible()
    assert desk.is_open


def test_the_tour_has_six_stops_can_be_left_and_comes_by_itself_once(opened):
    window = opened.window
    shown = window.tour
    assert not shown.isVisible()  # no demo
    opened.give("Tour")
    assert len(tour.STOPS) == 6
    titles = []
    for _ in tour.STOPS:
        titles.append(shown.title.text())
        assert shown.frame.isVisible()
        assert shown.frame.geometry().width() > 20
        QTest.mouseClick(shown.next, Qt.MouseButton.LeftButton)
    assert [title.split(":")[0] for title in titles] == [f"{number} of 6" for number in range(1, 7)]
    assert not shown.isVisible()
    assert kept_layout.load().tour_seen
    shown.begin_once()
    assert not shown.isVisible()
    opened.give("Tour")
    shown.leave_button.click()
    assert not shown.frame.isVisible()
    opened.give("Tour")
    assert shown.frame.isVisible()
    opened.give("Settings")
    assert not shown.frame.isVisible()  # what it is around is not in sight
    window.leave_page()
    assert shown.frame.isVisible()
    window.close_session()
    assert not shown.isVisible()  # nor does it stand over the next session


def test_kick_and_bass_are_shown_as_waves_and_a_hit_is_heard(opened):
    desk = opened.desk
    desk.set_stage("low-end")
    opened.measured()
    bench = opened.window.workbench.bench.of("low-end")
    opened.give("Waves of kick and bass")
    opened.wait(lambda: bench.waves.found is not None)
    found = bench.waves.found
    assert bench.waves.hit == int(np.argmin(found.gains_db))
    assert "by phase" in bench.waves.title
    bench.waves.choose(0)
    at = bench.waves.bar_box(len(found.hits_s) - 1).center().toPoint()
    QTest.mouseClick(bench.waves, Qt.MouseButton.LeftButton, pos=at)
    assert bench.waves.hit == len(found.hits_s) - 1
    bench.waves.setFocus()
    QTest.keyClick(bench.waves, Qt.Key.Key_Left)
    assert bench.waves.hit == len(found.hits_s) - 2
    QTest.keyClick(bench.waves, Qt.Key.Key_Return)
    opened.wait(lambda: desk.ears.playing)
    desk.player.stop()
