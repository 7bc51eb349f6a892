"""What is next: the first stage of the work with something open that was not ticked off; and the path that shows it."""

import dataclasses

import pytest

from all_even import stages
from all_even.app.desk import Desk
from all_even.app.head.next_step import StageFacts, next_step
from all_even.app.head.path import Path


def stage(name: str, *, faults: int = 0, moves: tuple[str, ...] = (), done: bool = False, moved_on: bool = False):
    return StageFacts(name.lower(), name, faults, "Snare clipped" if faults else "", moves, done, moved_on)


def test_faults_come_before_moves_and_earlier_stages_before_later_ones():
    facts = [stage("Gather", faults=3, moves=("Name 4 tracks",)), stage("Balance", moves=("All even",))]
    step = next_step(facts, measuring=False)
    assert step.stage == "gather"
    assert step.text == "Gather: Snare clipped and 2 more"
    step = next_step([stage("Gather"), facts[1]], measuring=False)
    assert (step.stage, step.text) == ("balance", "Balance: All even")


def test_a_stage_that_is_ticked_off_is_passed_over_until_its_ground_moves():
    gather = stage("Gather", faults=3, done=True)
    balance = stage("Balance", moves=("All even", "Trim"))
    assert next_step([gather, balance], measuring=False).text == "Balance: All even and 1 more"
    again = next_step([stage("Gather", moved_on=True), balance], measuring=False)
    assert again.stage == "gather"
    assert "changed since" in again.text


def test_a_stage_that_was_not_looked_at_yet_is_next_in_order():
    low = dataclasses.replace(stage("Low end"), looked=False)
    share = stage("Share", moves=("6 cuts",))
    assert next_step([stage("Balance"), low, share], measuring=False).text == "Low end: not looked at yet"
    assert next_step([stage("Balance"), low, share], measuring=True).stage == ""
    assert next_step([dataclasses.replace(low, looked=True), share], measuring=False).stage == "share"


def test_what_helps_a_stage_to_judge_comes_before_the_stages_behind_it():
    low = dataclasses.replace(stage("Low end"), cant_judge="no track is a kick yet")
    assert next_step([low, stage("Share", moves=("6 cuts",))], measuring=False).text == (
        "Low end can’t judge: no track is a kick yet"
    )


def test_at_check_it_says_how_many_moves_no_longer_hold():
    check = dataclasses.replace(stage("Check"), no_longer=7)
    assert next_step([check], measuring=False).text == "Check: 7 moves are no longer as measured"


def test_at_the_end_it_says_so():
    assert next_step([stage("Gather", done=True), stage("Print", done=True)], measuring=False).stage == ""
    assert "mark it done" in next_step([stage("Gather")], measuring=False).text
    assert next_step([stage("Gather")], measuring=True).stage == ""


@pytest.mark.parametrize("done", [False, True])
def test_eleven_stages_fit_into_the_narrowest_window(rig, monkeypatch, done):
    """The whole work as it is planned, with something open everywhere."""
    names = ["Gather", "Gain", "Balance", "Low-end", "Share", "Dynamics", "Buses", "Space", "Rides", "Print", "Check"]
    made = tuple(dataclasses.replace(stages.STAGES[0], key=name.lower(), name=name) for name in names)
    monkeypatch.setattr(stages, "STAGES", made)
    path = Path(Desk())
    path.show_facts([
        StageFacts(name.lower(), name, 0, "", ("move",) * 12, done and index % 2 == 0, done and index % 2 == 1)
        for index, name in enumerate(names)
    ])  # fmt: skip
    assert path.minimumSizeHint().width() <= 1024
