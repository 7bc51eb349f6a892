"""Moves of dynamics on folders with known faults: offered where they are, kept as promised, left alone elsewhere."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.processor import Key
from all_even.errors import UserError
from all_even.figures.book import flow as flows
from all_even.figures.book.look import Look
from all_even.figures.dynamics import dynamics
from all_even.measure.dynamics import side_effects
from all_even.moves import making
from all_even.moves.dynamics import bands, even_out, gate, gentle, glue, parallel, remarks, soften, tone, trying
from all_even.moves.share.figures import HIDDEN
from all_even.session.editing import automating, chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal, Result
from all_even.session.model.strips import MIX
from tests.moves import dynamic_sessions
from tests.moves.looks import find, look_at, make, result_of


@pytest.fixture(scope="module")
def uneven(tmp_path_factory) -> Look:
    return look_at(dynamic_sessions.uneven(tmp_path_factory.mktemp("uneven")))


@pytest.fixture(scope="module")
def kit(tmp_path_factory) -> Look:
    return look_at(dynamic_sessions.struck(tmp_path_factory.mktemp("kit")))


def lane_id(look: Look, name: str) -> str:
    return next(lane.id for lane in look.session.lanes if lane.name == name)


def offered(look: Look, kind: str) -> dict[str, Proposal]:
    """By the name of the lane or bus that it is about."""
    made = making.propose(look, [stages.kinds()[kind]])
    return {look.session.strip_name(move.targets[0]): move for move in made}


def kept(after: Look) -> bool:
    move = after.session.ledger[-1].move
    return abs(result_of(after) - move.expected) <= move.tolerance


def test_uneven_lines_are_evened_out_and_even_ones_and_pads_left_alone(uneven):
    found = offered(uneven, "dynamics.even-out")
    assert set(found) == {"Lead vox", "Clarinet", "Bass"}
    for name, move in found.items():
        after = make(uneven, move)
        assert kept(after)
        assert result_of(after) <= move.before * move.parameters["aim"] + 0.05
        moved = dynamics.moving(after, lane_id(uneven, name))
        assert abs(moved.side.louder_lu) < 0.2
        assert moved.side.ripple_db < side_effects.RIPPLE_FLAG_DB
        assert offered(after, "dynamics.even-out").keys() == found.keys() - {name}


def test_a_duck_is_no_unevenness_and_a_compressor_comes_before_it(uneven):
    """What steps back for the kick is measured without that, and evened out before it."""
    from all_even.dsp.processor import Key

    bass, kick = lane_id(uneven, "Bass"), lane_id(uneven, "Kick")
    duck = Compressor(key=Key(source=kick), threshold_db=-40.0, ratio=10.0, attack_ms=1.0, release_ms=80.0)
    ducked = uneven.at(chain_edits.add_station(uneven.session, bass, duck))
    plain, now = dynamics.moving(uneven, bass), dynamics.moving(ducked, bass)
    assert len(now.units) == len(plain.units)
    assert now.spread_before_db == pytest.approx(plain.spread_before_db, abs=1e-9)
    assert not now.moved
    move = offered(ducked, "dynamics.even-out")["Bass"]
    after = make(ducked, move)
    assert kept(after)
    chain = after.session.lane(bass).chain
    assert [station.key is None for station in chain] == [True, False]


def test_a_ratio_can_reach_the_aim_and_another_aim_is_fitted_anew(uneven):
    kind = stages.kinds()["dynamics.even-out"]
    move = offered(uneven, kind.id)["Clarinet"]
    changed = making.with_parameters(kind, move, {"aim": 0.4})
    assert changed.expected is None
    prepared = kind.refit(uneven, changed)
    assert prepared.expected <= 0.4 * move.before + 0.05
    station = kind.edit(uneven.session, prepared).lane(move.targets[0]).chain[0]
    assert station.ratio >= 1.0 / 0.4
    assert kept(make(uneven, prepared))


def test_two_in_series_are_offered_for_voices_and_told_beside_one(uneven):
    found = offered(uneven, "dynamics.even-out-twice")
    assert set(found) == {"Lead vox"}
    assert "Against a single one" in found["Lead vox"].reason
    after = make(uneven, found["Lead vox"])
    assert kept(after)
    assert [type(item) for item in after.session.lane(found["Lead vox"].targets[0]).chain] == [Compressor, Compressor]


def test_one_hit_that_is_far_too_loud_is_held_and_the_others_pass(kit):
    found = offered(kit, "dynamics.peaks")
    assert set(found) == {"Snare top"}
    move = found["Snare top"]
    after = make(kit, move)
    assert kept(after)
    moved = dynamics.moving(after, move.targets[0])
    assert moved.peak_now_dbfs <= move.parameters["at_db"] + 0.01
    usual = np.abs(moved.now_db - moved.units.levels_db) < 0.2
    assert usual.mean() > 0.9
    fast = make(kit, offered(kit, "dynamics.peaks-fast")["Snare top"])
    assert kept(fast)
    assert isinstance(fast.session.lane(move.targets[0]).chain[0], Compressor)


def test_a_pair_gets_one_limiter_that_moves_both(tmp_path):
    """On a group of the two: with one each, a hit would push the image about."""
    look = look_at(dynamic_sessions.overheads(tmp_path / "kit"))
    left, right = lane_id(look, "OH L"), lane_id(look, "OH R")
    found = [move for move in making.propose(look, [stages.kinds()["dynamics.peaks"]]) if left in move.targets]
    (move,) = found
    assert set(move.targets) == {left, right}
    after = make(look, move)
    assert kept(after)
    (bus,) = after.session.buses
    assert {lane.destination for lane in after.session.lanes if lane.id in (left, right)} == {bus.id}
    assert [type(station) for station in bus.chain] == [Limiter]
    assert not after.session.lane(left).chain
    assert not [m for m in making.propose(after, [stages.kinds()["dynamics.peaks"]]) if left in m.targets]
    again = look.at(routing_edits.group_strips(look.session, [left, right], "Mine")[0])
    move = next(m for m in making.propose(again, [stages.kinds()["dynamics.peaks"]]) if left in m.targets)
    (bus,) = make(again, move).session.buses
    assert bus.name == "Mine"  # the group that is there is used


def test_what_gives_way_already_or_goes_two_ways_is_not_linked(tmp_path):
    look = look_at(dynamic_sessions.overheads(tmp_path / "kit"))
    left, right = lane_id(look, "OH L"), lane_id(look, "OH R")
    ducked = chain_edits.add_station(look.session, left, Compressor(key=Key(source=lane_id(look, "HH"))))
    apart, _ = routing_edits.group_strips(look.session, [right], "Other")
    for session in (ducked, apart):
        moves = making.propose(look.at(session), [stages.kinds()["dynamics.peaks"]])
        assert not [move for move in moves if {left, right} & set(move.targets)]


def test_nothing_is_offered_that_would_be_warned_of_afterwards(uneven, kit):
    for look in (uneven, kit):
        before = {(remark.kind, remark.lanes) for remark in remarks.remarks(look) if remark.kind == "side-effects"}
        for kind in ("dynamics.even-out", "dynamics.peaks", "dynamics.glue"):
            for move in making.propose(look, [stages.kinds()[kind]]):
                after = remarks.remarks(make(look, move))
                assert {(one.kind, one.lanes) for one in after if one.kind == "side-effects"} <= before, move.title


@pytest.mark.parametrize("kind", ["attack", "attack-compressor", "sustain", "sustain-compressor"])
def test_attack_and_sustain_change_by_what_was_asked(kit, kind):
    move = offered(kit, f"dynamics.{kind}")["Kick"]
    assert move.expected - move.before == pytest.approx(3.0, abs=0.35)
    after = make(kit, move)
    assert kept(after)
    assert abs(dynamics.moving(after, move.targets[0]).side.louder_lu) < 0.2
    # A shaper does the same to softer hits, a compressor does not: said in the figures.
    softer = move.evidence["change_on_softer_db"]
    assert (abs(softer - 3.0) < 0.5) == ("compressor" not in kind)


def test_a_clear_microphone_gets_a_gate_and_one_full_of_bleed_an_expander_at_most(kit):
    found = offered(kit, "dynamics.gate")
    assert "Snare top" in found
    assert found["Snare top"].evidence["separation_db"] > gate.SURE_DB
    after = make(kit, found["Snare top"])
    assert kept(after)
    assert result_of(after) < found["Snare top"].before - 15.0
    assert after.session.lane(found["Snare top"].targets[0]).chain[0].character == "gate"
    # The hits themselves stay.
    moved = dynamics.moving(after, found["Snare top"].targets[0])
    assert abs(moved.side.attack_change_db) < 0.3
    tom = found["Tom 1"]
    assert tom.evidence["separation_db"] < gate.SURE_DB
    assert "Too little for a gate" in tom.reason
    softened = make(kit, tom)
    assert softened.session.lane(tom.targets[0]).chain[0].character == "expander"


def test_breaths_are_softened_and_not_cut(uneven):
    move = offered(uneven, "dynamics.breaths")["Lead vox"]
    after = make(uneven, move)
    assert kept(after)
    assert 2.0 < move.before - result_of(after) <= gate.SOFT_RANGE_DB + 0.5
    words = dynamics.moving(after, move.targets[0])
    assert np.median(np.abs(words.now_db - words.units.levels_db)) < 0.3


def test_sibilants_are_ridden_one_by_one_and_vowels_pass(uneven):
    move = offered(uneven, "dynamics.sibilants")["Lead vox"]
    after = make(uneven, move)
    assert kept(after)
    assert move.before - result_of(after) == pytest.approx(3.5, abs=1.5)
    lane = after.session.lane(move.targets[0])
    assert automating.kept(lane) == lane.automation
    places = soften.ridden(after.session, lane.id)
    assert len(places) == move.evidence["sibilants"]
    before, now = (dynamics.strip_samples(uneven, look.session, lane.id) for look in (uneven, after))
    quiet = np.ones(len(before), dtype=bool)
    for start, end in places:
        quiet[round((start - 0.05) * 48_000) : round((end + 0.05) * 48_000)] = False
    np.testing.assert_allclose(now[quiet], before[quiet], atol=2e-4)


def test_one_sibilant_can_be_left_out(uneven):
    kind = stages.kinds()["dynamics.sibilants"]
    move = offered(uneven, kind.id)["Lead vox"]
    parts = kind.parts(uneven.session, move)
    assert len(parts) > 5
    fewer = kind.refit(uneven, making.without_parts(kind, move, [parts[0][0]]))
    assert fewer.expected is not None
    session = kind.edit(uneven.session, fewer)
    assert len(soften.ridden(session, move.targets[0])) == move.evidence["sibilants"] - 1


def test_a_crushed_copy_of_any_selection(kit):
    kick, snare = (kit.session.lane(lane_id(kit, name)) for name in ("Kick", "Snare top"))
    move = parallel.for_lanes(kit, [kick, snare], 2.0)
    assert move.evidence["null_db"] < -100.0
    after = make(kit, move)
    assert kept(after)
    assert result_of(after) == pytest.approx(2.0, abs=0.1)
    bus = after.session.buses[-1]
    assert bus.use == "parallel"
    # Without its compressor the copy is the original: it doubles what it is of.
    bare = chain_edits.set_chain(edits.change_strips(after.session, [bus.id], level_db=0.0), bus.id, [])
    assert parallel.under_dry_lu(after.at(bare), {"bus": bus.name}) == pytest.approx(0.0, abs=1e-6)
    with pytest.raises(UserError, match="already"):
        parallel.for_lanes(after, [after.session.lane(kick.id)])
    named = kit.at(routing_edits.add_bus(kit.session, bus.name)[0])
    assert parallel.for_lanes(named, [kick, snare]).arguments["bus"] == f"{bus.name} 2"
    bass = kit.session.lane(lane_id(kit, "Bass"))
    held = make(kit, parallel.for_lanes(kit, [bass]))
    assert result_of(held) == pytest.approx(-kit.session.settings.parallel_under_lu, abs=0.3)


def test_the_mix_knob_does_what_a_copy_does_and_stays_as_loud(kit):
    drums = [lane.id for lane in kit.session.lanes if lane.role in ("kick", "snare top", "tom")]
    session, bus = routing_edits.group_strips(kit.session, drums, "Drums")
    look = kit.at(session)
    move = offered(look, "dynamics.mix-knob")["Drums"]
    after = make(look, move)
    assert kept(after)
    assert abs(move.evidence["louder_lu"]) < 0.2
    assert 0.0 < after.session.bus(bus).chain[0].mix < 100.0


@pytest.mark.parametrize("takes_db", [0.5, 1.5, 3.0])
@pytest.mark.parametrize("off_db", [-3.0, 0.0, 3.0])
def test_a_threshold_that_is_about_right_is_put_right_in_few_looks(uneven, takes_db, off_db, monkeypatch):
    """The same as the search from scratch, which halves its way from end to end."""
    found = gentle.stretch(dynamics.part(uneven, MIX))
    plain = Compressor(ratio=2.0, attack_ms=15.0, release_ms=150.0)
    right = gentle.at_gain(found, plain, takes_db)
    looks, gains_of = [], gentle.gains_of
    monkeypatch.setattr(gentle, "gains_of", lambda *given: looks.append(1) or gains_of(*given))
    near = gentle.at_gain(found, replace(right, threshold_db=right.threshold_db + off_db), takes_db, near=True)
    assert near.threshold_db == pytest.approx(right.threshold_db, abs=0.15)
    assert len(looks) <= 5


def test_who_moves_by_glue_is_told_as_it_is_measured_with_it(uneven):
    """The levels on the way of a session that has it, against those worked out from its gain alone."""
    fit = glue.fit_of(uneven, MIX)
    told = dict(glue.shifts(uneven, MIX, fit))
    then = uneven.at(glue.placed(uneven.session, MIX, fit.station))
    measures = {lane.id: uneven.measures(lane.id) for lane in uneven.session.lanes}
    measured = flows.contributions(then.session, MIX, measures, then.flow)
    wanted = {then.session.strip_name(one.edge.source): one.change_lu for one in measured if one.change_lu is not None}
    assert len(wanted) > 1
    assert told == pytest.approx(wanted, abs=1e-3)


def test_glue_takes_what_was_asked_lets_hits_pass_and_says_who_moves(uneven):
    found = offered(uneven, "dynamics.glue")
    move = found["the mix"]
    after = make(uneven, move)
    assert kept(after)
    assert result_of(after) == pytest.approx(-move.parameters["takes_db"], abs=0.3)
    station = after.session.mix.chain[0]
    assert 10.0 <= station.attack_ms <= 30.0  # common practice
    assert station.makeup_db == 0.0
    moved = dynamics.moving(after, MIX)
    assert moved.side.pump_db <= side_effects.PUMP_FLAG_DB - glue.LEFT_FOR_PEAKS_DB + 0.05
    assert moved.side.left_db < side_effects.LEFT_FLAG_DB or "a shorter one would pump" in move.reason
    assert not moved.side.unmatched  # its bypass is as loud
    assert any(name.startswith("shift of ") for name in move.evidence)
    assert offered(after, "dynamics.glue") == {}


@pytest.mark.parametrize("school", ["fastest", "by programme", "slow"])
def test_the_release_goes_by_its_school(uneven, school):
    short = gentle.stretch(dynamics.part(uneven, MIX))
    plain = Compressor(ratio=2.0, attack_ms=15.0)
    by_beat, other = (gentle.with_release(short, plain, 1.5, one) for one in ("by the beat", school))
    if school == "by programme":
        assert other.programme_release
    elif school == "slow":
        assert other.release_ms == gentle.SLOW_MS
    else:
        assert other.release_ms <= by_beat.release_ms


def test_where_glue_gains_nothing_it_is_said_and_not_offered(uneven):
    """A pad that is as loud at every moment."""
    others = [lane.id for lane in uneven.session.lanes if lane.name != "Pad"]
    steady = uneven.at(edits.change_strips(uneven.session, others, mute=True))
    assert offered(steady, "dynamics.glue") == {}
    told = [remark for remark in remarks.remarks(steady) if remark.kind == "no-glue"]
    assert len(told) == 1
    assert "None is a good answer" in told[0].text


def test_bands_of_the_mix_take_a_little_each(uneven):
    for kind in ("dynamics.three-bands", "dynamics.hold-low"):
        for move in making.propose(uneven, [stages.kinds()[kind]]):
            after = make(uneven, move)
            assert kept(after)
            assert not dynamics.moving(after, MIX).side.unmatched
    assert bands.fitted(dynamics.part(uneven, MIX), bands.LOW_HZ, ((bands.LOW, 2.0), None)).bands[1].bypass


def test_tone_is_asked_for_only_outside_of_what_references_do(uneven, tmp_path):
    assert tone.propose(uneven) == []  # no references
    look = dynamic_sessions.beside_finished(tmp_path / "song")
    found = tone.propose(look)
    assert len(found) == 1
    assert abs(found[0].parameters["gain_db"]) <= tone.MOST_DB
    after = make(look, found[0])
    assert kept(after)
    assert tone.propose(after) == []
    compressed = chain_edits.add_station(look.session, MIX, Compressor())
    for where, place in (("first", 0), ("last", 1)):
        schooled = look.at(edits.set_work(compressed, bus_tone=where))
        session = making.made(schooled.session, tone.KIND, tone.propose(schooled)[0])
        assert session.mix.chain[place].LABEL == "Equaliser"


def test_side_effects_of_what_was_set_by_hand_are_told(uneven):
    hard = Compressor(threshold_db=-50.0, ratio=20.0, attack_ms=0.1, release_ms=5.0)
    session = chain_edits.add_station(uneven.session, lane_id(uneven, "Clarinet"), hard)
    told = [remark for remark in remarks.remarks(uneven.at(session)) if remark.kind == "side-effects"]
    assert told
    assert told[0].lanes == (lane_id(uneven, "Clarinet"),)


def test_equalisers_that_are_no_longer_as_measured_are_told(uneven):
    """A move of Share whose figure is another since dynamics came behind it."""
    share = Proposal(
        id="share.high-pass", kind="share.high-pass", stage="share", title="High-pass", reason="", metric=HIDDEN.id,
        expected=0.9, tolerance=0.01,
    )  # fmt: skip
    before = edits.record(uneven.session, share.title, reason="", move=share)
    before = edits.record_result(before, before.ledger[-1].serial, Result(value=0.9))
    assert [item for item in remarks.remarks(uneven.at(before)) if item.kind == "equalisers-again"] == []
    clarinet = lane_id(uneven, "Clarinet")
    even = find(uneven, f"dynamics.even-out.{clarinet}")
    after = making.recorded(making.made(before, even_out.KIND, even), even_out.KIND, even)
    told = [item for item in remarks.remarks(uneven.at(after)) if item.kind == "equalisers-again"]
    assert len(told) == 1
    assert "1 move of Share is no longer as measured" in told[0].text


def test_dynamics_are_what_answers_to_its_own_level():
    from all_even.dsp.processor import Key

    assert dynamics.is_dynamic(Compressor())
    assert dynamics.is_dynamic(Gate())
    assert dynamics.is_dynamic(Limiter())
    assert not dynamics.is_dynamic(Compressor(key=Key(source="kick")))
    assert dynamics.working((Compressor(bypass=True),)) == ()


def test_the_highest_number_that_is_under_an_aim_is_found():
    assert trying.solved(lambda x: x**2, 4.0, 0.0, 10.0, within=0.01) == pytest.approx(2.0, abs=0.01)
    assert trying.solved(lambda x: x + 5.0, 4.0, 0.0, 10.0, within=0.01) is None
    assert trying.solved(lambda x: x, 40.0, 0.0, 10.0, within=0.01) == 10.0


def test_metrics_of_strips_that_are_gone_are_unknown(uneven):
    for metric in stages.stage("dynamics").moves().metrics:
        for arguments in ({}, {"strip": "gone"}, {"strip": 3}, {"bus": "gone"}, {"zone": "x"}, {"below_hz": "x"}):
            if metric.id in ("moments",):
                continue
            assert metric.read(uneven, arguments) is None, (metric.id, arguments)


def test_a_fit_of_an_even_line_is_none_where_there_are_too_few_notes(uneven):
    found = dynamics.part(uneven, lane_id(uneven, "Pad"))
    assert even_out.fitted(found, "pad", 0.6) is None


def test_find_finds_moves_of_this_stage(uneven):
    clarinet = lane_id(uneven, "Clarinet")
    assert find(uneven, f"dynamics.even-out.{clarinet}").targets == (clarinet,)
    assert replace(find(uneven, f"dynamics.even-out.{clarinet}"), weight=0.0).weight == 0.0
