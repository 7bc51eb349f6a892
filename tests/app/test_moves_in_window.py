"""Moves as a user meets them: heard before they are made, made on what is true now, measured whatever comes between."""

import threading
from dataclasses import replace
from types import SimpleNamespace

import msgspec
import pytest
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

from all_even import stages
from all_even.app.side.cards import MadeCard, MoveCard, TogetherRow
from all_even.app.side.finding_cards import FindingsCard, WholeCard
from all_even.audio import retune
from all_even.figures.whole.whole import Whole
from all_even.moves import making
from all_even.session.editing import edits, routing_edits


def cards(rig) -> dict[str, MoveCard]:
    return {card.move_.id: card for card in rig.window.workbench.side.moves.widget().findChildren(MoveCard)}


def at_balance(rig):
    rig.desk.set_stage("balance")
    rig.measured()
    rig.settle_paint()
    return rig


@pytest.fixture
def balance(opened):
    return at_balance(opened)


def made(rig, move_id: str):
    """The ledger's line of a move."""
    return next(entry for entry in reversed(rig.desk.session.ledger) if entry.move and entry.move.id == move_id)


def apply(rig, stage: str, move_id: str) -> None:
    count = len(rig.desk.session.ledger)
    rig.desk.moves.apply(next(move for move in rig.desk.moves.shown_at(stage) if move.id == move_id))
    rig.wait(lambda: len(rig.desk.session.ledger) > count)


@pytest.mark.parametrize(("lead_db", "guarded", "said"), [(1.0, True, True), (1.9, True, False), (1.0, False, False)])
def test_what_got_worse_while_moves_were_made_by_hand_stands_beside_them(rig, lead_db, guarded, said):
    card = WholeCard(Whole(lead_db=2.0), Whole(lead_db=lead_db), guarded=guarded)
    told = [label.text() for label in card.findChildren(QLabel)]
    sentence = "Since this stage was entered: lead over the rest 1.0 dB worse. Undo, or do less of it."
    assert (sentence in told) == said


def test_a_move_is_heard_while_it_is_held_as_loud_as_without(rig, six_bars):
    rig.open(six_bars)
    balance = at_balance(rig)
    desk, card = balance.desk, cards(balance)["balance.trim"]
    before, plan = desk.session, desk.player.plan
    QTest.mousePress(card.hear, Qt.MouseButton.LeftButton)
    balance.wait(lambda: desk.hearing.name != "now")
    assert desk.hearing.name == card.move_.title
    change = card.move_.parameters["trim_db"]
    assert desk.hearing.matched_db == pytest.approx(-change, abs=0.05)  # a trim changes nothing but loudness
    with_move = desk.player.plan
    assert with_move is not plan
    assert with_move.strips[-1].head_gain == pytest.approx(10 ** (change / 20.0))
    assert desk.player.playing
    assert cards(balance)["balance.trim"] is card  # it is not taken out of the hand
    QTest.mouseRelease(card.hear, Qt.MouseButton.LeftButton)
    balance.wait(lambda: desk.hearing.name == "now" and not desk.work.busy("plan"))
    assert desk.player.plan.strips[-1].head_gain == 1.0
    assert desk.session is before
    desk.player.stop()


def test_enter_held_on_a_card_lets_it_be_heard(balance):
    desk, card = balance.desk, cards(balance)["balance.trim"]
    card.setFocus()
    QTest.keyPress(card, Qt.Key.Key_Return)
    balance.wait(lambda: desk.hearing.name != "now")
    QTest.keyRelease(card, Qt.Key.Key_Return)
    balance.wait(lambda: desk.hearing.name == "now")
    desk.player.stop()
    assert desk.session.ledger == ()


def test_what_would_be_raised_to_match_never_passes_the_highest_peak():
    from all_even.app.desk.ears import HIGHEST_PEAK_DBFS, MOST_RAISED_DB, _as_loud_as_without

    assert _as_loud_as_without({"without": (-20.0, -3.0), "with": (-24.0, -2.0)}) == HIGHEST_PEAK_DBFS + 2.0
    assert _as_loud_as_without({"without": (-20.0, -3.0), "with": (-40.0, -30.0)}) == MOST_RAISED_DB
    assert _as_loud_as_without({"without": (-20.0, -3.0), "with": (-15.0, 0.0)}) == -5.0
    assert _as_loud_as_without({"without": (None, None), "with": (-15.0, 0.0)}) == 0.0


def test_a_stale_move_is_proposed_anew_before_it_is_made(balance):
    """A trim found for one mix is not put on another that is 8 dB quieter."""
    desk = balance.desk
    old = next(move for move in desk.moves.at("balance") if move.id == "balance.trim")
    desk.edit(lambda s: edits.change_strips(s, [lane.id for lane in s.lanes], level_db=-8.0))
    desk.moves.apply(old)
    balance.wait(lambda: any(entry.move for entry in desk.session.ledger))
    balance.measured()
    entry = made(balance, "balance.trim")
    assert entry.move.before == pytest.approx(old.before - 8.0, abs=0.1)
    assert entry.result.value == pytest.approx(-4.5, abs=0.1)
    assert desk.moves.accounts[0].outcome == "kept"


def test_a_result_comes_whatever_is_done_meanwhile(balance, tmp_path):
    """A note and a fader while it is measured; saved and opened again before it is."""
    desk = balance.desk
    apply(balance, "balance", "balance.all-even")
    desk.edit(lambda s: edits.add_note(s, "later", 1.0))
    desk.edit(lambda s: edits.change_strips(s, [s.lanes[0].id], level_db=9.0))
    desk.work.cancel("figures")
    desk.figures._settle.stop()
    assert made(balance, "balance.all-even").result is None
    path = tmp_path / "song.alleven"
    desk.documents.save(path)
    balance.wait(lambda: not desk.work.busy("save"))
    balance.window.close_session()
    balance.open(path)
    entry = made(balance, "balance.all-even")
    assert entry.result.value == pytest.approx(0.0, abs=0.3)
    (account,) = desk.moves.accounts
    assert account.outcome == "worked out"
    assert account.moved
    assert "level" in account.moved_by
    desk.set_stage("balance")
    balance.settle_paint()
    (card,) = balance.window.workbench.side.moves.widget().findChildren(MadeCard)
    assert "That was true before" in " ".join(
        label.text() for label in card.findChildren(type(balance.window.status.text))
    )


def test_a_move_whose_ground_moved_is_renewed_with_one_press(balance):
    desk = balance.desk
    apply(balance, "balance", "balance.trim")
    balance.measured()
    desk.edit(lambda s: edits.change_strips(s, [lane.id for lane in s.lanes], level_db=-10.0))
    balance.measured()
    (account,) = desk.moves.accounts
    assert account.moved
    desk.moves.renew(account)
    balance.wait(lambda: sum(entry.move is not None for entry in desk.session.ledger) == 2)
    balance.measured()
    assert desk.mix.sample_peak_dbfs == pytest.approx(-4.5, abs=0.1)


def test_an_error_while_a_move_is_tried_out_is_a_sentence_and_changes_nothing(balance, monkeypatch, defects):
    def breaks(look, proposal):
        raise ZeroDivisionError

    desk = balance.desk
    desk.set_stage("dynamics")
    balance.wait(lambda: any(move.kind == "dynamics.glue" for move in desk.moves.at("dynamics")))
    kinds = stages.kinds()
    monkeypatch.setattr(
        stages, "kinds", lambda: {**kinds, "dynamics.glue": replace(kinds["dynamics.glue"], refit=breaks)}
    )  # fmt: skip
    before = desk.session
    glue = next(move for move in desk.moves.at("dynamics") if move.kind == "dynamics.glue")
    desk.moves.apply(msgspec.structs.replace(glue, expected=None))
    balance.wait(lambda: desk.moves.preparing is None)
    assert desk.session is before
    assert "Something went wrong" in balance.window.status.text.toolTip() + balance.window.status.text.text()
    defects.clear()


def test_a_rule_that_stumbles_costs_only_its_own_proposals(balance, monkeypatch, defects):
    from all_even.moves.balance import trim

    def breaks(look):
        raise ZeroDivisionError

    said = []
    balance.desk.said.connect(said.append)
    object.__setattr__(trim.KIND, "propose", breaks)
    balance.everywhere()
    try:
        desk = balance.desk
        desk.edit(lambda s: edits.set_trim(s, 3.0))
        balance.measured()
        found = [move.id for move in desk.moves.at("balance")]
        assert "balance.all-even" in found
        assert "balance.trim" not in found
        assert desk.moves.at("buses")
        assert sum("A rule stumbled and is left out (balance.trim, ZeroDivisionError)." in text for text in said) == 1
    finally:
        object.__setattr__(trim.KIND, "propose", trim.propose)
    defects.clear()


def test_a_changed_parameter_is_what_is_made(balance):
    desk = balance.desk
    side = balance.window.workbench.side.moves
    side.turn_changing(cards(balance)["balance.trim"].move_)
    balance.settle_paint()
    card = cards(balance)["balance.trim"]
    from all_even.app.style.fields import NumberField

    (field,) = card.findChildren(NumberField)
    field.selectAll()
    QTest.keyClicks(field, "-9")
    QTest.keyClick(field, Qt.Key.Key_Return)
    move = next(move for move in desk.moves.at("balance") if move.id == "balance.trim")
    assert move.parameters["trim_db"] == -9.0
    assert move.expected == pytest.approx(move.before - 9.0, abs=0.01)
    apply(balance, "balance", "balance.trim")
    balance.measured()
    assert desk.session.mix.trim_db == -9.0
    assert desk.moves.accounts[0].outcome == "kept"


def test_related_moves_are_made_together(opened):
    """What was panned and belongs in the middle, with one press, each with a line and an undo of its own."""
    rig, desk = opened, opened.desk
    for lane in desk.session.lanes[:2]:
        desk.edit(lambda s, i=lane.id: edits.change_strips(s, [i], pan=0.5))
    bass = [lane.id for lane in desk.session.lanes if lane.role in ("bass DI", "bass amplifier")]
    desk.edit(lambda s: edits.change_strips(s, bass, pan=-0.5))
    desk.set_stage("balance")
    rig.measured()
    rig.settle_paint()
    (row,) = rig.window.workbench.side.moves.widget().findChildren(TogetherRow)
    assert row.apply.text() == "Apply all 3"
    row.apply.click()
    rig.wait(lambda: sum(entry.move is not None for entry in desk.session.ledger) == 3)
    assert all(lane.pan == 0.0 for lane in desk.session.lanes)
    rig.measured()
    assert {account.outcome for account in desk.moves.accounts} == {"worked out"}
    desk.undo()
    assert sum(lane.pan != 0.0 for lane in desk.session.lanes) == 1


def test_a_snapshot_from_before_takes_made_moves_back(balance):
    desk = balance.desk
    desk.edit(lambda s: edits.take_snapshot(s, "rough"))
    apply(balance, "balance", "balance.all-even")
    balance.measured()
    assert "balance.all-even" not in [move.id for move in desk.moves.at("balance")]
    desk.recall_snapshot("rough")
    balance.measured()
    assert "balance.all-even" in [move.id for move in desk.moves.at("balance")]
    assert [account.outcome for account in desk.moves.accounts] == ["undone"]


def test_a_stage_is_ticked_off_and_un_ticks_itself_when_its_ground_moves(balance):
    desk, window = balance.desk, balance.window
    QTest.keyClick(window, Qt.Key.Key_K)
    balance.wait(lambda: desk.moves.done == {"balance"})
    desk.edit(lambda s: edits.change_strips(s, [s.lanes[0].id], name="Another name"))
    balance.measured()
    assert desk.moves.done == {"balance"}
    desk.edit(lambda s: edits.change_strips(s, [s.lanes[0].id], level_db=-1.0))
    balance.measured()
    assert (desk.moves.done, desk.moves.moved_on) == (set(), {"balance"})
    path = window.workbench.head.path.stages["balance"]
    balance.wait(lambda: "changed since" in path.accessibleName())
    for before in ("gather", "gain"):  # a stage that was not looked at yet would be next
        desk.moves.tick_off(before, True)
        balance.wait(lambda key=before: key in desk.moves.done)
    balance.wait(lambda: window.workbench.head.next.stage == "balance")
    desk.set_stage("gather")
    QTest.keyClick(window, Qt.Key.Key_G)
    assert desk.stage == "balance"


def test_a_save_does_not_wait_for_what_is_measured(opened, tmp_path):
    desk, go = opened.desk, threading.Event()
    for name in ("one", "two", "three", "four"):
        desk.work.start(name, lambda _report: go.wait(60), lambda _none: None)
    desk.documents.save(tmp_path / "a.alleven")
    opened.wait(lambda: not desk.work.busy("save"))
    assert (tmp_path / "a.alleven").exists()
    assert desk.work.busy("four")
    go.set()
    opened.wait(lambda: not desk.work.busy("four"))


def test_proposals_that_are_superseded_stop(balance):
    """A job that was cancelled goes no further than the next figure it asks for."""
    from all_even.errors import Cancelled
    from all_even.moves import making

    look = balance.desk.figures.look().with_cancel(stopped := threading.Event())
    stopped.set()
    with pytest.raises(Cancelled):
        making.propose(look, stages.kinds().values())


def test_while_the_sound_plays_one_thread_measures(balance):
    from all_even.engine.render import WORKERS

    assert balance.desk.figures.look().workers == WORKERS
    balance.desk.ears.toggle_play()
    balance.wait(lambda: balance.desk.player.playing)
    assert balance.desk.figures.look().workers == 1
    balance.desk.player.stop()


def test_the_status_line_is_cut_between_words_and_whole_on_hover(opened):
    status = opened.window.status
    sentence = "A sentence that is far too long for any status line " * 8
    status.say(sentence.strip())
    shown = status.text.text()
    assert shown.endswith(" …")
    assert sentence.startswith(shown.removesuffix(" …") + " ")
    assert status.text.toolTip() == sentence.strip()
    status.say("Short.")
    assert (status.text.text(), status.text.toolTip()) == ("Short.", "")


def test_findings_are_grouped_and_a_press_shows_and_plays_the_place(rig, brief_demo):
    rig.open(brief_demo)
    desk = rig.desk
    rig.settle_paint()
    (card,) = rig.window.workbench.side.moves.widget().findChildren(FindingsCard)
    words = [label.text() for label in card.findChildren(QLabel)]
    assert words[0].endswith("in the recording")
    assert "Clipped" in words
    line = next(button for button in card.findChildren(QPushButton) if ": " in button.accessibleName())
    line.click()
    assert desk.session.lane(desk.current).name == line.text()
    assert (
        line.accessibleName().removeprefix(f"{line.text()}: ")
        in rig.window.status.text.text() + rig.window.status.text.toolTip()
    )


def test_the_pan_law_of_a_state_comes_back_with_it(opened):
    """What is measured later is the session as it was, pan law and all."""
    session = edits.set_pan_law(opened.desk.session, "-6 dB")
    session, _ = routing_edits.add_bus(session, "Bus")
    assert edits.in_state(opened.desk.session, edits.state_of(session)).pan_law == "-6 dB"


def test_a_reason_that_is_being_typed_survives_new_cards(balance):
    desk, card = balance.desk, cards(balance)["balance.rhythm-first"]
    card.ask_reason()
    QTest.keyClicks(card.reason, "the rough mix")
    desk.edit(lambda s: edits.change_strips(s, [s.lanes[0].id], level_db=-6.0))
    assert cards(balance)["balance.rhythm-first"].renewing.isVisible()
    balance.measured()
    balance.settle_paint()
    again = cards(balance)["balance.rhythm-first"]
    assert again is not card
    assert again.reason.text() == "the rough mix"
    assert not again.renewing.isVisible()


def test_moves_are_told_as_they_are_found_defaults_first_and_the_others_stay_until_their_rule_has_spoken(monkeypatch):
    def move(kind: str, title: str, weight: float = 1.0):
        return SimpleNamespace(kind=kind, title=title, weight=weight)

    kinds = [SimpleNamespace(id=name, optional=name == "taste") for name in ("taste", "first", "second")]
    found = {"first": [move("first", "new", 2.0)], "second": [], "taste": [move("taste", "new", 3.0)]}
    may_speak = {name: threading.Event() for name in found}

    def propose(_look, some, _told):
        kind = some[0].id
        assert may_speak[kind].wait(60.0)
        return found[kind]

    monkeypatch.setattr(making, "FIRST_S", 0.001)
    monkeypatch.setattr(making, "SOON_S", 0.001)
    monkeypatch.setattr(making, "propose", propose)
    before = [move("second", "old"), move("taste", "old", 3.0)]
    telling = making.propose_soon(SimpleNamespace(workers=1), kinds, before)
    told = []
    for name in ("first", "taste"):  # "second" proposes nothing, so nothing is told of it alone
        may_speak[name].set()
        if name == "taste":
            may_speak["second"].set()
        told.append([(m.kind, m.title) for m in next(telling)])
    assert next(telling, None) is None
    assert told == [
        [("taste", "old"), ("first", "new"), ("second", "old")],
        [("taste", "new"), ("first", "new")],
    ]


def test_what_makes_no_sound_offers_nothing_to_hear(rig, brief_demo):
    rig.open(brief_demo)
    rig.settle_paint()
    shown = {move_id: not card.hear.isHidden() for move_id, card in cards(rig).items()}
    assert not shown["gather.sections"]
    assert not shown["gather.names"]
    heard = {move_id.split(".lane")[0] for move_id, heard in shown.items() if heard}
    assert heard - {"gather.retune"} == {"gather.mono", "gather.align", "gather.alternatives", "gather.guide"}
    assert ("gather.retune" in heard) is retune.is_there()


class SqueezedPaints(QObject):
    """Counts paintings of wrapped texts in a list, and those in less height than the text needs."""

    def __init__(self, area):
        super().__init__()
        self.area, self.painted, self.squeezed = area, 0, 0

    def eventFilter(self, thing, event):
        text = isinstance(thing, QLabel) and thing.wordWrap() and self.area.isAncestorOf(thing)
        if text and event.type() == QEvent.Type.Paint:
            self.painted += 1
            self.squeezed += thing.heightForWidth(thing.width()) > thing.height() + 2
        return False


def test_new_cards_are_never_painted_before_they_have_their_height(opened):
    opened.desk.set_stage("buses")
    opened.measured()
    opened.settle_paint()
    moves = opened.window.workbench.side.moves
    watch = SqueezedPaints(moves)
    QApplication.instance().installEventFilter(watch)
    for _ in range(5):
        moves._shown = None
        moves.refresh()
        opened.settle_paint()
        opened.wait(lambda: watch.painted > 0)
    QApplication.instance().removeEventFilter(watch)
    assert watch.squeezed == 0
