"""Ducking fits on thirty generated pairs of kick and bass; printed by `make proof`."""

import numpy as np
import pytest

from all_even.demo import instruments as sound
from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.moves.ducking import find_ducks, methods
from all_even.moves.ducking.fit import sketched
from all_even.moves.low_end.ducks.duck import PROPOSED
from tests.proof.draw import drawn
from tests.proof.processes import in_processes

pytestmark = pytest.mark.proof

SEEDS = range(100, 130)
GRAIN_DB = 0.05
"""Less is no difference."""
NO_HOLE_DB = 0.5
"""Under this there is no hole behind the kick, and nothing to be better at: with long tails both may be there."""


def test_the_fit_beats_the_default_on_every_pair(capsys):
    worse, lines = [], []
    for seed in drawn(SEEDS):
        studio = Studio(make_score(seed, bars=8))
        kick, bass = (0.5 * side / np.abs(side).max() for side in (studio.kick, studio.bass))
        end = 14 * sound.SAMPLE_RATE
        found = find_ducks(kick[:end], bass[:end], sound.SAMPLE_RATE, only=["keyed", "keyed_click", "drawn"])
        best, default = found.best, found.method("keyed_default")
        lines.append((best.low.gap_db, default.low.gap_db, best.low.cost, found.method("none").low.cost))
        good = (
            (best.low.gap_db < max(default.low.gap_db, NO_HOLE_DB) or default.low.unrecovered_hits > 0)
            and abs(best.low.pile_up_db - default.low.pile_up_db) < 0.15
            and best.feasible
            and not best.sound.ripples
            and not best.sound.clicks
            and best.low.cost < found.method("none").low.cost
        )
        if found.needed and not good:
            worse.append((seed, best.name, best.low, default.low.gap_db, best.sound))
    gaps = np.array(lines)
    with capsys.disabled():
        print(
            f"\nDucks of {len(lines)} pairs: gap {np.median(gaps[:, 0]):.2f} dB (median; at most "
            f"{gaps[:, 0].max():.2f}), of the default at equal peak {np.median(gaps[:, 1]):.2f} "
            f"({gaps[:, 1].max():.2f}); smaller in {np.sum(gaps[:, 0] < gaps[:, 1])}; cost "
            f"{np.median(gaps[:, 2]):.2f}, unducked {np.median(gaps[:, 3]):.2f}. Not better: {worse or 'none'}"
        )
    assert not worse


HELD_BACK = range(130, 150)
GRID = 500


def beside_hand_settings(seed: int) -> tuple[int, int]:
    """Of a pair: how many of the hand's settings the fit is as good as or better than, and how many are better on gap
    and on pile-up."""
    studio = Studio(make_score(seed, bars=8))
    kick, bass = (0.5 * side / np.abs(side).max() for side in (studio.kick, studio.bass))
    end = 14 * sound.SAMPLE_RATE
    found = find_ducks(kick[:end], bass[:end], sound.SAMPLE_RATE, only=PROPOSED)
    best = found.best
    mine = best.low.gap_db + best.low.pile_up_db
    keyed = next(method for method in methods.METHODS if method.name == "keyed")
    better = beaten = 0
    for depth in np.geomspace(2.0, 20.0, 10):
        for attack in np.geomspace(0.5, 20.0, 5):
            for release in np.geomspace(15.0, 500.0, 10):
                low = sketched(keyed, found.sketch, {"depth_db": depth, "attack_ms": attack, "release_ms": release})
                hand = low.gap_db + low.pile_up_db
                better += mine <= hand + GRAIN_DB or low.unrecovered_hits > best.low.unrecovered_hits
                beaten += low.gap_db < best.low.gap_db - GRAIN_DB and low.pile_up_db < best.low.pile_up_db - GRAIN_DB
    return better, beaten


def test_the_fit_is_better_than_hand_settings_on_held_back_pairs(capsys):
    """500 settings of a keyed compressor as they are set by hand, on a grid of depth, attack and release; gap and
    pile-up together, and no hit at which the bass is not back. Always all pairs: five of them are too few for a bound
    on a share."""
    told = np.array(in_processes(beside_hand_settings, HELD_BACK))
    better, total = int(told[:, 0].sum()), GRID * len(HELD_BACK)
    with capsys.disabled():
        print(
            f"\nFit against {total} hand settings on {len(HELD_BACK)} held-back pairs: as good or better on gap and "
            f"peak together in {100.0 * better / total:.1f} %; settings better on both: {told[:, 1].sum()}, in "
            f"{np.sum(told[:, 1] > 0)} pairs."
        )
    assert better >= 0.95 * total
