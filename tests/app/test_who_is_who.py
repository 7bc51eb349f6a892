"""The page that asks who is who, and what stages answer where they propose nothing, in the real window."""

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QPushButton

from all_even.app.pages.who_is_who import HEARD_FAMILIES, KEYS, roles_in
from all_even.app.side.finding_cards import AnswerCard, TotalsCard
from all_even.session.tracks.roles import family_of
from tests.app.conftest import NO_STAGE
from tests.conftest import RATE
from tests.measure.sounds import kick, placed, plucked, snare

SECONDS = 9.0
ROLES = {
    "Audio 01_07": "kick", "Audio 02_03": "snare top", "Audio 03_05": "lead voice", "Audio 04_02": "bass",
}  # fmt: skip


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Four files with names that say nothing: kick, snare, a melody, a bass line."""
    made = tmp_path_factory.mktemp("nobody") / "Nobody"
    made.mkdir()
    melody = [(0.3 + 0.5 * i, 0.45, 440.0 * 2.0 ** (i % 5 / 12.0)) for i in range(15)]
    sounds = (
        placed(kick(), np.arange(0.3, SECONDS - 0.7, 0.5), SECONDS),
        placed(snare(), np.arange(0.55, SECONDS - 0.7, 1.0), SECONDS),
        plucked(melody, SECONDS),
        plucked([(start, length, hz / 8.0) for start, length, hz in melody], SECONDS),
    )
    for name, sound in zip(ROLES, sounds, strict=True):
        soundfile.write(made / f"{name}.wav", 0.5 * sound / np.abs(sound).max(), RATE, subtype="PCM_24")
    return made


@pytest.fixture
def page(rig, folder):
    rig.looks_at = NO_STAGE
    rig.open(folder)
    rig.give("Who is who")
    page = rig.window.extra_pages["who-is-who"]
    rig.wait(lambda: page.current is not None)
    return page


def press(page, role: str) -> None:
    """The two keys of a role."""
    family = family_of(role)
    QTest.keyClicks(page, KEYS[HEARD_FAMILIES.index(family)])
    QTest.keyClicks(page, KEYS[roles_in(family).index(role)].lower())


def test_two_keys_say_what_a_track_is_and_the_next_one_plays(rig, page):
    desk = rig.desk
    assert len(page.lanes) == 4
    rig.wait(lambda: desk.ears.playing)
    assert desk.ears.held == page.lanes[0]
    for name, role in ROLES.items():
        assert page.current.file == f"{name}.wav"
        press(page, role)
    assert page.current is None
    assert [lane.role for lane in desk.session.lanes] == list(ROLES.values())
    assert [lane.name for lane in desk.session.lanes][2] == "Lead voice 03_05"
    assert page.name.text() == "All are said"
    rig.wait(lambda: not desk.ears.playing)
    desk.undo()
    assert desk.session.lanes[3].role != "bass" or not desk.session.lanes[3].role_said


def test_it_plays_no_louder_than_it_says(rig, page):
    from all_even.app.pages import who_is_who as module

    rig.wait(lambda: rig.desk.ears.playing)
    lane, measures = page.current, rig.desk.figures.reports[page.current.id].measures
    gain = rig.desk.ears.hearing.matched_db
    assert rig.desk.ears.hearing.name == f"{lane.name} alone"
    assert measures.sample_peak_dbfs + gain <= module.HIGHEST_DBFS + 1e-9
    assert measures.integrated_lufs + gain <= module.LOUDNESS_LUFS + 1e-9


def test_whoever_skips_or_leaves_loses_nothing(rig, page):
    first = page.lanes[0]
    QTest.keyClick(page, Qt.Key.Key_Right)
    assert page.at == 1
    press(page, "snare top")
    QTest.keyClick(page, Qt.Key.Key_Backspace)
    QTest.keyClicks(page, "1")
    assert page.question.text() == "Which of drums?"
    QTest.keyClick(page, Qt.Key.Key_Backspace)
    assert page.question.text() == "Which family?"
    rig.window.leave_page()
    assert not rig.desk.ears.player.asked
    assert rig.desk.session.lane(page.lanes[1]).role == "snare top"
    assert rig.desk.session.lane(first).role == "unknown"
    rig.give("Who is who")
    assert page.lanes[0] == first
    assert len(page.lanes) == 3


def test_what_sounds_struck_is_offered_by_enter_and_what_is_pitched_is_not(rig, page):
    assert page.likely[0].words.lower() == "kick"
    QTest.keyClick(page, Qt.Key.Key_Return)
    assert rig.desk.session.lanes[0].role == "kick"
    page.go_to(2)
    assert page.likely[0].isHidden()
    QTest.keyClick(page, Qt.Key.Key_Return)
    assert not rig.desk.session.lanes[2].role_said


def answer_of(rig) -> AnswerCard | None:
    body = rig.window.workbench.side.moves.widget()
    found = body.findChildren(AnswerCard)
    return found[0] if found else None


def words_of(card) -> str:
    from PyQt6.QtWidgets import QLabel

    return " ".join(label.text() for label in card.findChildren(QLabel))


def test_three_answers_are_kept_apart(rig, folder):
    rig.looks_at = NO_STAGE
    rig.open(folder)
    desk = rig.desk
    desk.set_stage("low-end")
    rig.settle_paint()
    rig.wait(lambda: "low-end" not in desk.moves.looked)
    assert answer_of(rig) is None  # not looked at yet
    rig.look()
    assert words_of(answer_of(rig)).startswith("Can’t judge")
    rig.looks_at = NO_STAGE
    answer_of(rig).findChild(QPushButton).click()
    page = rig.window.extra_pages["who-is-who"]
    rig.wait(lambda: page.current is not None)
    for role in ROLES.values():
        press(page, role)
    rig.window.leave_page()
    desk.set_stage("gain")
    rig.look()
    for move in list(desk.moves.open["gain"]):
        desk.moves.decline(move, "no")
    rig.measured()
    assert words_of(answer_of(rig)).startswith("Nothing needed No insert answers to level yet")


def test_starting_points_are_one_card_with_a_choice_and_the_mix_has_one_total(rig, folder):
    rig.looks_at = NO_STAGE
    rig.open(folder)
    desk = rig.desk
    for lane, role in zip(desk.session.lanes, ROLES.values(), strict=True):
        desk.select((lane.id,))
        rig.window.verbs.bench("gather").set_role(role)
    desk.set_stage("balance")
    rig.look()
    tab = rig.window.workbench.side.moves
    starts = [card for card in tab.cards() if card.move_.kind in ("balance.all-even", "balance.voice-first")]
    assert len(starts) == 1
    choice = starts[0].findChild(QComboBox)
    assert choice.count() == 3
    choice.setCurrentIndex(1)
    choice.activated.emit(1)
    rig.carded()
    chosen = next(card for card in tab.cards() if card.findChild(QComboBox) is not None)
    assert chosen.move_.kind == desk.moves.open["balance"][1].kind
    before = desk.moves.totals["balance"]
    assert before[0] == before[1]
    desk.moves.apply(chosen.move_)
    rig.measured()
    assert desk.moves.totals["balance"][0] == before[0]
    assert desk.moves.totals["balance"][1] != before[0]
    assert "→" in words_of(tab.widget().findChild(TotalsCard))
