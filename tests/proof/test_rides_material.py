"""Rides on planted leads: ten tunes, ten genres of recorded instruments, five languages of speech.

By `make proof`. The rules come from trials on other material; nothing was tuned on these. A phrase is off by as much as
it lies beside what is usual in its section *in the lead as it was before it was planted*.
"""

import numpy as np
import pytest

from tests.proof import rides_runs, sampled, share_runs, speech
from tests.proof.draw import at_least, beside, drawn, part_of
from tests.proof.processes import in_processes
from tests.proof.rides_runs import Run

pytestmark = pytest.mark.proof

SEEDS = range(110, 120)
MANY = 10
BANK_IS_THERE = sampled.PLAYER is not None and sampled.BANK.is_file()


@pytest.fixture(scope="module")
def every_run() -> list[Run]:
    wanted = [("tune", str(seed)) for seed in SEEDS]
    if BANK_IS_THERE:
        wanted += [("genre", name) for name in share_runs.GENRES]
    if speech.LIBRARY is not None:
        wanted += [("speech", language) for language in rides_runs.VOICES]
    return in_processes(rides_runs.run_one, drawn(wanted))


@pytest.fixture(scope="module")
def runs(every_run, part) -> list[Run]:
    return [run for run in part_of(every_run, part) if run.steps + run.even]


def test_steps_are_ridden_and_even_phrases_are_left(runs, part, capsys):
    steps, ridden = sum(run.steps for run in runs), sum(run.ridden for run in runs)
    even, falsely = sum(run.even for run in runs), sum(run.falsely for run in runs)
    with capsys.disabled():
        print(f"\nRides, {len(runs)} leads: {ridden} of {steps} steps of 5 dB ridden, {falsely} of {even} even phrases")
        for run in runs:
            if run.ridden < run.steps or run.falsely:
                told = f"{run.ridden} of {run.steps} steps, {run.falsely} of {run.even} even"
                print(f"    {run.name}, {run.phrases} phrases: {told}")
    assert steps >= at_least(35, part)
    assert steps - ridden <= beside(0.05, steps, part)
    # One in 48 is asked for. Under ten phrases what is usual is known too badly for that: a few more are let through.
    many = [run for run in runs if run.phrases >= MANY]
    assert sum(run.falsely for run in many) <= beside(1 / 48, sum(run.even for run in many), part)
    assert falsely <= beside(3 / 48, even, part)


def test_the_spread_of_the_relation_is_halved(runs, capsys):
    ratios = np.array(
        [run.spread_db[1] / run.spread_db[0] for run in runs if run.promised_db is not None and run.spread_db[0] >= 2.0]
    )
    with capsys.disabled():
        print(f"\nSpread: {np.median([run.spread_db[0] for run in runs]):.1f} dB became "
              f"{np.median([run.spread_db[1] for run in runs]):.1f} (medians); to {np.median(ratios):.2f} of it, "
              f"{ratios.max():.2f} at worst; halved in {(ratios <= 0.5).sum()} of {len(ratios)}")  # fmt: skip
    assert np.median(ratios) <= 0.5


def test_the_worst_phrase_comes_out(runs, part, capsys):
    made = [run for run in runs if run.promised_db is not None]
    lower = [run for run in made if run.hidden[1] < run.hidden[0]]
    with capsys.disabled():
        before, after = (np.median([run.hidden[i] for run in made]) for i in (0, 1))
        print(f"\nWorst phrase hidden: {before:.2f} became {after:.2f} (medians), lower in {len(lower)} of {len(made)}")
    assert len(made) - len(lower) <= beside(0.1, len(made), part)


def test_every_promise_is_kept(runs, capsys):
    off = [abs(run.promised_db - run.found_db) for run in runs if run.promised_db is not None]
    with capsys.disabled():
        print(f"\nPromises: {len(off)}, off by {max(off):.3f} dB at most")
    assert max(off) <= 0.5


@pytest.mark.skipif(speech.LIBRARY is None, reason="espeak-ng is not here")
def test_no_breath_is_moved_further_than_its_neighbours(runs, part, capsys):
    found = [one for run in runs for one in run.breaths_db]
    with capsys.disabled():
        most = max((change for change, _, _ in found), default=0.0)
        print(f"\nBreaths: {len(found)}, raised by {most:.1f} dB at most")
    assert len(found) >= at_least(20, part)
    for change, before, after in found:
        assert change <= max(before, after, 0.0) + 0.05


@pytest.mark.skipif(speech.LIBRARY is None, reason="espeak-ng is not here")
def test_words_of_speech_are_found_and_breaths_are_none(capsys):
    counts = np.sum([rides_runs.words_found(language) for language in rides_runs.VOICES], axis=0)
    said, hit, wrong = counts.tolist()
    with capsys.disabled():
        print(f"\nSpeech: {hit} of {said} phrases begun where they begin, {wrong} breaths taken for words")
    assert hit >= 0.95 * said
    assert wrong == 0
