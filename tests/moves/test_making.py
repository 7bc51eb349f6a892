"""One way to make a move: a rule that stumbles costs only its own, on the command line as in the window
(`tests/app/test_moves_in_window.py`) and in a blind comparison (`tests/app/test_check.py`)."""

import json
from dataclasses import replace

import pytest
from msgspec.structs import replace as changed

from all_even import stages
from all_even.cli import main
from all_even.errors import UserError
from all_even.moves import making
from all_even.moves.balance import trim
from all_even.session.editing import edits
from tests.moves.looks import find, look_at

ALL_EVEN = stages.kinds()["balance.all-even"]


@pytest.fixture(scope="module")
def look(short_folder):
    return look_at(short_folder)


@pytest.fixture
def stumbling(monkeypatch):
    """Lets one of a kind's functions raise."""
    kept = []

    def stumble(kind, name, error):
        def breaks(*_given):
            raise error

        kept.append((kind, name, getattr(kind, name)))
        object.__setattr__(kind, name, breaks)

    yield stumble
    for kind, name, function in kept:
        object.__setattr__(kind, name, function)


def run(capsys, *arguments) -> tuple[int, str, str]:
    status = main([str(item) for item in arguments])
    told = capsys.readouterr()
    return status, told.out, told.err


@pytest.fixture
def session(capsys, short_folder, tmp_path):
    path = tmp_path / "a.alleven"
    run(capsys, "new", short_folder, "-o", path)
    return path


def test_a_rule_that_stumbles_costs_only_its_own_moves_on_the_command_line(capsys, session, stumbling, defects):
    stumbling(trim.KIND, "propose", ZeroDivisionError())
    status, told, warned = run(capsys, "moves", session, "--stage", "balance", "--json", "--apply", "balance.all-even")
    defects.clear()
    assert status == 0
    assert warned.count("A rule stumbled and is left out (balance.trim, ZeroDivisionError).") == 1
    found = json.loads(told)
    assert {move["id"] for move in found["moves"] if move["made"]} == {"balance.all-even"}
    assert len(found["stumbled"]) == 1


def test_a_move_that_can_not_be_got_ready_is_said_and_the_others_are_made(capsys, session, stumbling, defects):
    stumbling(ALL_EVEN, "prepare", UserError("01_KIK IN.wav is gone."))
    wanted = "balance.all-even,balance.trim"
    status, told, _ = run(capsys, "moves", session, "--stage", "balance", "--apply", wanted)
    assert status == 0
    assert defects == []
    lines = told.splitlines()
    assert lines[next(i for i, line in enumerate(lines) if line.startswith("balance.all-even:")) + 1] == (
        "    Not made: 01_KIK IN.wav is gone."
    )
    assert "expected" in lines[next(i for i, line in enumerate(lines) if line.startswith("balance.trim:")) + 1]


def test_a_stale_move_is_proposed_anew_before_it_is_made(look):
    move = find(look, "balance.all-even")
    quieter = look.at(edits.change_strips(look.session, [look.session.lanes[0].id], level_db=-9.0))
    assert making.is_stale(quieter, move)
    fresh, after = making.ready(quieter, ALL_EVEN, move)
    assert not making.is_stale(quieter, fresh)
    assert after == making.made(quieter.session, ALL_EVEN, fresh)


def test_what_has_nothing_to_do_any_more_is_not_made(look):
    move = changed(find(look, "balance.all-even"), id="balance.gone", rests_on={"mix": "another"})
    assert making.ready(look, ALL_EVEN, move) is None


def test_a_target_that_is_gone_makes_no_move(look):
    def gone(_session, _move):
        raise KeyError("lane")

    assert making.ready(look, replace(ALL_EVEN, edit=gone), find(look, "balance.all-even")) is None


def test_what_is_expected_of_changed_parts_is_found_before_it_is_made(look):
    kind = next(kind for kind in stages.kinds().values() if kind.refit is not None)
    move = changed(find(look, "balance.all-even"), parameters=dict.fromkeys(kind.parameters, 0.0), expected=None)
    fitted = replace(kind, refit=lambda _look, it: changed(it, expected=0.5), edit=lambda session, _move: session)
    assert making.ready(look, fitted, move)[0].expected == 0.5
