"""Moves: they rest on figures, promise one, and keep the promise when it is measured again."""

import pytest

from all_even import stages
from all_even.figures.book.pages import Pages
from all_even.moves import accounts, making
from all_even.moves.balance import starts
from all_even.session.editing import edits
from all_even.session.file.history import History
from tests.moves.looks import find, look_at, make, opened, result_of


@pytest.fixture
def look(short_folder):
    return look_at(short_folder)


@pytest.fixture
def demo(brief_demo):
    return look_at(brief_demo)


def ids(proposals) -> list[str]:
    return [move.id for move in proposals]


def test_all_even_does_what_it_promises(demo):
    move = find(demo, "balance.all-even")
    assert move.before > 20.0
    after = make(demo, move)
    assert starts.spread_lu(after) < 0.3
    assert after.mix.sample_peak_dbfs == pytest.approx(after.session.settings.mix_peak_dbfs, abs=0.05)
    assert result_of(after) == pytest.approx(move.expected, abs=0.3)
    assert "balance.all-even" not in ids(opened(after, "balance"))


def test_the_trial_of_all_even_is_what_is_heard_after_it(demo):
    """At the moved levels nothing is rendered twice: the lanes' own sound is known."""
    move = find(demo, "balance.all-even")
    before = demo.book.counts.strips
    make(demo, move)
    assert demo.book.counts.strips == before


def test_all_even_regards_pan_and_leaves_muted_and_hidden_lanes(look):
    lane, muted, hidden = (look.session.lanes[i].id for i in (0, 1, 4))
    session = edits.change_strips(look.session, [lane], pan=-1.0)
    session = edits.change_strips(edits.change_strips(session, [muted], mute=True), [hidden], hidden=True)
    look = look.at(session)
    after = make(look, find(look, "balance.all-even"))
    assert after.session.lane(muted).level_db == 0.0
    assert after.session.lane(hidden).level_db == 0.0
    assert starts.spread_lu(after) < 0.3


def test_all_even_raises_a_lane_that_was_off(look):
    lane = look.session.lanes[0].id
    levels = starts.even_levels(look.at(edits.change_strips(look.session, [lane], level_db=-120.0)))
    assert levels[lane] > -60.0


def test_one_trim_brings_the_mix_into_the_window(look):
    move = find(look, "balance.trim")
    after = make(look, move)
    assert after.mix.sample_peak_dbfs == pytest.approx(move.expected, abs=0.01)
    assert result_of(after) == pytest.approx(-4.5, abs=0.01)


def test_a_low_part_at_the_side_is_brought_to_the_centre(look):
    kick = next(lane for lane in look.session.lanes if lane.role == "kick")
    look = look.at(edits.change_strips(look.session, [kick.id], pan=0.5))
    assert make(look, find(look, f"balance.centre.{kick.id}")).session.lane(kick.id).pan == 0.0


def test_gathering_puts_sections_together_and_hides_what_is_silent(demo):
    look = demo
    for move in opened(demo, "gather"):
        look = make(look, move)
        if stages.kinds()[move.kind].bookkeeping:
            assert (move.before, move.expected) == (None, None), move.id
        else:
            assert result_of(look) == pytest.approx(move.expected, abs=move.tolerance), move.id
    assert opened(look, "gather") == []
    silent = next(lane for lane in look.session.lanes if lane.file.startswith("Audio 23"))
    assert silent.hidden
    assert silent.mute
    names = [lane.name for lane in look.session.lanes]
    assert "Overhead left" in names
    assert "Lead voice comp" in names


def test_a_declined_move_is_not_proposed_again_nor_tried(brief_demo):
    demo = look_at(brief_demo, Pages())
    declined = edits.decline(demo.session, "gather.sections", "the order of the stage")
    declined = edits.decline(declined, "balance.all-even", "the rough mix is good")
    look = demo.at(declined)
    assert "gather.sections" not in ids(opened(look, "gather"))
    assert demo.book.counts.passes == 0
    assert "balance.all-even" not in ids(opened(look, "balance"))
    # The mix as it is, for its peak, and the bands of its tracks for both ears at once; no trial.
    assert demo.book.counts.passes == 2


def test_a_channel_move_makes_the_lane_mono(demo):
    lane = next(lane for lane in demo.session.lanes if lane.file == "Clar(1).wav")
    assert make(demo, find(demo, f"gather.mono.{lane.id}")).measures(lane.id).channels == 1


def test_the_peak_of_the_mix_is_counted_in_one_stage_and_shown_in_two(look):
    from all_even import stages

    counted = [stage.key for stage in stages.STAGES for kind in stage.moves().kinds if kind.id == "balance.trim"]
    assert counted == ["balance"]
    assert [kind.id for kind in stages.stage("print").moves().also] == ["balance.trim"]


class Ledger:
    """A history over a look: edits as the desk makes them."""

    def __init__(self, look) -> None:
        self.look, self.history = look, History(look.session)

    def make(self, move_id: str) -> int:
        from all_even import stages

        now = self.look.at(self.history.session)
        move = find(now, move_id)
        kind = stages.kinds()[move.kind]
        self.history.apply(making.made(now.session, kind, move), move=move)
        return self.history.session.ledger[-1].serial

    def change(self, level_db: float, lane: int = 0) -> None:
        session = self.history.session
        self.history.apply(edits.change_strips(session, [session.lanes[lane].id], level_db=level_db))

    def measure(self) -> None:
        from all_even import stages

        for entry in accounts.waiting(self.history.session):
            result = accounts.verify(self.look.at(self.history.session), entry, stages.metrics())
            self.history.amend(edits.record_result(self.history.session, entry.serial, result))

    def entry(self, serial: int):
        return next(entry for entry in self.history.session.ledger if entry.serial == serial)

    def outcome(self, serial: int) -> str:
        return accounts.outcome(self.entry(serial), serial in accounts.standing(self.history.session))

    @property
    def open(self) -> list[str]:
        return ids(opened(self.look.at(self.history.session), "balance"))


@pytest.fixture
def ledger(look):
    return Ledger(look)


def test_a_starting_point_is_not_proposed_again_unless_it_was_undone(ledger):
    ledger.make("balance.all-even")
    ledger.change(6.0)
    assert "balance.all-even" not in ledger.open
    ledger.history.undo()
    ledger.history.undo()
    assert accounts.standing(ledger.history.session) == {}
    assert "balance.all-even" in ledger.open
    ledger.history.redo()
    assert len(accounts.standing(ledger.history.session)) == 1


def test_a_move_that_is_undone_at_once_is_measured_as_it_was_made(ledger):
    serial = ledger.make("balance.all-even")
    ledger.history.undo()
    ledger.measure()
    assert ledger.entry(serial).result.value == pytest.approx(0.0, abs=0.3)
    assert ledger.outcome(serial) == "undone"
    ledger.history.redo()
    assert ledger.outcome(serial) == "worked out"


def test_what_is_changed_before_the_measuring_does_not_count_against_a_move(ledger):
    serial = ledger.make("balance.all-even")
    ledger.change(9.0)
    ledger.history.apply(edits.add_note(ledger.history.session, "the singer is late", 1.0))
    ledger.measure()
    assert ledger.entry(serial).result.value == pytest.approx(0.0, abs=0.3)
    assert ledger.outcome(serial) == "worked out"
    assert ledger.entry(serial).state is None


def test_a_snapshot_from_before_a_move_takes_it_back(ledger):
    history = ledger.history
    history.apply(edits.take_snapshot(history.session, "rough"))
    serial = ledger.make("balance.all-even")
    before = history.session.snapshots[-1].serial
    history.apply(edits.recall_snapshot(history.session, "rough"), text="“rough” brought back", back_to=before)
    assert accounts.standing(history.session) == {}
    assert "balance.all-even" in ledger.open
    history.undo()
    assert list(accounts.standing(history.session)) == [serial]


def test_an_undo_names_the_line_it_takes_back_not_a_sentence(ledger):
    first = ledger.make("balance.trim")
    ledger.change(-20.0)
    ledger.change(12.0, lane=1)
    second = ledger.make("balance.trim")
    ledger.history.undo()
    assert ledger.history.session.ledger[-1].undoes == second
    assert list(accounts.standing(ledger.history.session)) == [first]


def test_a_trim_that_rests_on_a_mix_that_changed_is_stale(ledger):
    move = find(ledger.look, "balance.trim")
    assert not making.is_stale(ledger.look, move)
    ledger.history.apply(edits.change_strips(ledger.look.session, [ledger.look.session.lanes[0].id], name="x"))
    assert not making.is_stale(ledger.look.at(ledger.history.session), move)
    ledger.change(-20.0)
    assert making.is_stale(ledger.look.at(ledger.history.session), move)


def test_a_move_whose_ground_moved_says_what_moved_it_and_is_measured_again(ledger):
    from all_even import stages

    serial = ledger.make("balance.trim")
    ledger.measure()
    look = ledger.look.at(ledger.history.session)
    (account,) = accounts.accounts(look, stages.metrics())
    assert (account.outcome, account.moved) == ("kept", False)
    ledger.history.apply(edits.add_note(ledger.history.session, "louder?", 1.0))
    ledger.change(12.0)
    look = ledger.look.at(ledger.history.session)
    (account,) = accounts.accounts(look, stages.metrics())
    assert account.entry.serial == serial
    assert account.moved
    assert "level 0.0 dB → +12.0 dB" in account.moved_by
    assert account.value_now == look.mix.sample_peak_dbfs
    assert account.value_now > -4.0


def test_a_move_that_is_still_true_says_nothing_although_its_ground_moved(ledger):
    """A lane that is turned by a hundredth of a decibel: the mix peaks as before, within what was promised."""
    from all_even import stages

    ledger.make("balance.trim")
    ledger.measure()
    ledger.change(ledger.look.session.lanes[3].level_db - 0.01, lane=3)
    look = ledger.look.at(ledger.history.session)
    (account,) = accounts.accounts(look, stages.metrics())
    assert accounts.fingerprint_of(look, stages.metric("mix-peak")) != account.entry.result.ground
    assert not account.moved
