"""First mixes of fresh sessions, judged by a script that knows nothing of ours (`tests.reference`); by `make proof`.

At the end less has to be masked than behind the balance, and than in the files as they came; it has to be louder at one
peak; and nothing that is guarded may be worse, or it is told. Bounds are those of the whole list; a drawn share may be
beside by as much as chance makes it (`tests.proof.draw`).
"""

import numpy as np
import pytest
from scipy import stats

from all_even.figures.whole.guards import GUARDS, losses
from tests.proof import sampled, whole_runs
from tests.proof.draw import beside, drawn, part_of
from tests.proof.processes import in_processes
from tests.proof.whole_runs import FirstMix

pytestmark = [
    pytest.mark.proof,
    pytest.mark.skipif(
        sampled.PLAYER is None or not sampled.BANK.is_file() or not sampled.SECOND_BANK.is_file(),
        reason="the sound banks or their player are not here",
    ),
]
SESSIONS = (
    ("rock", 1401), ("soul", 1402), ("tune", 1406), ("band in a room", 1413),
    ("metal", 1403), ("tune", 1407), ("club", 1409), ("latin", 1404),
    ("layers", 1411), ("jazz", 1405), ("tune", 1408), ("rock", 1414),
    ("quintet in a room", 1412), ("latin", 1417), ("long bass", 1410), ("soul", 1416),
    ("tune", 1418), ("metal", 1415), ("jazz", 1422), ("club", 1421),
)  # fmt: skip
"""In an order in which every fourth are of different kinds."""
STEMS = (1441, 1442, 1443, 1444)
MASKED_GRAIN = 0.005
"""Of what the judge says is masked: about what another seed of the same noise moves it by."""
MORE_MASKED, LEAD_WORSE = 0.15, 0.15
"""Shares of sessions that may be beside."""


@pytest.fixture(scope="module")
def every_mix() -> list[FirstMix]:
    return in_processes(whole_runs.first_mix, drawn(SESSIONS))


@pytest.fixture(scope="module")
def mixes(every_mix, part) -> list[FirstMix]:
    return part_of(every_mix, part)


def changes(mixes: list[FirstMix], field: str, since: str) -> list[float]:
    pairs = [(getattr(mix.judged[since], field), getattr(mix.judged["end"], field)) for mix in mixes
             if since in mix.judged]  # fmt: skip
    return [now - was for was, now in pairs if was is not None and now is not None]


def test_the_table_of_the_whole(mixes, capsys):
    fields = ("lead_db", "lead_spread_db", "kick_low_db", "snare_body_db", "snare_crack_db", "bass_spread_db", "hidden",
              "loudness_less_peak_lu", "mono_lu")  # fmt: skip
    with capsys.disabled():
        print(f"\nFirst mixes, {len(mixes)} sessions, by the judge: raw, start alone, balance, end")
        for mix in mixes:
            print(f"  {mix.name}: {mix.made} moves, {mix.left} left out or less, {mix.not_true} no longer as measured; "
                  f"told as worse: {', '.join(mix.lost) or 'nothing'}")  # fmt: skip
            for field in fields:
                values = [getattr(found, field) for found in mix.judged.values()]
                print(f"    {field:22s}", *("      -" if value is None else f"{value:7.3f}" for value in values))
    assert all(mix.made > 3 for mix in mixes)


def test_less_is_masked_than_behind_the_balance_and_than_in_the_files(mixes, part):
    more = [change for change in changes(mixes, "hidden", "balance") if change > MASKED_GRAIN]
    assert len(more) <= beside(MORE_MASKED, len(mixes), part)
    assert all(change < 0.02 for change in changes(mixes, "hidden", "raw"))
    assert float(np.median(changes(mixes, "hidden", "raw"))) < -0.03


def test_it_brings_more_than_its_start_alone(mixes):
    found = changes(mixes, "hidden", "start alone")
    assert float(np.median(found)) < 0.0


def test_it_is_louder_at_one_peak(mixes):
    assert float(np.median(changes(mixes, "loudness_less_peak_lu", "balance"))) > 2.0


def test_the_lead_stands_as_far_out_and_no_less_evenly(mixes, part):
    lower = [change for change in changes(mixes, "lead_db", "balance") if change < -1.0]
    rougher = [change for change in changes(mixes, "lead_spread_db", "balance") if change > 0.7]
    assert len(lower) <= beside(LEAD_WORSE, len(mixes), part)
    assert len(rougher) <= beside(LEAD_WORSE, len(mixes), part)


def test_nothing_guarded_is_worse_at_the_end_than_behind_the_balance_or_it_is_told(mixes):
    for mix in mixes:
        lost = losses(mix.ours["balance"], mix.ours["end"], GUARDS)
        assert {loss.text for loss in lost} <= set(mix.lost), (mix.name, mix.lost)


def test_the_witness_and_the_figure_of_share_rank_states_alike(mixes, capsys):
    """Over all states of all sessions, each against its files as they came."""
    pairs = [
        (found.masked - mix.ours["raw"].masked, found.masked_ours - mix.ours["raw"].masked_ours,
         mix.judged[moment].hidden - mix.judged["raw"].hidden)
        for mix in mixes for moment, found in mix.ours.items() if moment != "raw"
    ]  # fmt: skip
    witness, ours, judge = np.array(pairs).T
    with capsys.disabled():
        print(f"\nRank correlation over {len(pairs)} states: witness and ours {stats.spearmanr(witness, ours)[0]:.2f}, "
              f"witness and judge {stats.spearmanr(witness, judge)[0]:.2f}, "
              f"ours and judge {stats.spearmanr(ours, judge)[0]:.2f}")  # fmt: skip
    assert stats.spearmanr(witness, judge)[0] > 0.0


def test_stems_of_a_finished_mix_stay_as_they_are(capsys):
    for told, zones in in_processes(whole_runs.finished_stems, drawn(STEMS)):
        with capsys.disabled():
            print(f"\n  {told.name}: {told.made} moves, zones move by {max(zones):.2f} dB at most")
        assert max(zones) < 0.5
        assert told.judged["end"].loudness_less_peak_lu > told.judged["raw"].loudness_less_peak_lu - 0.3
