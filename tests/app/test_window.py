"""The window as a user drives it: open, look, set, hear, undo, save, reopen, print."""

import os
import shutil
import time

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QCoreApplication, QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from all_even.app.lanes import layout
from all_even.app.side.cards import MoveCard
from all_even.engine.playing.state import START_RAMP_S
from all_even.engine.render import render
from all_even.session.editing import edits
from all_even.session.file.lock import Lock
from all_even.session.file.recovery import orphans
from tests.conftest import RATE, noise
from tests.measuring import measure_mix


def row_point(rig, lane_id: str, part: str, share: float = 0.5) -> QPoint:
    """A pixel of a lane's row: a button of its head, or a place on a rail."""
    view = rig.window.workbench.lanes
    index = view.lane_ids().index(lane_id)
    view.scroll_to(index)
    box = view.row_box(index)
    if part in ("level", "pan"):
        rail = view.columns().rails[part]
        return QPoint(int(rail.left + share * rail.width), int(box.bottom() - 8))
    return layout.head_boxes(box, view.head_width())[part].center().toPoint()


def click(rig, lane_id: str, part: str) -> None:
    QTest.mouseClick(
        rig.window.workbench.lanes.viewport(), Qt.MouseButton.LeftButton, pos=row_point(rig, lane_id, part)
    )
    rig.settle_paint()


def drag(rig, lane_id: str, part: str, by_px: int) -> None:
    view = rig.window.workbench.lanes
    rail = view.columns().rails[part]
    lane = rig.desk.session.lane(lane_id)
    x = rail.level_x(lane.level_db) if part == "level" else rail.pan_x(lane.pan)
    start = QPoint(int(x), row_point(rig, lane_id, part).y())
    QTest.mousePress(view.viewport(), Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 6):
        QTest.mouseMove(view.viewport(), start + QPoint(by_px * step // 5, 0))
    QTest.mouseRelease(view.viewport(), Qt.MouseButton.LeftButton, pos=start + QPoint(by_px, 0))
    rig.settle_paint()


def card(rig, move_id: str) -> MoveCard:
    def found() -> list[MoveCard]:
        cards = rig.window.workbench.side.moves.findChildren(MoveCard)
        return [card for card in cards if card.move_.id == move_id]

    rig.wait(lambda: bool(found()))  # moves come in parts, and their cards a few at a time
    return found()[0]


@pytest.mark.slow  # a whole mix, from opening to print
def test_a_mix_from_opening_to_print_and_back(rig, short_folder, tmp_path):
    """The whole way once: open a folder, make it even, drag a level, pan, solo, undo, save, reopen, print."""
    stems = tmp_path / "stems"
    shutil.copytree(short_folder, stems)
    rig.open(stems)
    desk, window = rig.desk, rig.window
    assert len(desk.session.lanes) == 12
    assert len(desk.reports) == 12

    QTest.keyClick(window, Qt.Key.Key_F3)
    rig.wait(lambda: desk.stage == "balance" and bool(desk.moves.at("balance")))
    rig.carded()
    QTest.mouseClick(card(rig, "balance.rhythm-first").apply, Qt.MouseButton.LeftButton)
    rig.measured()
    made = [entry for entry in desk.session.ledger if entry.move]
    assert made[0].result.value == pytest.approx(0.0, abs=0.3)
    assert desk.mix.sample_peak_dbfs == pytest.approx(-4.5, abs=0.1)

    snare = rig.lane("SnTop")
    before = snare.level_db
    drag(rig, snare.id, "level", 40)
    after = desk.session.lane(snare.id).level_db
    assert after > before + 1.0
    assert len(desk.session.ledger) == 2
    drag(rig, snare.id, "pan", 20)
    assert desk.session.lane(snare.id).pan > 0.1
    click(rig, snare.id, "solo")
    assert desk.session.lane(snare.id).solo
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not desk.session.lane(snare.id).solo
    assert desk.session.ledger[-1].text.startswith("Undone: ")

    path = tmp_path / "a.alleven"
    desk.documents.save(path)
    rig.wait(lambda: not desk.work.busy("save"))
    assert not desk.unsaved
    kept = desk.session
    window.close_session()
    rig.open(path)
    assert desk.session.lanes == kept.lanes
    assert desk.session.ledger == kept.ledger

    desk.set_stage("print")
    window.workbench.bench.of("print").target.setText(str(tmp_path / "mix.wav"))
    QTest.mouseClick(window.workbench.bench.of("print").print_button, Qt.MouseButton.LeftButton)
    rig.wait(lambda: not desk.work.busy("print"))
    printed = soundfile.read(tmp_path / "mix.wav")[0]
    rendered = np.concatenate(list(render(desk.plan())))
    assert np.abs(printed - rendered).max() <= 0.51 * 2.0**-23
    assert "no sample over full scale" in window.workbench.bench.of("print").result.text()

    window.workbench.bench.of("print").sheets.sheet.setText(str(tmp_path / "sheet.html"))
    window.workbench.bench.of("print").sheets.write_sheet()
    rig.wait(lambda: not desk.work.busy("sheet"))
    assert "Rhythm first: kick, snare and bass on top" in (tmp_path / "sheet.html").read_text()


def test_playing_moves_meters_and_its_recording_equals_the_render(opened):
    desk, window = opened.desk, opened.window
    desk.set_stage("balance")
    desk.edit(lambda s: edits.set_trim(s, -14.0))
    opened.measured()
    QTest.keyClick(window, Qt.Key.Key_Space)
    opened.wait(lambda: desk.player.playing)
    opened.wait(lambda: max(window.workbench.lanes.peaks.values(), default=0.0) > 0.01)
    opened.wait(lambda: window.workbench.head.transport.level.left_db > -60.0)
    opened.wait(lambda: window.workbench.bench.of("balance").mix.short_term.text().find("LUFS") > 0)
    opened.wait(lambda: not desk.player.playing)
    opened.devices[0].stop()
    heard = opened.devices[0].recording()
    rendered = np.concatenate(list(render(desk.plan())))
    rise = np.minimum(1.0, np.arange(len(rendered)) / (START_RAMP_S * RATE))[:, np.newaxis] ** 2
    np.testing.assert_allclose(heard, rendered * rise, atol=1e-6)


def test_the_keyboard_reaches_levels_pan_mute_and_order(opened):
    desk, lanes = opened.desk, opened.window.workbench.lanes
    opened.window.activateWindow()
    desk.set_stage("balance")
    first, second = (lane.id for lane in desk.session.lanes[:2])
    desk.select((first,))
    for _ in range(3):
        QTest.keyClick(lanes, Qt.Key.Key_Left)
    assert desk.session.lane(first).level_db == pytest.approx(-1.5)
    assert len(desk.session.ledger) == 1
    QTest.keyClick(lanes, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert desk.session.lane(first).level_db == pytest.approx(-1.4)
    QTest.keyClick(lanes, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert desk.session.lane(first).pan == pytest.approx(-0.05)
    QTest.keyClick(opened.window, Qt.Key.Key_M)
    assert desk.session.lane(first).mute
    QTest.keyClick(lanes, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert [lane.id for lane in desk.session.lanes[:2]] == [second, first]
    QTest.keyClick(lanes, Qt.Key.Key_Down)
    assert desk.current == desk.session.lanes[2].id


def test_several_lanes_are_set_at_once(opened):
    desk = opened.desk
    desk.set_stage("balance")
    ids = tuple(lane.id for lane in desk.session.lanes[:3])
    desk.select(ids)
    opened.window.workbench.bench.of("balance").pan.value_changed.emit(0.5)
    assert [desk.session.lane(i).pan for i in ids] == [0.5] * 3
    desk.set_stage("gather")
    opened.window.workbench.bench.of("gather").set_track(role="tuba")
    assert {desk.session.lane(i).role for i in ids} == {"tuba"}


def test_a_level_is_typed_with_or_without_unit(opened):
    desk = opened.desk
    desk.set_stage("balance")
    field = opened.window.workbench.bench.of("balance").level
    for typed, value in (
        ("-4.5", -4.5),
        ("+2 dB", 2.0),
        ("−7,5", -7.5),
        ("off", -120.0),
        ("40", 12.0),
        ("nonsense", 12.0),
    ):
        field.setFocus()
        field.selectAll()
        field.insert(typed)
        QTest.keyClick(field, Qt.Key.Key_Return)
        assert desk.session.lane(desk.current).level_db == pytest.approx(value), typed


def test_double_click_returns_a_level_to_its_default(opened):
    desk = opened.desk
    desk.set_stage("balance")
    lane = desk.session.lanes[0].id
    drag(opened, lane, "level", -60)
    assert desk.session.lane(lane).level_db < -2.0
    at = row_point(opened, lane, "level", 0.5)
    QTest.mouseDClick(opened.window.workbench.lanes.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert desk.session.lane(lane).level_db == 0.0


def test_a_lane_is_renamed_in_its_row(opened):
    desk, lanes = opened.desk, opened.window.workbench.lanes
    lane = desk.session.lanes[1].id
    lanes.gestures.start_rename(lane)
    fields = lanes.viewport().findChildren(QLineEdit)
    (field,) = [field for field in fields if field.accessibleName() == "Name of the track"]
    field.setText("Kick, outside")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert desk.session.lane(lane).name == "Kick, outside"


def test_a_drag_of_the_head_reorders(opened):
    desk, view = opened.desk, opened.window.workbench.lanes
    first = desk.session.lanes[0].id
    start = row_point(opened, first, "name")
    QTest.mousePress(view.viewport(), Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 5):
        QTest.mouseMove(view.viewport(), start + QPoint(0, step * layout.ROW * 3 // 4))
    QTest.mouseRelease(view.viewport(), Qt.MouseButton.LeftButton, pos=start + QPoint(0, 3 * layout.ROW))
    assert [lane.id for lane in desk.session.lanes].index(first) in (2, 3)


def test_hidden_lanes_leave_and_come_back(opened):
    desk, lanes = opened.desk, opened.window.workbench.lanes
    count = len(lanes.lane_ids())
    lanes.toggle("hidden", desk.session.lanes[2].id)
    assert len(lanes.lane_ids()) == count - 1
    lanes.over_heads.hidden.click()
    assert len(lanes.lane_ids()) == count
    assert "1 of them heard" in lanes.over_heads.hidden.text()


def test_notes_keep_position_and_lead_back_there(opened):
    desk, window = opened.desk, opened.window
    desk.player.locate(3.0)
    opened.wait(lambda: abs(window.workbench.side.notes.position_s - 3.0) < 0.05)
    window.workbench.side.notes.text.setText("snare rings")
    QTest.keyClick(window.workbench.side.notes.text, Qt.Key.Key_Return)
    note = desk.session.notes[0]
    assert (note.text, round(note.position_s, 1)) == ("snare rings", 3.0)
    window.verbs.page.locate(0.0)
    window.workbench.side.notes.list.itemActivated.emit(window.workbench.side.notes.list.item(0))
    opened.wait(lambda: abs(desk.player.position_s() - 3.0) < 0.05)


def test_two_snapshots_are_compared_at_the_same_loudness(opened):
    desk, window = opened.desk, opened.window
    desk.edit(lambda s: edits.set_trim(s, -12.0))
    desk.edit(lambda s: edits.take_snapshot(s, "quiet"))
    desk.edit(lambda s: edits.set_trim(s, -6.0))
    opened.measured()
    window.workbench.side.versions.refresh()
    QTest.keyClick(window, Qt.Key.Key_X)
    opened.wait(lambda: desk.hearing.name == "quiet")
    assert desk.hearing.matched_db == 0.0
    QTest.keyClick(window, Qt.Key.Key_X)
    opened.wait(lambda: desk.hearing.name == "now" and desk.hearing.matched_db != 0.0)
    assert desk.hearing.matched_db == pytest.approx(-6.0, abs=0.1)
    plan = desk.player.plan
    assert measure_mix(plan).integrated_lufs + desk.hearing.matched_db == pytest.approx(
        desk.mix.integrated_lufs - 6.0, abs=0.1
    )


def test_a_declined_move_goes_with_its_reason(opened):
    desk = opened.desk
    desk.set_stage("balance")
    opened.measured()
    move = card(opened, "balance.rhythm-first")
    move.ask_reason()
    move.reason.setText("the rough mix is good")
    QTest.keyClick(move.reason, Qt.Key.Key_Return)
    opened.measured()
    assert desk.session.declined[0].reason == "the rough mix is good"
    assert desk.session.ledger[-1].reason == "the rough mix is good"
    assert "balance.rhythm-first" not in [m.id for m in desk.moves.at("balance")]


def test_a_loop_is_marked_on_the_strip_and_switched(opened):
    desk, window = opened.desk, opened.window
    strip = window.workbench.head.transport.strip
    opened.wait(lambda: strip.length_s > 5.0)
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=QPoint(200, 20))
    QTest.mouseMove(strip, QPoint(400, 20))
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=QPoint(400, 20))
    assert desk.session.loop.active
    QTest.keyClick(window, Qt.Key.Key_L)
    assert not desk.session.loop.active
    desk.undo()
    assert desk.session.loop.active


def test_a_click_on_the_strip_goes_there(opened):
    strip = opened.window.workbench.head.transport.strip
    opened.wait(lambda: strip.length_s > 5.0)
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(strip.width() // 2, 20))
    opened.wait(lambda: opened.desk.player.position_s() > 0.0)
    assert opened.desk.player.position_s() == pytest.approx(strip.length_s / 2, abs=0.1)


def test_a_folder_with_bad_files_opens_and_says_which(rig, write, tmp_path):
    write("odd/ok 1.wav", noise(0.5, 1))
    write("odd/six.wav", np.stack([noise(0.5, i) for i in range(6)], axis=1))
    (tmp_path / "odd" / "broken.wav").write_bytes(b"nothing")
    rig.open(tmp_path / "odd")
    assert [lane.file for lane in rig.desk.session.lanes] == ["ok 1.wav"]
    assert {entry[0].name for entry in rig.desk.documents.unreadable} == {"six.wav", "broken.wav"}
    rig.desk.documents.add_pair(tmp_path / "odd" / "six.wav", (3, 4))
    rig.measured()
    assert rig.desk.session.lanes[-1].take == (3, 4)
    assert rig.desk.measures(rig.desk.session.lanes[-1].id).channels == 2


def test_a_folder_without_sound_is_said_and_the_start_page_stays(rig, tmp_path):
    said = []
    rig.desk.said.connect(said.append)
    rig.window.open_path(tmp_path)
    rig.wait(lambda: bool(said))
    assert "holds no sound files" in said[0]
    assert rig.window.pages.currentWidget() is rig.window.start_page


def test_a_dropped_folder_opens(rig, short_folder):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(short_folder))])
    rig.window.dropEvent(QDropEvent(QPointF(10, 10), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                                    Qt.KeyboardModifier.NoModifier))  # fmt: skip
    rig.wait(lambda: rig.desk.is_open)
    assert len(rig.desk.session.lanes) == 12


def test_unsaved_work_is_recovered_after_a_kill(opened, home):
    """The autosave copy of a session that never had a file is offered on the start page."""
    opened.desk.edit(lambda s: edits.set_trim(s, -7.0))
    opened.desk.documents.autosave()
    opened.wait(lambda: not opened.desk.work.busy("autosave"))
    assert orphans(None) == []  # a living window's own copy is not offered
    opened.window.close_session()
    opened.wait(lambda: not opened.desk.work.busy("autosave"))
    (copy,) = orphans(None)
    opened.window.start_page.refresh()
    opened.window.start_page.recovery_wanted.emit(copy)
    opened.wait(lambda: opened.desk.is_open)
    assert opened.desk.session.mix.trim_db == -7.0


def test_a_saved_session_recovers_what_came_after_its_last_save(opened, tmp_path):
    path = tmp_path / "a.alleven"
    opened.desk.documents.save(path)
    opened.wait(lambda: not opened.desk.work.busy("save"))
    opened.desk.edit(lambda s: edits.set_trim(s, -9.0))
    os.utime(path, (time.time() - 60, time.time() - 60))
    opened.desk.close_session()
    opened.wait(lambda: not opened.desk.work.busy("autosave"))
    opened.window.open_path(path)
    opened.wait(lambda: opened.desk.is_open and opened.desk.session.mix.trim_db == -9.0)
    opened.desk.undo()
    assert opened.desk.session.mix.trim_db == 0.0


def test_a_second_window_may_look_but_not_save_over(opened, tmp_path):
    path = tmp_path / "a.alleven"
    opened.desk.documents.save(path)
    opened.wait(lambda: not opened.desk.work.busy("save"))
    assert not Lock(path).held
    opened.window.close_session()
    other = Lock(path)
    assert other.held
    opened.open(path)
    said = []
    opened.desk.said.connect(said.append)
    opened.desk.documents.save()
    assert "is open in a window of All Even" in said[0]
    other.release()


def test_space_presses_a_button_reached_by_keyboard_and_plays_after_a_click(opened):
    desk, window = opened.desk, opened.window
    desk.set_stage("balance")
    window.activateWindow()
    mute = window.workbench.bench.of("balance").toggles["mute"]
    mute.setFocus(Qt.FocusReason.TabFocusReason)
    opened.settle_paint()
    QTest.keyClick(mute, Qt.Key.Key_Space)
    assert desk.session.lane(desk.current).mute
    QTest.keyClick(mute, Qt.Key.Key_Return)
    assert not desk.session.lane(desk.current).mute
    window.workbench.lanes.setFocus()
    QTest.mouseClick(mute, Qt.MouseButton.LeftButton)
    assert desk.session.lane(desk.current).mute
    assert not mute.hasFocus()
    QTest.keyClick(window, Qt.Key.Key_Space)
    opened.wait(lambda: desk.player.playing)
    desk.player.stop()


def test_every_line_of_the_ledger_is_whole(opened):
    desk, ledger = opened.desk, opened.window.workbench.side.ledger
    for index in range(4):
        desk.edit(
            lambda s, i=index: edits.change_strips(
                s, [s.lanes[i].id], level_db=-3.0, pan=0.4, name="A track with a long name"
            )
        )
    opened.window.workbench.side.setCurrentIndex(1)
    opened.settle_paint()
    assert ledger.count() == 4
    for row in range(ledger.count()):
        item = ledger.item(row)
        needed = ledger.fontMetrics().boundingRect(
            ledger.visualItemRect(item).adjusted(8, 0, -8, 2000), int(Qt.TextFlag.TextWordWrap), item.text()
        )
        assert needed.height() <= ledger.visualItemRect(item).height(), item.text()


def test_cards_that_are_renewed_in_the_middle_of_a_press_live_until_it_is_over(opened):
    """A press on a card takes the focus from a field, whose new value renews the cards: the card must not be gone."""
    from PyQt6 import sip

    moves = opened.window.workbench.side.moves
    old = moves.widget()
    opened.desk.moves.preparing = "something"
    moves.refresh()
    assert moves.widget() is not old
    assert not sip.isdeleted(old)
    assert not old.isVisible()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # as the event loop does between events
    assert sip.isdeleted(old)


def test_with_the_mix_in_the_selection_roles_and_levels_change_for_the_lanes(opened):
    desk = opened.desk
    lane = desk.session.lanes[0].id
    desk.set_stage("buses")
    desk.select(("mix", lane))
    desk.set_stage("gather")
    opened.window.workbench.bench.of("gather").role.setCurrentText("tuba")
    opened.window.workbench.bench.of("gather").role.activated.emit(0)
    opened.window.workbench.bench.of("gather").hide_button.click()
    assert (desk.session.lanes[0].role, desk.session.lanes[0].hidden) == ("tuba", True)


def test_a_name_that_is_still_typed_when_its_bus_is_removed_changes_nothing(opened):
    from all_even.session.editing import routing_edits

    desk, view = opened.desk, opened.window.workbench.lanes
    desk.set_stage("buses")
    desk.edit(lambda s: routing_edits.add_bus(s, "Drums")[0])
    view.gestures.start_rename(desk.session.buses[0].id)
    desk.undo()
    field = next(item for item in view.viewport().findChildren(QLineEdit) if item.isVisible())
    field.setText("Gone")
    field.editingFinished.emit()
    assert desk.session.buses == ()


def test_the_print_bench_says_beforehand_what_may_be_replaced_and_what_not(opened, tmp_path):
    from all_even.session.file import store

    bench, desk = opened.window.workbench.bench.of("print"), opened.desk
    recording = store.lane_path(desk.session, desk.session.lanes[0])
    (tmp_path / "lyrics.wav").write_text("no sound")
    for path, words in ((recording, "one of the session's recordings"), (tmp_path / "lyrics.wav", "is no sound file")):
        bench.target.setText(str(path))
        assert words in bench.result.text()
        assert "replaces" not in bench.result.text()
