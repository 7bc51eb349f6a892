"""First mix in the window: the sheet, the stages as they are done, taking back, leaving out, and judging it."""

import pytest
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton

from all_even.app.pages.first_mix import FirstMixPage
from all_even.first_mix.following import PATH
from all_even.first_mix.stage_run import LINE
from all_even.moves import accounts
from tests.app.conftest import NO_STAGE


def page_of(rig) -> FirstMixPage:
    rig.give("First mix")
    page = rig.window.extra_pages["first-mix"]
    rig.wait(lambda: page.mix.asked is not None)
    return page


def words_of(widget) -> str:
    return " ".join(label.text() for label in widget.findChildren(QLabel))


def button(page, text: str) -> QPushButton:
    return next(item for item in page.findChildren(QPushButton)[::-1] if item.text().strip() == text)


@pytest.fixture
def short_path(monkeypatch):
    """Stages that take little."""
    from all_even.first_mix import following, stage_run

    monkeypatch.setattr(following, "PATH", ("gather", "balance"))
    monkeypatch.setattr(following.follow, "__defaults__", (stage_run.Wishes(), ("gather", "balance"),
                        *following.follow.__defaults__[2:]))  # fmt: skip


def test_the_head_of_the_work_leads_to_it(rig, small_band):
    rig.looks_at = NO_STAGE
    rig.open(small_band)
    rig.window.workbench.head.first_mix.click()
    page = rig.window.extra_pages["first-mix"]
    assert rig.window.pages.currentWidget() is page
    rig.wait(lambda: page.mix.asked is not None)
    told = words_of(page.body)
    assert "Where does the balance start?" in told
    assert told.count("Over the rest then: lead") == 3
    assert page.school.checkedButton().property("school") == "voice-first"


def test_what_is_said_in_the_sheet_is_what_is_done_and_each_stage_is_a_step(rig, small_band, short_path):
    rig.looks_at = NO_STAGE
    rig.open(small_band)
    desk, page = rig.desk, page_of(rig)
    before = desk.session
    next(choice for choice in page.school.buttons() if choice.property("school") == "all-even").setChecked(True)
    page.begin()
    assert page.mix.running
    rig.wait(lambda: not page.mix.running)
    assert [run.key for run in page.mix.runs] == ["gather", "balance"]
    made = [move.id for run in page.mix.runs for move in run.made]
    assert "balance.all-even" in made
    assert "balance.voice-first" not in made
    assert desk.undo_text == f"{LINE}Balance"
    page._turn("balance")
    assert "All even: every source equally loud" in [box.text() for box in page.findChildren(QCheckBox)]
    assert "now" in words_of(page)
    page._take_back()
    assert desk.session.lanes == before.lanes
    assert not accounts.standing(desk.session)
    desk.redo()
    assert accounts.standing(desk.session)


def test_a_move_without_its_tick_is_left_out_the_next_time(rig, small_band, short_path):
    rig.looks_at = NO_STAGE
    rig.open(small_band)
    page = page_of(rig)
    page.begin()
    rig.wait(lambda: not page.mix.running)
    run = page.mix.runs[-1]
    page._turn(run.key)
    last = run.made[-1]
    box = next(item for item in page.findChildren(QCheckBox) if item.text() == last.title)
    box.click()
    assert page.without == {last.id}
    button(page, "Again without 1 move").click()
    rig.wait(lambda: not page.mix.running)
    assert last.id not in {move.id for move in page.mix.runs[-1].made}
    assert last.id not in {move.id for move in accounts.standing(rig.desk.session).values()}


def test_it_can_be_stopped_and_what_was_done_stays(rig, small_band):
    rig.looks_at = NO_STAGE
    rig.open(small_band)
    page = page_of(rig)
    page.begin()
    rig.wait(lambda: len(page.mix.runs) >= 3)
    button(page, "Stop here").click()
    assert not page.mix.running
    done = [run.key for run in page.mix.runs]
    assert tuple(done) == PATH[: len(done)]
    assert len(done) < len(PATH)
    assert accounts.standing(rig.desk.session)
    rig.wait(lambda: rig.desk.idle)


def test_a_change_by_hand_meanwhile_stops_it(rig, small_band):
    from all_even.session.editing import edits

    rig.looks_at = NO_STAGE
    rig.open(small_band)
    desk, page = rig.desk, page_of(rig)
    page.begin()
    rig.wait(lambda: len(page.mix.runs) >= 1)
    lane = desk.session.lanes[0].id
    desk.edit(lambda s: edits.change_strips(s, [lane], level_db=-20.0), text="by hand")
    rig.wait(lambda: not page.mix.running)
    assert desk.session.lane(lane).level_db == -20.0
    rig.wait(lambda: desk.idle)


def test_the_mix_before_a_stage_is_heard_as_long_as_it_is_held(rig, small_band, short_path):
    from all_even.app.style.hold_button import HoldButton

    rig.looks_at = NO_STAGE
    rig.open(small_band)
    page = page_of(rig)
    page.begin()
    rig.wait(lambda: not page.mix.running)
    rig.wait(lambda: rig.desk.idle)
    hold = page.findChildren(HoldButton)[-1]
    hold.hold()
    rig.wait(lambda: rig.desk.hearing.name == "before Balance")
    hold.release()
    assert rig.desk.hearing.name == "now"
    rig.desk.player.stop()
