"""Dynamics as a user meets it: dots before and now, side effects, the station at work, members, a crushed copy."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from all_even.app.stages.dynamics import body, marks, side
from all_even.app.stages.dynamics.bench import DynamicsBench
from all_even.app.station.bars_drawing import WAITING
from all_even.app.style import paint
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.processor import settings
from all_even.measure.dynamics.side_effects import SideEffects
from all_even.session.editing import chain_edits
from all_even.session.model.strips import MIX
from tests.app.conftest import NO_STAGE
from tests.moves import dynamic_sessions


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """Lines of uneven notes, opened and measured once for all tests here."""
    folder = dynamic_sessions.uneven(tmp_path_factory.mktemp("dynamics") / "song")
    one_window.reset()
    one_window.open_at("dynamics", folder)
    yield one_window
    one_window.reset()


@pytest.fixture
def opened(song):
    """As it was opened: what a test before did is taken back."""
    desk, song.looks_at = song.desk, NO_STAGE
    while desk.undo_text is not None:
        desk.undo()
    desk.set_stage("dynamics")
    desk.select((lane(song, "Clarinet"),))
    bench(song).show_view(0)
    shown(song)
    return song


def bench(rig) -> DynamicsBench:
    found = rig.window.workbench.bench.of("dynamics")
    assert isinstance(found, DynamicsBench)
    return found


def shown(rig) -> DynamicsBench:
    """The bench, once all of it is of the session as it is."""
    found = bench(rig)
    rig.wait(lambda: not found.shown.is_stale())
    rig.wait(lambda: not rig.desk.work.busy("dynamics"))
    return found


def lane(rig, name: str) -> str:
    return next(item.id for item in rig.desk.session.lanes if item.name == name)


def made(rig, move=None, act=None):
    """Makes a move, or does what makes one; its line in the ledger once its result is measured."""
    desk = rig.desk
    since = max((entry.serial for entry in desk.session.ledger), default=0)

    def last():
        found = [entry for entry in desk.session.ledger if entry.move is not None and entry.serial > since]
        return found[-1] if found and found[-1].result is not None else None

    act() if act is not None else desk.moves.apply(move)
    rig.wait(lambda: last() is not None)
    return last()


def with_compressor(rig, **values):
    strip = rig.desk.current
    rig.desk.edit(lambda s: chain_edits.add_station(s, strip, Compressor(**values)))
    return shown(rig)


def test_every_lane_shows_its_notes_and_its_spread(opened):
    found = shown(opened).shown
    assert set(found.movements) == {*(item.id for item in opened.desk.session.lanes), MIX}
    clarinet = found.of(lane(opened, "Clarinet"))
    assert len(clarinet.units) == 24
    assert not clarinet.moved
    assert "24 notes" in bench(opened).side.told.text()
    assert bench(opened).none is not None


def test_a_move_is_made_in_the_window_and_the_dots_come_together(opened):
    desk = opened.desk
    opened.measured()
    move = next(item for item in desk.moves.at("dynamics") if item.kind == "dynamics.even-out"
                and item.targets == (desk.current,))  # fmt: skip
    entry = made(opened, move)
    moved = shown(opened).shown.of(move.targets[0])
    assert moved.moved
    assert moved.spread_now_db < moved.spread_before_db - 2.0
    assert entry.result.value == pytest.approx(entry.move.expected, abs=entry.move.tolerance)
    assert "Compressor" in bench(opened).side.told.text()
    desk.undo()
    assert not shown(opened).shown.of(move.targets[0]).moved


def test_another_aim_on_the_card_is_tried_out_before_it_is_made(opened):
    desk = opened.desk
    opened.measured()

    def now():
        return next(item for item in desk.moves.at("dynamics") if item.kind == "dynamics.even-out"
                    and item.targets == (desk.current,))  # fmt: skip

    usual = now()
    desk.moves.change(usual, {"aim": 0.8})
    opened.wait(lambda: now().parameters["aim"] == 0.8 and now().expected is not None)
    gentler = now()
    assert gentler.expected == pytest.approx(0.8 * usual.before, abs=0.2)
    entry = made(opened, gentler)
    assert entry.result.value == pytest.approx(gentler.expected, abs=gentler.tolerance)
    station = desk.session.lane(usual.targets[0]).chain[0]
    assert station.threshold_db > usual.parameters["threshold_0_db"]


def test_the_station_shows_its_loudest_bars_and_the_five_settings_that_matter_first(opened):
    found = with_compressor(opened, threshold_db=-30.0, ratio=6.0)
    found.show_view(1)
    opened.wait(lambda: found.station.bars.bars is not None)
    bars = found.station.bars.bars
    assert bars.gain_db.min() < -3.0
    assert bars.out_db.max() < bars.into_db.max()
    names = {widget.accessibleName() for widget in found.station.form_area.widget().findChildren(QLineEdit)}
    described = settings(Compressor)
    assert names == {described[name].name for name in Compressor.FIRST}
    found.station.more.click()
    names = {widget.accessibleName() for widget in found.station.form_area.widget().findChildren(QLineEdit)}
    assert described["knee_db"].name in names
    found.station.more.click()
    assert found.station.drawing.isVisible()


def test_what_kinds_show_first_are_settings_of_theirs():
    from all_even.dsp.kinds import KINDS

    for kind in KINDS:
        assert len(kind.FIRST) <= 5
        assert set(kind.FIRST) <= set(settings(kind))


def test_the_bars_play_where_they_are(opened, monkeypatch):
    found = with_compressor(opened, threshold_db=-30.0)
    found.show_view(1)
    opened.wait(lambda: found.station.bars.bars is not None)
    asked = []
    found.station.bars.pressed.connect(asked.append)
    monkeypatch.setattr(opened.desk.ears, "toggle_play", lambda: None)
    QTest.mouseClick(found.station.bars, Qt.MouseButton.LeftButton, pos=QPoint(60, 60))
    assert asked == [found.station.bars.bars.start_s]
    assert opened.desk.ears.player.position_s() == pytest.approx(asked[0], abs=0.05)


def test_a_dot_is_heard_where_it_is_pressed(opened, monkeypatch):
    found = shown(opened)
    played = []
    monkeypatch.setattr(opened.desk.ears, "play_from", played.append)
    for drawing in (found.transfer, found.along):
        plot = drawing.plot()
        xs, ys = found.transfer.points(plot) if drawing is found.transfer else found.along.points(plot)[:3:2]
        QTest.mouseClick(drawing, Qt.MouseButton.LeftButton, pos=QPoint(round(xs[4]), round(ys[4])))
    starts = found.shown.of(opened.desk.current).units.starts_s
    assert len(played) == 2
    assert all(np.abs(starts - at_s - 0.15).min() < 0.01 for at_s in played)


def test_each_sibilant_is_marked_and_heard_where_it_is(opened, monkeypatch):
    from all_even.moves.dynamics import soften

    desk = opened.desk
    opened.measured()
    desk.select((lane(opened, "Lead vox"),))
    found = shown(opened)
    move = next(item for item in desk.moves.at("dynamics") if item.kind == soften.KIND.id)
    assert found.along.places_s == soften.starts_s(move)
    played = []
    monkeypatch.setattr(desk.ears, "play_from", played.append)
    plot = found.along.plot()
    at = QPoint(round(found.along.marks(plot)[3]), round(plot.bottom() - 4))
    QTest.mouseClick(found.along, Qt.MouseButton.LeftButton, pos=at)
    assert played == [pytest.approx(soften.starts_s(move)[3] - 0.15)]
    desk.moves.apply(move)
    opened.wait(lambda: found.sibilants()[1])
    shown(opened)
    assert found.along.ridden
    assert len(found.along.places_s) == len(soften.starts_s(move))


def test_nothing_works_on_a_lane_until_a_compressor_is_added(opened):
    found = shown(opened)
    found.show_view(1)
    assert found.stations.currentWidget() is found.none
    found.add_compressor()
    shown(opened)
    assert found.stations.currentWidget() is found.station
    assert found.without.isEnabled()


def test_two_stations_get_a_button_each(opened):
    found = with_compressor(opened, threshold_db=-30.0)
    strip = opened.desk.current
    opened.desk.edit(lambda s: chain_edits.add_station(s, strip, Gate(threshold_db=-60.0)))
    shown(opened)
    buttons = found.chain_buttons()
    assert [button.text() for button in buttons] == ["Comp", "Gate"]
    buttons[1].click()
    shown(opened)
    assert found.stack.currentIndex() == 1
    assert found.station.title.text() == "Gate"


def test_members_of_the_mix_come_up_and_sink_by_its_compression(opened):
    desk = opened.desk
    desk.edit(lambda s: chain_edits.add_station(s, MIX, Compressor(threshold_db=-40.0, ratio=6.0)))
    opened.wait(lambda: not desk.mix_stale)
    found = shown(opened)
    found.show_view(2)
    opened.wait(lambda: any(row[2] is not None for row in found.members.rows))
    assert any(abs(row[2]) > 0.1 for row in found.members.rows if row[2] is not None)


def test_a_crushed_copy_of_the_selection_is_a_move_in_the_ledger(opened):
    desk = opened.desk
    desk.select((lane(opened, "Kick"),))
    entry = made(opened, act=bench(opened).crush)
    assert entry.move.kind == "dynamics.parallel"
    assert entry.result.value == pytest.approx(entry.move.expected, abs=entry.move.tolerance)
    desk.undo()
    assert desk.session.buses == ()
    assert set(shown(opened).shown.movements) == {*(item.id for item in desk.session.lanes), MIX}


def test_matters_of_taste_are_folded_and_no_open_work(opened):
    from all_even.app.desk.moves import is_taste
    from all_even.app.head.facts import stage_facts

    opened.measured()
    moves = opened.desk.moves.at("dynamics")
    tastes = [move for move in moves if is_taste(move)]
    assert len(tastes) > 3
    tab = opened.window.workbench.side.moves
    opened.wait(lambda: not tab.building)
    assert not {card.move_.id for card in tab.cards()} & {move.id for move in tastes}
    facts = next(item for item in stage_facts(opened.desk) if item.key == "dynamics")
    assert len(facts.moves) == len(moves) - len(tastes)
    tab.turn_fold("dynamics")
    opened.wait(lambda: not tab.building)
    assert {move.id for move in tastes} <= {card.move_.id for card in tab.cards()}
    tab.turn_fold("dynamics")


def test_side_effects_over_their_limit_are_named():
    none = marks.marks(None)
    assert [mark.short for mark in none] == [
        "Pumping",
        "Attacks",
        "Treble",
        "Noise",
        "Distortion",
        "Phrases",
        "Loudness",
    ]
    assert not any(mark.text or mark.over for mark in none)
    found = {mark.short: mark for mark in marks.marks(SideEffects(pump_db=0.4, contour=0.3, louder_lu=1.0))}
    assert found["Pumping"].text
    assert not found["Pumping"].over
    assert found["Phrases"].over
    assert found["Loudness"].over
    assert any("over its limit" in line for line in marks.sentences(tuple(found.values())))
    assert side.sentence(None, "") == "Being measured …"


def test_a_row_is_painted_the_same_way_with_and_without_dynamics(opened):
    paint.shortened.clear()
    found = with_compressor(opened, threshold_db=-30.0, ratio=8.0)
    picture = QPixmap(400, 40)
    painter = QPainter(picture)
    movement = found.shown.of(opened.desk.current)
    box = QRectF(0, 0, 400, 40)
    body.paint_units(painter, box, movement, 16.0, "winds & brass", heard=True)
    body.paint_moments(painter, box, found.shown.of(MIX), 16.0)
    body.paint_ribbon(painter, box, movement.gain_db, 16.0)
    body.paint_change(painter, QRectF(0, 0, 76, 20), 12.3, 10.4, moved=True)
    painter.end()
    assert paint.shortened == []
    assert WAITING
