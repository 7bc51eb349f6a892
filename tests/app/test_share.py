"""Sharing as a user meets it: ridges, pairs, bars on the ruler, places, and the session's bands."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from all_even.app.stages.share.bench import ShareBench
from all_even.app.stages.share.places_view import headline
from all_even.app.style import paint
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.tone.equaliser import Equaliser
from all_even.session.editing import edits
from all_even.session.editing.edits import NOW
from all_even.session.model.on_time_line import Loop
from tests.app.conftest import NO_STAGE
from tests.moves import share_sessions


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """A crowded session, opened and measured once for all tests here."""
    folder = share_sessions.crowded(tmp_path_factory.mktemp("share") / "song")
    one_window.reset()
    one_window.open_at("share", folder)
    yield one_window
    one_window.reset()


@pytest.fixture
def share(song):
    """As it was opened: what a test before did is taken back."""
    desk, song.looks_at = song.desk, NO_STAGE
    while desk.undo_text is not None:
        desk.undo()
    desk.set_stage("share")
    desk.select((lane(song, "Organ"),))
    bench(song).show_view(0)
    shown(song)
    return song


def bench(rig) -> ShareBench:
    found = rig.window.workbench.bench.of("share")
    assert isinstance(found, ShareBench)
    return found


def shown(rig) -> ShareBench:
    """The bench, once all of it is of the session as it is."""
    found = bench(rig)
    rig.wait(lambda: found.shown.measured is not None and found.shown.measured.session is rig.desk.session)
    rig.wait(lambda: not rig.desk.work.busy())
    return found


def lane(rig, name: str) -> str:
    return next(item.id for item in rig.desk.session.lanes if item.name == name)


def bands(rig, name: str):
    chain = rig.desk.session.lane(lane(rig, name)).chain
    return [band for station in chain if isinstance(station, Equaliser) for band in station.bands]


def add_bar(rig) -> QPoint:
    """A bar by a double click on the upper half; where its head is then."""
    drawing = bench(rig).pair
    box = drawing.half_box(0)
    QTest.mouseDClick(drawing, Qt.MouseButton.LeftButton, pos=QPoint(int(box.center().x()), int(box.center().y() - 12)))
    rig.wait(lambda: len(drawing.halves[0].bands) == 1)
    return drawing.bar_place(0, 0).toPoint()


def test_lanes_show_what_is_hidden_and_the_header_all_of_it(share):
    body = share.window.workbench.lanes.body
    known = shown(share).shown
    assert known.mean == pytest.approx(known.measured.found.mean)
    assert {row.lane.name for row in share.window.workbench.lanes.rows} == {
        item.name for item in share.desk.session.lanes
    }
    assert "hatched" in body.tip("body", share.window.workbench.lanes.rows[0])


def test_the_dearest_rival_is_met_first_and_another_can_be_chosen(share):
    side = shown(share).side
    first = side.rival.currentText()
    assert side.rival.count() == len(shown(share).shown.measured.found.units) - 1
    side.rival.setCurrentIndex(2)
    side.rival.activated.emit(2)
    assert bench(share).pair.halves[1].name == side.rival.currentText() != first


def test_a_bar_is_added_dragged_and_taken_away_each_in_one_step(share):
    drawing, desk = bench(share).pair, share.desk
    at = add_bar(share)
    assert bands(share, "Organ")[0].gain_db > 0.0
    lines = len(desk.session.ledger)
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=at)
    for step in (6, 12, 18):
        QTest.mouseMove(drawing, at + QPoint(step, 2 * step))
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=at + QPoint(18, 36))
    assert bands(share, "Organ")[0].gain_db < 0.0
    assert len(desk.session.ledger) == lines + 1
    QTest.keyClick(drawing, Qt.Key.Key_Delete)
    assert desk.session.lane(lane(share, "Organ")).chain == ()
    desk.undo()
    assert len(bands(share, "Organ")) == 1


def test_a_dragged_bar_shows_shares_before_the_song_is_measured_and_they_hold(share):
    known = bench(share).shown
    before = known.shares.copy()
    at = add_bar(share)
    shown(share)
    guesses = []

    def keep() -> None:
        if known.predicted is not None:
            guesses.append(known.predicted.copy())

    known.changed.connect(keep)
    QTest.mousePress(bench(share).pair, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(bench(share).pair, at + QPoint(0, -20))
    share.wait(lambda: bool(guesses))
    QTest.mouseRelease(bench(share).pair, Qt.MouseButton.LeftButton, pos=at + QPoint(0, -20))
    shown(share)
    known.changed.disconnect(keep)
    assert known.predicted is None
    assert not np.allclose(before, known.shares, atol=1e-3)
    assert known.shares == pytest.approx(guesses[-1], abs=0.02)


def test_what_is_taken_back_before_it_is_measured_shows_what_was_measured(share):
    known = bench(share).shown
    before = known.shares.copy()
    add_bar(share)
    share.wait(lambda: known.predicted is not None or known.measured.session is share.desk.session)
    share.desk.undo()
    shown(share)
    assert known.predicted is None
    assert known.shares == pytest.approx(before, abs=1e-6)


def test_bars_answer_to_keys_and_wheel_sets_q(share):
    drawing = bench(share).pair
    bench(share).add.click()
    share.wait(lambda: len(drawing.halves[0].bands) == 1)
    drawing.setFocus()
    before = bands(share, "Organ")[0]
    QTest.keyClick(drawing, Qt.Key.Key_Up)
    QTest.keyClick(drawing, Qt.Key.Key_Right)
    QTest.keyClick(drawing, Qt.Key.Key_PageUp)
    after = bands(share, "Organ")[0]
    assert after.gain_db == pytest.approx(before.gain_db + 0.5)
    assert after.frequency_hz == pytest.approx(before.frequency_hz * 2 ** (1 / 12), rel=1e-3)
    assert after.q > before.q


def test_keep_makes_the_lane_as_loud_as_without_its_bands(share):
    at = add_bar(share)
    QTest.mouseMove(bench(share).pair, at)
    shown(share)
    bench(share).keep()
    share.wait(lambda: share.desk.session.lane(lane(share, "Organ")).chain[0].output_db != 0.0)
    assert share.desk.session.lane(lane(share, "Organ")).chain[0].output_db < 0.0


def test_how_much_a_lane_matters_is_set_beside_the_picture(share):
    box = shown(share).side.counts[0]
    assert box.currentText().startswith("support")
    index = box.findData("lead")
    box.setCurrentIndex(index)
    box.activated.emit(index)
    assert share.desk.session.lane(lane(share, "Organ")).importance == "lead"
    assert shown(share).shown.measured.found.scene.importance.max() > 0.0
    index = box.findData("usual")  # what its role proposes is no setting
    box.setCurrentIndex(index)
    box.activated.emit(index)
    assert share.desk.session.lane(lane(share, "Organ")).importance is None


def test_the_map_leads_to_the_pair(share):
    shown(share).show_view(1)
    page = bench(share).map
    line = page.lines[1]
    QTest.mouseClick(page, Qt.MouseButton.LeftButton, pos=page.box_of(1).center().toPoint())
    assert bench(share).stack.currentIndex() == 0
    assert [half.name for half in bench(share).pair.halves] == [line.upper.name, line.lower.name]
    costs = [item.weighted for item in page.lines]
    assert costs == sorted(costs, reverse=True)


@pytest.mark.parametrize("dynamic", [False, True])
def test_a_place_becomes_a_band_by_one_click(share, dynamic):
    shown(share).show_view(2)
    view = bench(share)
    share.wait(lambda: bool(view.found) and not share.desk.work.busy())
    place = view.found[view.list.current]
    (view.dynamic if dynamic else view.static).click()
    share.wait(lambda: bool(share.desk.session.lane(lane(share, "Organ")).chain))
    (station,) = share.desk.session.lane(lane(share, "Organ")).chain
    assert isinstance(station, DynamicEqualiser if dynamic else Equaliser)
    assert station.bands[0].frequency_hz == pytest.approx(place.hz, abs=0.1)
    assert headline(place)[0]


def test_a_sweep_is_heard_as_long_as_it_is_held(share):
    shown(share).show_view(2)
    view = bench(share)
    share.wait(lambda: bool(view.found) and not share.desk.work.busy())
    plot = view.marks.plot()
    QTest.mousePress(view.marks, Qt.MouseButton.LeftButton, pos=plot.center().toPoint())
    share.wait(lambda: share.desk.hearing.name.startswith("a sweep"))
    assert view.marks.sweeping_hz == pytest.approx(632.0, rel=0.1)
    QTest.mouseRelease(view.marks, Qt.MouseButton.LeftButton, pos=plot.center().toPoint())
    assert share.desk.hearing.name == NOW
    assert view.marks.sweeping_hz is None
    share.desk.ears.player.stop()


def test_before_pair_rest_and_what_was_taken_are_heard_while_held(share):
    add_bar(share)
    shown(share)
    for button in bench(share).hears:
        button.hold()
        share.wait(lambda: share.desk.hearing.name != NOW)
        button.release()
        assert share.desk.hearing.name == NOW
    share.desk.ears.player.stop()


def test_the_sessions_bands_stand_on_one_ruler_and_select_their_lane(share):
    add_bar(share)
    shown(share).show_view(3)
    view = bench(share)
    share.wait(lambda: view.book is not None and bool(view.book.threads) and not share.desk.work.busy())
    share.desk.select((lane(share, "Kick"),))
    QTest.mouseClick(view.table, Qt.MouseButton.LeftButton, pos=QPoint(40, 30))
    assert share.desk.current == lane(share, "Organ")


def test_three_knobs_are_told_whole_in_the_smallest_window(share):
    add_bar(share)
    shown(share).show_view(3)
    view, size = bench(share), share.window.size()
    share.wait(lambda: view.book is not None and bool(view.book.threads) and not share.desk.work.busy())
    view.knobs.click()
    share.window.resize(1024, 700)
    share.settle_paint()
    paint.shortened.clear()
    view.table.grab()
    assert view.table.lines_of(view.book.threads[0], 400.0)[0].startswith("level ")
    assert paint.shortened == []
    share.window.resize(size)
    view.knobs.click()


def test_figures_are_those_of_the_loop_where_one_is_set(share):
    whole = shown(share).shown.measured.found.shares
    share.desk.edit(lambda s: edits.set_loop(s, Loop(start_s=1.0, end_s=4.0, active=True)))
    known = bench(share).shown
    share.wait(lambda: known.measured is not None and known.measured.stretch_s == (1.0, 4.0))
    assert not np.allclose(known.measured.found.shares, whole, atol=1e-3, equal_nan=True)


def test_the_card_of_a_set_opens_into_its_bands_and_one_can_be_left_out(share):
    desk = share.desk
    share.wait(lambda: any(move.kind == "share.shape" for move in desk.moves.at("share")))
    move = next(move for move in desk.moves.at("share") if move.kind == "share.shape")
    first = next(iter(move.parameters["gain_db"]))
    desk.moves.leave_out(move, (first,))
    share.wait(lambda: next(m for m in desk.moves.at("share") if m.kind == "share.shape").expected is not None)
    again = next(m for m in desk.moves.at("share") if m.kind == "share.shape")
    assert again.expected > move.expected
