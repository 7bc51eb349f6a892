"""The run that watches itself: what tests cost, and what a proof looks at."""

from types import SimpleNamespace

import numpy as np

from tests.budget import FIXTURES_S, LIMIT_S, SWING, Budget, by_file, dearest
from tests.proof import draw


def report(when: str, spent: float, *, slow: bool = False) -> SimpleNamespace:
    told = [("processor_s", spent), *([("slow", True)] if slow else [])]
    return SimpleNamespace(nodeid="tests/a.py::test_x", when=when, user_properties=told)


def test_the_dearest_come_first():
    spent = {"a.py::test_1": 1.0, "b.py::test_2": 3.0, "a.py::test_3": 2.5}
    assert dearest(spent, 2) == [("b.py::test_2", 3.0), ("a.py::test_3", 2.5)]
    assert by_file(spent) == {"a.py": 3.5, "b.py": 3.0}


def test_a_test_over_its_limit_is_told_unless_it_is_marked_and_far_over_it_fails_the_run():
    budget = Budget()
    budget.pytest_runtest_logreport(report("call", LIMIT_S - 0.1))
    assert not budget.over
    budget.pytest_runtest_logreport(report("call", LIMIT_S + 0.1, slow=True))
    assert not budget.over
    budget.pytest_runtest_logreport(report("call", LIMIT_S + 0.1))
    assert list(budget.over) == ["tests/a.py::test_x"]
    assert not budget.failed
    budget.pytest_runtest_logreport(report("call", SWING * LIMIT_S + 0.1))
    assert budget.failed


def test_fixtures_have_a_limit_of_their_own():
    budget = Budget()
    budget.pytest_runtest_logreport(report("setup", FIXTURES_S - 0.1))
    assert not budget.over
    budget.pytest_runtest_logreport(report("setup", FIXTURES_S + 0.1))
    assert budget.over


def test_the_shares_of_a_proof_are_all_of_it_and_no_song_twice(monkeypatch):
    songs = list(range(23))
    monkeypatch.setattr(draw, "CHOSEN", draw.WHOLE)
    assert draw.drawn(songs) == songs == draw.part_of(songs, draw.WHOLE)
    shares = [draw.part_of(songs, str(share)) for share in range(draw.SHARES)]
    assert sorted(song for share in shares for song in share) == songs
    for share, expected in enumerate(shares):
        monkeypatch.setattr(draw, "CHOSEN", str(share))
        assert draw.drawn(songs) == expected == draw.part_of(expected, str(share))


def test_few_may_have_one_beside_and_many_a_share():
    assert draw.beside(0.1, 5, draw.WHOLE) == 1
    assert draw.beside(0.1, 40, draw.WHOLE) == 4
    assert draw.at_least(20, draw.WHOLE) == 20
    assert 1 <= draw.at_least(20, "0") <= 20 // draw.SHARES


def test_nearly_every_draw_of_what_just_holds_holds_and_of_twice_as_many_most_do_not():
    rng = np.random.default_rng(31)

    def failing(share: float) -> float:
        draws = [rng.permutation(np.arange(400) < share * 400)[:100].sum() for _ in range(2000)]
        return float(np.mean(np.array(draws) > draw.beside(0.1, 100, "0")))

    assert failing(0.1) < 0.05
    assert failing(0.2) > 0.7
