"""Approaches from the command line, and a curve laid over every beat."""

import json

import pytest

from all_even.session.editing import chain_edits
from all_even.session.file import store
from all_even.session.model.approaches import Approaches
from tests.moves import low_sessions
from tests.test_cli import run


@pytest.fixture
def session(capsys, tmp_path, home):
    path = tmp_path / "a.alleven"
    assert run(capsys, "new", low_sessions.colliding(tmp_path / "low"), "-o", path)[0] == 0
    return path


def test_all_are_listed_chosen_and_dropped(capsys, session):
    told = json.loads(run(capsys, "approaches", session, "--json")[1])
    assert {row["name"] for row in told["approaches"]} == set(Approaches.STAGES)
    assert not any(row["chosen"] for row in told["approaches"])
    assert told["tried"] is None
    run(capsys, "approaches", session, "--choose", "kick_click", "--choose", "glue_ratio=3:1")
    kept = store.load(session)
    assert kept.approaches.chosen == ("kick_click", "glue_ratio")
    assert kept.ledger[-1].text.startswith("Approach: ")
    moves = json.loads(run(capsys, "moves", session, "--stage", "low-end", "--json")[1])["moves"]
    assert any(move["id"].startswith("low-end.click-") for move in moves)
    run(capsys, "approaches", session, "--drop", "kick_click")
    assert store.load(session).approaches.chosen == ("glue_ratio",)
    run(capsys, "approaches", session, "--none")
    assert store.load(session).approaches == Approaches()


def test_one_is_tried_without_being_chosen(capsys, session):
    before = session.read_bytes()
    told = json.loads(run(capsys, "approaches", session, "--try", "kick_click", "--json")[1])
    assert told["tried"]
    assert {"before", "expected", "witness", "costs", "promise"} <= told["tried"][0].keys()
    assert session.read_bytes() == before
    status, out, _ = run(capsys, "approaches", session, "--try", "forward_brass")
    assert (status, out.strip()) == (0, "Nothing to offer on this song as it is.")


@pytest.mark.parametrize(
    ("arguments", "words"),
    [(("--choose", "nonsense"), "There is no approach nonsense; there are"),
     (("--choose", "glue_ratio=9:1"), "glue_ratio is one of as usual, 2:1, 3:1, 4:1, not “9:1”."),
     (("--choose", "pocket=yes"), "pocket is on or off"), (("--try", "x"), "There is no approach x")],
)  # fmt: skip
def test_what_can_t_be_chosen_is_one_line(capsys, session, arguments, words):
    before = session.read_bytes()
    status, _, err = run(capsys, "approaches", session, *arguments)
    assert status == 1
    assert words in err
    assert session.read_bytes() == before


def test_a_passage_is_laid_over_every_beat_and_scaled(capsys, session):
    held = store.load(session)
    bass = next(lane for lane in held.lanes if lane.role == "bass")
    store.save(chain_edits.automate(held, bass.id, "level_db", [(0.25, -6.0), (0.45, 0.0), (0.6, 0.0)]), session)
    status, out, _ = run(
        capsys, "automation", session, "--track", "Bass", "--every", "beat", "--passage", "0.25", "0.5"
    )
    assert status == 0, out
    points = store.load(session).lane(bass.id).automation[0].points
    assert sum(point.value == pytest.approx(-6.0, abs=0.01) for point in points) > 15
    run(capsys, "automation", session, "--track", "Bass", "--scale", "0.5")
    assert min(p.value for p in store.load(session).lane(bass.id).automation[0].points) == pytest.approx(-3.0, abs=0.01)
    status, _, err = run(capsys, "automation", session, "--track", "Kick", "--scale", "0.5")
    assert (status, "nothing to change" in err) == (1, True)
