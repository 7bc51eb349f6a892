"""An open session as a document: who writes and who closes never stand in each other's way."""

import threading

from all_even.session.file import store
from all_even.session.file.document import Document
from all_even.session.model.session import Session


class Meeting(store.Lock):
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
    assert store.Lock(target).held
