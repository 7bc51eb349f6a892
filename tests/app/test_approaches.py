"""The page of approaches: choosing them for a session or for all new ones, trying one, hearing what it would do."""

import pytest

from all_even.app.pages.approaches import ApproachesPage
from all_even.dsp.processor import settings
from all_even.session.model.approaches import Approaches
from tests.app.conftest import NO_STAGE, VISIBLE
from tests.app.test_first_mix import words_of


def page_of(rig) -> ApproachesPage:
    rig.give("Approaches")
    return rig.window.extra_pages["approaches"]


@pytest.fixture
def page(rig, small_band):
    rig.looks_at = NO_STAGE
    rig.open(small_band)
    rig.wait(lambda: rig.desk.idle)
    return page_of(rig)


def test_every_approach_has_a_row_with_its_sentence(page):
    told = words_of(page)
    for name, setting in settings(Approaches).items():
        assert page.rows[name].name == setting.name
        assert Approaches.HELP[name] in told
    assert "None chosen." in page.whose.text()


def test_a_tick_is_an_edit_that_can_be_undone_and_is_in_the_ledger(rig, page):
    page.rows["pocket"].control.click()
    assert rig.desk.session.approaches.pocket
    assert rig.desk.session.ledger[-1].text == "Approach: pocket off → on"
    assert "1 approach" in page.whose.text()
    rig.desk.undo()
    assert not rig.desk.session.approaches.pocket
    assert not page.rows["pocket"].control.isChecked()


def test_a_choice_is_set_and_all_are_dropped_again(rig, page):
    box = page.rows["glue_ratio"].control
    box.setCurrentIndex(box.findData("3:1"))
    box.activated.emit(box.currentIndex())
    assert rig.desk.session.approaches.glue_ratio == "3:1"
    page.none.click()
    assert rig.desk.session.approaches == Approaches()
    assert box.currentData() == "as usual"


def test_what_is_kept_for_all_begins_new_sessions(rig, page):
    page.rows["thicken"].control.click()
    page.for_all.click()
    assert rig.desk.preferences.approaches.thicken
    assert rig.desk.preferences.begin(rig.desk.session).approaches.thicken
    page.rows["thicken"].control.click()
    page.for_all.click()
    assert not rig.desk.preferences.approaches.thicken


def test_trying_shows_moves_to_hold_and_each_is_heard(rig, page):
    row = page.rows["kick_click"]
    row.tries.click()
    rig.wait(lambda: bool(row.hears))
    assert not rig.desk.session.approaches.kick_click
    assert "re its lows" in words_of(row.found)
    row.hears[0].hold()
    rig.wait(lambda: rig.desk.ears.hearing.name != "now")
    assert rig.desk.ears.hearing.name.startswith(("More click", "Soften"))
    row.hears[0].release()
    rig.wait(lambda: rig.desk.ears.hearing.name == "now")
    rig.desk.ears.player.stop()


def test_all_are_heard_in_turn_and_a_second_press_ends_it(rig, page):
    row = page.rows["glue_ratio"]
    row.tries.click()
    rig.wait(lambda: len(row.hears) > 1)
    row.in_turn.click()
    rig.wait(lambda: rig.desk.ears.hearing.name.startswith("2:1"))
    page._turn.timeout.emit()  # four seconds later
    rig.wait(lambda: rig.desk.ears.hearing.name.startswith("3:1"))
    row.in_turn.click()
    rig.wait(lambda: rig.desk.ears.hearing.name == "now")
    rig.desk.ears.player.stop()


def test_what_was_found_goes_with_the_next_change(rig, page):
    row = page.rows["two_knobs"]
    row.tries.click()
    rig.wait(lambda: bool(row.hears))
    lane = rig.desk.session.lanes[0].id
    from all_even.session.editing import edits

    rig.desk.edit(lambda s: edits.nudge_levels(s, [lane], -3.0))
    assert not row.hears
    assert row.found.isHidden()


def test_an_approach_that_has_nothing_says_so(rig, page):
    row = page.rows["forward_brass"]
    row.tries.click()
    rig.wait(lambda: "Nothing to offer" in words_of(row.found))


def test_what_is_chosen_puts_its_card_among_the_optional_ones(rig, page):
    page.rows["two_knobs"].control.click()
    rig.looks_at = VISIBLE
    rig.window.leave_page()
    rig.desk.set_stage("balance")
    rig.wait(lambda: any(move.kind.startswith("balance.two-knobs") for move in rig.desk.moves.shown_at("balance")))


def test_a_makeup_that_follows_is_set_when_the_hand_moves(rig, small_band):
    from all_even.dsp.dynamics.compressor import Compressor
    from all_even.session.editing import chain_edits

    rig.looks_at = NO_STAGE
    rig.open(small_band)
    rig.wait(lambda: rig.desk.idle)
    lane = rig.desk.session.lanes[0].id
    station = Compressor(threshold_db=-30.0, ratio=4.0, makeup_follows=True)
    rig.desk.edit(lambda s: chain_edits.add_station(s, lane, station))
    rig.wait(lambda: rig.desk.session.lane(lane).chain[0].makeup_db > 0.5)
    first = rig.desk.session.lane(lane).chain[0]
    rig.desk.edit(lambda s: chain_edits.change_station(s, lane, first.id, threshold_db=-36.0))
    rig.wait(lambda: rig.desk.session.lane(lane).chain[0].makeup_db > first.makeup_db + 0.5)
    rig.desk.undo()  # one step for the hand; what followed belongs to it
    assert rig.desk.session.lane(lane).chain[0].threshold_db == -30.0


def test_a_pocket_is_dragged_on_its_card(rig):
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest

    from all_even.app.side.place_drawing import PlaceDrawing
    from all_even.dsp.parameter import Parameter
    from tests.app import mouse

    place = Parameter("Place", "Hz", 60.0, 300.0, 145.0, 3.0, 0, "log")
    amount = Parameter("Lift", "dB", 0.5, 9.0, 3.0, 0.5)
    drawing = PlaceDrawing(place, amount)
    drawing.resize(260, 132)
    drawing.show_move(145.0, 3.0, {"100": 0.2, "145": 0.9, "200": -0.3})
    chosen = []
    drawing.chosen.connect(lambda hz, db: chosen.append((hz, db)))
    start = QPointF(drawing.x_of(145.0), drawing.y_of(3.0))
    end = QPointF(drawing.x_of(200.0), drawing.y_of(6.0))
    mouse.drag(drawing, start.toPoint(), end.toPoint())
    assert chosen[-1][0] == pytest.approx(200.0, rel=0.02)
    assert chosen[-1][1] == pytest.approx(6.0, abs=0.5)
    QTest.keyClick(drawing, Qt.Key.Key_Left)
    assert chosen[-1][0] < 190.0
    assert "Hz" in drawing.accessibleDescription()
    drawing.grab()
