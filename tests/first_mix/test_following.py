"""Stage by stage: the order, what is left out where it costs too much, and that nothing guarded is worse at the end."""

from dataclasses import dataclass, replace

import pytest

from all_even import stages
from all_even.figures.book.pages import Pages
from all_even.figures.whole import guards
from all_even.figures.whole.guards import GUARDS, Loss, losses
from all_even.figures.whole.whole import Whole, whole
from all_even.first_mix import guarding
from all_even.first_mix.following import PATH, follow
from all_even.first_mix.guarding import Blame, Bounds, Less, Step, blamed, less_of
from all_even.first_mix.stage_run import LINE, Wishes, run_stage, tried_before
from all_even.moves import accounts
from all_even.moves.balance import starts
from all_even.moves.dynamics import glue
from all_even.moves.space import short_and_long
from all_even.moves.space.figures import COVERED
from all_even.session.editing import edits
from all_even.session.file.history import History
from tests.moves.looks import find, look_at, make

LEAD = next(guard for guard in GUARDS if guard.field == "lead_db")


@pytest.fixture(scope="module")
def folder_look(small_band):
    return look_at(small_band, Pages())


@pytest.fixture(scope="module")
def gone(folder_look):
    """All stages of a small band: (looks, runs)."""
    return [(look, run) for look, run in follow(folder_look)]


@pytest.mark.slow  # nine stages, for all tests of this module
def test_the_stages_are_gone_through_in_the_order_of_the_work(gone):
    assert tuple(run.key for _, run in gone) == PATH
    lines = [entry.text for entry in gone[-1][0].session.ledger if entry.text.startswith(LINE)]
    assert set(lines) >= {f"{LINE}{run.name}" for _, run in gone if run.made}
    assert lines == [f"{LINE}{run.name}" for _, run in gone if f"{LINE}{run.name}" in lines]


@pytest.mark.slow  # all stages once more
def test_a_second_run_makes_next_to_nothing_and_tries_nothing_again(gone):
    look = gone[-1][0]
    tried = {run.key: tried_before(look.session, stages.stage(run.key)) for _, run in gone}
    runs = [run for _, run in follow(look)]
    assert sum(len(run.made) for run in runs) <= 0.2 * sum(len(run.made) for _, run in gone)
    for run in runs:
        assert not tried[run.key] & {move.id for move in (*run.made, *(item.move for item in run.left))}


def test_the_balance_starts_voice_first_and_no_other_start_is_made(gone):
    run = next(run for _, run in gone if run.key == "balance")
    assert [move.kind for move in run.made if move.kind in starts.RIVALS] == ["balance.voice-first"]


def test_nothing_guarded_is_worse_at_the_end_than_behind_the_balance_or_it_is_told(gone):
    balance = next(run.now for _, run in gone if run.key == "balance")
    last = gone[-1][1]
    told = {loss.guard.field for loss in last.lost}
    assert {loss.guard.field for loss in losses(balance, whole(gone[-1][0]))} <= told
    assert last.now == whole(gone[-1][0])


def test_the_peak_is_in_its_window_at_the_end(gone):
    low, high = gone[-1][0].session.settings.peak_window_dbfs
    assert low - 0.1 <= gone[-1][0].mix.sample_peak_dbfs <= high + 0.1


def test_every_move_has_its_result_and_stands(gone):
    look = gone[-1][0]
    made = [move.id for _, run in gone for move in run.made]
    assert [move.id for move in accounts.standing(look.session).values()] == made
    assert all(entry.result is not None for entry in look.session.ledger if entry.move is not None)


def test_states_are_those_before_and_after_each_move(gone):
    before = gone[0][0].session
    for look, run in gone[1:]:
        assert len(run.states) == len(run.made) + 1
        assert run.states[0] is before
        assert run.states[-1].lanes == look.session.lanes
        before = look.session


def test_one_step_of_undo_a_stage_takes_its_moves_back_and_redo_makes_them_again(gone, folder_look):
    history = History(folder_look.session)
    for look, run in gone:
        if run.made:
            history.take_over(look.session, f"{LINE}{run.name}", edits.last_serial(history.session) + 1)
    count = len(accounts.standing(history.session))
    steps = sum(bool(run.made) for _, run in gone)
    for _ in range(steps):
        assert history.undo()
    assert history.session.lanes == folder_look.session.lanes
    assert not accounts.standing(history.session)
    for _ in range(steps):
        assert history.redo()
    assert len(accounts.standing(history.session)) == count
    assert history.undo()
    assert len(accounts.standing(history.session)) < count


def test_moves_that_are_not_wanted_are_not_made(folder_look):
    wishes = Wishes("rhythm-first", frozenset({"balance.trim"}))
    _, run = run_stage(folder_look, stages.stage("balance"), wishes)
    assert "balance.rhythm-first" in {move.id for move in run.made}
    assert "balance.trim" not in {move.id for move in run.made}


def test_a_stage_for_which_no_time_is_left_is_left_out_and_said(folder_look):
    told = []
    assert list(follow(folder_look, Wishes(until=0.0), ("gather", "balance"), told.append)) == []
    assert told == ["Gather was left out: no time was left.", "Balance was left out: no time was left."]


# Which move is to blame.


@dataclass(frozen=True)
class Said:
    """A look whose whole is known."""

    told: Whole


@pytest.fixture
def known(monkeypatch):
    monkeypatch.setattr(guarding, "with_figure", lambda look, _field: look.told)


def steps(*leads: float) -> tuple[Said, list[Step]]:
    first, *others = (Said(Whole(lead_db=lead)) for lead in leads)
    return first, [Step(f"move {index}", look) for index, look in enumerate(others)]


def test_the_move_that_did_most_of_a_loss_is_blamed(known):
    first, made = steps(0.0, -0.1, -1.0, -0.6)
    found = blamed(first, made, [Loss(LEAD, 0.9)])
    assert found.move == "move 1"
    assert found.by == pytest.approx(0.9)
    assert "0.9 dB worse" in found.text


def test_nobody_is_blamed_where_each_did_next_to_nothing(known):
    first, made = steps(0.0, -0.1, -0.2, -0.3)
    assert blamed(first, made, [Loss(LEAD, 0.9)]) is None


def test_bounds_hold_against_the_stage_before_and_against_the_balance():
    balance = Whole(lead_db=0.0, mono_db=0.0)
    bounds = Bounds(Whole(lead_db=-0.5, mono_db=0.0), balance)
    assert bounds.losses(Whole(lead_db=-0.6, mono_db=0.0)) == ()
    found = bounds.losses(Whole(lead_db=-0.9, mono_db=-4.0))
    assert [loss.guard.field for loss in found] == ["mono_db", "lead_db"]


def test_the_fewest_parts_are_left_out_that_bear_the_loss(folder_look, monkeypatch):
    """Faders of a start: those of the lead's rivals are what a guard on the lead would spare."""
    after = make(folder_look, find(folder_look, "balance.all-even"))
    move = next(iter(accounts.standing(after.session).values()))
    kind = starts.BY_START["all-even"]
    costs = {part: index for index, (part, _) in enumerate(kind.parts(folder_look.session, move))}
    dearest = max(costs, key=lambda part: costs[part])
    monkeypatch.setattr(
        guarding, "_cost", lambda _blame, _kind, _guard, _start, without: 2.0 if dearest not in without else 0.3
    )
    found = less_of(Blame(move, folder_look, Loss(LEAD, 2.0), 2.0), kind)
    assert found == Less((dearest,))
    spared = found.of(kind, move)
    assert dearest in spared.parameters["left_out"]


def test_a_stage_that_costs_too_much_proposes_less(folder_look, monkeypatch):
    """With a guard that bears nothing every move that moves it is made less or left out, and the reason is told."""
    balanced, _ = run_stage(folder_look, stages.stage("balance"), Wishes())
    _, usual = run_stage(balanced, stages.stage("share"), Wishes())
    strict = tuple(replace(guard, most=1e-6, enough=None, gone=None) for guard in GUARDS)
    monkeypatch.setattr(guarding, "losses", lambda before, now, _usual=(): guards.losses(before, now, strict))
    reached, run = run_stage(balanced, stages.stage("share"), Wishes())
    assert usual.made
    assert run.left
    assert run.lost == ()
    assert guards.losses(run.before, run.now, strict) == ()
    assert all("worse" in item.why for item in run.left)
    out = [item for item in run.left if not item.partly]
    line = reached.session.ledger[-1 - len(run.made)]
    assert line.text == f"{LINE}Share"
    assert set(line.tried) == {item.move.id for item in out}
    assert all(item.why in line.reason for item in out)
    assert tried_before(reached.session, stages.stage("share")) == set(line.tried)
    by_hand = edits.record(reached.session, "A fader by hand", audible=True)
    assert tried_before(by_hand, stages.stage("share")) == frozenset()


@pytest.mark.parametrize(("allowed", "times"), [(0.9, 1), (0.5, 2), (0.3, 3), (0.0, 4)])
def test_as_much_less_is_tried_at_once_as_its_cost_asks_for(allowed, times):
    """A glue that costs 1 of which so much is allowed: 0.6 of it, so many times over."""
    move = glue.KIND.move(title="", reason="", metric=glue.GAIN, parameters={"takes_db": 2.0})
    less = less_of(Blame(move, None, Loss(replace(LEAD, most=allowed), 1.0), 1.0), glue.KIND)
    assert less.values["takes_db"] == pytest.approx(2.0 * 0.6**times)


def test_a_room_that_nobody_would_miss_any_more_is_rather_left_out():
    def less(aim):
        move = short_and_long.SHORT.move(title="", reason="", metric=COVERED, parameters={"aim": aim})
        return less_of(Blame(move, None, Loss(replace(LEAD, most=0.1), 1.0), 1.0), short_and_long.SHORT)

    assert less(0.97).values == {"aim": 0.985}
    assert less(0.985) is None
