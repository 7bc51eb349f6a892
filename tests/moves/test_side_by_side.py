"""Things looked at at once: all of them, in their order, on threads of their own."""

import threading
from dataclasses import replace

import pytest

from all_even.errors import UserError
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.moves.side_by_side import side_by_side
from all_even.session.model.session import Session


@pytest.fixture
def look():
    return Look(Session(name="Song", sample_rate=48_000), Book({}), {}, workers=2)


def test_two_are_looked_at_at_once_and_told_in_their_order(look):
    meet = threading.Barrier(2, timeout=60.0)

    def work(item: str) -> str:
        meet.wait()  # only where the other one is looked at as well
        return item.upper()

    assert side_by_side(look, work, ["a", "b"]) == ["A", "B"]


def test_with_one_thread_all_is_done_here(look):
    here = threading.get_ident()
    assert side_by_side(replace(look, workers=1), lambda _: threading.get_ident(), ["a", "b"]) == [here, here]


def test_what_one_raises_reaches_who_asked(look):
    def work(item: str) -> str:
        if item == "b":
            raise UserError("b can't be read.")
        return item

    with pytest.raises(UserError, match="b can't"):
        side_by_side(look, work, ["a", "b", "c"])
