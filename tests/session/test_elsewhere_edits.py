"""References, faults heard elsewhere and blind comparisons as edits: in the ledger in words, saved, undone."""

import pytest
from msgspec.structs import replace

from all_even.session.editing import edits
from all_even.session.file import describe, store
from all_even.session.file.history import History
from all_even.session.file.new import add_reference
from all_even.session.file.store import SessionFileError
from all_even.session.model.session import Blind, Folder, Reference, Session

BLIND = Blind(
    when="2026-01-02T10:00:00+00:00", way="which is X", options=("now", "before"), trials=10, answers=(0,) * 10,
    right=(0,) * 10, verdict="10 of 10 right; now and before can be told apart (0.1 % by guessing).",
)  # fmt: skip


@pytest.fixture
def session() -> Session:
    return Session(name="Song", sample_rate=48_000)


def test_a_fault_says_where_it_was_heard_and_is_open_until_it_is_settled(session):
    noted = edits.add_note(session, "bass booms", 61.0, heard_on="  a  car ")
    assert noted.notes[0].heard_on == "a car"
    assert noted.notes[0].is_open
    settled = edits.settle_note(noted, 0)
    assert not settled.notes[0].is_open
    assert edits.settle_note(settled, 0, False).notes[0].is_open
    plain = edits.add_note(session, "ask the drummer", 2.0)
    assert not plain.notes[0].is_open
    assert edits.settle_note(plain, 0) is plain


def test_changes_are_told_in_words(session, tmp_path):
    noted = edits.add_note(session, "bass booms", 61.0, heard_on="a car")
    assert describe.sentence(session, noted) == "Note at 1:01.0, heard on a car: bass booms"
    assert describe.sentence(noted, edits.settle_note(noted, 0)) == "Settled: bass booms"
    known = add_reference(session, tmp_path / "Far Shore.wav")
    assert describe.sentence(session, known) == "Reference added: Far Shore.wav"
    assert describe.sentence(known, edits.use_reference(known, 0, "rough mix")) == "Far Shore.wav is the rough mix"
    assert describe.sentence(known, edits.remove_reference(known, 0)) == "Reference removed: Far Shore.wav"
    assert describe.sentence(session, edits.add_blind(session, BLIND)).endswith("(0.1 % by guessing).")


def test_undo_takes_a_reference_back_and_the_ledger_keeps_both_lines(session, tmp_path):
    history = History(session)
    history.apply(add_reference(session, tmp_path / "Far Shore.wav"))
    history.undo()
    assert history.session.references == ()
    assert len(history.session.ledger) == 2


def test_a_file_is_listed_once_and_two_folders_may_hold_one_name(session, tmp_path):
    once = add_reference(add_reference(session, tmp_path / "a" / "Mix.wav"), tmp_path / "a" / "Mix.wav", "rough mix")
    assert len(once.references) == 1
    assert len(add_reference(once, tmp_path / "b" / "Mix.wav").references) == 2


def test_it_is_saved_and_an_older_file_has_none_of_it(session, tmp_path):
    known = add_reference(session, tmp_path / "Mix.wav")
    full = edits.add_blind(edits.add_note(known, "x", 1.0, heard_on="a car"), BLIND)
    store.save(full, tmp_path / "full.alleven")
    again = store.load(tmp_path / "full.alleven")
    assert (again.references, again.notes, again.blinds) == (full.references, full.notes, full.blinds)
    (tmp_path / "older.alleven").write_text(
        '{"format_version": 13, "name": "Song", "sample_rate": 48000, '
        '"notes": [{"text": "ask", "position_s": 1.0, "written": "2026-01-01T10:00:00+00:00"}]}'
    )
    older = store.load(tmp_path / "older.alleven")
    assert (older.references, older.blinds, older.notes[0].is_open) == ((), (), False)


def test_a_reference_outside_the_listed_folders_is_refused(session, tmp_path):
    lost = replace(session, folders=(Folder(path=str(tmp_path)),), references=(Reference(folder=3, file="Mix.wav"),))
    path = tmp_path / "lost.alleven"
    with pytest.raises(SessionFileError, match="folder it does not list"):
        store.save(lost, path)
        store.load(path)
    climbing = replace(lost, references=(Reference(folder=0, file="../Mix.wav"),))
    with pytest.raises(SessionFileError, match="not inside"):
        store.listed_path(climbing, 0, climbing.references[0].file)
