"""Blind comparison: which of several is better, or whether two can be told apart, and what chance would have done.

Two ways. *Vote*: in each trial the options are heard under letters in a new random order, and the best is voted for.
*Which is X*: X is one of two, and one says which. The number of trials is fixed before the first: who looks at the
chance after each trial and stops when it is small calls guesses a result in 9.7 % of cases instead of 5.

Chance is exact. Of X: the binomial tail, P(at least k of n right). Of votes: P(the largest of N counts is at least m of
n), from the multinomial distribution. Under 5 % it is called a result (the usual convention); else "could be chance",
with how many more of the same it would take.
"""

import math
import random
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number

Way = Literal["vote", "which is X"]
LIMIT = 0.05
LETTERS = "ABCDEFGH"
MOST_OPTIONS = len(LETTERS)
TRIALS: dict[Way, tuple[int, ...]] = {"vote": (8, 12, 16), "which is X": (10, 16)}
"""What is offered. Fewer of X can hardly tell anything: 16 find who hears it 80 % of the time in 80 % of cases."""
MOST_MORE = 100


@lru_cache(maxsize=1024)
def chance_right(right: int, trials: int) -> float:
    """Probability that guessing gets at least so many of X right."""
    return float(Fraction(sum(math.comb(trials, k) for k in range(max(0, right), trials + 1)), 2**trials))


@lru_cache(maxsize=1024)
def chance_votes(most: int, trials: int, options: int) -> float:
    """Probability that, voting by chance, any option gets at least so many of the votes."""
    # Counts of Poisson variables, given that they add up to `trials`, are multinomial: so the chance that none reaches
    # `most` is that of as many cut-off Poisson variables to add up to it, over that of the whole.
    counts = np.arange(trials + 1)
    each, whole = (_poisson(counts, mean) for mean in (trials / options, float(trials)))
    cut = np.where(counts < most, each, 0.0)
    total = cut
    for _ in range(options - 1):
        total = np.convolve(total, cut)[: trials + 1]
    return float(np.clip(1.0 - total[trials] / whole[trials], 0.0, 1.0))


def _poisson(counts: NDArray[np.int_], mean: float) -> NDArray[np.float64]:
    """Probability of each count."""
    return np.exp([count * math.log(mean) - mean - math.lgamma(count + 1) for count in counts])


@lru_cache(maxsize=4096)
def needed(way: Way, trials: int, options: int = 2) -> int | None:
    """How many it takes for a result; None where not even all are enough."""
    for count in range(1, trials + 1):
        chance = chance_right(count, trials) if way == "which is X" else chance_votes(count, trials, options)
        if chance <= LIMIT:
            return count
    return None


@dataclass(frozen=True, slots=True)
class Trial:
    """letters: which option each letter is. x: which option X is; None for votes."""

    letters: tuple[int, ...]
    x: int | None


@dataclass(frozen=True, slots=True)
class Run:
    """A blind comparison while it is made. design: all trials, drawn before the first. answers: options, so far."""

    way: Way
    options: tuple[str, ...]
    design: tuple[Trial, ...]
    answers: tuple[int, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def finished(self) -> bool:
        return len(self.answers) == len(self.design)

    @property
    def trial(self) -> Trial:
        """The present one; the last once all are answered."""
        return self.design[min(len(self.answers), len(self.design) - 1)]

    def answered(self, letter: int, note: str = "") -> "Run":
        """The run with one more answer, by the letter's number; nothing once it is finished."""
        if self.finished:
            return self
        told = f"{len(self.answers) + 1}. {LETTERS[letter]}: {note.strip()}" if note.strip() else ""
        return replace(
            self,
            answers=(*self.answers, self.trial.letters[letter]),
            notes=(*self.notes, told) if told else self.notes,
        )

    @property
    def right(self) -> tuple[int, ...]:
        """What X was in each trial; empty for votes."""
        return tuple(trial.x for trial in self.design[: len(self.answers)] if trial.x is not None)


def drawn(way: Way, options: tuple[str, ...], trials: int, seed: int | None = None) -> Run:
    """A new comparison. Raises ValueError for fewer than two options, more than eight, or X among more than two."""
    if not 2 <= len(options) <= (2 if way == "which is X" else MOST_OPTIONS):
        raise ValueError(len(options))
    dice = random.Random(seed) if seed is not None else random.SystemRandom()
    design = []
    for _ in range(trials):
        letters = list(range(len(options)))
        if way == "vote":
            dice.shuffle(letters)
        design.append(Trial(tuple(letters), dice.randrange(2) if way == "which is X" else None))
    return Run(way, options, tuple(design))


@dataclass(frozen=True, slots=True)
class Result:
    """counts: votes of each option; of X, wrong and right. chance: of that or more by guessing. is_result: whether it
    is under 5 %. words: the verdict."""

    counts: tuple[int, ...]
    chance: float
    is_result: bool
    words: str


def result(run: Run) -> Result:
    """What a finished run says. Raises ValueError before its end: nobody looks earlier."""
    if not run.finished:
        raise ValueError("not finished")
    trials = len(run.answers)
    if run.way == "which is X":
        right = sum(a == b for a, b in zip(run.answers, run.right, strict=True))
        chance = chance_right(right, trials)
        told = f"{right} of {trials} right"
        verdict = f"{run.options[0]} and {run.options[1]} can be told apart" if chance <= LIMIT else "could be chance"
        counts: tuple[int, ...] = (trials - right, right)
        more = _more("which is X", right, trials, 2)
    else:
        counts = tuple(run.answers.count(index) for index in range(len(run.options)))
        best = max(range(len(counts)), key=lambda index: counts[index])
        chance = chance_votes(counts[best], trials, len(run.options))
        votes = ", ".join(f"{name} {count}" for name, count in zip(run.options, counts, strict=True))
        told = f"{trials} votes: {votes}"
        verdict = f"{run.options[best]} is preferred" if chance <= LIMIT else "could be chance"
        more = _more("vote", counts[best], trials, len(run.options))
    words = f"{told}; {verdict} ({_percent(chance)} by guessing)"
    if chance > LIMIT:
        words += f"; {more} more trials as clear as these would be needed" if more else "; more trials would not tell"
    return Result(counts, chance, chance <= LIMIT, f"{words}.")


def _percent(chance: float) -> str:
    return "under 0.1 %" if chance < 0.001 else f"{number(100.0 * chance)} %"


@lru_cache(maxsize=1024)
def _more(way: Way, best: int, trials: int, options: int) -> int:
    """How many more trials it takes at the same share of answers; 0 where that share is what guessing gives."""
    if best / trials <= 1.0 / options:
        return 0
    for more in range(1, MOST_MORE + 1):
        need = needed(way, trials + more, options)
        if need is not None and best * (trials + more) / trials >= need:
            return more
    return 0
