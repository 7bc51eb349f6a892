"""The page that asks who is who, and what stages answer where they propose nothing, in the real window."""

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QPushButton

from all_even.app.pages.who_is_who import HEARD_FAMILIES, KEYS, roles_in
from all_even.app.side.finding_cards import AnswerCard, WholeCard
from all_even.session.model.ledger import Proposal
from all_even.session.tracks.roles import family_of
from tests.app.conftest import NO_STAGE
from tests.conftest import RATE
from tests.measure.sounds import kick, placed, plucked, snare

SECONDS = 9.0
TASTE = Proposal(
    id="share.thin.x", kind="share.thin", stage="share", title="Leave it out", reason="", metric="hidden", weight=1.0
)
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
    assert words_of(answer_of(rig)).startswith("Nothing needed No insert depends on level yet")


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
    assert "→" in words_of(tab.widget().findChild(WholeCard))


def test_what_is_said_of_microphones_and_players_is_in_the_ledger_and_can_be_taken_back(rig, folder):
    rig.looks_at = NO_STAGE
    rig.open(folder)
    desk = rig.desk
    one, two = desk.session.lanes[:2]
    desk.select((one.id, two.id))
    rig.give("One source")
    assert desk.session.lane(one.id).source == desk.session.lane(two.id).source is not None
    rig.wait(lambda: desk.idle)
    assert any({relation.a, relation.b} == {one.id, two.id} for relation in desk.figures.relations)
    desk.select((one.id,))
    rig.settle_paint()
    together = rig.window.verbs.bench("gather").together
    together.show_relations(one.id, desk.figures.relations)
    together.part.click()
    assert desk.session.lane(one.id).source != desk.session.lane(two.id).source
    assert desk.session.ledger[-1].text == f"Players, not microphones: {one.name}, {two.name}"
    desk.undo()
    desk.undo()
    assert desk.session.lane(one.id).source is None
    desk.select((one.id, two.id))
    rig.give("Players, each alone")
    rig.give("Sources as found")
    assert {lane.source for lane in desk.session.lanes} == {None}


def test_a_fault_that_no_move_mends_is_put_aside_with_one_press_and_shown_again(rig, tmp_path):
    rig.looks_at = NO_STAGE
    time = np.arange(4 * RATE) / RATE
    clipped = np.clip(1.8 * np.sin(2.0 * np.pi * 110.0 * time), -0.9, 0.9) * (time % 1.0 < 0.8)
    made = tmp_path / "Hot"
    made.mkdir()
    for name in ("Gtr 1", "Gtr 2"):
        soundfile.write(made / f"{name}.wav", clipped, RATE, subtype="PCM_24")
    rig.open(made)
    rig.look()
    desk, side = rig.desk, rig.window.workbench.side.moves
    count = desk.figures.findings().count
    assert count
    head = rig.window.workbench.head
    head.refresh()
    assert "clipped" in head.next.text
    press = next(b for b in side.widget().findChildren(QPushButton) if b.text() == "Put aside")
    press.click()
    rig.measured()
    head.refresh()
    assert desk.figures.findings().count < count
    assert "clipped" not in head.next.text
    assert desk.session.ledger[-1].text.startswith("Noted: clipped")
    again = next(b for b in side.widget().findChildren(QPushButton) if b.text() == "Show again")
    again.click()
    rig.measured()
    assert desk.figures.findings().count == count


def test_tastes_are_folded_and_never_made_all_at_once(rig, folder):
    from all_even.app.side.cards import TogetherRow

    rig.looks_at = NO_STAGE
    rig.open(folder)
    desk, side = rig.desk, rig.window.workbench.side.moves
    desk.set_stage("share")
    thin = [replace(TASTE, id=f"share.thin.{lane.id}", targets=(lane.id,)) for lane in desk.session.lanes[:2]]
    desk.moves.open["share"] = thin
    desk.moves.looked |= {"share"}
    side.refresh()
    rig.carded()
    assert not side.cards()
    (fold,) = [b for b in side.widget().findChildren(QPushButton) if b.text() == "Optional: 2"]
    fold.click()
    rig.carded()
    assert len(side.cards()) == 2
    assert not side.widget().findChildren(TogetherRow)
    side.turn_fold("share")
