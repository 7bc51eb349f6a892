"""Space as a user meets it: the depth rail, the plan, a return over the beats, its station, responses from files."""

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox

from all_even.app.stages.space import body, lines
from all_even.app.stages.space.bench import SpaceBench
from all_even.app.station import response_finding
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.echo import Echo, note_ms
from all_even.dsp.space.reverb_starts import STARTS
from all_even.session.editing import chain_edits, edits
from all_even.session.model import space
from tests.app.conftest import NO_STAGE
from tests.app.mouse import drag, turn
from tests.moves import space_sessions
from tests.moves.space_sessions import ALL, CUT, by_role, with_return


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """A dry song, opened and measured once for all tests here."""
    folder = space_sessions.song(tmp_path_factory.mktemp("space") / "song")
    one_window.reset()
    one_window.open_at("space", folder)
    yield one_window
    one_window.reset()


@pytest.fixture
def dry(song):
    """As it was opened: what a test before did is taken back."""
    desk, song.looks_at = song.desk, NO_STAGE
    while desk.undo_text is not None:
        desk.undo()
    desk.set_stage("space")
    desk.select((by_role(desk.session, "clarinet"),))
    bench(song).show_view(0)
    shown(song)
    return song


@pytest.fixture
def roomy(dry):
    """With a room for most and a hall for voice and snare."""

    def edit(session):
        session = with_return(session, "Room", ALL, STARTS["room"], *CUT)
        return with_return(session, "Hall", ["lead voice", "snare top"], replace(STARTS["hall"], decay_s=4.0), *CUT)

    dry.desk.edit(edit)
    shown(dry)
    return dry


def bench(rig) -> SpaceBench:
    found = rig.window.workbench.bench.of("space")
    assert isinstance(found, SpaceBench)
    return found


def shown(rig) -> SpaceBench:
    """The bench, once all of it is of the session as it is."""
    found = bench(rig)
    rig.wait(lambda: not found.shown.is_stale() and found.shown.view is not None)
    rig.settle_paint()
    return found


def ratio(rig, role: str) -> float | None:
    found = bench(rig).shown.depth(by_role(rig.desk.session, role))
    return found.ratio_db if found is not None else None


def test_a_dry_song_stands_at_the_dry_end_and_says_what_to_do(dry):
    assert ratio(dry, "clarinet") is None
    assert bench(dry).side.figure.text().count("dry")
    found = bench(dry)
    found.show_view(2)
    assert found.stations.currentWidget() is found.none
    assert not found.alone.isEnabled()


def test_a_move_gives_places_and_the_rail_shows_them(dry):
    desk = dry.desk
    dry.wait(lambda: any(move.kind == "space.short" for move in desk.moves.at("space")))
    move = next(item for item in desk.moves.at("space") if item.kind == "space.short")
    since = len(desk.session.ledger)
    desk.moves.apply(move)
    dry.wait(lambda: len(desk.session.ledger) > since and desk.session.ledger[since].result is not None)
    result = desk.session.ledger[since].result
    assert result.value == pytest.approx(0.97, abs=0.01)
    shown(dry)
    assert 3.0 < ratio(dry, "clarinet") < 25.0
    view = dry.window.workbench.lanes
    assert space.returns(desk.session)[0].id in view.columns().boxes
    desk.undo()
    assert not space.returns(desk.session)


def test_the_handle_on_the_rail_moves_all_sends_of_a_lane(roomy):
    desk, view = roomy.desk, roomy.window.workbench.lanes
    voice = by_role(desk.session, "lead voice")
    desk.select((voice,))
    index = view.lane_ids().index(voice)
    view.scroll_to(index)
    left, width = view.columns().boxes["depth"]
    at = QPoint(int(body.depth_x(left, width, ratio(roomy, "lead voice"))), int(view.row_box(index).center().y()))
    before = ratio(roomy, "lead voice")
    drag(view.viewport(), at, at + QPoint(60, 0))
    sends = [send.level_db for send in desk.session.lane(voice).sends]
    assert sends[0] == sends[1] > 1.0
    shown(roomy)
    assert ratio(roomy, "lead voice") == pytest.approx(before - sends[0], abs=0.1)
    assert len([line for line in desk.session.ledger if "send" in line.text.lower()]) >= 1
    desk.undo()
    assert [send.level_db for send in desk.session.lane(voice).sends] == [0.0, 0.0]


def test_a_sends_own_figure_moves_only_that_send(roomy):
    desk, view = roomy.desk, roomy.window.workbench.lanes
    voice, hall = by_role(desk.session, "lead voice"), space.returns(desk.session)[1].id
    index = view.lane_ids().index(voice)
    view.scroll_to(index)
    left, width = view.columns().boxes[hall]
    at = QPoint(int(left + width / 2), int(view.row_box(index).center().y()))
    drag(view.viewport(), at, at - QPoint(40, 0))
    first, second = desk.session.lane(voice).sends
    assert first.level_db == 0.0
    assert second.level_db < -1.0


def test_arrow_keys_and_the_wheel_move_a_lane(roomy):
    desk, view = roomy.desk, roomy.window.workbench.lanes
    clarinet = by_role(desk.session, "clarinet")
    desk.select((clarinet,))
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert desk.session.lane(clarinet).sends[0].level_db == pytest.approx(0.5)
    QTest.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert desk.session.lane(clarinet).sends[0].level_db == pytest.approx(0.4)
    index = view.lane_ids().index(clarinet)
    view.scroll_to(index)
    rail = view.columns().rails["depth"]
    at = QPointF(rail.left + rail.width / 2, view.row_box(index).center().y())
    turn(view.viewport(), at, 2, Qt.KeyboardModifier.ControlModifier)
    assert desk.session.lane(clarinet).sends[0].level_db == pytest.approx(1.4)


def test_a_lane_is_set_by_dragging_it_on_the_plan(roomy):
    desk, found = roomy.desk, bench(roomy)
    clarinet = by_role(desk.session, "clarinet")
    place = found.plan.places()[clarinet].toPoint()
    drag(found.plan, place, place + QPoint(80, -30))
    lane = desk.session.lane(clarinet)
    assert lane.pan > 0.05
    assert lane.sends[0].level_db > 1.0
    desk.undo()
    assert desk.session.lane(clarinet) == replace(lane, pan=0.0, sends=(replace(lane.sends[0], level_db=0.0),))


def test_keys_move_the_selected_on_the_plan(roomy):
    desk, found = roomy.desk, bench(roomy)
    clarinet = by_role(desk.session, "clarinet")
    desk.select((clarinet,))
    QTest.keyClick(found.plan, Qt.Key.Key_Up)
    QTest.keyClick(found.plan, Qt.Key.Key_Left)
    lane = desk.session.lane(clarinet)
    assert (lane.sends[0].level_db, lane.pan) == (pytest.approx(0.5), pytest.approx(-0.05))


def test_a_return_shows_its_fall_against_the_next_kick(roomy):
    desk, found = roomy.desk, bench(roomy)
    hall = space.returns(desk.session)[1].id
    desk.select((hall,))
    assert found.stack.currentIndex() == 1
    shown(roomy)
    view = found.shown.of(hall)
    assert view.drop_db < 17.0
    told = {line.name: line for line in lines.lines_of(view)}
    assert told["Snare down at the kick"].over
    assert found.shown.view.beat.kick_s == pytest.approx(0.75, abs=0.01)
    assert "fallen by" in found.decay.accessibleDescription()


def test_the_decay_is_dragged_on_its_picture_as_one_step(roomy):
    desk, found = roomy.desk, bench(roomy)
    hall = space.returns(desk.session)[1].id
    found.choose(hall)
    found.show_view(1)
    shown(roomy)
    roomy.wait(lambda: found.decay.handle() is not None)
    at = found.decay.handle().toPoint()
    drag(found.decay, at, at - QPoint(60, 0))
    shorter = space.reverb_of(desk.session.bus(hall)).decay_s
    assert shorter < 3.7
    QTest.keyClick(found.decay, Qt.Key.Key_Left)
    assert space.reverb_of(desk.session.bus(hall)).decay_s < shorter
    desk.undo()
    desk.undo()
    assert space.reverb_of(desk.session.bus(hall)).decay_s == 4.0


def test_a_new_return_gets_sends_of_the_selection(dry):
    desk, found = dry.desk, bench(dry)
    found.new.setCurrentIndex(found.new.findData("plate-like"))
    found.new.activated.emit(found.new.currentIndex())
    bus = space.returns(desk.session)[0]
    assert (bus.name, bus.use, bus.level_db) == ("Plate-like", "return", -12.0)
    assert [lane.role for lane in desk.session.lanes if lane.sends] == ["clarinet"]
    assert found.stack.currentIndex() == 1
    desk.undo()
    assert not desk.session.buses


def test_alone_and_without_are_heard_while_they_are_held(roomy, monkeypatch):
    desk, found = roomy.desk, bench(roomy)
    heard = []
    monkeypatch.setattr(desk.ears, "hold_state", lambda name, session: heard.append((name, session)))
    found.alone.hold()
    found.without.hold()
    found.alone.release()
    found.without.release()
    (alone, first), (without, second) = heard
    assert (alone, without) == ("Room alone", "without Room")
    assert [item.name for item in first.members if item.solo] == ["Room"]
    assert [item.name for item in second.members if item.mute] == ["Room"]
    assert not any(item.solo or item.mute for item in desk.session.members)


def test_notes_of_the_tempo_set_an_echo(dry):
    desk, found = dry.desk, bench(dry)
    found.add_return("echo")
    found.show_view(2)
    dry.wait(lambda: desk.figures.song is not None)
    box = next(item for item in found.station.findChildren(QComboBox) if item.accessibleName() == "Note left")
    box.setCurrentIndex(box.findData("1/8"))
    box.activated.emit(box.currentIndex())
    echo = next(item for item in space.returns(desk.session)[0].chain if isinstance(item, Echo))
    assert echo.left_ms == pytest.approx(note_ms("1/8", desk.figures.song.tempo.bpm), abs=0.1)
    found.refresh()
    assert box.currentData() == "1/8"


def test_a_reverb_begins_from_a_place(dry):
    desk, found = dry.desk, bench(dry)
    found.add_return("room")
    found.show_view(2)
    box = next(item for item in found.station.findChildren(QComboBox) if item.accessibleName() == "Begin from")
    box.setCurrentIndex(box.findData("hall"))
    box.activated.emit(box.currentIndex())
    reverb = space.reverb_of(space.returns(desk.session)[0])
    assert replace(reverb, id="new") == STARTS["hall"]


def with_convolution(rig) -> tuple[str, str]:
    """A return with a convolution that has no response yet: its ids."""
    desk, found = rig.desk, bench(rig)
    found.add_return("room")
    bus = space.returns(desk.session)[0].id
    desk.edit(lambda s: chain_edits.add_station(s, bus, Convolution()))
    station = desk.session.chain(bus)[-1].id
    found.open_part(station)
    return bus, station


def test_a_recorded_response_is_chosen_and_drawn(dry, tmp_path):
    desk, found = dry.desk, bench(dry)
    bus, station = with_convolution(dry)
    assert found.station.drawing.note == response_finding.NONE
    path = tmp_path / "Chapel.wav"
    fall = np.random.default_rng(1).standard_normal((9600, 2)) * 10.0 ** (-np.arange(9600) / 3000.0)[:, np.newaxis]
    soundfile.write(path, 0.2 * fall, 48_000)
    response_finding.use_file(desk, bus, station, path)
    dry.wait(lambda: bool(desk.session.responses))
    linked = desk.session.chain(bus)[-1]
    assert linked.response == desk.session.responses[0].id
    assert linked.length_s == pytest.approx(0.2)
    dry.wait(lambda: found.station.drawing.envelope_db is not None)
    assert found.station.drawing.envelope_db[-1] < -20.0
    desk.undo()
    assert not desk.session.responses


def test_what_is_no_response_is_said_in_a_sentence(dry, tmp_path):
    desk = dry.desk
    bus, station = with_convolution(dry)
    said = []
    desk.said.connect(said.append)
    (tmp_path / "no sound.wav").write_text("no sound")
    response_finding.use_file(desk, bus, station, tmp_path / "no sound.wav")
    dry.wait(lambda: any("no sound.wav" in text for text in said))
    desk.said.disconnect(said.append)
    assert not desk.session.responses


def test_rows_that_are_no_part_of_space_are_folded(roomy):
    desk, view = roomy.desk, roomy.window.workbench.lanes
    desk.edit(lambda s: edits.change_strips(s, [by_role(s, "pad")], mute=True))
    desk.select((by_role(desk.session, "clarinet"),))
    roomy.settle_paint()
    assert by_role(desk.session, "pad") not in view.lane_ids()
    assert "not heard" in view.over_heads.more.text()


@pytest.mark.parametrize(("ratio_db", "share"), [(30.0, 0.0), (15.0, 0.5), (0.0, 1.0), (-9.0, 1.0), (None, None)])
def test_the_rail_is_near_at_the_left_and_far_at_the_right(ratio_db, share):
    x = body.depth_x(100.0, 400.0, ratio_db)
    expected = 100.0 + body.DRY / 2 if share is None else 100.0 + body.DRY + (400.0 - body.DRY - 8.0) * share
    assert x == pytest.approx(expected)


def test_a_return_of_the_song_before_is_not_looked_for(roomy):
    found = bench(roomy)
    found.show_view(1)
    found.bus = "of the song before"
    found.shown.changed.emit()  # before the bench is refreshed, as when another song is opened
    assert found.side.name.text() != "of the song before"
    found.refresh()
    assert found.bus in found.returns()
