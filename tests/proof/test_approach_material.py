"""Approaches on fresh material (`tests.proof.fresh`, other seeds than any rule saw): what a card says is measured with
the move made, and no figure is the move's own alone; by `make proof`.

Not that they help: they are other people's ways, and what each costs stands in its first sentence. What is proved is
that the sentence is true.
"""

import tempfile
from pathlib import Path

import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.whole.guards import losses
from all_even.figures.whole.whole import whole
from all_even.moves import accounts, making
from all_even.session.model.approaches import all_chosen
from tests.moves.looks import look_at
from tests.proof import fresh, sampled
from tests.proof.processes import in_processes

pytestmark = [
    pytest.mark.proof,
    pytest.mark.skipif(
        sampled.PLAYER is None or not sampled.BANK.is_file() or not sampled.SECOND_BANK.is_file(),
        reason="the sound banks or their player are not here",
    ),
]
SESSIONS = (("club", 971), ("rock", 972), ("tune", 973))
LEFT_OUT = ("dynamics.colour", "low-end.retune")
"""Ten cards of one kind that take longest; and one that writes a file with another program."""


def run(wanted: tuple[str, int]) -> list[tuple[str, str, bool, bool]]:
    """(session, kind, kept, whether its costs were told): the first move of each kind of each approach, made."""
    what, seed = wanted
    with tempfile.TemporaryDirectory(prefix="all-even-approaches-") as name:
        return followed(look_at(fresh.make(what, seed, Path(name)), Pages()), f"{what} {seed}")


def followed(look: Look, name: str) -> list[tuple[str, str, bool, bool]]:
    starts = making.propose(look, [stages.kinds()["balance.voice-first"], stages.kinds()["balance.rhythm-first"]])
    if starts:
        look = making.make(look, stages.kinds()[starts[0].kind], starts[0], stages.metrics()) or look
    look = look.at(replace(look.session, approaches=all_chosen()))
    found = []
    for kind in stages.kinds().values():
        if not kind.approach or kind.id.startswith(LEFT_OUT):
            continue
        for move in making.propose(look, [kind])[:1]:
            after = making.make(look, kind, move, stages.metrics())
            assert after is not None, kind.id
            entry = after.session.ledger[-1]
            kept = accounts.outcome(entry, stands=True) in ("kept", "worked out")
            told = bool(losses(whole(look), whole(after))) == bool(move.evidence["costs"])
            found.append((name, kind.id, kept, told))
    return found


@pytest.fixture(scope="module")
def found() -> list[tuple[str, str, bool, bool]]:
    return [row for rows in in_processes(run, SESSIONS) for row in rows]


def test_what_a_card_promises_is_what_is_measured_with_the_move_made(found, capsys):
    missed = [row for row in found if not row[2]]
    with capsys.disabled():
        print(f"\nApproaches on {len(SESSIONS)} fresh sessions: {len(found)} moves made, {len(missed)} missed")
    assert len(found) > 40
    assert not missed


def test_what_a_move_costs_the_whole_stands_on_its_card(found):
    assert not [row for row in found if not row[3]]


def test_most_approaches_find_something_somewhere(found):
    approaches = {kind.approach for kind in stages.kinds().values() if kind.approach}
    known = {stages.kinds()[kind_id].approach for _, kind_id, _, _ in found}
    assert len(known) > 0.5 * len(approaches)
