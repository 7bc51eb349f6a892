"""Check as a user meets it: what vanishes, listening elsewhere, references, blind comparison, faults that come back."""

from dataclasses import replace

import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from all_even.app.pages.blind import BlindPage
from all_even.app.stages.check.bench import CheckBench
from all_even.app.stages.check.blind_run import X
from all_even.app.stages.print_.bench import PrintBench
from all_even.figures.elsewhere.systems import SYSTEMS
from all_even.measure.sharing.translation import VANISHES
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from tests.app.conftest import NO_STAGE
from tests.figures.elsewhere.mixes import references
from tests.moves import check_sessions
from tests.moves.space_sessions import by_role

CHECKED = Qt.CheckState.Checked
SYSTEM_NAMES = {item.key: item.name for item in SYSTEMS}


@pytest.fixture(scope="module")
def song(one_window, tmp_path_factory):
    """A song whose bass vanishes on a phone, opened once for all tests here."""
    folder = check_sessions.song(tmp_path_factory.mktemp("check") / "song")
    one_window.reset()
    one_window.open_at("check", folder)
    yield one_window, folder, one_window.desk.session
    one_window.reset()


@pytest.fixture
def rig(song):
    """As it was opened, on the stage."""
    rig, folder, base = song
    desk, rig.looks_at = rig.desk, NO_STAGE
    rig.window.leave_page()
    desk.ears.hear_now()
    desk.player.stop()
    rig.wait(lambda: not desk.player.playing)
    rig.back_to(
        lambda now: (now.lanes, now.references, now.notes) == (base.lanes, (), ()),
        lambda: rig.open_at("check", folder),
    )
    desk.set_stage("check")
    bench(rig).shown.choose("phone")
    bench(rig).show_view(0)
    desk.select((by_role(desk.session, "bass DI"),))
    shown(rig)
    return rig


def bench(rig) -> CheckBench:
    found = rig.window.workbench.bench.of("check")
    assert isinstance(found, CheckBench)
    return found


def shown(rig) -> None:
    """Waits until what is shown is of the present session."""
    found = bench(rig).shown
    rig.wait(lambda: rig.desk.idle and not found.is_stale() and found.beside is not None)


def test_the_lane_that_vanishes_is_told_and_a_press_goes_there(rig):
    found = bench(rig)
    bass = by_role(rig.desk.session, "bass DI")
    assert found.shown.translation.of(bass, "phone") <= VANISHES
    assert "vanishes there" in found.side.said.text()
    rig.desk.select((by_role(rig.desk.session, "lead voice"),))
    assert "of its loudness here" in found.side.said.text()
    line = next(i for i, (lane, _) in enumerate(found.listed) if lane == bass)
    found.side.pressed.emit(line)
    assert rig.desk.current == bass
    assert found.shown.key == found.listed[line][1]


def test_a_press_on_a_cell_looks_at_that_system_and_its_assumptions_are_said(rig):
    body = rig.window.workbench.lanes.body
    columns = body.columns(200.0, 900.0)
    left, width = columns.boxes["car"]
    body.grab(body.part_at(columns, left + width / 2), rig.desk.current, left, columns)
    assert bench(rig).shown.key == "car"
    assert "on the road" in bench(rig).assumes.text()
    assert "An assumption of ours" in body.header_tip(columns, left + 1.0)


@pytest.mark.parametrize("key", ["phone", "club", "quiet"])
def test_a_system_is_heard_as_long_as_it_is_held_as_loud_as_here(rig, key):
    button = bench(rig).buttons[key]
    before = rig.desk.session
    button.hold()
    rig.wait(lambda: rig.desk.hearing.name == SYSTEM_NAMES[key])
    expected = bench(rig).shown.translation.matched_db(key)
    assert rig.desk.hearing.matched_db <= max(expected, 0.0) + 0.01
    button.release()
    rig.wait(lambda: rig.desk.hearing.name == "now")
    assert rig.desk.session is before


def test_letting_go_before_it_is_ready_leaves_the_mix(rig):
    button = bench(rig).buttons["laptop"]
    button.hold()
    button.release()
    rig.wait(lambda: not rig.desk.work.busy("compare"))
    assert rig.desk.hearing.name == "now"


def test_the_move_brings_it_back_and_undo_takes_it_away(rig):
    desk = rig.desk
    rig.measured()
    bass = by_role(desk.session, "bass DI")
    move = next(item for item in desk.moves.open["check"] if bass in item.targets)
    since = len(desk.session.ledger)
    desk.moves.apply(move)
    rig.wait(lambda: len(desk.session.ledger) > since and desk.session.ledger[since].result is not None)
    assert desk.session.ledger[since].result.value == pytest.approx(move.expected, abs=move.tolerance)
    shown(rig)
    assert bench(rig).shown.translation.of(bass, "phone") >= move.before + 3.0
    desk.undo()
    shown(rig)
    assert bench(rig).shown.translation.of(bass, "phone") == pytest.approx(move.before, abs=0.1)


def test_files_dropped_here_are_references_and_no_lanes(rig, tmp_path):
    found = bench(rig)
    lanes = rig.desk.session.lanes
    found.show_view(1)
    (tmp_path / "notes.txt").write_text("no sound")
    rig.window.verbs.files.drop([*references(tmp_path, 5), tmp_path / "notes.txt"])
    rig.wait(lambda: found.references.list.count() == 5)
    assert rig.desk.session.lanes is lanes
    assert len(rig.desk.session.references) == 5
    assert "notes.txt" in rig.window.status.text.text()
    assert found.shown.beside.bands[2] is not None
    found.references.list.setCurrentRow(1)
    found.references.switch_use()
    rig.wait(lambda: "rough mix" in found.references.list.item(1).text())
    found.references.remove_selected()
    rig.wait(lambda: found.references.list.count() == 4)
    assert found.shown.beside.bands[2] is None


def test_a_reference_is_heard_in_place_of_the_mix_and_v_switches(rig, tmp_path):
    found = bench(rig)
    found.show_view(1)
    rig.window.verbs.files.drop(references(tmp_path, 1))
    rig.wait(lambda: found.references.list.count() == 1)
    found.switch_reference()
    rig.wait(lambda: rig.desk.hearing.name == "Finished 0")
    found.switch_reference()
    rig.wait(lambda: rig.desk.hearing.name == "now")
    found.switch_low_end()
    rig.wait(lambda: rig.desk.hearing.name == "low end")
    found.switch_low_end()
    rig.wait(lambda: rig.desk.hearing.name == "now")


# Blind.


@pytest.fixture
def begun(rig):
    """A snapshot with a louder voice against the mix now, as X."""
    desk = rig.desk
    desk.edit(lambda s: edits.change_strips(s, (by_role(s, "lead voice"),), level_db=6.0))
    desk.edit(lambda s: edits.take_snapshot(s, "louder voice"))
    desk.undo()
    desk.undo()
    desk.edit(lambda s: edits.take_snapshot(edits.change_strips(s, (), level_db=0.0), "as it was"))
    view = bench(rig).blind
    bench(rig).show_view(2)
    names = [view.list.item(i).text() for i in range(view.list.count())]
    row = next(i for i, name in enumerate(names) if "as it was" in name)
    view.list.item(row).setCheckState(CHECKED)
    view.way.setCurrentIndex(1)
    view.way_changed()
    view.begin()
    rig.wait(lambda: view.blind.ready)
    yield rig, view.blind
    rig.window.leave_page()


def test_while_it_runs_nothing_but_letters_is_shown(begun):
    rig, _ = begun
    window = rig.window
    page = window.pages.currentWidget()
    assert isinstance(page, BlindPage)
    assert not window.workbench.isVisible()
    for part in (window.workbench.lanes, window.workbench.side, window.workbench.head, window.workbench.bench):
        assert not part.isVisible()
    words = " ".join(label.text() for label in page.findChildren(type(page.told)) if label.isVisible())
    assert "as it was" not in words


def test_letters_are_heard_by_their_keys_which_do_nothing_else(begun):
    rig, run = begun
    page, before = rig.window.pages.currentWidget(), rig.desk.session
    page.setFocus()
    for key, letter in ((Qt.Key.Key_B, 1), (Qt.Key.Key_A, 0), (Qt.Key.Key_X, X)):
        QTest.keyClick(page, key)
        assert run.heard == letter
    for key in (Qt.Key.Key_M, Qt.Key.Key_S, Qt.Key.Key_P, Qt.Key.Key_H):
        QTest.keyClick(page, key)
    assert rig.desk.session is before
    assert run.heard == X


def test_the_result_comes_after_the_last_trial_and_stands_in_the_ledger(begun):
    rig, run = begun
    page = rig.window.pages.currentWidget()
    page.note.setText("wider")
    trials = len(run.run.design)
    for done in range(trials):
        assert page.verdict.text() == ""
        assert run.result is None
        assert not rig.desk.session.blinds or len(rig.desk.session.blinds[-1].answers) == trials, done
        page.choose(run.run.trial.x)
    assert "can be told apart" in page.verdict.text()
    (kept,) = rig.desk.session.blinds[-1:]
    assert kept.answers == kept.right
    assert kept.notes[0].endswith("wider")
    assert "Blind comparison" in rig.desk.session.ledger[-1].text
    assert rig.desk.hearing.name == "now"


def test_who_leaves_gives_it_up_and_nothing_is_kept(begun):
    rig, run = begun
    kept = rig.desk.session.blinds
    rig.window.pages.currentWidget().choose(0)
    rig.window.stop()
    assert run.run is None
    assert rig.desk.session.blinds is kept
    assert rig.desk.hearing.name == "now"
    assert "unfinished" in rig.window.status.text.text()


def test_a_move_whose_rule_stumbles_ends_the_comparison_with_a_sentence(rig, monkeypatch, defects):
    from all_even import stages
    from all_even.app.stages.check.blind_run import BlindRun, Option
    from tests.moves.looks import find

    def breaks(_look, _move):
        raise ZeroDivisionError

    desk = rig.desk
    before, run = desk.session, desk.shared(BlindRun)
    move = find(desk.figures.look(), "balance.all-even")
    kinds = stages.kinds()
    broken = replace(kinds[move.kind], prepare=breaks, parameters={})
    monkeypatch.setattr(stages, "kinds", lambda: {**kinds, move.kind: broken})
    run.begin([Option("The mix now", "now"), Option("With it", move)], "vote", 3)
    rig.wait(lambda: not run.getting_ready)
    assert [type(defect) for defect in defects] == [ZeroDivisionError]
    defects.clear()
    assert run.run is None
    assert "Something went wrong" in run.problem
    assert desk.session is before


# Faults, and what is written.


def test_a_fault_heard_elsewhere_comes_back_when_the_song_is_opened(rig, tmp_path):
    notes = rig.window.workbench.side.notes
    notes.text.setText("bass booms")
    notes.heard_on.setCurrentText("a car")
    notes.add()
    assert rig.desk.session.notes[-1].is_open
    assert "heard on a car, open" in notes.list.item(notes.list.count() - 1).text()
    notes.list.setCurrentRow(notes.list.count() - 1)
    notes.settle.click()
    assert not rig.desk.session.notes[-1].is_open
    notes.list.setCurrentRow(notes.list.count() - 1)
    notes.settle.click()
    assert rig.desk.session.notes[-1].is_open


def test_open_faults_are_shown_first(one_window, tmp_path):
    folder = check_sessions.song(tmp_path / "song")
    infos, _ = inspect_all(sound_paths(folder))
    session = edits.add_note(new_session(folder, infos), "voice too sharp", 3.0, heard_on="a phone")
    path = tmp_path / "song.alleven"
    store.save(session, path)
    one_window.reset()
    one_window.open(path)
    side = one_window.window.workbench.side
    assert side.currentWidget() is side.notes
    assert side.notes.list.count() == 1
    assert "1 fault was heard elsewhere" in one_window.window.status.text.text()
    one_window.reset()


@pytest.mark.slow  # everything that leaves is written once
def test_the_copy_the_delivery_and_the_sheets_are_written_from_the_window(one_window, tmp_path):
    one_window.reset()
    one_window.open(check_sessions.song(tmp_path / "song"))
    desk = one_window.desk
    desk.set_stage("print")
    one_window.measured()
    found = one_window.window.workbench.bench.of("print")
    assert isinstance(found, PrintBench)
    found.show_view(1)
    found.copy.place.setText(str(tmp_path / "copy.wav"))
    found.copy.make()
    one_window.wait(lambda: "written" in found.copy.result.text())
    assert soundfile.info(tmp_path / "copy.wav").frames > 0
    assert found.copy.limits.chosen is not None
    found.show_view(2)
    found.delivery.place.setText(str(tmp_path / "delivery"))
    found.delivery.write()
    one_window.wait(lambda: "null −" in found.delivery.result.text())
    assert found.delivery.table.rowCount() > 5
    found.show_view(3)
    for field, write, result in (
        (found.sheets.sheet, found.sheets.write_sheet, found.sheets.sheet_result),
        (found.sheets.console, found.sheets.write_console, found.sheets.console_result),
    ):
        field.setText(str(tmp_path / "page.pdf"))
        write()
        one_window.wait(lambda result=result: "written" in result.text())
    one_window.reset()
