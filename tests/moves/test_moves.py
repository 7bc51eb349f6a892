"""Moves: they rest on figures, promise one, and keep the promise when it is measured again."""

import pytest

from all_even.engine.plan import make_plan
from all_even.engine.render import measure_mix
from all_even.engine.sources import Sources
from all_even.measure.files import measure_files
from all_even.moves import propose
from all_even.moves.balance import all_even
from all_even.moves.move import Situation
from all_even.session import edits, store
from all_even.session.new import inspect_all, new_session, sound_paths


class Bench:
    """A session of a folder with everything measured anew for each situation."""

    def __init__(self, folder) -> None:
        infos, _ = inspect_all(sound_paths(folder))
        self.session = new_session(folder, infos)
        self.sources = Sources()

    def mix(self, session):
        self.sources.update(session)
        return measure_mix(make_plan(session, self.sources))

    def situation(self, session=None) -> Situation:
        session = session or self.session
        jobs = [(store.lane_path(session, lane), lane.take) for lane in session.lanes]
        reports = dict(measure_files(jobs))
        return Situation(
            session, {lane.id: reports[i] for i, lane in enumerate(session.lanes)}, self.mix(session), self.mix
        )

    def make(self, move):
        after = self.situation(propose.apply(self.session, move))
        self.session = propose.verify(after.session, move, after)
        return after


@pytest.fixture
def bench(short_folder) -> Bench:
    return Bench(short_folder)


@pytest.fixture
def demo_bench(demo_folder) -> Bench:
    return Bench(demo_folder)


def find(moves, move_id):
    return next(move for move in moves if move.id == move_id)


def test_all_even_does_what_it_promises(demo_bench):
    move = find(propose.propose(demo_bench.situation(), "balance"), "balance.all-even")
    assert move.before > 20.0
    after = demo_bench.make(move)
    assert all_even.spread_lu(after) < 0.3
    assert after.mix.sample_peak_dbfs == pytest.approx(all_even.AIM_DBFS, abs=0.05)
    record = demo_bench.session.ledger[-1].move
    assert record.after == pytest.approx(record.expected, abs=0.3)
    assert "balance.all-even" not in [m.id for m in propose.propose(after, "balance")]


def test_all_even_regards_pan_and_leaves_muted_and_hidden_lanes(bench):
    lane, muted, hidden = (bench.session.lanes[i].id for i in (0, 1, 4))
    session = edits.change_strips(bench.session, [lane], pan=-1.0)
    session = edits.change_strips(edits.change_strips(session, [muted], mute=True), [hidden], hidden=True)
    bench.session = session
    after = bench.make(find(propose.propose(bench.situation(), "balance"), "balance.all-even"))
    assert after.session.lane(muted).level_db == 0.0
    assert after.session.lane(hidden).level_db == 0.0
    assert all_even.spread_lu(after) < 0.3


def test_all_even_raises_a_lane_that_was_off(bench):
    lane = bench.session.lanes[0].id
    bench.session = edits.change_strips(bench.session, [lane], level_db=-120.0)
    levels = all_even.even_levels(bench.situation())
    assert levels[lane] > -60.0


def test_one_trim_brings_the_mix_into_the_window(bench):
    move = find(propose.propose(bench.situation(), "balance"), "balance.trim")
    after = bench.make(move)
    assert after.mix.sample_peak_dbfs == pytest.approx(move.expected, abs=0.01)
    assert bench.session.ledger[-1].move.after == pytest.approx(-4.5, abs=0.01)


def test_a_low_part_at_the_side_is_brought_to_the_centre(bench):
    kick = next(lane for lane in bench.session.lanes if lane.role == "kick")
    bench.session = edits.change_strips(bench.session, [kick.id], pan=0.5)
    move = find(propose.propose(bench.situation(), "balance"), f"balance.centre.{kick.id}")
    assert bench.make(move).session.lane(kick.id).pan == 0.0


def test_gathering_puts_sections_together_and_hides_what_is_silent(demo_bench):
    situation = demo_bench.situation()
    for move in propose.propose(situation, "gather"):
        after = demo_bench.make(move)
        record = demo_bench.session.ledger[-1].move
        assert record.after == record.expected, move.id
    assert propose.propose(after, "gather") == []
    silent = next(lane for lane in demo_bench.session.lanes if lane.file.startswith("Audio 23"))
    assert silent.hidden
    assert silent.mute
    names = [lane.name for lane in demo_bench.session.lanes]
    assert "Overhead left" in names
    assert "Lead voice" in names


def test_a_declined_move_is_not_proposed_again(demo_bench):
    demo_bench.session = edits.decline(demo_bench.session, "gather.sections", "the order of the stage")
    assert "gather.sections" not in [move.id for move in propose.propose(demo_bench.situation(), "gather")]


def test_a_channel_move_makes_the_lane_mono(demo_bench):
    lane = next(lane for lane in demo_bench.session.lanes if lane.file == "Clar(1).wav")
    after = demo_bench.make(find(propose.propose(demo_bench.situation(), "gather"), f"gather.mono.{lane.id}"))
    assert after.measures(lane.id).channels == 1


def test_a_starting_point_is_not_proposed_again_unless_it_was_undone(bench):
    from all_even.session.history import History

    history = History(bench.session)
    move = find(propose.propose(bench.situation(), "balance"), "balance.all-even")
    history.apply(move.edit(history.session), move=move.record())
    history.apply(edits.nudge_levels(history.session, [history.session.lanes[0].id], 6.0))
    assert [record.id for record in propose.standing(history.session)] == ["balance.all-even"]
    assert "balance.all-even" not in [m.id for m in propose.propose(bench.situation(history.session), "balance")]
    history.undo()
    history.undo()
    assert propose.standing(history.session) == []
    assert "balance.all-even" in [m.id for m in propose.propose(bench.situation(history.session), "balance")]
    history.redo()
    assert len(propose.standing(history.session)) == 1
