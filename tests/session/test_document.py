"""An open session as a document: who writes and who closes never stand in each other's way."""

import os
import threading

import pytest

from all_even.session.file import store
from all_even.session.file.document import ChangedMeanwhile, Document
from all_even.session.file.lock import Lock, holding
from all_even.session.model.session import Session


class Meeting(Lock):
    """A lock whose releases are counted; the first waits a moment for a second one to come in as well."""

    def __init__(self, path):
        super().__init__(path)
        self.inside, self.most = 0, 0
        self.second = threading.Event()

    def release(self):
        self.inside += 1
        self.most = max(self.most, self.inside)
        if self.inside == 2:
            self.second.set()
        self.second.wait(0.2)
        self.inside -= 1
        super().release()


def test_two_threads_that_come_last_let_go_of_the_file_one_after_the_other(tmp_path):
    """The window that closes and the save that ends may come at the same moment."""
    target = tmp_path / "a.alleven"
    document = Document(Session(name="Slack Water", sample_rate=48_000), target)
    document.lock.release()
    document.lock = lock = Meeting(target)
    both = [threading.Thread(target=document.close) for _ in range(2)]
    for thread in both:
        thread.start()
    for thread in both:
        thread.join()
    assert lock.most == 1
    assert not lock.held
    assert Lock(target).held


def test_what_somebody_else_wrote_meanwhile_is_not_saved_over_unasked(tmp_path):
    target = tmp_path / "a.alleven"
    first, other, mine = (Session(name=name, sample_rate=48_000) for name in ("First", "Other", "Mine"))
    loaded = store.Loaded(first, (), store.save(first, target))
    document = Document(first, target, loaded.seen)
    document.write(mine, target, document.begin("save"))  # nobody was there
    store.save(other, target)
    with pytest.raises(ChangedMeanwhile, match=r"a\.alleven was changed by somebody else"):
        document.write(mine, target, document.begin("save"))
    assert store.load(target) == other
    document.write(mine, target, document.begin("save"), over=True)
    assert store.load(target) == mine
    assert store.load(target.with_name("a.alleven.previous")) == other
    target.unlink()
    document.write(mine, target, document.begin("save"))  # gone: nothing is lost
    assert store.load(target) == mine
    document.close()


def test_who_holds_a_file_is_said(tmp_path, home):
    first = Lock(tmp_path / "a.alleven", "the command moves")
    second = Lock(tmp_path / "a.alleven")
    assert not second.held
    assert second.holder == f"the command moves of All Even (process {os.getpid()})"
    with (
        pytest.raises(store.SessionFileError, match="open in the command moves"),
        holding(tmp_path / "a.alleven", "the command notes"),
    ):
        pass
    first.release()
    second.release()
