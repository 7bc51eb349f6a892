"""The low end as a user meets it: one hit and its landmarks, ways to duck, linked lanes, who owns the bottom."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from all_even.app.stages.low_end.bench import USABLE, LowEndBench
from all_even.session.file import store
from all_even.session.model.strips import NOWHERE
from all_even.session.song.hits import is_kick
from tests.app.conftest import NO_STAGE
from tests.moves import low_sessions


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """A session of a kick, a bass and something high, opened and measured once for all tests here."""
    folder = low_sessions.colliding(tmp_path_factory.mktemp("low") / "song")
    low_sessions.write(folder, {"Hi-hat": low_sessions.treble()}, peak=0.1)
    one_window.reset()
    one_window.open_at("low-end", folder)
    yield one_window
    one_window.reset()


@pytest.fixture
def low(song):
    """As it was opened: what a test before did is taken back."""
    desk, song.looks_at = song.desk, NO_STAGE
    while desk.undo_text is not None:
        desk.undo()
    desk.select(())
    desk.set_stage("low-end")
    song.window.workbench.bench.of("low-end").show_view(0)
    song.window.workbench.bench.of("low-end").forget()
    bench(song)
    return song


def bench(rig) -> LowEndBench:
    found = rig.window.workbench.bench.of("low-end")
    assert isinstance(found, LowEndBench)
    rig.wait(lambda: found.beat.places() and not rig.desk.work.busy())
    return found


def use(rig, name: str) -> LowEndBench:
    shown = bench(rig)
    shown.choose(name)
    rig.wait(lambda: not rig.desk.work.busy())
    shown.use.click()
    rig.wait(lambda: shown.standing() is not None)
    rig.measured()
    return shown


def test_lanes_with_nothing_at_the_bottom_are_folded_to_one_line(low):
    lanes = low.window.workbench.lanes
    assert {row.lane.role for row in lanes.rows} == {"kick", "bass"}
    assert lanes.over_heads.more.isVisible()
    assert lanes.over_heads.more.text().startswith("1 more")
    lanes.over_heads.more.click()
    assert len(lanes.rows) == 3
    lanes.over_heads.more.click()
    low.desk.set_stage("balance")
    assert len(lanes.rows) == 3
    assert not lanes.over_heads.more.isVisible()


def test_all_ways_to_duck_stand_side_by_side_and_one_is_large(low):
    shown = bench(low)
    names = [name for name, _, _, _ in shown.small.beats]
    assert set(names) >= {"keyed", "band", "drawn", "timeline", "pulse", "none", "plain", "keyed_default"}
    assert names[-3:] == ["none", "plain", "keyed_default"]
    box = shown.small.box_of(names.index("pulse")).center().toPoint()
    QTest.mouseClick(shown.small, Qt.MouseButton.LeftButton, pos=box)
    low.wait(lambda: shown.beat.beat.name == "pulse" and not low.desk.work.busy())
    assert shown.use.isEnabled()
    shown.choose("none")
    low.wait(lambda: shown.beat.beat.name == "none")
    assert not shown.use.isEnabled()  # a control is to compare with


def test_a_landmark_is_dragged_and_the_session_follows_as_one_step(low):
    shown = use(low, "drawn")
    desk, drawing = low.desk, shown.beat
    before, lines = desk.session.shapes[0], len(desk.session.ledger)
    assert desk.session.ledger[-1].move.kind == "low-end.duck"
    at = drawing.places()["back"].toPoint()
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=at)
    for step in (10, 20, 30):
        QTest.mouseMove(drawing, at + QPoint(step, 0))
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=at + QPoint(30, 0))
    low.measured()
    assert desk.session.shapes[0].length_ms > before.length_ms
    assert desk.session.shapes[0].hold_ms == before.hold_ms
    assert len(desk.session.ledger) == lines + 1
    assert "release" in desk.session.ledger[-1].text
    desk.undo()
    assert desk.session.shapes[0] == before


def test_landmarks_answer_to_keys(low):
    shown = use(low, "drawn")
    before = low.desk.session.shapes[0]
    shown.beat.chosen = "holds"
    QTest.keyClick(shown.beat, Qt.Key.Key_Right)
    low.measured()
    assert low.desk.session.shapes[0].hold_ms == pytest.approx(before.hold_ms + 5.0, abs=0.1)
    QTest.keyClick(shown.beat, Qt.Key.Key_Down)
    assert shown.beat.chosen != "holds"


def test_a_lane_is_linked_follows_and_has_a_depth_of_its_own(low, tmp_path):
    shown = use(low, "drawn")
    desk = low.desk
    hat = next(lane.id for lane in desk.session.lanes if lane.role == "hi-hat")
    desk.select((hat,))
    shown.link_selected()
    low.measured()
    depth = dict(shown.standing().lanes)
    (bass,) = [lane.id for lane in desk.session.lanes if lane.role == "bass"]
    assert depth[hat] == pytest.approx(0.5 * depth[bass])
    shown.links.depths[hat].value_changed.emit(2.0)
    assert dict(shown.standing().lanes)[hat] == 2.0
    path = tmp_path / "a.alleven"
    store.save(desk.session, path)
    assert store.load(path).shapes == desk.session.shapes


def test_clicks_key_the_duck_and_their_lane_stands_under_the_fold(low):
    shown = use(low, "keyed_click")
    (clicks,) = [lane for lane in low.desk.session.lanes if lane.destination == NOWHERE]
    assert shown.standing().name == "keyed_click"
    assert clicks.id not in {row.lane.id for row in low.window.workbench.lanes.rows}
    low.desk.undo()
    low.measured()
    assert all(lane.destination != NOWHERE for lane in low.desk.session.lanes)


def test_only_a_drawn_shape_links_lanes_and_that_is_said(low):
    said = []
    low.desk.said.connect(said.append)
    shown = use(low, "keyed")
    shown.link_selected()
    low.desk.said.disconnect(said.append)
    assert any("Only a drawn shape" in sentence for sentence in said)


def test_the_owner_is_decided_and_turned_with_undo(low):
    shown, desk = bench(low), low.desk
    shown.owners = shown.figures.owners
    shown.figures.owners.button(0).click()
    assert desk.session.settings.low_owner == "kick"
    low.give("The other leads the low end")
    assert desk.session.settings.low_owner == "bass"
    desk.undo()
    assert desk.session.settings.low_owner == "kick"
    low.measured()


def test_figures_stand_before_and_now(low):
    shown = use(low, "drawn")
    low.wait(lambda: shown.known is not None and not low.desk.work.busy())
    now, before = shown.known
    assert now.pile_up_db < before["pile_up_db"]
    assert now.focus > before["focus"]


def test_another_weight_fits_anew(low):
    shown = bench(low)
    fit = shown.fitted
    shown.figures.weights["kick_over_bass_db"].value_changed.emit(20.0)
    assert low.desk.session.settings.kick_over_bass_db == 20.0
    low.measured()
    low.wait(lambda: shown.fitted is not fit)
    assert shown.fitted.ducks.method("drawn").low.depth_db > fit.ducks.method("drawn").low.depth_db


def test_the_duck_is_heard_before_it_is_made(low):
    shown, desk = bench(low), low.desk
    before = desk.session
    QTest.mousePress(shown.hear, Qt.MouseButton.LeftButton)
    low.wait(lambda: desk.hearing.name.startswith("Duck the bass"))
    QTest.mouseRelease(shown.hear, Qt.MouseButton.LeftButton)
    low.wait(lambda: desk.hearing.name == "now")
    assert desk.session is before
    desk.player.stop()


def test_every_way_can_be_heard_and_a_pulse_used(low):
    shown, desk = bench(low), low.desk
    for name in sorted(USABLE):
        shown.choose(name)
        low.wait(lambda name=name: shown.beat.beat.name == name and not desk.work.busy())
        QTest.mousePress(shown.hear, Qt.MouseButton.LeftButton)
        low.wait(lambda: desk.hearing.name.startswith("Duck the bass"))
        QTest.mouseRelease(shown.hear, Qt.MouseButton.LeftButton)
        low.wait(lambda: desk.hearing.name == "now")
    desk.player.stop()
    use(low, "pulse")
    assert desk.session.ledger[-1].move.parameters["method"] == "pulse"


def test_the_bench_opens_with_the_way_that_the_card_recommends(low):
    shown, desk = bench(low), low.desk
    low.wait(lambda: shown.offer is not None and shown.offer.move is not None and not desk.work.busy())
    (card,) = [move for move in desk.moves.open["low-end"] if move.kind == "low-end.duck"]
    assert shown.beat.beat.name == card.parameters["method"]
    assert shown.beat.beat.landmarks.depth_db == pytest.approx(card.evidence["duck_depth_db"], abs=1.0)
    assert shown.use.property("role") == "main"
    use(low, card.parameters["method"])
    low.wait(lambda: shown.offer is not None and shown.offer.move is None and not desk.work.busy())
    assert not shown.use.property("role")  # it is made: nothing more is recommended


def test_a_deep_duck_by_hand_has_room_in_the_drawing(low):
    shown = use(low, "drawn")
    drawing = shown.beat
    usual = drawing.full_db
    shown.choose("drawn")
    shown._drag("depth", 40.0)
    low.wait(lambda: drawing.beat.landmarks.depth_db > 39.0 and not low.desk.work.busy())
    assert drawing.full_db > usual
    assert shown.standing().numbers["depth_db"] == pytest.approx(40.0)
    assert drawing.plot().contains(drawing.places()["depth"])


def test_triggers_are_saved_where_one_says(low, tmp_path, monkeypatch):
    shown = use(low, "drawn")
    folder = tmp_path / "triggers"
    folder.mkdir()
    monkeypatch.setattr(low.window.verbs.dialogs, "choose", lambda *_args, **_more: [folder])
    low.give("Save the duck's triggers …")
    low.wait(lambda: (folder / "Duck hits.mid").exists() and not low.desk.work.busy())
    assert len(list(folder.glob("*gain.csv"))) == 1
    assert shown.standing() is not None


def test_clearings_and_notes_are_drawn(low):
    shown = bench(low)
    for view, drawing in ((1, shown.clearings), (2, shown.waves), (3, shown.notes)):
        shown.show_view(view)
        low.wait(lambda drawing=drawing: drawing.found is not None)
        low.settle_paint()
    assert {is_kick(row.lane.role) for row in low.window.workbench.lanes.rows} == {True, False}
    shown.show_view(0)
