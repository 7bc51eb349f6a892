"""Space on six tunes, ten genres of recorded instruments and the demo.

By `make proof`. Rules and constants come from the demo's own seed and from trials on other material; nothing was tuned
on these.
"""

from collections import defaultdict

import numpy as np
import pytest

from tests.proof import sampled, share_runs, space_runs
from tests.proof.draw import at_least, beside, drawn, part_of
from tests.proof.processes import in_processes
from tests.proof.space_runs import Outcome, Run

pytestmark = pytest.mark.proof

SEEDS = range(100, 106)
BANK_IS_THERE = sampled.PLAYER is not None and sampled.BANK.is_file()


@pytest.fixture(scope="module")
def every_run(demo_folder) -> list[Run]:
    wanted = [("folder", str(demo_folder)), *(("tune", str(seed)) for seed in SEEDS)]
    if BANK_IS_THERE:
        wanted += [("genre", name) for name in share_runs.GENRES]
    return in_processes(space_runs.run_one, drawn(wanted))


@pytest.fixture(scope="module")
def runs(every_run, part) -> list[Run]:
    return part_of(every_run, part)


@pytest.fixture(scope="module")
def outcomes(runs) -> dict[str, list[Outcome]]:
    found: dict[str, list[Outcome]] = defaultdict(list)
    for run in runs:
        for one in run.outcomes:
            found[one.kind.removeprefix("space.")].append(one)
    return found


def off(one: Outcome) -> float:
    return abs((one.after if one.after is not None else 99.0) - (one.expected or 0.0))


def test_every_promise_is_kept(outcomes, runs, part, capsys):
    with capsys.disabled():
        print(f"\n{len(runs)} sessions.")
        for kind, found in sorted(outcomes.items()):
            print(f"  {kind}: {len(found)} made, off by {np.median([off(one) for one in found]):.3f} (median), "
                  f"{max(off(one) for one in found):.3f} at most (within {found[0].tolerance:g})")  # fmt: skip
    broken = [(one.kind, one.name, one.expected, one.after) for found in outcomes.values() for one in found
              if off(one) > one.tolerance]  # fmt: skip
    count = sum(len(found) for found in outcomes.values())
    assert len(broken) <= beside(0.03, count, part), broken


def test_returns_stand_where_they_are_just_missed_and_drown_nothing(runs, part, capsys):
    found = [one for run in runs for one in run.placed]
    hidden = [100.0 * one.lead_hidden for one in found if one.lead_hidden is not None]
    low = [one.low_added_db for one in found if one.low_added_db is not None]
    ratios = [one.direct_to_return_db for one in found]
    with capsys.disabled():
        print(f"\n{len(found)} returns: covered {min(one.covered for one in found):.3f} to "
              f"{max(one.covered for one in found):.3f}; lead masked by {np.median(hidden):.1f} % (median), "
              f"{max(hidden):.1f} at most; {max(low):.2f} dB under 250 Hz at most; direct to return "
              f"{np.median(ratios):.1f} dB (median), {min(ratios):.1f} to {max(ratios):.1f}; decay "
              f"{min(one.decay_s for one in found):.2f} to {max(one.decay_s for one in found):.2f} s.")  # fmt: skip
    assert all(abs(one.covered - 0.97) <= 0.01 for one in found)
    assert max(low) <= 0.3
    assert sum(value > 2.0 for value in hidden) <= beside(0.1, len(hidden), part)


def test_the_snares_room_ends_at_the_next_kick(outcomes, part, capsys):
    found = outcomes["snare-time"]
    before, after = [one.before for one in found], [one.after for one in found]
    with capsys.disabled():
        print(f"\n{len(found)} halls shortened: down by {np.median(after):.1f} dB (median) at the kick, "
              f"{min(after):.1f} to {max(after):.1f}; before {np.median(before):.1f}.")  # fmt: skip
    assert len(found) >= at_least(10, part)
    assert sum(abs(value - 20.0) > 3.0 for value in after) <= beside(0.1, len(after), part)


def test_depth_is_predicted(runs, part, capsys):
    pairs = [(a - b, role) for run in runs for a, b, role in run.depths]
    errors = np.array([error for error, _ in pairs])
    with capsys.disabled():
        print(f"\nDepth of {len(pairs)} tracks: off by {np.median(np.abs(errors)):.2f} dB (median), "
              f"{np.percentile(np.abs(errors), 90):.2f} (90 %), {np.abs(errors).max():.2f} at most.")  # fmt: skip
    assert np.sum(np.abs(errors) > 1.5) <= beside(0.1, len(errors), part)


def test_the_rule_for_the_drop(runs, capsys):
    """No promise rests on it: times are found on the sound."""
    pairs = np.array([pair for run in runs for pair in run.drops])
    with capsys.disabled():
        error = pairs[:, 1] - pairs[:, 0]
        print(f"\nDrop by the rule, {len(pairs)} trials: measured {np.median(error):+.1f} dB (median) against it, "
              f"{np.percentile(error, 10):+.1f} to {np.percentile(error, 90):+.1f} (10 to 90 %).")  # fmt: skip
    assert len(pairs)
