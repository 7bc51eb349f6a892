"""Who hides whom in a session as it is, and what that is judged with."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.figures.arriving import spectra
from all_even.figures.sharing import sharing
from all_even.figures.sharing.three_knobs import curve_db, three_knobs
from all_even.figures.sources.units import table
from all_even.session.editing import chain_edits, edits, routing_edits
from tests.moves import share_sessions
from tests.moves.looks import look_at


@pytest.fixture(scope="module")
def look(tmp_path_factory):
    return look_at(share_sessions.crowded(tmp_path_factory.mktemp("crowded")))


@pytest.fixture(scope="module")
def found(look):
    return sharing.sharing(look)


def lane(look, name: str) -> str:
    return next(item.id for item in look.session.lanes if item.name == name)


def test_equalisers_and_passes_are_left_out_for_the_weights_and_nothing_else(look):
    organ = lane(look, "Organ")
    session = chain_edits.set_chain(
        look.session, organ,
        [HighPass(id="a"), Compressor(id="b"), Equaliser(id="c", bands=(Band(gain_db=3.0),))],
    )  # fmt: skip
    bare = sharing.unequalised(session)
    assert [station.id for station in bare.lane(organ).chain] == ["b"]
    assert sharing.unequalised(bare) is bare


def test_a_band_that_is_cut_does_not_count_less_for_it(look, found):
    """With live weights the figure would fall; frozen, the cut track itself is hidden more."""
    organ = lane(look, "Organ")
    deep = Equaliser(bands=tuple(Band(frequency_hz=hz, gain_db=-18.0, q=0.5) for hz in (400.0, 1600.0)))
    then = sharing.sharing(look.at(chain_edits.add_station(look.session, organ, deep)))
    place = found.place(organ)
    assert np.array_equal(then.scene.weight[place], found.scene.weight[place])
    assert then.shares[place] > found.shares[place] + 0.05
    assert then.scene.floor == found.scene.floor


def test_states_share_what_arrives_of_a_source_that_no_edit_touched(look):
    organ = lane(look, "Organ")
    edited = look.at(chain_edits.add_station(look.session, organ, Equaliser(bands=(Band(gain_db=6.0),))))
    before, after = table(look).tracks, table(edited).tracks
    assert [name for name in before if after[name] is not before[name]] == [organ]
    heard = spectra.excitations(edited, lanes=[organ])[organ]
    np.testing.assert_array_equal(after[organ].power, heard.power)
    np.testing.assert_array_equal(after[organ].weight, heard.weight)
    raised = look.at(edits.change_strips(look.session, [organ], level_db=look.session.lane(organ).level_db + 3.0))
    louder = table(raised).tracks[organ]
    np.testing.assert_allclose(louder.power, before[organ].power * 10.0**0.3, rtol=1e-4)


def test_what_a_chain_of_a_group_does_is_known_for_all_its_members(look):
    organ, others = lane(look, "Organ"), [item.id for item in look.session.lanes]
    grouped, bus = routing_edits.group_strips(look.session, others[:2], "Both")
    grouped = chain_edits.add_station(grouped, bus, Compressor(threshold_db=-40.0, ratio=4.0))
    one = spectra.rests_on(look.at(grouped))
    harder = chain_edits.change_station(grouped, bus, grouped.bus(bus).chain[0].id, ratio=8.0)
    other = spectra.rests_on(look.at(harder))
    assert {lane_id for lane_id in one if one[lane_id] != other[lane_id]} == set(others[:2])
    assert organ in one


def test_what_one_costs_another_is_what_leaving_it_out_gains(look, found):
    pair = max((p for p in sharing.pairs_of(found, every=1)), key=lambda p: p.cost)
    masker = found.units[pair.masker]
    without = sharing.sharing(look.at(edits.change_strips(look.session, [item.id for item in masker.lanes], mute=True)))
    victim = [unit.id for unit in without.units].index(found.units[pair.victim].id)
    assert without.shares[victim] == pytest.approx(found.shares[pair.victim] - pair.cost, abs=0.002)
    assert sum(pair.by_zone) == pytest.approx(pair.cost)
    assert pair.low_hz < pair.high_hz


def test_with_all_in_the_middle_both_ears_hear_the_same(look, found):
    apart = sharing.apart(look)
    assert apart.ear == pytest.approx(found.shares, abs=1e-4)
    assert apart.loudspeakers == pytest.approx(found.shares, abs=1e-4)
    moved = look.at(edits.change_strips(look.session, [lane(look, "Clarinet 1")], pan=-0.8))
    moved = moved.at(edits.change_strips(moved.session, [lane(look, "Clarinet 2")], pan=0.8))
    wide = sharing.apart(moved)
    assert wide.ear_mean < apart.ear_mean - 0.02
    assert wide.ear_mean < wide.loudspeakers_mean < apart.loudspeakers_mean


def test_a_stretch_is_judged_by_its_own_moments(found):
    first = sharing.stretch_of(found, 0.0, 4.0)
    assert first.scene.power.shape[1] == pytest.approx(4.0 / found.frame_s, abs=1.0)
    assert not np.allclose(first.shares, found.shares, atol=1e-4)


def test_what_people_say_matters_counts_more(look, found):
    organ = lane(look, "Organ")
    said = sharing.sharing(look.at(edits.change_strips(look.session, [organ], importance="lead")))
    place = found.place(organ)
    assert said.scene.importance[place] > found.scene.importance[place]
    assert said.scene.importance.sum() == pytest.approx(1.0)


def test_ridges_hide_as_much_as_the_share_says(found):
    for place, ridge in enumerate(sharing.ridges(found)):
        weight = found.scene.weight[place].sum(axis=0)
        assert (ridge.hidden * weight).sum() / weight.sum() == pytest.approx(found.shares[place], abs=0.003)
        assert 0.0 < ridge.playing <= 1.0


def test_a_session_in_which_nothing_is_heard_has_no_shares(look):
    silent = edits.change_strips(look.session, [item.id for item in look.session.lanes], mute=True)
    assert sharing.sharing(look.at(silent)) is None
    assert sharing.pairs(look.at(silent)) == ()
    assert sharing.apart(look.at(silent)) is None


HZ = np.geomspace(30.0, 16_000.0, 120)


def test_three_knobs_give_back_what_three_knobs_can_do():
    wanted = curve_db((3.0, 800.0, -4.0, 5.0), HZ)
    found = three_knobs(wanted, HZ, np.ones(len(HZ)))
    assert (found.low_db, found.mid_db, found.high_db) == pytest.approx((3.0, -4.0, 5.0), abs=0.5)
    assert found.mid_hz == pytest.approx(800.0, rel=0.06)
    assert found.rms_db < 0.3
    assert found.carries


def test_a_curve_that_three_knobs_can_not_do_says_so():
    narrow = sum(20.0 * np.log10(Band(frequency_hz=hz, gain_db=gain, q=4.0).prototype(HZ))
                 for hz, gain in ((250.0, -9.0), (700.0, 9.0), (2000.0, -9.0)))  # fmt: skip
    found = three_knobs(narrow, HZ, np.ones(len(HZ)))
    assert not found.carries
    assert "does not carry" in found.text


def test_a_knob_where_the_track_has_nothing_stays_where_it_is():
    weight = np.where((HZ > 300.0) & (HZ < 4000.0), 1.0, 1e-9)
    wanted = 20.0 * np.log10(Band(frequency_hz=1000.0, gain_db=4.0, q=0.8).prototype(HZ))
    found = three_knobs(wanted, HZ, weight)
    assert abs(found.low_db) <= 0.5
    assert abs(found.high_db) <= 0.5


def test_importance_of_a_lane_is_saved_and_older_files_have_none(look, tmp_path):
    from all_even.session.file import store

    organ = lane(look, "Organ")
    store.save(edits.change_strips(look.session, [organ], importance="layer"), tmp_path / "a.alleven")
    loaded = store.load(tmp_path / "a.alleven")
    assert loaded.lane(organ).importance == "layer"
    assert replace(loaded.lane(organ), importance=None).importance is None
