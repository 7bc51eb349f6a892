"""The whole of a session: against a judge that knows none of our code, and what its guards say."""

from dataclasses import replace

import pytest

from all_even.figures.whole.guards import GUARDS, losses
from all_even.figures.whole.whole import Whole, relations, whole
from all_even.figures.whole.words import LINES, disagreement, in_short
from all_even.session.editing import edits
from tests.moves.looks import look_at
from tests.proof.whole_runs import judge


@pytest.fixture(scope="module")
def look(small_band):
    return look_at(small_band)


def leader(session) -> str:
    return next(lane.id for lane in session.lanes if lane.role == "lead voice")


def raised(look, by_db: float, *lanes: str):
    return look.at(edits.nudge_levels(look.session, lanes, by_db))


def test_it_is_what_an_independent_judge_says(look):
    """Another filter, another way to find hits; so it is the change that has to agree (`tests.reference`)."""
    before, after = look, raised(look, 6.0, leader(look.session))
    ours, theirs = (whole(one) for one in (before, after)), [judge(one) for one in (before, after)]
    was, now = ours
    assert now.lead_db - was.lead_db == pytest.approx(theirs[1].lead_db - theirs[0].lead_db, abs=0.5)
    assert was.lead_db == pytest.approx(theirs[0].lead_db, abs=2.0)
    assert was.kick_low_db == pytest.approx(theirs[0].kick_low_db, abs=3.0)
    assert -was.plr_db == pytest.approx(theirs[0].loudness_less_peak_lu, abs=0.2)


def test_a_fader_moves_the_relation_by_as_much_and_leaves_what_it_does_not_touch(look):
    kicks = [lane.id for lane in look.session.lanes if lane.role in ("kick", "kick out")]
    was, now = relations(look), relations(raised(look, 3.0, *kicks))
    assert now.kick_low_db - was.kick_low_db == pytest.approx(3.0, abs=0.6)
    assert now.bass_spread_db == pytest.approx(was.bass_spread_db, abs=1e-6)
    assert now.bass_to_kick_db < was.bass_to_kick_db


def test_all_faders_together_change_no_relation(look):
    everything = look.at(edits.nudge_levels(look.session, [lane.id for lane in look.session.lanes], -6.0))
    was, now = relations(look), relations(everything)
    for guard in GUARDS:
        if getattr(was, guard.field) is not None:
            assert getattr(now, guard.field) == pytest.approx(getattr(was, guard.field), abs=0.05)


def test_somebody_who_leads_by_hand_is_the_lead(look):
    guitar = next(lane.id for lane in look.session.lanes if lane.role == "electric guitar")
    nobody = edits.change_strips(look.session, [leader(look.session)], importance="usual")
    assert relations(look.at(nobody)).lead_db is None
    assert relations(look.at(edits.change_strips(nobody, [guitar], importance="lead"))).lead_db is not None


def test_a_guard_speaks_where_something_is_worse_by_more_than_it_may():
    before = Whole(lead_db=0.0, kick_low_db=14.0, bass_spread_db=3.0, plr_db=14.0, masked=0.80)
    assert losses(before, replace(before, lead_db=-0.6)) == ()
    found = losses(before, replace(before, lead_db=-1.4, plr_db=15.5))
    assert [loss.guard.field for loss in found] == ["lead_db", "plr_db"]
    assert "1.4 dB worse" in found[0].text
    assert losses(before, replace(before, lead_db=5.0, masked=0.5, plr_db=10.0)) == ()


def test_what_is_enough_may_be_less_and_what_is_unknown_is_no_loss():
    before = Whole(kick_low_db=18.0, bass_spread_db=2.0, kick_click_db=-18.0)
    assert losses(before, replace(before, kick_click_db=-24.0)) == ()
    assert losses(replace(before, kick_click_db=-2.0), before)[0].by == pytest.approx(8.0)
    assert losses(before, Whole(kick_low_db=12.5, bass_spread_db=3.9)) == ()
    assert losses(before, Whole(kick_low_db=10.5, bass_spread_db=None))[0].guard.field == "kick_low_db"


def test_in_words_and_where_both_figures_of_masking_disagree():
    was = Whole(lead_db=-4.0, masked=0.80, masked_ours=0.60)
    now = replace(was, lead_db=-1.0, masked=0.83, masked_ours=0.55)
    assert "lead −1.0 dB (now −4.0)" in in_short(was, now)
    assert "disagree" in disagreement(was, now)
    assert disagreement(was, replace(now, masked=0.75)) == ""
    assert {line.field for line in LINES} <= set(Whole.__dataclass_fields__)
    assert [line.text(Whole()) for line in LINES] == ["–"] * len(LINES)
