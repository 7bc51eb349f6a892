"""Buses and the level path as a user drives them: drag, type, nudge, hear, undo, save, reopen, ledger."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QPushButton

from all_even.app.bench import ruler
from all_even.app.stages.buses import rivers as rivers_drawn
from all_even.app.style.fields import NumberField
from all_even.demo.score import make_score
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.utility import Gain
from all_even.engine.playing.state import START_RAMP_S
from all_even.engine.render import render
from all_even.session.editing import chain_edits, edits
from all_even.session.model.strips import MIX, NOWHERE
from tests.app.conftest import NO_STAGE
from tests.app.mouse import drag, turn
from tests.conftest import RATE


@pytest.fixture
def routed(opened):
    """The stage Buses with a group of the first two lanes; no moves are looked for."""
    opened.looks_at = NO_STAGE
    opened.desk.set_stage("buses")
    lanes = [lane.id for lane in opened.desk.session.lanes]
    opened.desk.select((lanes[0], lanes[1]))
    opened.window.workbench.bench.of("buses").form.make_group()
    opened.measured()
    return opened


def drag_to_column(rig, strip_id: str, bus: str, *, send: bool = False) -> None:
    view = rig.window.workbench.lanes
    index = view.lane_ids().index(strip_id)
    view.scroll_to(index)
    rivers = view.body.rivers
    x = rivers_drawn.column_x(view.columns(), len(rivers.columns), rivers.columns.index(bus))
    start = QPoint(int(view.columns().boxes["goes"][0]) + 5, int(view.row_box(index).center().y()))
    end = QPoint(int(x), start.y())
    keys = Qt.KeyboardModifier.ControlModifier if send else Qt.KeyboardModifier.NoModifier
    QTest.mousePress(view.viewport(), Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view.viewport(), end)
    QTest.mouseRelease(view.viewport(), Qt.MouseButton.LeftButton, keys, pos=end)
    rig.settle_paint()


def test_a_group_is_made_of_the_selection_and_stands_in_the_lanes(routed):
    desk = routed.desk
    (bus,) = desk.session.buses
    assert desk.current == bus.id
    assert [lane.destination for lane in desk.session.lanes[:3]] == [bus.id, bus.id, MIX]
    assert bus.id in routed.window.workbench.lanes.lane_ids()
    assert MIX in routed.window.workbench.lanes.lane_ids()
    assert "Summing group" in routed.window.workbench.lanes.accessibleDescription()
    desk.undo()
    assert desk.session.buses == ()
    assert all(lane.destination == MIX for lane in desk.session.lanes)


def test_a_lane_is_dragged_to_a_bus_to_route_and_with_ctrl_to_send(routed):
    desk = routed.desk
    bus = desk.session.buses[0].id
    third, fourth = (lane.id for lane in desk.session.lanes[2:4])
    drag_to_column(routed, third, bus)
    assert desk.session.strip(third).destination == bus
    assert "goes to Group 1 (was the mix)" in desk.session.ledger[-1].text
    drag_to_column(routed, fourth, bus, send=True)
    assert [send.to for send in desk.session.strip(fourth).sends] == [bus]
    assert desk.session.strip(fourth).destination == MIX
    drag_to_column(routed, third, MIX)
    assert desk.session.strip(third).destination == MIX


def test_a_loop_is_refused_in_a_sentence_and_nothing_changes(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    first = desk.session.buses[0].id
    desk.select((first,))
    bench.form.make_group()
    outer = desk.session.strip(first).destination
    said = []
    desk.said.connect(said.append)
    before = desk.session
    drag_to_column(routed, outer, first)
    assert desk.session == before
    assert "loop" in said[-1]
    assert "Group 1" in said[-1]


def test_a_station_is_added_by_typing_opened_changed_moved_bypassed_and_removed(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[3].id
    desk.select((lane,))
    for words in ("comp", "eq"):
        bench.add.setText(words)
        QTest.keyClick(bench.add, Qt.Key.Key_Return)
    routed.measured()
    assert [station.LABEL for station in desk.session.chain(lane)] == ["Compressor", "Equaliser"]
    compressor = desk.session.chain(lane)[0].id
    bench.open(compressor)
    field = next(f for f in bench.station.findChildren(type(bench.form.level)) if f.accessibleName() == "Threshold")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "-33")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert desk.session.chain(lane)[0].threshold_db == -33.0
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert desk.session.chain(lane)[0].threshold_db == -32.5
    bench.path.setFocus()
    QTest.keyClick(bench.path, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert [station.LABEL for station in desk.session.chain(lane)] == ["Equaliser", "Compressor"]
    QTest.keyClick(bench.path, Qt.Key.Key_B)
    assert desk.session.chain(lane)[1].bypass
    assert "Compressor bypassed" in desk.session.ledger[-1].text
    QTest.keyClick(bench.path, Qt.Key.Key_Delete)
    assert [station.LABEL for station in desk.session.chain(lane)] == ["Equaliser"]
    desk.undo()
    assert len(desk.session.chain(lane)) == 2


def test_the_level_path_shows_what_was_measured_after_each_station(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = next(
        lane for lane in desk.session.lanes if desk.measures(lane.id) and desk.measures(lane.id).integrated_lufs
    )
    desk.select((lane.id,))
    quiet_before = bench.path.stops[0].level.rms_dbfs
    desk.edit(lambda s: chain_edits.add_station(s, lane.id, Gain(gain_db=-6.0)))
    routed.measured()
    entered, after, fader = bench.path.stops
    assert entered.level.rms_dbfs == pytest.approx(quiet_before, abs=0.3)
    assert after.level.rms_dbfs == pytest.approx(entered.level.rms_dbfs - 6.0, abs=0.01)
    assert fader.level.rms_dbfs == pytest.approx(after.level.rms_dbfs + lane.level_db, abs=0.01)
    assert "Gain" in bench.path.accessibleDescription()


def test_a_key_is_chosen_by_name_and_said_plainly(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    source, target = (lane.id for lane in desk.session.lanes[2:4])
    desk.edit(lambda s: chain_edits.add_station(s, target, Compressor()))
    desk.select((target,))
    bench.open(desk.session.chain(target)[0].id)
    bench.station.set_key(source)
    assert desk.session.chain(target)[0].key.source == source
    assert bench.path.stops[1].keyed_by == desk.session.strip_name(source)
    assert f"sidechained from {desk.session.strip_name(source)}" in desk.session.ledger[-1].text
    rivers = routed.window.workbench.lanes.body.rivers
    ids = routed.window.workbench.lanes.lane_ids()
    assert [(ids[t.source_row], ids[t.target_row]) for t in rivers.threads] == [(source, target)]


def test_matching_gives_back_what_a_station_took(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = next(
        lane.id for lane in desk.session.lanes if desk.measures(lane.id) and desk.measures(lane.id).integrated_lufs
    )
    desk.edit(lambda s: chain_edits.add_station(s, lane, Compressor(threshold_db=-50.0, ratio=4.0)))
    desk.select((lane,))
    routed.measured()
    bench.open(desk.session.chain(lane)[0].id)
    taken = bench.path.stops[1].level.rms_dbfs - bench.path.stops[0].level.rms_dbfs
    assert taken < -1.0
    bench.station.match.click()
    routed.measured()
    assert desk.session.chain(lane)[0].makeup_db == pytest.approx(-taken, abs=0.02)
    assert bench.path.stops[1].level.rms_dbfs == pytest.approx(bench.path.stops[0].level.rms_dbfs, abs=0.1)


def test_a_bus_tells_what_its_dynamics_do_to_each_member(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    bus = desk.session.buses[0].id
    desk.edit(lambda s: chain_edits.add_station(s, bus, Compressor(threshold_db=-50.0, ratio=8.0, attack_ms=1.0)))
    desk.select((bus,))
    routed.measured()
    rows = bench.changes.rows
    assert {name for name, _, _ in rows} == {desk.session.lanes[0].name, desk.session.lanes[1].name}
    known = [change for _, _, change in rows if change is not None]
    assert known
    assert any(abs(change) > 0.01 for change in known)


def test_groups_convert_and_dissolve_without_changing_the_mix(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    bus = desk.session.buses[0].id
    before = np.concatenate(list(render(desk.plan())))
    desk.select((bus,))
    bench.form.convert.click()
    assert [group.id for group in desk.session.folder_groups] == [bus]
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-9)
    bench.form.convert.click()
    assert [item.id for item in desk.session.buses] == [bus]
    bench.form.remove_current()
    assert desk.session.buses == ()
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-9)


@pytest.mark.slow  # glue is fitted to every group and the mix
def test_ready_starts_are_made_heard_of_in_the_ledger_and_undone(routed):
    desk = routed.desk
    desk.set_stage("dynamics")
    routed.look()
    desk.moves.apply(next(move for move in desk.moves.at("dynamics") if move.kind == "dynamics.glue"))
    routed.wait(lambda: bool(desk.session.mix.chain))
    desk.set_stage("buses")
    routed.measured()
    entry = next(entry for entry in reversed(desk.session.ledger) if entry.move is not None)
    assert entry.move.kind == "dynamics.glue"
    assert entry.result.value == pytest.approx(entry.move.expected, abs=0.3)
    desk.undo()
    assert desk.session.mix.chain == ()


def test_routing_and_chains_survive_saving_and_reopening(routed, tmp_path):
    desk = routed.desk
    lane = desk.session.lanes[2].id
    desk.edit(lambda s: chain_edits.add_station(s, lane, Compressor(threshold_db=-31.5)))
    path = tmp_path / "kept.alleven"
    desk.documents.save(path)
    routed.wait(lambda: not desk.unsaved)
    kept = desk.session
    routed.open(path)
    assert desk.session.buses == kept.buses
    assert desk.session.chain(lane) == kept.chain(lane)


def test_what_is_played_through_chains_and_buses_equals_the_print(routed):
    """The stand-in's recording after the quiet start, with a lane's and a bus' dynamics and a late limiter."""
    desk = routed.desk
    bus = desk.session.buses[0].id
    lane = desk.session.lanes[2].id
    for target, words in ((bus, "comp"), (lane, "limiter")):
        desk.select((target,))
        routed.window.workbench.bench.of("buses").add.setText(words)
        routed.window.workbench.bench.of("buses").add_typed()
    desk.edit(lambda s: edits.set_trim(s, -14.0))
    routed.measured()
    assert desk.plan().latency > 0
    routed.desk.player.locate(0.0)
    desk.ears.toggle_play()
    routed.wait(lambda: desk.player.playing)
    routed.wait(lambda: not desk.player.playing)
    routed.devices[0].stop()
    heard = routed.devices[0].recording()
    rendered = np.concatenate(list(render(desk.plan())))
    rise = np.minimum(1.0, np.arange(len(rendered)) / (START_RAMP_S * RATE))[:, np.newaxis] ** 2
    np.testing.assert_allclose(heard, rendered * rise, atol=1e-6)


def test_nowhere_makes_a_silent_trigger_of_a_lane(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[2].id
    desk.select((lane,))
    bench.form.route(NOWHERE)
    assert desk.session.strip(lane).destination == NOWHERE
    assert "goes to nowhere" in desk.session.ledger[-1].text


def test_a_ducker_follows_the_beats_of_the_measured_tempo(routed):
    """The shape's hits are the tempo's beats; the whole is one step of undo after the station."""
    desk = routed.desk
    lane = desk.session.lanes[3].id
    desk.edit(lambda s: chain_edits.add_station(s, lane, Ducker(depth_db=9.0)))
    desk.select((lane,))
    box = next(b for b in routed.window.findChildren(QComboBox) if b.accessibleName() == "New shape from hits")
    box.setCurrentIndex(box.findData("beat"))
    box.activated.emit(box.currentIndex())
    routed.wait(lambda: bool(desk.session.shapes))
    (shape,) = desk.session.shapes
    assert desk.session.chain(lane)[0].shape == shape.id
    gaps = np.diff(shape.hits_s)
    assert np.ptp(gaps) < 0.01
    truth = make_score(7, bars=6)
    assert gaps.mean() == pytest.approx(truth.beat_s, rel=0.001)
    assert "every beat" in shape.name
    desk.undo()
    assert desk.session.shapes == ()


def test_the_pan_law_is_set_on_the_mix_and_told_in_the_ledger(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    desk.select((MIX,))
    assert bench.form.pan_law.isVisible()
    bench.form.pan_law.setCurrentIndex(bench.form.pan_law.findData("-6 dB"))
    bench.form.pan_law.activated.emit(bench.form.pan_law.currentIndex())
    assert desk.session.pan_law == "-6 dB"
    assert "Pan law" in desk.session.ledger[-1].text
    desk.undo()
    assert bench.form.pan_law.currentData() == "-3 dB"
    desk.select((desk.session.lanes[0].id,))
    assert not bench.form.pan_law.isVisible()


def test_bands_of_a_band_compressor_are_added_dropped_and_moved(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[3].id
    desk.edit(lambda s: chain_edits.add_station(s, lane, BandCompressor()))
    desk.select((lane,))
    panel = bench.station
    button = {b.text(): b for b in panel.findChildren(QPushButton)}
    button["Add band"].click()
    assert len(desk.session.chain(lane)[0].bands) == 3
    edge = next(
        field for field in panel.findChildren(NumberField) if field.accessibleName() == "Upper edge of the band"
    )
    edge.value_changed.emit(2500.0)
    assert desk.session.chain(lane)[0].crossovers_hz[1] == 2500.0
    {b.text(): b for b in panel.findChildren(QPushButton)}["Drop band"].click()
    assert len(desk.session.chain(lane)[0].bands) == 2
    assert "Drop band" not in {b.text() for b in panel.findChildren(QPushButton) if b.isVisible()}


def test_another_station_opens_at_its_first_band(routed):
    desk, panel = routed.desk, routed.window.workbench.bench.of("buses").station
    first, second = (lane.id for lane in desk.session.lanes[2:4])
    for lane in (first, second):
        desk.edit(lambda s, to=lane: chain_edits.add_station(s, to, BandCompressor()))
    shown = {}
    for lane, band in ((first, "Band 2"), (second, "Band 1")):
        desk.select((lane,))
        shown[lane] = [b.accessibleName() for b in panel.findChildren(QPushButton) if b.isChecked()]
        next(b for b in panel.findChildren(QPushButton) if b.accessibleName() == band).click()
    assert "Band 1" in shown[second]
    assert "Band 2" not in shown[second]


def test_shares_in_the_lanes_are_those_of_the_bench(routed):
    """One figure for one thing: loudness at the bus less the loudness of its sum."""
    desk = routed.desk
    bus = desk.session.buses[0]
    desk.select((bus.id,))
    rows = {name: share for name, share, _ in routed.window.workbench.bench.of("buses").changes.rows}
    rivers, ids = routed.window.workbench.lanes.body.rivers, routed.window.workbench.lanes.lane_ids()
    into = [item for item in rivers.branches if item.column == rivers.columns.index(bus.id) and item.open]
    assert len(into) >= 2
    for branch in into:
        assert branch.share_lu == pytest.approx(rows[desk.session.strip_name(ids[branch.row])], abs=1e-9)


def test_a_bar_of_an_equaliser_is_dragged_as_one_step_of_undo(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[3].id
    bands = (Band(frequency_hz=100.0, gain_db=-3.0), Band(frequency_hz=2000.0, gain_db=4.0))
    desk.edit(lambda s: chain_edits.add_station(s, lane, Equaliser(bands=bands)))
    desk.select((lane,))
    routed.settle_paint()
    drawing = bench.station.drawing
    plot = drawing.plot()
    start = QPoint(round(ruler.x_of(plot, 2000.0)), round(plot.center().y()) - 8)
    before = desk.session
    drag(drawing, start, start + QPoint(round(plot.width() / 10), -round(plot.height() / 12)))
    moved = desk.session.chain(lane)[0].bands
    assert moved[0] == bands[0]
    assert moved[1].frequency_hz == pytest.approx(2000.0 * 1000.0**0.1, rel=0.03)
    assert moved[1].gain_db == pytest.approx(7.0, abs=0.4)
    assert bench.station.band == 1
    desk.undo()
    assert desk.session.lanes == before.lanes
    assert desk.session.chain(lane)[0].bands == bands


def test_the_wheel_over_a_bar_sets_q_and_linear_phase_says_what_it_costs(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[3].id
    band = Band(frequency_hz=2000.0, gain_db=4.0, q=1.0)
    desk.edit(lambda s: chain_edits.add_station(s, lane, Equaliser(bands=(band,))))
    desk.select((lane,))
    routed.settle_paint()
    drawing = bench.station.drawing
    at = QPointF(ruler.x_of(drawing.plot(), 2000.0), drawing.plot().center().y() - 8)
    turn(drawing, at, 1)
    (station,) = desk.session.chain(lane)
    assert station.bands[0].q == pytest.approx(1.1)
    desk.edit(lambda s: chain_edits.change_station(s, lane, station.id, phase="linear"))
    routed.settle_paint()
    assert "85 ms late" in drawing.title
    assert "before" in drawing.title


def test_the_line_of_a_threshold_is_dragged(routed):
    desk, bench = routed.desk, routed.window.workbench.bench.of("buses")
    lane = desk.session.lanes[3].id
    desk.edit(lambda s: chain_edits.add_station(s, lane, Compressor(threshold_db=-30.0)))
    desk.select((lane,))
    routed.settle_paint()
    drawing = bench.station.drawing
    plot = drawing.plot()
    start = QPoint(round(plot.left() + plot.width() / 2), round(plot.center().y()))
    drag(drawing, start, start + QPoint(round(plot.width() / 5), 0))
    assert desk.session.chain(lane)[0].threshold_db == pytest.approx(-18.0, abs=0.6)
    desk.undo()
    assert desk.session.chain(lane)[0].threshold_db == -30.0


def test_drawings_follow_the_theme(routed):
    """Their pictures are kept: all of them have to be drawn anew."""
    bench, window = routed.window.workbench.bench.of("buses"), routed.window
    window.apply_theme("day")
    routed.settle_paint()
    day = bench.path.grab().toImage().pixelColor(60, 30).lightness()
    window.apply_theme("night")
    routed.settle_paint()
    night = bench.path.grab().toImage().pixelColor(60, 30).lightness()
    assert day > 180
    assert night < 90


def test_one_lane_leaves_its_folder_as_loud_as_it_was(routed):
    desk, form = routed.desk, routed.window.workbench.bench.of("buses").form
    kick, snare = (lane.id for lane in desk.session.lanes[2:4])
    desk.select((kick, snare))
    assert form.folder.isVisible()
    assert not form.in_folder.isVisible()
    form.make_folder()
    (folder,) = desk.session.folder_groups
    desk.edit(lambda s: edits.change_strips(s, [folder.id], level_db=-6.0))
    before = np.concatenate(list(render(desk.plan())))
    desk.select((kick,))
    assert form.in_folder.currentData() == folder.id
    choose(form.in_folder, "")
    assert desk.session.lane(kick).group is None
    assert desk.session.lane(snare).group == folder.id
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-9)
    desk.undo()
    assert desk.session.lane(kick).group == folder.id
    routed.give("Take it out of its folder")
    assert desk.session.lane(kick).group is None
    choose(form.in_folder, folder.id)
    assert desk.session.lane(kick).group == folder.id
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-9)


def choose(box, data) -> None:
    """As a hand does it: the entry, then the signal that it was chosen."""
    box.setCurrentIndex(box.findData(data))
    box.activated.emit(box.currentIndex())
