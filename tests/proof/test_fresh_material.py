"""Following the default cards on twenty sessions that no rule was tuned on (`tests.proof.fresh`); by `make proof`.

Nothing that was done may be warned of by the program itself, no sentence of one screen may say the opposite of
another, and at the low end whoever leads, the sum's loudness at its peak, and the beat are no worse at the end than at
the start. What can't be had together stands on the card that gave it up.
"""

import pytest

from all_even.figures.kick_and_bass.verdict import SLACK_DB
from all_even.moves.low_end import guards
from tests.proof import fresh, path_runs, sampled
from tests.proof.draw import WHOLE, beside, drawn, part_of
from tests.proof.path_runs import Walk
from tests.proof.processes import in_processes

pytestmark = [
    pytest.mark.proof,
    pytest.mark.skipif(
        sampled.PLAYER is None or not sampled.BANK.is_file() or not sampled.SECOND_BANK.is_file(),
        reason="the sound banks or their player are not here",
    ),
]


@pytest.fixture(scope="module")
def every_walk() -> list[Walk]:
    return in_processes(path_runs.walk_it, drawn(fresh.SESSIONS))


@pytest.fixture(scope="module")
def walks(every_walk, part) -> list[Walk]:
    return part_of(every_walk, part)


@pytest.fixture(scope="module")
def every_low_walk() -> list[Walk]:
    return in_processes(path_runs.low_end_alone, drawn(fresh.SESSIONS))


@pytest.fixture(scope="module")
def low_walks(every_low_walk, part) -> list[Walk]:
    return part_of(every_low_walk, part)


def test_no_default_move_is_warned_of_afterwards(walks, capsys):
    made = sum(len(walk.made) for walk in walks)
    warned = [(walk.name, stage, remark.kind, remark.text) for walk in walks for stage, remark in walk.warned]
    with capsys.disabled():
        print(f"\nFresh sessions: {made} default moves on {len(walks)}; warned of behind them: {len(warned)}")
        for line in warned:
            print("   ", *line)
    assert not warned


def test_no_sentence_says_the_opposite_of_another(walks, low_walks):
    assert not [(walk.name, *pair) for walk in (*walks, *low_walks) for pair in walk.against]


def test_what_is_no_longer_true_at_the_end_is_counted_with_what_moved_it(walks, capsys):
    """Starting points and levels are made to be gone on from; of the others most are better still, or hold."""
    untrue = [(walk.name, item) for walk in walks for item in walk.untrue]
    lost = [(name, item) for name, item in untrue if item.lost and not item.meant]
    made = sum(len(walk.made) for walk in walks)
    with capsys.disabled():
        print(f"\nFresh sessions: of {made} moves {len(untrue)} are no longer as measured at the end; "
              f"{sum(item.meant for _, item in untrue)} of them starting points and levels, "
              f"{sum(not item.lost and not item.meant for _, item in untrue)} are better still, {len(lost)} lost some "
              "of it:")  # fmt: skip
        for name, item in lost:
            print(f"    {name}: {item.title} (since: {item.moved_by})")
    assert all(item.moved_by for _, item in untrue)
    assert len(lost) <= beside(0.2, made, WHOLE)


@pytest.mark.parametrize("which", ["low end alone", "balance and low end"])
def test_whoever_leads_is_not_sacrificed(walks, low_walks, which, capsys):
    chosen = low_walks if which == "low end alone" else walks
    heard = [walk for walk in chosen if walk.low["start"].focus is not None]
    lines, given_up = [], []
    for walk in heard:
        start, end = walk.low["start"], walk.low["low-end"]
        leader = end.owner or "kick"
        masked = getattr(end, f"{leader}_masked") - getattr(start, f"{leader}_masked")
        louder = end.loudness_at_equal_peak_lu - start.loudness_at_equal_peak_lu
        lines.append(f"    {walk.name}: {leader} leads, masked {masked:+.2f}, loudness at equal peak {louder:+.2f} LU, "
                     f"hole {start.gap_db:.1f} to {end.gap_db:.1f} dB, kick audible {start.focus:.2f} to "
                     f"{end.focus:.2f}")  # fmt: skip
        told = [made for made in walk.made if "Given up for it" in made.reason]
        if end.bass_limit_db is not None and end.bass_limit_db < -SLACK_DB:
            given_up.append((walk.name, walk.stopped))
        assert masked <= guards.MOST_MASKED + 0.005, lines[-1]
        assert louder >= -guards.MOST_SOFTER_LU - 0.05 or told, lines[-1]
        assert end.gap_db <= max(guards.HOLE_DB, start.gap_db) + 0.1, lines[-1]
    with capsys.disabled():
        print(f"\nFresh sessions, {which}: {len(heard)} with kick and bass; kick under its limit at the end in "
              f"{len(given_up)}", *lines, sep="\n")  # fmt: skip
    assert all(reason for _, reason in given_up), given_up
