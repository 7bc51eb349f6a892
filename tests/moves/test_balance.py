"""Moves of Balance: sources brought to their places, the bass under its ceiling, room for the lead, side by side."""

from itertools import pairwise

import numpy as np
import pytest

from all_even.figures.low_end.low_focus import low_focus
from all_even.figures.sources.relations import relations
from all_even.figures.sources.stereo_placement import covered_at, gains_of, lopsided_lu, mono_loss, stand, weighted
from all_even.figures.sources.units import table, unit_lufs, units
from all_even.measure.sharing import placing
from all_even.measure.sharing.masking import excitation_of, find_masking
from all_even.moves import making
from all_even.moves.balance import bass_ceiling, costs, lopsided, pair_sides, remarks, spread, starts
from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.classes import class_of
from tests.conftest import RATE, noise
from tests.moves.looks import find, look_at, make, opened, result_of, states_for_every_kind


@pytest.fixture(scope="module")
def demo(demo_folder):
    return look_at(demo_folder)


@pytest.fixture(scope="module")
def placed(demo):
    """After voice first."""
    return make(demo, find(demo, "balance.voice-first"))


def by_role(look, role: str):
    return next(lane for lane in look.session.lanes if lane.role == role)


@pytest.mark.parametrize("start", starts.STARTS)
def test_every_source_comes_to_its_place_within_half_a_db(demo, start):
    after = make(demo, find(demo, f"balance.{start}"))
    offset, settings = starts.STARTS[start], after.session.settings
    off = [unit_lufs(after, unit) - offset(settings, unit.standing) for unit in units(after)]
    assert max(off) - min(off) < 0.5
    assert result_of(after) < 0.3
    low, high = settings.peak_window_dbfs
    assert low <= after.mix.sample_peak_dbfs <= high


def test_the_loudness_of_a_source_is_that_of_the_sum_its_microphones_make(demo):
    """Against the mix with everything else muted."""
    for unit in units(demo):
        if len(unit.lanes) < 2:
            continue
        ids = {lane.id for lane in unit.lanes}
        others = [lane.id for lane in demo.session.lanes if lane.id not in ids]
        alone = demo.at(edits.change_strips(demo.session, others, mute=True))
        assert unit_lufs(demo, unit) == pytest.approx(alone.mix.integrated_lufs, abs=0.05)
    assert sum(len(unit.lanes) > 1 for unit in units(demo)) >= 4


def test_a_candidate_that_waits_never_counts(demo):
    (move,) = [move for move in opened(demo, "gather") if move.kind == "gather.alternatives"]
    after = make(demo, move)
    waiting = move.targets[1]
    assert waiting not in {lane.id for unit in units(after) for lane in unit.lanes}
    assert waiting not in find(after, "balance.all-even").parameters["levels_db"]


def test_offsets_are_settings(demo):
    session = edits.set_work(demo.session, colour_lu=-14.0)
    after = make(demo.at(session), find(demo.at(session), "balance.voice-first"))
    found = {unit.id: unit_lufs(after, unit) for unit in units(after)}
    lead = found[by_role(after, "lead voice").id]
    tambourine = found[by_role(after, "tambourine").id]
    assert tambourine - lead == pytest.approx(-14.0, abs=0.5)
    assert class_of("tambourine") == "colour"


def test_a_bass_over_its_ceiling_comes_down_to_it_and_one_under_it_is_left(placed):
    assert "balance.bass" not in [move.id for move in making.propose(placed, [bass_ceiling.KIND])]
    basses = bass_ceiling.bass_lanes(placed)
    loud = placed.at(edits.nudge_levels(placed.session, basses, 8.0))
    move = find(loud, "balance.bass")
    after = make(loud, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.5)
    assert low_focus(after).at_present > low_focus(loud).at_present
    assert "balance.bass" not in [item.id for item in making.propose(after, [bass_ceiling.KIND])]
    soft = placed.at(edits.nudge_levels(placed.session, basses, -10.0))
    assert find(soft, "balance.bass").title.endswith("up")


def test_room_for_the_lead_is_made_as_promised_and_kick_and_bass_stay(placed):
    (move,) = [move for move in opened(placed, "balance") if move.kind == "balance.clearance"]
    kick = by_role(placed, "kick").id
    assert kick not in move.targets
    after = make(placed, move)
    assert result_of(after) == pytest.approx(move.expected, abs=1.5)
    assert result_of(after) <= 51.0
    assert after.session.lane(kick).level_db == placed.session.lane(kick).level_db


def test_equally_heard_uncovers_the_one_that_is_covered_most_and_costs_nobody_much(demo):
    small = demo.at(states_for_every_kind(demo.session)[3])
    move = find(small, "balance.equally-heard")
    before = table(small).shares
    after = make(small, move)
    assert result_of(after) == pytest.approx(move.expected, abs=1.5)
    assert move.before - result_of(after) > 3.0
    then = table(after).shares
    assert max(then[unit] - share for unit, share in before.items()) < 0.11
    assert "not a better mix" in move.reason


def test_side_by_side_uncovers_keeps_the_sides_equal_and_says_what_mono_loses(placed):
    move = find(placed, "balance.spread")
    now = stand(placed)
    after = make(placed, move)
    then = stand(after)
    gained = weighted(now, covered_at(placed.session, now).loudspeakers) - weighted(
        then, covered_at(after.session, then).loudspeakers
    )
    ear = weighted(now, covered_at(placed.session, now).ear) - weighted(then, covered_at(after.session, then).ear)
    assert gained >= 0.05
    assert ear >= 0.07
    told = after.session.ledger[-1].move.evidence[costs.PLR]
    assert told == pytest.approx(max(0.0, after.mix.plr_db - placed.mix.plr_db), abs=1e-6)
    assert result_of(after) == pytest.approx(move.expected, abs=0.5)
    gains = gains_of(after.session, then)
    assert lopsided_lu(then, gains) < 0.5
    assert -1.5 < mono_loss(then, gains)["high"] < 0.0
    central = [lane for lane in after.session.lanes if lane.role in ("kick", "snare top", "bass DI", "lead voice")]
    assert all(lane.pan == 0.0 for lane in central)


def test_what_was_placed_by_hand_stays(placed):
    lane = by_role(placed, "accordion")
    viola = by_role(placed, "viola")
    moved = placed.at(edits.change_strips(placed.session, [lane.id, viola.id], pan=-0.3))
    assert viola.id not in find(moved, "balance.spread").parameters["pans"]


def test_pairs_go_to_their_sides_also_when_they_stand_the_other_way_round(demo):
    left, right = (lane for lane in demo.session.lanes if lane.role == "overhead")
    turned = edits.change_strips(edits.change_strips(demo.session, [left.id], pan=1.0), [right.id], pan=-1.0)
    for state in (demo.session, turned):
        look = demo.at(state)
        after = make(look, find(look, "balance.pairs"))
        assert [after.session.lane(lane.id).pan for lane in (left, right)] == [-1.0, 1.0]
    assert "the other way round" in find(demo.at(turned), "balance.pairs").reason


def test_sides_are_read_from_names():
    def lane(name: str) -> Lane:
        return Lane(id="lane-1", name=name, file=f"{name}.wav", role="overhead")

    names = ("OH L", "ohr", "Gtr dbl R", "OH D", "Klavier links", "Vocal")
    assert [pair_sides.side_of(lane(name)) for name in names] == [-1.0, 1.0, 1.0, 1.0, -1.0, None]
    empty = Session(name="None", sample_rate=48_000)
    assert pair_sides.pairs(empty) == []


def test_in_the_centre_every_ear_hears_what_the_masking_table_says():
    """`measure.sharing.placing` with all in the middle is `measure.sharing.masking`."""
    tracks = [
        excitation_of(noise(6.0, seed, level=level)[:, np.newaxis], RATE) for seed, level in ((1, 0.1), (2, 0.06))
    ]
    table = find_masking({str(i): track for i, track in enumerate(tracks)})
    found = placing.covered(placing.stage_of(tracks, table.floor, RATE), np.full((2, 2), np.sqrt(0.5)))
    for index in range(2):
        for shares in (found.ear, found.centre):
            assert shares[index] == pytest.approx(table.shares[str(index)], abs=0.02)
    apart = np.array([[1.0, 0.0], [0.0, 1.0]])
    assert max(placing.covered(placing.stage_of(tracks, table.floor, RATE), apart).ear) < 0.01


def test_far_out_sources_lose_three_decibels_in_mono_and_central_ones_none():
    """Textbook: constant power puts 1 into one side where the centre has 0.707 in both; added, 1 against 1.414."""
    track = excitation_of(noise(3.0, 1)[:, np.newaxis], RATE)
    stage = placing.stage_of([track], 0.0, RATE)
    assert placing.mono_loss_db(stage, np.array([[1.0, 0.0]]))["mid"] == pytest.approx(-3.01, abs=0.01)
    assert placing.mono_loss_db(stage, np.full((1, 2), np.sqrt(0.5)))["mid"] == pytest.approx(0.0, abs=1e-6)


def test_relations_do_not_ask_for_the_files_again(demo):
    first = relations(demo)
    assert relations(demo.at(edits.change_strips(demo.session, [demo.session.lanes[0].id], level_db=-3.0))) == first


# What is said before anything is moved, and sides that lean.


def test_a_mix_in_which_everybody_stands_in_the_middle_is_told_and_one_side_by_side_is_not(demo, placed):
    (said,) = [remark for remark in remarks.remarks(demo) if remark.kind == "all-centre"]
    assert len(said.lanes) == said.size > 10
    assert by_role(demo, "kick").id not in said.lanes
    after = make(placed, find(placed, "balance.spread"))
    assert "all-centre" not in {remark.kind for remark in remarks.remarks(after)}


def test_two_alike_at_one_place_are_told_until_they_stand_apart(demo):
    voices = [lane.id for lane in demo.session.lanes if lane.role == "backing voice"][:2]
    others = [lane.id for lane in demo.session.lanes if lane.id not in voices and lane.role != "lead voice"]
    few = edits.change_strips(demo.session, others[4:], mute=True)
    for pan, said in ((0.5, True), (-0.5, False)):
        state = edits.change_strips(edits.change_strips(few, voices[:1], pan=0.5), voices[1:], pan=pan)
        found = [remark for remark in remarks.remarks(demo.at(state)) if remark.kind == "one-seat"]
        assert (set(voices) in [set(remark.lanes) for remark in found]) is said


def test_a_mix_that_leans_is_put_upright_by_sources_that_change_sides(demo):
    leaning = demo.at(states_for_every_kind(demo.session)[-1])
    move = find(leaning, "balance.lopsided")
    assert move.before > lopsided.LOPSIDED_LU
    after = make(leaning, move)
    assert result_of(after) == pytest.approx(move.expected, abs=0.1)
    assert result_of(after) < move.before - 0.5
    for lane_id in move.targets:
        assert after.session.lane(lane_id).pan == -leaning.session.lane(lane_id).pan
    assert "balance.lopsided" not in [item.id for item in opened(demo, "balance")]


def test_the_sides_of_the_figure_are_those_of_the_print(demo):
    """Left against right of the stand, without stereo sources, is that of the rendered mix over the same 3 s."""
    stereo_ids = [lane.id for lane in demo.session.lanes if demo.book.fingerprints(demo.session).channels(lane.id) == 2]
    state = edits.change_strips(states_for_every_kind(demo.session)[-1], stereo_ids, mute=True)
    look = demo.at(state)
    weighted_energy = look.mix.hops.weighted.astype(np.float64)
    window = 300
    sums = np.add.reduceat(weighted_energy, np.arange(0, len(weighted_energy), window)) / window
    loud = sums.sum(axis=1) > 1e-7
    ratio = 10.0 * np.log10(sums[loud, 0] / sums[loud, 1])
    assert lopsided.between_sides_lu(look) == pytest.approx(float(np.sqrt(np.mean(ratio**2))), abs=0.5)


def test_an_anchor_stays_where_it_is_and_the_others_come_to_it(demo):
    voice = by_role(demo, "lead voice").id
    state = edits.set_anchor(edits.change_strips(demo.session, [voice], level_db=-12.0), voice)
    look = demo.at(state)
    after = make(look, find(look, "balance.voice-first"))
    assert after.session.lane(voice).level_db == -12.0
    assert result_of(after) < 0.3
    with pytest.raises(KeyError):
        edits.set_anchor(demo.session, "lane-999")


def test_no_two_alike_are_put_at_one_place(monkeypatch):
    """Neither when sources are placed, nor when one changes its side for the balance of left and right."""
    pairs = {(a, b): 0.9 for a in range(5) for b in range(a + 1, 5)}
    monkeypatch.setattr(spread, "alike", lambda *_: pairs)
    places = spread._no_two_alike(None, [0, 1, 2, 3, 4], {0: 0.6, 1: -0.6, 2: 0.6, 3: -0.6, 4: 0.6})
    taken = sorted(places.values())
    assert min(b - a for a, b in pairwise(taken)) > spread.ONE_SEAT
    likes = [{"a", "b"}]
    assert lopsided._beside_one_alike("a", 0.55, {"a": -0.55, "b": 0.6}, likes)
    assert not lopsided._beside_one_alike("a", 0.3, {"a": -0.3, "b": 0.6}, likes)
    assert not lopsided._beside_one_alike("c", 0.6, {"b": 0.6, "c": -0.6}, likes)
