"""Dynamics on thirty tunes, ten genres of recorded instruments, five languages of speech and the demo.

By `make proof`. Rules and constants come from the demo's own seed and from speech in English, German, Italian and
French; nothing was tuned on these.
"""

from collections import defaultdict

import numpy as np
import pytest

from all_even.measure.dynamics import side_effects
from tests.proof import dynamics_runs, sampled, share_runs, speech
from tests.proof.draw import WHOLE, at_least, beside, drawn, part_of
from tests.proof.dynamics_runs import Outcome, Run
from tests.proof.processes import in_processes

pytestmark = pytest.mark.proof

SEEDS = range(100, 130)
BANK_IS_THERE = sampled.PLAYER is not None and sampled.BANK.is_file()
WITHIN = {"even-out": 0.7, "attack": 0.5, "sustain": 0.5, "glue": 0.3}
"""What was asked of the promises, dB: spread, punch, gain reduction."""


@pytest.fixture(scope="module")
def every_run(demo_folder) -> list[Run]:
    wanted = [("folder", str(demo_folder)), *(("tune", str(seed)) for seed in SEEDS)]
    if BANK_IS_THERE:
        wanted += [("genre", name) for name in share_runs.GENRES]
    if speech.LIBRARY is not None:
        wanted += [("speech", language) for language in dynamics_runs.SAYINGS]
    return in_processes(dynamics_runs.run_one, drawn(wanted))


@pytest.fixture(scope="module")
def runs(every_run, part) -> list[Run]:
    return part_of(every_run, part)


@pytest.fixture(scope="module")
def outcomes(runs) -> dict[str, list[Outcome]]:
    """By kind, without the stage's name."""
    found: dict[str, list[Outcome]] = defaultdict(list)
    for run in runs:
        for one in run.outcomes:
            found[one.kind.removeprefix("dynamics.")].append(one)
    return found


def off(one: Outcome) -> float:
    return abs((one.after if one.after is not None else 99.0) - (one.expected or 0.0))


def test_every_promise_is_kept(outcomes, runs, capsys):
    with capsys.disabled():
        print(f"\nDynamics, {len(runs)} sessions:")
        for kind, found in outcomes.items():
            most = max(off(one) for one in found)
            beside = sum(off(one) > one.tolerance for one in found)
            print(f"    {kind}: {len(found)} moves, off by {most:.2f} at most, {beside} over their tolerance")
    for kind, found in outcomes.items():
        within = next((limit for name, limit in WITHIN.items() if kind.startswith(name)), None)
        for one in found:
            assert off(one) <= (one.tolerance if within is None else within), (kind, one)


def test_lines_come_out_as_even_as_was_aimed_for_and_keep_their_phrases(outcomes, part, capsys):
    found = [*outcomes["even-out"], *outcomes["even-out-twice"]]
    reached = [one for one in found if one.after <= one.aim * one.before + 0.05]
    sides = [one.side for one in found if one.side is not None]  # several microphones on one sum have none of one strip
    ripples = [side.ripple_db for side in sides if side.ripple_db is not None]
    contours = [side.contour for side in sides if side.contour is not None]
    with capsys.disabled():
        print(f"\nEven out: {len(reached)} of {len(found)} at their aim (0.6 for "
              f"{sum(one.aim < 0.61 for one in found)}), contour {min(contours, default=np.nan):.2f} at least of "
              f"{len(contours)} lines with phrases, ripple {max(ripples):.0f} dB at most, noise up by "
              f"{np.median([side.noise_rise_db for side in sides]):.1f} dB (median)")  # fmt: skip
    assert len(outcomes["even-out"]) >= at_least(20, part)
    assert len(found) - len(reached) <= beside(0.1, len(found), part)
    assert contours or part != WHOLE, "a share may have no line with phrases, the whole has"
    assert all(contour > side_effects.CONTOUR_FLAG for contour in contours)
    assert max(ripples) < side_effects.RIPPLE_FLAG_DB


def test_lines_that_are_even_already_are_left_alone(runs, part):
    assert sum(run.even_lines for run in runs) >= at_least(20, part)
    assert sum(run.even_lines_moved for run in runs) == 0


def test_a_steady_pad_hardly_moves_under_a_fitted_glue(runs, capsys):
    swings = [run.pad_swing_db for run in runs if run.pad_swing_db is not None]
    with capsys.disabled():
        print(f"\nGlue: a steady pad swings by {np.median(swings):.2f} dB (median), {max(swings):.2f} at most")
    assert max(swings) < side_effects.PUMP_FLAG_DB


def test_no_comparison_is_won_by_loudness(outcomes, capsys):
    """Of moves on a lane, a group or the mix: either as loud as before, or the bypass is turned by as much."""
    gone = ("gate", "breaths", "sibilants", "peaks")  # what these take is meant to be gone
    sides = [one.side for kind, found in outcomes.items() for one in found if one.side is not None and kind not in gone]
    apart = [abs(side.louder_lu - side.matched_lu) for side in sides if side.louder_lu is not None]
    with capsys.disabled():
        print(f"\nLoudness: {len(apart)} moves, {max(apart):.2f} LU apart at most")
    assert max(apart) < side_effects.LOUDER_FLAG_LU


@pytest.mark.skipif(speech.LIBRARY is None, reason="espeak-ng is not here")
def test_sibilants_of_speech_are_found(runs, capsys):
    counts = np.sum([run.sibilants for run in runs if run.sibilants is not None], axis=0)
    true, hit, found, right = counts.tolist()
    with capsys.disabled():
        print(f"\nSibilants: {hit} of {true} found, {right} of {found} right (the others hiss as well)")
    assert hit >= 0.8 * true
    assert right >= 0.6 * found
