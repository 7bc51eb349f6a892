"""Blind comparison: chances against exact tables, guessers who claim nothing, letters that tell nothing."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from all_even.figures.elsewhere import blind
from all_even.figures.elsewhere.blind import chance_right, chance_votes, drawn, needed, result

GUESSERS, STEP_BY_STEP = 10_000, 100
"""The first of them answer trial by trial; all that is slow about the others is left out."""


@pytest.mark.parametrize("trials", [5, 10, 16, 25])
def test_the_chance_of_x_is_the_binomial_tail(trials):
    # scipy.stats.binom: survival function, P(X > k - 1).
    for right in range(trials + 1):
        assert chance_right(right, trials) == pytest.approx(stats.binom.sf(right - 1, trials, 0.5), abs=1e-12)


@pytest.mark.parametrize(("options", "trials"), [(2, 8), (3, 8), (4, 5)])
def test_the_chance_of_votes_is_the_multinomial_maximum(options, trials):
    # scipy.stats.multinomial: every way the votes can fall, added up where the largest count is reached.
    spread = stats.multinomial(trials, [1.0 / options] * options)
    for most in range(1, trials + 1):
        counts = np.indices((trials + 1,) * options).reshape(options, -1).T
        counts = counts[counts.sum(axis=1) == trials]
        exact = spread.pmf(counts[counts.max(axis=1) >= most]).sum()
        assert chance_votes(most, trials, options) == pytest.approx(exact, abs=1e-9)


def test_what_is_needed_for_a_result():
    assert [needed("which is X", trials) for trials in (10, 16)] == [9, 12]
    assert [needed("vote", trials, 2) for trials in (8, 12, 16)] == [8, 10, 13]
    assert [needed("vote", trials, 3) for trials in (5, 8, 12, 16)] == [5, 7, 9, 10]
    assert [needed("vote", trials, 4) for trials in (5, 8, 12, 16)] == [5, 6, 8, 9]
    assert needed("which is X", 4) is None


@pytest.mark.parametrize(("way", "options", "trials"), [
    ("which is X", 2, 10), ("which is X", 2, 16), ("vote", 2, 8), ("vote", 2, 16), ("vote", 3, 12), ("vote", 4, 16),
    ("vote", 8, 16),
])  # fmt: skip
def test_guessers_make_false_claims_in_under_5_percent(way, options, trials):
    dice = np.random.default_rng(trials * options)
    names = tuple(f"Option {index}" for index in range(options))
    claims = 0
    for guesser in range(GUESSERS):
        run = drawn(way, names, trials, seed=guesser)
        letters = dice.integers(0, options, trials).tolist()
        done = replace(run, answers=tuple(trial.letters[n] for trial, n in zip(run.design, letters, strict=True)))
        if guesser < STEP_BY_STEP:
            for letter in letters:
                run = run.answered(letter)
            assert run == done
        claims += result(done).is_result
    assert claims / GUESSERS < blind.LIMIT


def test_who_hears_it_four_times_in_five_is_found_in_most_cases():
    # 16 trials, 12 needed: the power of the binomial test at 0.8 is 0.80 (scipy.stats.binom).
    assert stats.binom.sf(11, 16, 0.8) == pytest.approx(0.80, abs=0.005)
    dice = np.random.default_rng(4)
    found = 0
    for listener in range(1000):
        run = drawn("which is X", ("A", "B"), 16, seed=listener)
        while not run.finished:
            true = run.trial.x or 0
            run = run.answered(true if dice.random() < 0.8 else 1 - true)
        found += result(run).is_result
    assert found / 1000 == pytest.approx(0.80, abs=0.05)


def test_votes_go_to_options_though_letters_change():
    run = drawn("vote", ("now", "before", "rough mix"), 12, seed=1)
    assert len({trial.letters for trial in run.design}) > 1
    while not run.finished:
        run = run.answered(run.trial.letters.index(2))
    found = result(run)
    assert found.counts == (0, 0, 12)
    assert found.is_result
    assert "rough mix is preferred" in found.words


def test_x_is_each_of_the_two_and_a_run_of_one_answer_is_chance():
    run = drawn("which is X", ("now", "before"), 16, seed=3)
    assert {trial.x for trial in run.design} == {0, 1}
    while not run.finished:
        run = run.answered(0)
    assert not result(run).is_result
    assert "could be chance" in result(run).words


def test_nobody_learns_anything_before_the_end():
    run = drawn("vote", ("now", "before"), 8, seed=1).answered(0)
    with pytest.raises(ValueError, match="not finished"):
        result(run)


def test_it_says_how_many_more_it_would_take():
    run = drawn("which is X", ("now", "before"), 10, seed=2)
    for index in range(10):
        true = run.trial.x or 0
        run = run.answered(true if index < 8 else 1 - true)
    found = result(run)
    assert found.chance == pytest.approx(0.0547, abs=0.0001)
    assert "more trials as clear as these would be needed" in found.words


def test_what_was_written_stays_with_its_trial():
    run = drawn("vote", ("now", "before"), 8, seed=1).answered(1, " tighter low end ")
    assert run.notes == ("1. B: tighter low end",)
    assert drawn("vote", ("now", "before"), 8, seed=1).answered(0, "  ").notes == ()


@pytest.mark.parametrize(("way", "count"), [("vote", 1), ("vote", 9), ("which is X", 3)])
def test_too_few_or_too_many_are_refused(way, count):
    with pytest.raises(ValueError, match=str(count)):
        drawn(way, tuple("abcdefghi"[:count]), 8)
