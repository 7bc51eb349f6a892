"""Gathering in the window: filter, another file, tempo and sections on the strip, candidates, seats, held states."""

import shutil

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from all_even.app.stages.balance.bench import BalanceBench
from all_even.session.editing import alternatives
from all_even.session.song import song_map
from all_even.session.tracks.seats import row_of
from tests.app.conftest import NO_STAGE


@pytest.fixture
def opened(rig, short_folder, tmp_path):
    stems = tmp_path / "stems"
    shutil.copytree(short_folder, stems)
    rig.open(stems)
    rig.measured()
    return rig


def test_lanes_are_filtered_by_name_family_and_state_and_escape_shows_all(opened):
    lanes, desk = opened.window.workbench.lanes, opened.desk
    every = len(lanes.rows)
    lanes.over_heads.filter.setText("drums")
    assert 0 < len(lanes.rows) < every
    assert {row.lane.role for row in lanes.rows} <= {
        "kick",
        "kick out",
        "snare top",
        "snare bottom",
        "hi-hat",
        "tom",
        "overhead",
    }
    lanes.over_heads.filter.setText("drums kick")
    assert all("kick" in row.lane.role for row in lanes.rows)
    lanes.over_heads.filter.setText("soloed")
    assert lanes.rows == []
    desk.select((desk.session.lanes[0].id,))
    desk.edit(lambda s: song_map.set_tempo(s, 100.0))
    QTest.keyClick(lanes.over_heads.filter, Qt.Key.Key_Escape)
    assert len(lanes.rows) == every


def test_a_file_is_replaced_and_all_settings_stay(opened, short_folder):
    desk = opened.desk
    lane, other = desk.session.lanes[0], desk.session.lanes[3]
    desk.edit(lambda s: song_map.set_tempo(s, 100.0))
    from all_even.session.editing import edits

    desk.edit(lambda s: edits.change_strips(s, (lane.id,), level_db=-7.0, pan=0.25))
    path = next(short_folder.glob(other.file))
    desk.documents.replace_file(lane.id, path)
    opened.wait(lambda: desk.session.lane(lane.id).file == path.name)
    opened.measured()
    now = desk.session.lane(lane.id)
    assert (now.level_db, now.pan, now.name, now.role) == (-7.0, 0.25, lane.name, lane.role)
    assert desk.measures(lane.id).integrated_lufs == desk.measures(other.id).integrated_lufs
    desk.undo()
    assert desk.session.lane(lane.id).file == lane.file


def test_tempo_is_tapped_and_typed_and_sections_are_split_and_named_on_the_strip(opened):
    desk, strip = opened.desk, opened.window.workbench.head.transport.strip
    opened.wait(lambda: desk.figures.song is not None)
    act = opened.window.verbs
    act.time.type_tempo()
    strip.field.setText("98.5 bpm")
    QTest.keyClick(strip.field, Qt.Key.Key_Return)
    assert desk.session.song.tempo_bpm == 98.5
    opened.wait(lambda: desk.figures.song.tempo is not None and desk.figures.song.tempo.bpm == 98.5)
    act.time.change("bars later")
    assert desk.session.song.bar_s is not None
    desk.ears.player.locate(4.0)
    act.time.change("split")
    assert desk.session.song.sections
    act.time.name_section()
    strip.field.setText("Chorus")
    QTest.keyClick(strip.field, Qt.Key.Key_Return)
    assert "Chorus" in {mark.name for mark in desk.session.song.sections}
    act.time.change("sections as found")
    assert desk.session.song.sections == ()


def test_one_question_at_a_time_and_none_of_another_session(opened, six_bars):
    strip, act = opened.window.workbench.head.transport.strip, opened.window.verbs
    opened.wait(lambda: opened.desk.figures.song is not None)

    def asked() -> list[str]:
        return [field.accessibleName() for field in strip.findChildren(QLineEdit) if not field.isHidden()]

    act.time.type_tempo()
    act.dialogs.type_over_song("Name of the section", "", lambda _name: None)
    assert asked() == ["Name of the section"]
    opened.looks_at = NO_STAGE
    opened.open(six_bars)
    assert asked() == []
    assert strip.field is None


def test_the_next_candidate_plays_with_one_key(opened):
    desk = opened.desk
    first, second = (lane.id for lane in desk.session.lanes[:2])
    desk.edit(lambda s: alternatives.together(s, (first, second)))
    desk.select((first,))
    from all_even.app.stages.gather import _play_next

    _play_next(opened.window.verbs)
    assert [desk.session.lane(item).mute for item in (first, second)] == [True, False]
    assert desk.selected == (second,)


def test_a_seat_is_dragged_to_a_bearing_and_a_row(opened):
    desk = opened.desk
    desk.set_stage("balance")
    bench = opened.window.workbench.bench.of("balance")
    assert isinstance(bench, BalanceBench)
    bench.show_view(1)
    opened.settle_paint()
    plan, lane = bench.seating, desk.session.lanes[0].id
    start = plan.places()[lane].toPoint()
    there = QPointF(plan.x_of(0.5), plan.y_of(4)).toPoint()
    QTest.mousePress(plan, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(plan, there)
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=there)
    moved = desk.session.lane(desk.selected[0])
    assert moved.pan == pytest.approx(0.5, abs=0.03)
    assert row_of(moved) == 4
    desk.undo()
    assert desk.session.lane(moved.id).pan == 0.0


def test_what_a_card_would_do_is_shown_while_it_is_looked_at(opened):
    desk = opened.desk
    desk.set_stage("balance")
    opened.wait(lambda: any(move.id == "balance.all-even" for move in desk.moves.at("balance")))
    move = next(move for move in desk.moves.at("balance") if move.id == "balance.all-even")
    desk.moves.look_at(move)
    assert desk.moves.previewed("levels_db").keys() == move.parameters["levels_db"].keys()
    desk.moves.look_at(None)
    assert desk.moves.previewed("levels_db") == {}


def test_another_state_is_heard_only_as_long_as_it_is_held(opened):
    desk = opened.desk
    desk.ears.hold_state("without bass", desk.session)
    opened.wait(lambda: desk.ears.hearing.name == "without bass")
    desk.ears.release_move()
    assert desk.ears.hearing.name == "now"
    desk.ears.player.stop()


def test_hits_are_added_moved_and_removed_on_the_wave(opened):
    desk = opened.desk
    kick = next(lane for lane in desk.session.lanes if lane.role == "kick")
    desk.select((kick.id,))
    bench = opened.window.workbench.bench.of("gather")
    opened.settle_paint()
    wave = bench.wave
    before = [hit.time_s for hit in wave.hits]
    assert len(before) > 4
    x = wave.x_of(wave.plot(), before[2])
    top = int(wave.plot().top() + 4)
    QTest.mouseDClick(wave, Qt.MouseButton.LeftButton, pos=QPointF(x, top).toPoint())
    assert len(wave.hits) == len(before) - 1
    QTest.mouseDClick(wave, Qt.MouseButton.LeftButton, pos=QPointF(x + 12, wave.plot().center().y()).toPoint())
    assert len(wave.hits) == len(before)
    assert any(hit.by_hand for hit in wave.hits)
    held = wave.x_of(wave.plot(), wave.hits[0].time_s)
    QTest.mousePress(wave, Qt.MouseButton.LeftButton, pos=QPointF(held, top).toPoint())
    QTest.mouseRelease(wave, Qt.MouseButton.LeftButton, pos=QPointF(held + 9, top).toPoint())
    assert wave.hits[0].time_s > before[0]
    for _ in range(3):
        desk.undo()
    assert [hit.time_s for hit in wave.hits] == before


def test_a_hit_at_the_playing_position_by_keyboard(opened):
    desk = opened.desk
    kick = next(lane for lane in desk.session.lanes if lane.role == "kick")
    desk.select((kick.id,))
    bench = opened.window.workbench.bench.of("gather")
    opened.settle_paint()
    before = len(bench.wave.hits)
    desk.ears.player.locate(bench.wave.hits[0].time_s + 0.2)
    bench.hit_here(add=True)
    assert len(bench.wave.hits) == before + 1
    bench.hit_here(add=False)
    assert len(bench.wave.hits) == before
