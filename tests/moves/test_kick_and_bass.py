"""One verdict on kick and bass, and what may not be given up for it: whoever leads, the sum's loudness, the beat."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.dsp.ducking.ducker import Ducker
from all_even.figures.kick_and_bass.ceiling import BY_FOCUS, BY_KICK, ceiling
from all_even.figures.kick_and_bass.verdict import Verdict, verdict
from all_even.figures.low_end.low_end import low_end
from all_even.moves import making
from all_even.moves.balance import bass_ceiling
from all_even.moves.buses import silent_trigger
from all_even.moves.check import remarks as check_remarks
from all_even.moves.low_end import fader, guards, remarks
from all_even.moves.low_end.clearing import dynamic_clearing
from all_even.moves.low_end.ducks import beat, duck, standing_duck
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.settings import BY_FIGURES
from tests.moves import low_sessions
from tests.moves.looks import look_at, make
from tests.proof import path_runs


@pytest.fixture(scope="module")
def club(tmp_path_factory):
    return look_at(low_sessions.one_note(tmp_path_factory.mktemp("low") / "club"))


@pytest.fixture(scope="module")
def hot(tmp_path_factory):
    """The same with a bass that is far too loud for the kick."""
    return look_at(low_sessions.one_note(tmp_path_factory.mktemp("low") / "hot", bass_peak=0.9))


@pytest.fixture(scope="module")
def colliding(tmp_path_factory):
    return look_at(low_sessions.colliding(tmp_path_factory.mktemp("low") / "colliding"))


def said(look, kind: str) -> list[str]:
    return [remark.text for remark in remarks.remarks(look) if remark.kind == kind]


def led_by(look, owner: str):
    return look.at(edits.set_work(look.session, low_owner=owner))


@pytest.mark.slow  # the whole list, each move rendered and measured
def test_after_all_default_cards_the_bass_that_leads_is_not_sacrificed(club):
    """Loudness at equal peak, hole and what is masked of the leader are no worse than at first; the kick is better."""
    walk = path_runs.follow(club, "club", ("low-end",))
    first, last = walk.low["first"], walk.low["low-end"]
    assert first.owner == "bass"
    assert any(made.id == "low-end.duck" for made in walk.made)
    assert last.bass_masked <= first.bass_masked + guards.MOST_MASKED
    assert last.loudness_at_equal_peak_lu >= first.loudness_at_equal_peak_lu - guards.MOST_SOFTER_LU
    assert last.gap_db <= guards.HOLE_DB + 0.1
    assert last.focus > first.focus + 0.05
    assert not walk.against


def test_what_would_open_a_hole_is_told_and_can_be_made_all_the_same(hot, monkeypatch):
    """Nothing is recommended, the reason stands there, and the move waits among those that are made only where they are
    asked for. Here every hole counts, and every loss, so that there is something to stop."""
    for limit in ("HOLE_DB", "MOST_SOFTER_LU"):
        monkeypatch.setattr(guards, limit, 0.0)
    for grain in ("hole", "loudness"):
        monkeypatch.setitem(guards.GRAIN, grain, 0.0)
    look = hot.at(edits.nudge_levels(hot.session, bass_ceiling.bass_lanes(hot), -0.3))
    assert verdict(look).collides
    offers = [look.get(duck.OFFER), look.get(dynamic_clearing.OFFER)]
    assert all(offer.move is None for offer in offers)
    assert any("dip" in offer.why for offer in offers)
    (text,) = said(look, "low-stopped")
    assert "not recommended" in text
    against = making.propose(look, [kind for kind in stages.stage("low-end").moves().kinds if kind.against])
    assert against
    for move in against:
        assert move.reason.startswith("Not recommended: ")
        assert making.made(look.session, stages.kinds()[move.kind], move) != look.session


def test_harms_are_those_of_the_leader_the_sum_and_the_hole(club):
    by_far = edits.nudge_levels(club.session, bass_ceiling.bass_lanes(club), -12.0)
    told = "; ".join(guards.harms(club, by_far))
    assert "the bass, which leads," in told
    assert "softer at the same peak" in told
    assert guards.harms(club, club.session) == []
    kick_led = led_by(club, "kick")
    told = "; ".join(guards.harms(kick_led, kick_led.at(by_far).session))
    assert "which leads" not in told  # the kick, which leads now, is better off


def test_a_state_that_is_worse_already_stops_nothing_that_does_not_make_it_worse(club):
    lanes = bass_ceiling.bass_lanes(club)
    move = next(item for item in making.propose(club, [duck.KIND]))
    after = make(club, move)
    worse = after.at(edits.nudge_levels(after.session, lanes, -12.0))
    assert guards.harms(worse, worse.session) == []
    better = edits.nudge_levels(worse.session, lanes, 3.0)
    assert guards.harms(worse, better) == []


@pytest.mark.parametrize("owner", ["kick", BY_FIGURES])
def test_a_fader_takes_three_db_at_once_and_points_on(hot, owner):
    look = led_by(hot, owner) if owner == "kick" else hot
    moves = making.propose(look, [bass_ceiling.KIND])
    if owner != "kick":  # by its figures the bass leads: the kick's definition does not hold it
        assert all("definition" not in str(move.evidence["held_by"]) for move in moves)
        return
    (move,) = moves
    assert ceiling(look).change_db < -bass_ceiling.MOST_STEP_DB
    assert move.expected - move.before == pytest.approx(-bass_ceiling.MOST_STEP_DB)
    assert "Low end" in move.reason
    assert not making.propose(make(look, move), [bass_ceiling.KIND])


def test_a_bass_that_leads_is_not_held_by_the_kick(hot):
    assert verdict(hot).leader == "bass"
    assert ceiling(hot).by not in (BY_FOCUS, BY_KICK)
    assert ceiling(led_by(hot, "kick")).by == BY_FOCUS
    assert ceiling(hot).change_db > ceiling(led_by(hot, "kick")).change_db + 3.0


def test_where_the_bass_leads_and_is_masked_the_kick_goes_down(tmp_path):
    look = led_by(look_at(low_sessions.masked_bass(tmp_path / "masked")), "bass")
    before = verdict(look)
    assert before.bass_is_masked
    (move,) = making.propose(look, [bass_ceiling.KICK])
    after = make(look, move)
    assert verdict(after).bass_masked < before.bass_masked
    assert not verdict(after).kick_is_masked
    assert low_end(after).loudness_at_equal_peak_lu > low_end(look).loudness_at_equal_peak_lu - 0.2
    assert not making.propose(led_by(look, "kick"), [bass_ceiling.KICK])


def test_where_the_kick_leads_what_a_fader_gives_up_stands_on_its_card(hot):
    look = led_by(hot, "kick")
    offer = look.get(fader.OFFER)
    if offer.move is None:  # something that clears comes first
        look = make(look, making.propose(look, [duck.KIND])[0])
        offer = look.get(fader.OFFER)
    assert offer.move is not None
    softer = guards.harms_to_sum(look, fader.edit(look.session, offer.move))
    assert bool(softer) == ("Given up for it" in offer.move.reason)


def test_no_duck_is_offered_anywhere_where_none_is_needed(tmp_path):
    look = look_at(low_sessions.apart(tmp_path / "apart", 1))
    assert said(look, "no-duck")
    assert not said(look, "low-stopped")
    for kind in (duck.KIND, duck.ANYWAY, silent_trigger.KIND, fader.KIND):
        assert not making.propose(look, [kind]), kind.id


@pytest.mark.slow  # ducks and cuts are fitted to both
def test_far_too_loud_a_bass_is_sent_to_its_fader_first(hot, club):
    """Also where a duck is offered: it would only be the smaller part."""
    assert verdict(hot).limit_db < -remarks.FAR_TOO_LOUD_DB < verdict(club).limit_db
    assert ["Levels first" in text for text in said(hot, "low-level")] == [True]
    assert not said(club, "low-level")


def test_check_says_what_low_end_says(hot):
    (told,) = [remark.text for remark in check_remarks.remarks(hot) if remark.kind == "low-end"]
    assert told.startswith(verdict(hot).sentence())


def test_the_verdict_is_one_figure_and_its_sentence():
    masked = Verdict("kick", 0.57, 0.1, -4.9, None)
    assert masked.sentence() == "Kick audible 57 % (at least 70): the bass is 4.9 dB too loud for it"
    assert masked.collides
    clear = Verdict("kick", 0.88, 0.1, 6.0, None)
    assert clear.sentence() == "Kick audible 88 % (at least 70)"
    assert not clear.collides
    assert Verdict("bass", 0.88, 0.6, 6.0, None).collides
    assert Verdict("bass", 0.72, 0.1, 0.5, None).collides
    assert not Verdict(None, 1.0, None, None, None).collides


@pytest.mark.parametrize("name", [method.name for method in duck.methods.METHODS])
def test_every_way_to_duck_can_be_used(colliding, name):
    """With all its stations and shapes, where its times say; the bass is softer then."""
    fit = duck.fitted(colliding)
    move = duck.chosen(colliding, name, fit.ducks.method(name).numbers)
    session = making.made(colliding.session, duck.KIND, move)
    (bass,) = move.targets
    plain, ducked = (np.square(colliding.book.sound(s, bass).read(0, 600_000)).sum() for s in
                     (colliding.session, session))  # fmt: skip
    assert ducked < 0.97 * plain
    if name in duck.SHAPED:
        (shape,) = session.shapes
        assert shape.hits_s == pytest.approx(fit.times_s(name))


def test_a_pulse_stands_on_the_beats_and_a_time_line_on_the_grid(colliding):
    fit = duck.fitted(colliding)
    beats = np.diff(fit.times_s("pulse"))
    assert np.ptp(beats) < 0.01
    assert beats[0] == pytest.approx(low_sessions.BEAT_S, abs=0.01)
    assert len(fit.times_s("pulse")) >= len(fit.hits_s)
    off = np.abs(np.array(fit.times_s("timeline")) - np.array(fit.hits_s))
    assert off.max() < 0.5 * low_sessions.BEAT_S / 4.0


@pytest.mark.parametrize("name", ["drawn", "keyed"])
def test_a_hand_goes_as_deep_as_the_processor(colliding, name):
    """The fit keeps to what is usual; a hand does not have to."""
    fit = duck.fitted(colliding)
    numbers = dict(fit.ducks.method(name).numbers)
    shown = beat.beat(fit.ducks, name, numbers)
    assert numbers["depth_db"] <= 30.0
    deep = beat.moved(name, numbers, shown.landmarks, "depth", 40.0)
    assert deep["depth_db"] > 30.0
    deepest = beat.moved(name, numbers, shown.landmarks, "depth", 400.0)
    assert deepest["depth_db"] == 60.0
    move = duck.chosen(colliding, name, deep)
    assert making.made(colliding.session, duck.KIND, move) != colliding.session


def test_a_duck_on_a_group_of_basses_is_the_duck_that_stands(colliding):
    """It is linked and turned like those on lanes, and the plain low end is without it."""
    (bass,) = [lane.id for lane in colliding.session.lanes if lane.role == "bass"]
    session, group = routing_edits.group_strips(colliding.session, [bass], "Basses")
    fit = duck.fitted(colliding)
    own = duck.drawn_numbers(fit.ducks.method("drawn"))
    shape = replace(duck.methods.shape(fit.hits_s, own), id="shape", name="Duck")
    session = chain_edits.set_shape(session, shape)
    session = chain_edits.add_station(session, group, Ducker(shape="shape", depth_db=9.0))
    look = colliding.at(session)
    standing = standing_duck.standing(session, fit.ducks.sketch)
    assert standing.lanes == ((group, 9.0),)
    turned = standing_duck.turned(session, standing, {**standing.numbers, "depth_db": 12.0}, fit.ducks.sketch)
    assert dict(standing_duck.linked_lanes(turned, "shape")) == {group: 12.0}
    assert duck.plain_session(session).bus(group).chain == ()
    assert low_end(look).gap_db is not None
    assert not making.propose(look, [duck.KIND])
    linked = standing_duck.link(duck.plain_session(session), (group,), "other", 3.0)
    assert [item.shape for item in linked.bus(group).chain] == ["other"]
    assert standing_duck.unlink(linked, (group,), "other").bus(group).chain == ()
