"""Rides as a user meets it: words over their backing, curves drawn, nudged and typed, rides recorded, sections."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from all_even.app.stages.rides.bench import RidesBench
from all_even.deliver import automation_files
from all_even.dsp.parameter import LEVEL
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.session.editing import chain_edits, edits, ride_edits
from all_even.session.file import store
from all_even.session.model.on_time_line import SectionMark
from all_even.session.song import song_map
from tests.app.conftest import NO_STAGE
from tests.app.mouse import drag, turn
from tests.moves import rides_sessions
from tests.moves.rides_sessions import CHORUS_S, END_S, WORDS_S
from tests.moves.space_sessions import by_role


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """A song with planted words, opened and measured once for all tests here."""
    folder = rides_sessions.song(tmp_path_factory.mktemp("rides") / "song")
    one_window.reset()
    open_told(one_window, folder)
    yield one_window, folder, one_window.desk.session
    one_window.reset()


def open_told(rig, folder) -> None:
    """Opened, with what is known of the song, and looked through."""
    rig.open_at("rides", folder)
    rig.desk.edit(rides_sessions.told)
    rig.look()
    rig.looks_at = NO_STAGE


@pytest.fixture
def rig(song):
    """As it was opened: what a test before did is taken back; the lead is selected."""
    rig, folder, base = song
    desk, rig.looks_at = rig.desk, NO_STAGE
    desk.player.stop()
    rig.wait(lambda: not desk.player.playing)
    bench(rig).recorder.switch(False, "", "")
    rig.back_to(
        lambda now: (now.lanes, now.song) == (base.lanes, base.song),
        lambda: open_told(rig, folder),
    )
    desk.set_stage("rides")
    desk.select((by_role(desk.session, "lead voice"),))
    found = bench(rig)
    found.parameters.clear()
    found.drawing.passage = found.drawing.chosen = None
    found.drawing.zoom(0.0, 0.0)
    found.show_view(0)
    shown(rig)
    return rig


def bench(rig) -> RidesBench:
    found = rig.window.workbench.bench.of("rides")
    assert isinstance(found, RidesBench)
    return found


def shown(rig) -> RidesBench:
    """The bench, once all of it is of the session as it is."""
    found = bench(rig)
    rig.wait(lambda: not found.shown.is_stale() and bool(found.shown.sections))
    rig.settle_paint()
    return found


def lead(rig) -> str:
    return by_role(rig.desk.session, "lead voice")


def curve(rig, parameter: str = "level_db"):
    return ride_edits.curve_of(rig.desk.session, lead(rig), parameter)


def place(found: RidesBench, seconds: float, value: float) -> QPoint:
    plot = found.drawing.plot()
    return QPoint(round(found.drawing.x_of(plot, seconds)), round(found.drawing.y_of(plot, value)))


def press(found: RidesBench, seconds: float, value: float) -> None:
    QTest.mouseClick(found.drawing, Qt.MouseButton.LeftButton, pos=place(found, seconds, value))


def double(found: RidesBench, seconds: float, value: float) -> None:
    QTest.mouseDClick(found.drawing, Qt.MouseButton.LeftButton, pos=place(found, seconds, value))


def wheel(found: RidesBench, seconds: float, notches: int, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    turn(found.drawing, QPointF(place(found, seconds, 0.0)), notches, modifiers)


def test_words_and_the_worst_of_them_are_told_and_heard(rig):
    found = shown(rig)
    line = found.shown.of(lead(rig))
    assert len(line.riding) == len(WORDS_S)
    assert len(found.side.lines.accessibleDescription().split(";")) == 6
    worst = float(line.riding.words.starts_s[line.riding.worst[0]])
    QTest.mouseClick(found.side.lines, Qt.MouseButton.LeftButton, pos=QPoint(20, 8))
    rig.wait(lambda: rig.desk.ears.playing)
    assert rig.desk.player.position_s() >= worst - 0.2
    rig.desk.player.stop()
    # The open move is drawn as what it would leave of each word.
    rig.wait(lambda: found.proposed_db() is not None)
    assert (found.proposed_db() != 0.0).sum() >= 4


def test_a_curve_is_drawn_with_the_mouse_nudged_typed_and_taken_back(rig):
    found, desk = shown(rig), rig.desk
    double(found, 5.0, 3.0)
    ((at_s, value),) = curve(rig)
    assert (at_s, value) == (pytest.approx(5.0, abs=0.05), pytest.approx(3.0, abs=0.2))
    double(found, 8.0, 0.0)
    start, end = place(found, *curve(rig)[0]), place(found, 6.0, -4.0)
    drag(found.drawing, start, end)
    assert curve(rig)[0] == (pytest.approx(6.0, abs=0.05), pytest.approx(-4.0, abs=0.2))
    press(found, *curve(rig)[0])
    before = curve(rig)[0][1]
    QTest.keyClick(found.drawing, Qt.Key.Key_Up)
    QTest.keyClick(found.drawing, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert curve(rig)[0][1] == pytest.approx(before + 0.6)
    found.value.setFocus()
    found.value.selectAll()
    QTest.keyClicks(found.value, "-1.5")
    QTest.keyClick(found.value, Qt.Key.Key_Return)
    assert curve(rig)[0][1] == -1.5
    QTest.keyClick(found.drawing, Qt.Key.Key_Right)
    QTest.keyClick(found.drawing, Qt.Key.Key_Delete)
    assert len(curve(rig)) == 1
    for _ in range(12):
        desk.undo()
        if not curve(rig):
            break
    assert curve(rig) == ()
    assert any("level automated with 1 points" in entry.text for entry in desk.session.ledger)


def test_a_point_between_neighbours_stays_between_them(rig):
    found = shown(rig)
    rig.desk.edit(lambda s: ride_edits.set_curve(s, lead(rig), "level_db", [(2.0, 0.0), (4.0, 3.0), (6.0, 0.0)]))
    drag(found.drawing, place(found, 4.0, 3.0), place(found, 9.0, 3.0))
    assert curve(rig)[1][0] == 6.0


def test_a_passage_is_marked_and_moves_as_a_whole(rig):
    found = shown(rig)
    drag(found.drawing, place(found, 4.0, 9.0), place(found, 7.0, 9.0))
    assert found.drawing.passage == (pytest.approx(4.0, abs=0.1), pytest.approx(7.0, abs=0.1))
    QTest.keyClick(found.drawing, Qt.Key.Key_Down)
    wheel(found, 5.0, 1)
    wheel(found, 5.0, 2)
    session = rig.desk.session
    assert ride_edits.value_at(session, lead(rig), "level_db", 5.5) == pytest.approx(1.0)
    assert ride_edits.value_at(session, lead(rig), "level_db", 9.0) == 0.0
    found.value.setFocus()
    found.value.selectAll()
    QTest.keyClicks(found.value, "-3")
    QTest.keyClick(found.value, Qt.Key.Key_Return)
    assert ride_edits.value_at(rig.desk.session, lead(rig), "level_db", 5.5) == pytest.approx(-2.0)
    press(found, 20.0, 9.0)
    assert found.drawing.passage is None


def test_any_setting_is_chosen_by_typing_a_part_of_its_name(rig):
    found, desk = shown(rig), rig.desk
    desk.edit(lambda s: chain_edits.add_station(s, lead(rig), Equaliser(bands=(Band(frequency_hz=2000.0),))))
    shown(rig)
    found.choose_setting()
    edit = found.setting.lineEdit()
    edit.selectAll()
    QTest.keyClicks(edit, "gain")
    assert found.setting.completer().completionCount() >= 2
    index = next(i for i in range(found.setting.count()) if found.setting.itemText(i) == "1. Equaliser, band 1 gain")
    found.setting.activated.emit(index)
    found.setting.completer().popup().hide()  # as the toolkit does when one is chosen
    assert found.parameter().endswith("bands.0.gain_db")
    double(found, 5.0, 4.0)
    station = desk.session.lane(lead(rig)).chain[0].id
    assert len(curve(rig, f"{station}.bands.0.gain_db")) == 1
    found.choose("pan")
    double(found, 5.0, 0.5)
    assert curve(rig, "pan")[0][1] == pytest.approx(0.0, abs=1.0)
    found.acts.clear()
    assert curve(rig, "pan") == ()


def test_it_goes_closer_and_along(rig):
    found = shown(rig)
    whole = found.drawing.span()
    wheel(found, 10.0, 4, Qt.KeyboardModifier.ControlModifier)
    close = found.drawing.span()
    assert close[1] - close[0] < 0.5 * (whole[1] - whole[0])
    assert close[0] < 10.0 < close[1]
    wheel(found, 10.0, -3)
    assert found.drawing.span()[0] > close[0]
    found.drawing.zoom(0.0, 0.0)
    assert found.drawing.span() == whole


def test_points_are_thinned_and_a_passage_smoothed(rig):
    found, desk = shown(rig), rig.desk
    many = [(0.02 * i, 2.0 * np.sin(0.05 * i)) for i in range(1000)]
    desk.edit(lambda s: ride_edits.set_curve(s, lead(rig), "level_db", many))
    found.thinned.click()
    assert len(curve(rig)) < 100
    before = curve(rig)
    found.drawing.passage = (4.0, 8.0)
    found.smoothed.click()
    assert curve(rig) != before


def test_a_ride_is_recorded_while_it_plays_and_is_one_step_to_undo(rig):
    found, desk = shown(rig), rig.desk
    desk.player.locate(2.0)
    found.record.click()
    assert found.recorder.on
    found.drawing.nudge(1.0)
    assert curve(rig) == ()  # nothing plays yet
    desk.ears.toggle_play()
    rig.wait(lambda: found.recorder.writing)

    def later(seconds: float) -> None:
        """So much further in the song than now, however long this machine takes."""
        from_s = desk.player.position_s()
        rig.wait(lambda: desk.player.position_s() > from_s + seconds)

    later(0.5)
    QTest.keyClick(found.drawing, Qt.Key.Key_Up)
    wheel(found, 5.0, 3)
    later(1.5)
    QTest.keyClick(found.drawing, Qt.Key.Key_Down)
    later(1.0)
    found.record.click()
    out_s = found.recorder.position_s
    desk.player.stop()
    assert not found.recorder.on
    session = desk.session
    assert ride_edits.value_at(session, lead(rig), "level_db", 1.0) == 0.0
    assert max(value for _, value in curve(rig)) == pytest.approx(2.0)
    assert ride_edits.value_at(session, lead(rig), "level_db", out_s) == pytest.approx(1.5)
    assert ride_edits.value_at(session, lead(rig), "level_db", out_s + 0.5) == 0.0
    desk.undo()
    assert curve(rig) == ()


def test_a_ride_is_written_where_it_plays_also_when_the_window_was_held_up(rig, monkeypatch):
    """Between two ticks a busy machine may play on for seconds: keys count where the sound is."""
    found, desk = shown(rig), rig.desk
    recorder, at = found.recorder, iter((4.0, 4.0, 6.0, 8.0))
    monkeypatch.setattr(desk.player, "position_s", lambda: next(at))
    monkeypatch.setattr(type(desk.ears), "playing", property(lambda _self: True))
    recorder.switch(True, lead(rig), "level_db")
    recorder.tick(2.0, True)
    for by in (0.5, 1.5, -0.5):
        recorder.ride(by)
    recorder.switch(False, "", "")
    monkeypatch.undo()
    session = desk.session
    assert ride_edits.value_at(session, lead(rig), "level_db", 3.9) == 0.0
    assert ride_edits.value_at(session, lead(rig), "level_db", 5.9) == pytest.approx(2.0)
    assert ride_edits.value_at(session, lead(rig), "level_db", 7.9) == pytest.approx(1.5)


def test_what_is_recorded_belongs_to_the_track_it_was_begun_on(rig):
    found, desk = shown(rig), rig.desk
    found.toggle_recording()
    desk.select((by_role(desk.session, "piano"),))
    assert not found.recorder.on


def test_sections_side_by_side_and_what_is_done_in_one(rig):
    found, desk = shown(rig), rig.desk
    found.show_view(1)
    assert [item.section.letter for item in found.shown.sections] == ["Verse", "Chorus", "End"]
    box = found.sections.box_of(1, found.sections.plot())
    QTest.mouseClick(found.sections, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert found.section == 1
    assert desk.player.position_s() == pytest.approx(CHORUS_S, abs=0.1)
    found.acts.trim_section(-1.0)
    found.acts.trim_section(-1.0)
    assert ride_edits.value_at(desk.session, lead(rig), "level_db", 0.5 * (CHORUS_S + END_S)) == -2.0
    assert ride_edits.value_at(desk.session, lead(rig), "level_db", 3.0) == 0.0
    found.acts.mute_section()
    assert ride_edits.value_at(desk.session, lead(rig), "mute", CHORUS_S + 2.0) == 1.0
    found.acts.mute_section()
    assert curve(rig, "mute") == ()
    QTest.keyClick(found.sections, Qt.Key.Key_Left)
    assert found.section == 0


def test_a_section_is_copied_to_its_sisters(rig):
    found, desk = shown(rig), rig.desk
    marks = (SectionMark(start_s=0.0, name="Verse 1"), SectionMark(start_s=6.3, name="Verse 2"),
             SectionMark(start_s=CHORUS_S, name="Chorus"))  # fmt: skip
    desk.edit(lambda s: song_map.set_song(s, sections=marks))
    rig.measured()
    shown(rig)
    desk.edit(
        lambda s: ride_edits.set_curve(s, lead(rig), "level_db", [(0.0, 0.0), (2.0, 0.0), (2.0, 4.0), (3.0, 0.0)])
    )
    found.show_view(1)
    found.choose_section(0)
    found.acts.copy_to_sisters()
    assert ride_edits.value_at(desk.session, lead(rig), "level_db", 6.3 + 2.1) == pytest.approx(3.6)
    found.choose_section(2)
    before = desk.session
    found.acts.copy_to_sisters()
    assert desk.session is before
    desk.edit(rides_sessions.told)


def test_the_curve_is_written_to_a_file_and_read_again(rig, tmp_path):
    found, desk = shown(rig), rig.desk
    drawn = [(0.0, 0.0), (3.0, 0.0), (3.5, 4.0), (9.0, -2.0)]
    desk.edit(lambda s: ride_edits.set_curve(s, lead(rig), "level_db", drawn))
    for name in ("ride.csv", "ride.mid"):
        found.acts.write_file(tmp_path / name)
        rig.wait(lambda: not desk.work.busy("curve"))
        found.acts.clear()
        assert curve(rig) == ()
        found.acts.read_file(tmp_path / name)
        rig.wait(lambda: not desk.work.busy("curve"))
        assert ride_edits.value_at(desk.session, lead(rig), "level_db", 3.25) == pytest.approx(2.0, abs=0.1)
    assert automation_files.read(tmp_path / "ride.csv", LEVEL) == drawn
    said: list[str] = []
    desk.said.connect(said.append)
    (tmp_path / "broken.csv").write_text("time_s,value\nx,y\n")
    found.acts.read_file(tmp_path / "broken.csv")
    rig.wait(lambda: not desk.work.busy("curve"))
    assert "line 2" in said[-1]


def test_it_is_saved_and_opened_again(rig, tmp_path):
    found, desk = shown(rig), rig.desk
    double(found, 5.0, 3.0)
    store.save(desk.session, tmp_path / "song.alleven")
    assert store.load(tmp_path / "song.alleven").lane(lead(rig)).automation == desk.session.lane(lead(rig)).automation


def test_the_move_is_made_and_the_words_come_to_the_line(rig):
    found, desk = shown(rig), rig.desk
    move = next(move for move in desk.moves.at("rides") if move.kind == "rides.phrases")
    before = found.shown.of(lead(rig)).riding.spread_db
    desk.moves.apply(move)
    rig.wait(lambda: bool(curve(rig)) and desk.moves.preparing is None)
    rig.measured()
    shown(rig)
    assert found.shown.of(lead(rig)).riding.spread_db < 0.5 * before
    account = next(item for item in desk.moves.accounts if item.entry.move.id == move.id)
    assert account.outcome == "kept"
    # The fader takes the ride along.
    desk.edit(lambda s: edits.change_strips(s, [lead(rig)], level_db=-3.0))
    assert max(value for _, value in curve(rig)) == pytest.approx(3.0, abs=1.5)


def test_a_ride_is_never_written_into_another_song(rig, short_folder):
    """Recording goes on while another folder is opened: lanes there may be called the same."""
    found, desk = shown(rig), rig.desk
    desk.player.locate(2.0)
    found.toggle_recording()
    desk.ears.toggle_play()
    rig.wait(lambda: found.recorder.writing)
    found.drawing.nudge(2.0)
    assert curve(rig)
    rig.open(short_folder)
    assert not found.recorder.on
    assert not any(strip.automation for strip in desk.session.strips)
