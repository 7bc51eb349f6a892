"""Documents of one window, one after the other, and of two windows: nothing of one lands in another."""

import json
import os
import shutil
import threading

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication, QEvent
from PyQt6.QtWidgets import QFileDialog, QPushButton

from all_even.app.desk import Desk
from all_even.app.question_bar import QuestionBar
from all_even.audio.device import SimulatedDevice
from all_even.session.editing import edits
from all_even.session.file import recovery, store
from all_even.session.file.lock import Lock
from all_even.session.file.store import load
from tests.app.conftest import NO_STAGE
from tests.conftest import HUNG_S, as_nobody


def simulated(rate, fill):
    return SimulatedDevice(rate, fill), None


@pytest.fixture
def slow_disk(monkeypatch):
    """Saves to `a.alleven` wait until the event is set; others go on."""
    go, real = threading.Event(), store.save

    def save(session, path, **options):
        if path.name == "a.alleven":
            assert go.wait(HUNG_S)
        return real(session, path, **options)

    monkeypatch.setattr(store, "save", save)
    yield go
    go.set()


@pytest.fixture
def other(rig, short_folder, tmp_path):
    """A second session file of the same tracks, with its trim at -12 dB."""
    from all_even.session.file.new import inspect_all, new_session, sound_paths

    session = new_session(short_folder, inspect_all(sound_paths(short_folder))[0], "Other")
    path = tmp_path / "b.alleven"
    store.save(edits.set_trim(session, -12.0), path)
    return path


def test_a_slow_save_completes_for_its_own_file_while_another_session_is_opened(opened, slow_disk, other, tmp_path):
    desk, path = opened.desk, tmp_path / "a.alleven"
    desk.edit(lambda s: edits.set_trim(s, -3.0))
    desk.documents.save(path)
    opened.window.open_path(other)
    opened.wait(lambda: desk.is_open and desk.session.mix.trim_db == -12.0)
    assert not path.exists()
    desk.documents.autosave()  # the window waits for no disk
    slow_disk.set()
    opened.wait(lambda: not desk.work.busy("save"))
    assert desk.path == other
    assert load(path).mix.trim_db == -3.0
    free = Lock(path)
    assert free.held  # nobody keeps a file whose session is closed
    free.release()
    desk.edit(lambda s: edits.set_trim(s, -11.0))
    desk.documents.save()
    opened.wait(lambda: not desk.work.busy("save"))
    assert load(path).mix.trim_db == -3.0
    assert load(other).mix.trim_db == -11.0


def test_a_move_that_is_being_prepared_never_lands_in_the_next_session(opened, other):
    desk, go = opened.desk, threading.Event()
    desk.start("prepare", lambda _report: go.wait(30), lambda _move: desk.edit(lambda s: edits.set_trim(s, 6.0)))
    desk.start("all even", lambda _report: go.wait(30), lambda _found: desk.edit(lambda s: edits.set_trim(s, 6.0)))
    opened.window.open_path(other)
    opened.wait(lambda: desk.is_open and desk.session.name == "Other")
    go.set()
    opened.measured()
    assert desk.session.mix.trim_db == -12.0
    assert desk.undo_text is None


def test_an_older_save_that_comes_late_does_not_replace_a_newer_one(opened, tmp_path):
    document = opened.desk.document
    first, second = document.begin("save"), document.begin("save")
    path = tmp_path / "c.alleven"
    document.write(edits.set_trim(opened.desk.session, -2.0), path, second)
    document.write(edits.set_trim(opened.desk.session, -1.0), path, first)
    assert load(path).mix.trim_db == -2.0


def test_opening_another_session_keeps_a_copy_of_the_last_edits(opened, other):
    opened.desk.edit(lambda s: edits.set_trim(s, -7.0))
    opened.open(other)
    (copy,) = recovery.orphans(None)
    assert load(copy).mix.trim_db == -7.0


def test_each_unsaved_song_has_a_copy_of_its_own(opened, short_folder):
    for trim_db in (-1.0, -2.0):
        opened.desk.edit(lambda s, trim_db=trim_db: edits.set_trim(s, trim_db))
        opened.open(short_folder)
    assert sorted(load(copy).mix.trim_db for copy in recovery.orphans(None)) == [-2.0, -1.0]


def test_two_windows_on_one_file_keep_two_copies_and_saving_in_one_leaves_the_others(opened, other):
    opened.open(other)
    second = Desk(simulated)
    try:
        second.documents.open_session(other)
        opened.wait(lambda: second.is_open)
        for desk, trim_db in ((opened.desk, -1.0), (second, -2.0)):
            desk.edit(lambda s, trim_db=trim_db: edits.set_trim(s, trim_db))
            desk.documents.autosave()
        opened.wait(lambda: not opened.desk.work.busy("autosave") and not second.work.busy("autosave"))
        opened.desk.documents.save()
        opened.wait(lambda: not opened.desk.work.busy("save"))
        assert not opened.desk.document.copy.path.exists()
        assert load(second.document.copy.path).mix.trim_db == -2.0
    finally:
        second.close()
    opened.desk.close_session()
    os.utime(other, (1, 1))
    opened.open(other)
    assert opened.desk.session.mix.trim_db == -2.0
    opened.desk.undo()
    assert opened.desk.session.mix.trim_db == -1.0


def test_a_copy_goes_with_what_is_saved_and_with_what_is_undone(opened, tmp_path):
    desk = opened.desk
    desk.documents.save(tmp_path / "d.alleven")
    opened.wait(lambda: not desk.work.busy("save"))
    desk.edit(lambda s: edits.set_trim(s, -1.0))
    desk.documents.autosave()
    opened.wait(lambda: not desk.work.busy("autosave"))
    copy = desk.document.copy.path
    assert copy.exists()
    desk.documents.save()
    opened.wait(lambda: not desk.work.busy("save"))
    assert not copy.exists()
    desk.close_session()
    opened.wait(lambda: not desk.work.busy())
    assert not list(copy.parent.iterdir())


def test_save_as_onto_a_file_that_another_window_holds_is_refused(opened, other):
    held, before = Lock(other), other.read_bytes()
    said = []
    opened.desk.said.connect(said.append)
    opened.desk.documents.save(other)
    opened.wait(lambda: not opened.desk.work.busy("save"))
    assert held.held
    assert "is open in a window of All Even" in said[0]
    assert other.read_bytes() == before
    held.release()


def test_a_session_plays_after_measuring_was_cancelled(rig, short_folder):
    desk = rig.desk
    rig.window.open_path(short_folder)
    rig.wait(lambda: desk.is_open)
    if desk.work.busy("measure"):
        rig.window.status.cancel()
    rig.wait(lambda: desk.sources is not None)
    desk.ears.toggle_play()
    rig.wait(lambda: desk.player.playing)
    desk.ears.toggle_play()
    desk.figures.measure_lanes()
    rig.measured()
    assert all(desk.measures(lane.id) is not None for lane in desk.session.lanes)


def test_a_session_plays_after_opening_its_files_was_cancelled(opened):
    desk = opened.desk
    desk.figures.sources = None
    desk.ears.toggle_play()
    opened.wait(lambda: desk.sources is not None)
    desk.ears.toggle_play()
    opened.wait(lambda: desk.player.playing)
    opened.wait(lambda: desk.player.position_s() > 0.0)
    assert desk.hearing.name == "now"
    desk.ears.toggle_play()


def test_a_snapshot_of_other_channels_is_heard_as_it_was(rig, write, tmp_path):
    """The same lane, once the left and once the right channel of one file: each state plays its own."""
    import numpy as np

    tone = np.sin(2 * np.pi * 220.0 * np.arange(48_000) / 48_000)
    write("two/a.wav", np.stack([0.1 * tone, 0.8 * tone], axis=1))
    rig.open(tmp_path / "two")
    desk = rig.desk
    lane = desk.session.lanes[0].id

    def take(channel):
        return lambda s: replace(s, lanes=(replace(s.lanes[0], take=(channel,)),))

    desk.edit(take(1))
    rig.measured()
    desk.edit(lambda s: edits.take_snapshot(s, "left"))
    desk.edit(take(2))
    rig.measured()
    state = edits.recall_snapshot(desk.session, "left")
    desk.sources.update(state)
    levels = [abs(desk.sources.frames(s)[lane].read(0, 48_000)).max() for s in (state, desk.session)]
    assert levels == pytest.approx([0.1, 0.8], rel=1e-3)
    desk.ears.hear_snapshot("now", "left")
    rig.wait(lambda: desk.hearing.name == "left")
    assert desk.hearing.matched_db == pytest.approx(0.0, abs=0.01)
    assert abs(desk.sources.frames(desk.session)[lane].read(0, 48_000)).max() == pytest.approx(0.8, rel=1e-3)
    desk.ears.hear_now()


def test_a_folder_group_is_shown_in_every_stage(opened):
    from all_even.session.editing import routing_edits

    desk = opened.desk
    desk.set_stage("buses")
    desk.edit(lambda s: routing_edits.folder_strips(s, [s.lanes[0].id], "Folder")[0])
    desk.select((desk.session.folder_groups[0].id,))
    for stage in ("balance", "gather", "print", "buses", "balance"):
        desk.set_stage(stage)
        opened.settle_paint()
        assert not opened.window.grab().isNull()
    opened.window.workbench.lanes.body.nudge(1, other=True)
    opened.window.workbench.lanes.toggle("mute")
    assert desk.session.folder_groups[0].mute


def test_opening_the_same_file_again_is_no_second_window_and_loses_nothing(opened, other):
    desk, said = opened.desk, []
    opened.open(other)
    desk.edit(lambda s: edits.set_trim(s, -1.0))
    desk.said.connect(said.append)
    opened.open(other)
    opened.wait(lambda: not desk.work.busy("autosave"))
    assert not [sentence for sentence in said if "is open in" in sentence]
    assert desk.document.lock.held
    (copy,) = recovery.orphans(other)
    assert load(copy).mix.trim_db == -1.0


def question(rig):
    """The bar that asks, and its answers by their words."""
    (bar,) = rig.window.findChildren(QuestionBar)
    buttons = {item.text(): item for item in bar.findChildren(QPushButton) if item.isVisibleTo(bar)}
    return bar, buttons


def test_what_somebody_else_wrote_meanwhile_is_asked_about_before_it_is_saved_over(opened, other):
    rig, desk = opened, opened.desk
    rig.open(other)
    elsewhere = edits.set_trim(load(other), -3.0)
    desk.edit(lambda s: edits.set_trim(s, -7.0))
    store.save(elsewhere, other)
    rig.give("Save")
    bar, _ = question(rig)
    rig.wait(bar.isVisible)
    assert "b.alleven was changed by somebody else" in bar.text.text()
    assert load(other).mix.trim_db == -3.0
    question(rig)[1]["Not now"].click()
    assert not bar.isVisible()
    assert desk.unsaved
    rig.give("Save")
    rig.wait(bar.isVisible)
    question(rig)[1]["Save over it"].click()
    rig.wait(lambda: not desk.unsaved)
    assert load(other).mix.trim_db == -7.0
    assert load(other.with_name("b.alleven.previous")).mix.trim_db == -3.0
    desk.edit(lambda s: edits.set_trim(s, -8.0))
    rig.give("Save")
    rig.wait(lambda: not desk.unsaved)  # nobody was there since: nothing is asked
    assert not bar.isVisible()


def test_the_other_answer_saves_under_another_name(opened, other, tmp_path, monkeypatch):
    rig, desk = opened, opened.desk
    rig.open(other)
    desk.edit(lambda s: edits.set_trim(s, -7.0))
    store.save(edits.set_trim(load(other), -3.0), other)
    rig.give("Save")
    rig.wait(question(rig)[0].isVisible)
    monkeypatch.setattr(rig.window.verbs.dialogs, "choose_one", lambda *_, **__: tmp_path / "mine.alleven")
    question(rig)[1]["Save under another name …"].click()
    rig.wait(lambda: not desk.unsaved)
    assert (load(other).mix.trim_db, load(tmp_path / "mine.alleven").mix.trim_db) == (-3.0, -7.0)


def test_an_edit_over_a_limit_is_said_and_changes_nothing(opened):
    desk, said = opened.desk, []
    desk.said.connect(said.append)
    before, told = desk.session, []
    desk.changed.connect(lambda old, new: told.append((old, new)))
    assert not desk.edit(lambda s: replace(s, name="x" * 201))
    assert desk.session is before
    assert told == [(before, before)]  # a field that shows it takes it back
    assert said == ["That would be more than 200 letters in the name."]


def test_a_file_that_had_to_be_repaired_says_so(opened, other):
    plain = json.loads(other.read_text())
    plain["name"] = "x" * 300
    other.write_text(json.dumps(plain))
    opened.open(other)
    assert "b.alleven was repaired" in opened.window.status.text.toolTip() + opened.window.status.text.text()


def test_what_lies_in_a_folder_that_refuses_is_one_sentence_when_it_is_dropped(opened, public_folder):
    desk, said = opened.desk, []
    desk.said.connect(said.append)
    (public_folder / "closed" / "inner").mkdir(parents=True)
    (public_folder / "closed").chmod(0o600)
    for stage in ("check", "gather"):
        desk.set_stage(stage)
        opened.measured()
        said.clear()
        with as_nobody():
            opened.window.verbs.files.drop([public_folder / "closed" / "inner" / "a.wav"])
            opened.wait(lambda: bool(said))
        assert "permission" in said[0]


def test_a_folder_named_like_a_sound_is_said_to_be_no_reference(opened, tmp_path):
    (tmp_path / "dir.wav").mkdir()
    said = []
    opened.desk.said.connect(said.append)
    opened.window.verbs.files.keep_references([tmp_path / "dir.wav"])
    assert said == ["dir.wav is a folder without sound files in it, and no reference."]


def test_nothing_is_printed_without_a_track_unless_the_box_is_ticked(rig, short_folder, tmp_path):
    shutil.copytree(short_folder, tmp_path / "st")
    rig.looks_at = NO_STAGE
    rig.open(tmp_path / "st")
    path = tmp_path / "song.alleven"
    rig.desk.documents.save(path)
    rig.wait(lambda: not rig.desk.unsaved)
    gone = rig.desk.session.lanes[0].file
    (tmp_path / "st" / gone).unlink()
    rig.open(path)
    rig.desk.set_stage("print")
    bench = rig.window.workbench.bench.of("print")
    bench.refresh()
    assert bench.without.isVisibleTo(bench)
    assert gone in bench.without.toolTip()
    bench.target.setText(str(tmp_path / "mix.wav"))
    bench.print_mix()
    rig.wait(lambda: not rig.desk.work.busy("print"))
    assert gone in rig.window.status.text.text() + rig.window.status.text.toolTip()
    assert not (tmp_path / "mix.wav").exists()
    bench.without.click()
    bench.print_mix()
    rig.wait(lambda: "written" in bench.result.text())
    assert (tmp_path / "mix.wav").is_file()
    rig.reset()


def test_a_dialog_for_files_is_gone_with_its_answer(rig, monkeypatch):
    """One that stays keeps a model of the folder and a thread that watches it."""
    monkeypatch.setattr(QFileDialog, "exec", lambda _dialog: 0)
    for _ in range(3):
        assert rig.window.verbs.dialogs.choose(QFileDialog.FileMode.ExistingFiles, "Files") == []
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert rig.window.findChildren(QFileDialog) == []


def test_what_was_just_taken_away_can_not_be_selected_any_more(opened):
    """A table, or a row that is not painted anew yet, may still offer it."""
    desk = opened.desk
    first, second = (lane.id for lane in desk.session.lanes[:2])
    desk.select((first,))
    desk.select(("lane-99",))
    assert desk.selected == (first,)
    desk.select((second, "lane-99"))
    assert desk.selected == (second,)
    desk.select(())
    assert desk.selected == ()
