"""Moves of the low end on sessions made for them: each finds its own case, says what it is worth, and keeps its
word."""

import dataclasses

import numpy as np
import pytest

from all_even import stages
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.book import Book
from all_even.figures.low_end import low_end
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import pair
from all_even.moves import making
from all_even.moves.buses import kick_and_bass
from all_even.moves.low_end import bottom, remarks, rumble
from all_even.moves.low_end.bass import harmonics, sub_octave
from all_even.moves.low_end.bass.notes_of_bass import lines
from all_even.moves.low_end.clearing import dynamic_clearing
from all_even.moves.low_end.ducks import duck, standing_duck
from all_even.session.editing import chain_edits, edits
from all_even.session.model.ledger import Proposal
from tests.moves import low_sessions
from tests.moves.looks import find, look_at, make, opened, result_of

CLEARINGS = ("low-end.duck", "low-end.tail", "low-end.dynamic-clearing", "low-end.static-clearing")


@pytest.fixture(scope="module")
def colliding(tmp_path_factory):
    return look_at(low_sessions.colliding(tmp_path_factory.mktemp("low") / "colliding"))


@pytest.fixture(scope="module")
def uneven(tmp_path_factory):
    return look_at(low_sessions.uneven(tmp_path_factory.mktemp("low") / "uneven"))


def offered(look, *names: str) -> set[str]:
    """Which of these kinds have something to do; all of the stage where none is named."""
    kinds = [stages.kinds()[f"low-end.{name}"] for name in names] or stages.stage("low-end").moves().kinds
    return {move.kind for move in making.propose(look, kinds)}


def only(look, name: str) -> Proposal:
    """The first move of one kind: the others need not be looked for."""
    return making.propose(look, [stages.kinds()[f"low-end.{name}"]])[0]


@pytest.mark.slow  # every clearing is rendered
def test_every_clearing_is_worth_more_than_a_fader_and_covers_nobody_more(colliding):
    before = pair(colliding)
    for move in opened(colliding, "low-end"):
        if move.kind in CLEARINGS[:1] + CLEARINGS[2:]:
            assert move.evidence["net_db"] >= bottom.WORTH_DB
            after = make(colliding, move)
            found = pair(after)
            assert found.room_db - before.room_db >= 0.9 * bottom.WORTH_DB
            assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)
            assert found.kick_masked <= before.kick_masked + 0.02
            assert found.bass_masked <= before.bass_masked + 0.02


@pytest.mark.parametrize("seed", range(4))
def test_where_kick_and_bass_leave_each_other_room_nothing_is_offered_and_that_is_said(tmp_path, seed):
    look = look_at(low_sessions.apart(tmp_path / "apart", seed))
    assert not offered(look, "duck", "tail", "dynamic-clearing", "static-clearing")
    assert "no-duck" in {remark.kind for remark in remarks.remarks(look)}


@pytest.mark.parametrize("name", [*duck.PROPOSED, duck.CLICK_KEY])
def test_what_is_heard_is_what_was_fitted(colliding, name):
    """The engine's gain on the bass lane against the fit's, within 0.1 dB, by the lane's own samples."""
    fit = duck.fitted(colliding)
    one = fit.ducks.method(name)
    move = duck.proposal(colliding, fit, one, duck.trial_of(colliding, fit, one))
    session = duck.edit(colliding.session, move)
    (bass,) = move.targets
    plain, ducked = (
        np.array(colliding.book.sound(s, bass).read(0, 600_000))[:, 0] for s in (colliding.session, session)
    )
    _, gain_db, _ = duck.methods.played(name, fit.ducks.sketch, one.numbers)
    if name == "band":  # not one gain for all: the band's own sum is compared
        mine, _, _ = duck.methods.played(name, fit.ducks.sketch, one.numbers)
        count = min(len(mine), len(ducked))
        scale = colliding.session.lane(bass)
        assert scale.level_db == 0.0
        arriving = ducked[:count] * 2.0**-0.5
        np.testing.assert_allclose(arriving, mine[:count], atol=2e-4)
        return
    loud = np.abs(plain[: len(gain_db)]) > 0.02 * np.abs(plain).max()
    heard_db = 20.0 * np.log10(np.abs(ducked[: len(gain_db)][loud] / plain[: len(gain_db)][loud]) + 1e-9)
    assert np.abs(heard_db - gain_db[: len(plain)][loud]).max() < 0.1


def test_one_shape_leads_many_lanes_each_with_its_own_depth(colliding):
    fit = duck.fitted(colliding)
    session = making.made(
        colliding.session, duck.KIND, duck.chosen(colliding, "drawn", fit.ducks.method("drawn").numbers)
    )
    standing = standing_duck.standing(session, fit.ducks.sketch)
    (kick,) = [lane.id for lane in session.lanes if lane.role == "kick"]
    linked = standing_duck.link(session, (kick,), standing.shape_id, 3.0)
    assert dict(standing_duck.linked_lanes(linked, standing.shape_id))[kick] == 3.0
    now = standing_duck.standing(linked, fit.ducks.sketch)
    own = {**now.numbers, "hold_ms": 77.0, "depth_db": now.numbers["depth_db"] + 2.0}
    turned = standing_duck.turned(linked, now, own, fit.ducks.sketch)
    assert turned.shapes[0].hold_ms == 77.0
    assert dict(standing_duck.linked_lanes(turned, standing.shape_id))[kick] == pytest.approx(5.0)
    undone = standing_duck.unlink(turned, (kick,), standing.shape_id)
    assert kick not in dict(standing_duck.linked_lanes(undone, standing.shape_id))


@pytest.mark.parametrize("name", ["keyed", "keyed_high_pass", "keyed_click", "band"])
def test_a_keyed_duck_is_read_back_as_it_was_fitted_and_turned_by_hand(colliding, name):
    fit = duck.fitted(colliding)
    numbers = fit.ducks.method(name).numbers
    session = making.made(colliding.session, duck.KIND, duck.chosen(colliding, name, numbers))
    standing = standing_duck.standing(session, fit.ducks.sketch)
    assert standing.name == name
    for key in ("depth_db", "attack_ms", "release_ms"):
        assert standing.numbers[key] == pytest.approx(numbers[key], rel=0.02)
    turned = standing_duck.turned(session, standing, {**standing.numbers, "release_ms": 123.0}, fit.ducks.sketch)
    again = standing_duck.standing(turned, fit.ducks.sketch)
    assert again.numbers["release_ms"] == pytest.approx(123.0)
    assert again.numbers["depth_db"] == pytest.approx(standing.numbers["depth_db"], rel=0.02)


def test_another_way_takes_the_place_of_the_first(colliding):
    fit = duck.fitted(colliding)
    session = colliding.session
    for name in ("keyed", "keyed_click", "keyed_click", "drawn"):
        session = making.made(
            session, duck.KIND, duck.chosen(colliding.at(session), name, fit.ducks.method(name).numbers)
        )
    (bass,) = [lane for lane in session.lanes if lane.role == "bass"]
    assert [type(item) for item in bass.chain] == [Ducker]
    assert len(session.lanes) == len(colliding.session.lanes)  # the lane of clicks went with the duck it served
    assert len(session.shapes) == 1


@pytest.mark.slow  # all ways to duck, fitted with three sets of weights
def test_the_weights_turn_the_fit(colliding):
    """Smoother climbs more slowly. (The window's test asks for more kick over the bass, which is deeper.)"""
    smooth, tight = (colliding.at(edits.set_work(colliding.session, duck_smooth=x)) for x in (1.0, -1.0))
    found = [duck.fitted(look).ducks.method("drawn") for look in (tight, colliding, smooth)]
    back_ms = [one.numbers["length_ms"] * 2.0 ** -abs(one.numbers["curve"]) for one in found]
    assert back_ms[0] < back_ms[1] < back_ms[2]


def test_a_kick_baked_into_a_bass_is_found_only_there(colliding, tmp_path):
    look = look_at(low_sessions.baked(tmp_path / "baked"))
    move = only(look, "baked-kick")
    after = make(look, move)
    assert result_of(after) < move.before - 2.0
    assert not offered(colliding, "baked-kick")
    assert not offered(after, "baked-kick")


def test_rumble_is_offered_only_where_there_is_some_and_both_phases_were_tried(colliding, tmp_path):
    look = look_at(low_sessions.rumbling(tmp_path / "rumbling"))
    move = only(look, "rumble")
    assert look.session.strip_name(move.targets[0]) == "Kick"
    assert {"peak_change_minimum_db", "peak_change_linear_db"} <= move.evidence.keys()
    assert "linear phase" in move.reason
    assert not offered(colliding, "rumble")
    assert rumble.STATIONS[move.parameters["phase"]]()


def test_notes_that_differ_by_pitch_get_bells_notes_that_differ_by_themselves_get_compressed(tmp_path):
    by_pitch = look_at(low_sessions.one_loud_pitch(tmp_path / "pitch"))
    by_note = look_at(low_sessions.uneven(tmp_path / "note"))
    move = only(by_pitch, "single-notes")
    assert list(move.parameters["bells_db"]) == ["33"]  # A1, 55 Hz
    assert not offered(by_note, "single-notes")
    even = only(by_note, "even-notes")
    after = make(by_note, even)
    assert result_of(after) <= max(2.0, 0.5 * even.before) + 0.35
    low = copies(after).lanes[even.targets[0]], copies(by_note).lanes[even.targets[0]]
    energies = [float(np.mean(sound**2)) for sound in low]
    assert 10.0 * np.log10(energies[0] / energies[1]) == pytest.approx(0.0, abs=1.0)


@pytest.mark.slow  # each state is looked through for ducks and cuts
def test_a_bell_that_takes_out_single_notes_is_named(colliding):
    (bass,) = [lane.id for lane in colliding.session.lanes if lane.role == "bass"]
    narrow = Equaliser(bands=(Band(frequency_hz=55.0, gain_db=-6.0, q=8.0),))
    wide = Equaliser(bands=(Band(frequency_hz=55.0, gain_db=-6.0, q=0.5),))
    sessions = [chain_edits.add_station(colliding.session, bass, station) for station in (narrow, wide)]
    told = [
        [remark.text for remark in remarks.remarks(colliding.at(session)) if remark.kind == "narrow-bell"]
        for session in sessions
    ]  # fmt: skip
    assert len(told[0]) == 1
    assert "A1" in told[0][0]
    assert told[1] == []


def test_a_muted_sub_octave_leaves_the_bass_as_it_was(tmp_path):
    look = look_at(low_sessions.high_line(tmp_path / "high"))
    move = only(look, "sub-octave")
    session = sub_octave.edit(look.session, move)
    muted = edits.change_strips(session, [bus.id for bus in session.buses], mute=True)
    before, after = (np.array(look.book.sound(s, "mix").read(0, 500_000)) for s in (look.session, muted))
    np.testing.assert_allclose(after, before, atol=1e-6)
    assert all(not getattr(station, "mix", None) for bus in session.buses for station in bus.chain)


def test_harmonics_are_for_basses_that_are_lost_on_a_small_speaker(colliding, tmp_path):
    look = look_at(low_sessions.sine_sub(tmp_path / "sub"))
    move = only(look, "harmonics")
    after = make(look, move)
    assert result_of(after) - move.before > 10.0
    assert result_of(after) == pytest.approx(move.expected, abs=0.1)
    told = [float(value) for name, value in move.evidence.items() if name.startswith("left_at_")]
    assert len(told) == len({round(value, 1) for value in told}) >= 2  # louder steps are louder
    bus = next(bus for bus in after.session.buses if bus.name == harmonics.NAME)
    assert abs(bus.level_db) < 1.0  # the level is the curve's own, the fader has its way
    lost = harmonics.loss_lu(colliding, {})
    assert bool(offered(colliding, "harmonics")) == (lost < -harmonics.LOST_LU)


def test_a_decided_owner_turns_what_follows(colliding):
    look = colliding.at(edits.set_work(colliding.session, low_owner="kick"))
    assert low_end.owner(look) == "kick"
    assert not offered(look, "owner")
    assert low_end.low_end(look).owner == "kick"


def test_the_school_for_the_home_of_the_bass_is_followed_with_its_honest_net(colliding):
    assert not offered(colliding, "bass-home")
    look = colliding.at(edits.set_work(colliding.session, bass_home="thin"))
    move = find(look, "low-end.bass-home")
    assert move.evidence["net_db"] < bottom.WORTH_DB
    assert result_of(make(look, move)) == pytest.approx(move.expected, abs=move.tolerance)


def test_a_dynamic_clearing_is_offered_once(tmp_path):
    look = look_at(low_sessions.long_tail(tmp_path / "long tail"))
    after = make(look, find(look, "low-end.dynamic-clearing"))
    assert not offered(after, "dynamic-clearing")
    assert any(dynamic_clearing.is_cleared(lane) for lane in after.session.lanes)


@pytest.mark.slow  # two moves, each with all that stands beside it
def test_the_first_move_keeps_the_low_end_as_it_was_before_all(colliding):
    assert bottom.before_all(colliding.session) is None
    after = make(colliding, find(colliding, "low-end.duck"))
    after = make(after, next(move for move in opened(after, "low-end") if "pile_up_db" in move.evidence))
    kept = bottom.before_all(after.session)
    now = low_end.low_end(colliding)
    assert kept["focus"] == pytest.approx(now.focus)
    assert kept["pile_up_db"] == pytest.approx(now.pile_up_db)


def test_what_is_a_repair_or_a_taste_is_made_only_by_name():
    kinds = {kind.id: kind.optional for kind in stages.stage("low-end").moves().kinds}
    default = {kind for kind, optional in kinds.items() if not optional}
    names = ("owner", "duck", "dynamic-clearing", "use-room", "fader")
    assert default == {f"low-end.{name}" for name in names}
    against = {kind.id for kind in stages.stage("low-end").moves().kinds if kind.against}
    assert against == {"low-end.duck-anyway", "low-end.clearing-anyway", "low-end.fader-anyway"}


def test_lines_hold_only_notes_under_85_hz(colliding):
    for found in lines(colliding):
        assert all(note.frequency_hz < 85.0 for note in found.notes)


def test_a_lane_that_gives_way_to_a_kick_it_does_not_meet_is_told(colliding, tmp_path):
    folder = low_sessions.colliding(tmp_path / "with hat")
    low_sessions.write(folder, {"Hi-hat": low_sessions.treble()}, peak=0.1)
    look = look_at(folder)
    fit = duck.fitted(look)
    move = duck.chosen(look, "drawn", fit.ducks.method("drawn").numbers)
    session = making.made(look.session, duck.KIND, move)
    (hat,) = [lane.id for lane in session.lanes if lane.role == "hi-hat"]
    linked = standing_duck.link(session, (hat,), session.shapes[0].id, 5.0)
    told = [[item.kind for item in remarks.remarks(look.at(state))] for state in (session, linked)]
    assert "duck-hole" not in told[0]
    assert "duck-hole" in told[1]


@pytest.mark.parametrize(("bass_db", "over_kick_db"), [(-6.0, 0.3), (-3.0, 1.0), (0.0, 2.0)])
def test_where_a_low_ceiling_would_work_all_the_time_the_limiter_gets_a_higher_one(uneven, bass_db, over_kick_db):
    """The louder the bass, the higher: it never works for more than 15 % of the time, and holds what was promised."""
    (bass,) = [lane.id for lane in uneven.session.lanes if lane.role == "bass"]
    look = uneven.at(edits.change_strips(uneven.session, (bass,), level_db=bass_db))
    (move,) = making.propose(look, [kick_and_bass.KIND])
    assert move.parameters["over_kick_db"] == over_kick_db
    assert move.evidence["working_share"] <= kick_and_bass.MOST_OF_THE_TIME
    after = make(look, move)
    assert result_of(after) == pytest.approx(after.session.ledger[-1].move.expected, abs=0.05)


def test_a_bass_that_peaks_over_the_kick_all_the_time_gets_no_limiter(colliding):
    assert making.propose(colliding, [kick_and_bass.KIND]) == []


def test_the_duck_is_fitted_on_no_more_threads_than_its_look_may_use(colliding, monkeypatch):
    """While music plays a look has one."""
    asked, hear = [], Book.hear

    def listening(self, session, wanted, **more):
        asked.append(more["workers"])
        hear(self, session, wanted, **more)

    monkeypatch.setattr(Book, "hear", listening)
    kick = next(lane.id for lane in colliding.session.lanes if lane.role == "kick")
    bright = Equaliser(bands=(Band(frequency_hz=4000.0, gain_db=3.0),))  # with a chain it has to be rendered
    session = chain_edits.add_station(colliding.session, kick, bright)
    alone = dataclasses.replace(colliding.at(session), book=Book(colliding.book.sources), workers=1)
    assert duck.fitted(alone) is not None
    assert set(asked) == {1}
