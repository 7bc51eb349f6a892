"""Long work off the interface thread."""

import threading
import time

import pytest
from PyQt6.QtWidgets import QApplication

from all_even.app.starting.start import make_application
from all_even.app.work import Work
from all_even.errors import Cancelled, UserError
from tests.conftest import HUNG_S


@pytest.fixture
def work():
    make_application()
    made = Work()
    yield made
    made.close()


def until(condition) -> None:
    end = time.monotonic() + HUNG_S
    while not condition():
        assert time.monotonic() < end
        QApplication.processEvents()
        time.sleep(0.001)


def test_a_result_arrives_in_the_interface_thread(work):
    arrived = []
    work.start("sum", lambda report: (sum(range(100)), threading.current_thread()), lambda r: arrived.append(r))
    until(lambda: arrived)
    (total, worker) = arrived[0]
    assert total == 4950
    assert worker is not threading.current_thread()
    assert not work.busy()


def test_parts_arrive_before_the_result(work):
    seen = []

    def job(report):
        for number in range(3):
            report.send(number)
        return "done"

    work.start("parts", job, seen.append, seen.append)
    until(lambda: "done" in seen)
    assert seen == [0, 1, 2, "done"]


def test_a_newer_job_of_the_same_name_replaces_the_older(work):
    release, seen = threading.Event(), []

    def slow(report):
        release.wait(5)
        if report.cancelled.is_set():
            raise Cancelled
        return "old"

    work.start("mix", slow, seen.append)
    work.start("mix", lambda report: "new", seen.append)
    release.set()
    until(lambda: seen)
    work.close()  # the older job has ended too
    QApplication.processEvents()
    assert seen == ["new"]


def test_a_users_error_arrives_as_its_sentence(work):
    said = []
    work.failed.connect(lambda name, sentence: said.append((name, sentence)))

    def job(report):
        raise UserError("kick.wav is empty: it has 0 bytes.")

    work.start("open", job, lambda r: None)
    until(lambda: said)
    assert said == [("open", "kick.wav is empty: it has 0 bytes.")]


def test_a_defect_arrives_as_a_sentence_and_goes_into_the_log(work, home, defects):
    said = []
    work.failed.connect(lambda name, sentence: said.append(sentence))
    work.start("open", lambda report: 1 / 0, lambda r: None)
    until(lambda: said)
    assert "ZeroDivisionError" in said[0]
    assert "ZeroDivisionError" in (home / "data" / "defects.log").read_text()
    defects.clear()


def test_progress_is_told_and_silent_after_cancel(work):
    told, go = [], threading.Event()
    work.progressed.connect(lambda name, share, text: told.append((share, text)))

    def job(report):
        report.progress(0.5, "half")
        go.wait(5)
        report.progress(0.9, "late")
        raise Cancelled

    work.start("print", job, lambda r: told.append("result"))
    until(lambda: told)
    work.cancel("print")
    go.set()
    work.close()
    QApplication.processEvents()
    assert told == [(0.5, "half")]
