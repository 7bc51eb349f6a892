"""Share's moves: what they find, what they promise, and what they leave alone."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.figures.sharing.sharing import sharing
from all_even.figures.sources.units import unit_lufs
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import home
from all_even.moves import making
from all_even.moves.kind import per_strip
from all_even.moves.share import (
    bands,
    bookkeeping,
    by_hand,
    hearing,
    lane_places,
    live,
    low_pass,
    remarks,
    search,
    shape,
)
from all_even.moves.share.present import present
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.strips import MIX
from tests.moves import share_sessions
from tests.moves.looks import look_at, make, result_of


@pytest.fixture(scope="module")
def crowded(tmp_path_factory):
    return look_at(share_sessions.crowded(tmp_path_factory.mktemp("crowded")))


@pytest.fixture(scope="module")
def now_and_then(tmp_path_factory):
    return look_at(share_sessions.now_and_then(tmp_path_factory.mktemp("voice")))


def propose(look, kind_id: str):
    return making.propose(look, [stages.kinds()[kind_id]])


def lane(look, name: str) -> str:
    return next(item.id for item in look.session.lanes if item.name == name)


@pytest.fixture(scope="module")
def the_set(crowded):
    (found,) = propose(crowded, "share.shape")
    return found


@pytest.fixture(scope="module")
def after(crowded, the_set):
    return make(crowded, the_set)


def test_a_set_of_bands_lets_the_session_be_heard_more_and_says_by_how_much(the_set, after):
    assert the_set.expected < the_set.before - 0.3
    assert result_of(after) == pytest.approx(the_set.expected, abs=0.1)


def test_every_track_that_is_changed_keeps_its_loudness(crowded, the_set, after):
    units = {unit.id: unit for unit in sharing(crowded).units}
    for unit_id in bands.bands_of(the_set):
        before, now = unit_lufs(crowded, units[unit_id]), unit_lufs(after, units[unit_id])
        assert now == pytest.approx(before, abs=0.05)


def test_no_curve_passes_six_decibels_nor_three_where_the_track_has_its_body(crowded, the_set):
    found = sharing(crowded)
    for unit_id, its in bands.bands_of(the_set).items():
        curve = 10.0 * np.log10(search.gains_of(its, crowded.session.sample_rate))
        assert np.abs(curve).max() <= 6.05
        assert np.abs(curve[home(found.scene.power[found.scene.names.index(unit_id)])]).max() <= 3.05


def test_the_bottom_of_kick_and_bass_is_the_low_ends_business(crowded, the_set):
    low = masking.centres_hz() < 200.0
    for unit_id, its in bands.bands_of(the_set).items():
        if crowded.session.lane(unit_id).role in ("kick", "bass"):
            curve = 10.0 * np.log10(search.gains_of(its, crowded.session.sample_rate))
            assert np.abs(curve[low]).max() <= 1.05


def test_few_bands_cuts_first_and_few_small_lifts_that_stand_apart(crowded, the_set, after):
    """What is lifted everywhere stands out nowhere; and nothing is warned of behind it that was not before."""
    every = [(unit, band) for unit, its in bands.bands_of(the_set).items() for band in its]
    lifts = [(unit, band) for unit, band in every if band.gain_db > 0.0]
    assert 1 <= len(every) <= search.MOST
    assert len(lifts) <= min(search.MOST_LIFTS, len(every) // 2)
    assert all(band.gain_db <= search.MOST_LIFT_DB for _, band in lifts)
    for index, (_, one) in enumerate(lifts):
        assert not any(search.is_near(one, two, 0.99) for _, two in lifts[index + 1 :])
    assert remarks.raised(crowded, after.session) == []
    before, now = ({(one.kind, one.lanes) for one in remarks.remarks(look)} for look in (crowded, after))
    assert now <= before


def test_what_each_band_brings_stands_on_the_card(crowded, the_set):
    worth = per_strip(the_set, "worth")
    assert set(worth) == set(per_strip(the_set, "gain_db"))
    told = shape.KIND.parts(crowded.session, the_set)
    assert sum("% less masked" in words for _, words in told) >= len(told) - 1
    most = max(worth.values())
    assert most > 0.001
    assert f"{len(told) - the_set.evidence['lifts']} cut" in the_set.title


def test_a_set_that_would_be_warned_of_is_known_before_it_is_offered(crowded):
    piled = crowded.session
    for name in ("Organ", "Clarinet 1", "Lead vox"):
        piled = by_hand.add_band(piled, (lane(crowded, name),), Band(frequency_hz=2000.0, gain_db=3.0))
    assert [remark.kind for remark in remarks.raised(crowded, piled)] == ["pile-of-lifts"]
    assert remarks.raised(crowded.at(piled), piled) == []


def test_guides_are_not_equalised(crowded, the_set):
    assert lane(crowded, "Scratch vox") not in bands.bands_of(the_set)


def test_it_beats_random_sets_of_the_same_size_with_the_same_limits(crowded, the_set):
    found = sharing(crowded)
    own = bands.tried(found, bands.bands_of(the_set), per_strip(the_set, bands.OUTPUTS)).mean()
    chance = [found.mean - value for value in random_sets(crowded, the_set, 20)]
    assert found.mean - own > np.percentile(chance, 95)


def random_sets(look, proposal, count: int) -> list[float]:
    """Share* with as many bands of the same sizes on random tracks, within the same limits and guard, loudness kept."""
    found = sharing(look)
    rng = np.random.default_rng(1)
    gains = list(per_strip(proposal, "gain_db").values())
    limits = search.limits_db(found.scene, shape.bottom(found), search.School())
    allowed = _guarded(found, bands.tried(found, bands.bands_of(proposal)))
    told: list[float] = []
    for _ in range(40 * count):
        trial = search.Trial(found.scene.thinned(1.0 / 3.0))
        curves = {}
        for gain in gains:
            for _try in range(60):
                track, atom = int(rng.integers(len(found.units))), int(rng.integers(len(search.ATOMS)))
                signed = float(rng.choice([-1.0, 1.0])) * abs(gain)
                curve = curves.get(track, 1.0) * search.atom_gains(atom, signed, look.session.sample_rate)
                if search.inside(curve, trial.kept(track, curve), limits[track]):
                    curves[track] = curve
                    break
        for track, curve in curves.items():
            trial.put(track, trial.kept(track, curve))
        if _guarded(found, trial) <= allowed + 0.002:
            told.append(found.mean + trial.mean() - trial.mean(trial.before))
        if len(told) == count:
            break
    return told


def _guarded(found, trial) -> float:
    rise = np.maximum(0.0, trial.shares - trial.before - 0.02)
    return float(found.scene.importance @ np.nan_to_num(rise))


def test_a_band_left_out_changes_what_is_promised_and_the_rest_is_kept(crowded, the_set):
    kind = stages.kinds()["share.shape"]
    parts = kind.parts(crowded.session, the_set)
    assert len(parts) == len(the_set.parameters["gain_db"])
    less = making.without_parts(kind, the_set, [parts[0][0]])
    assert less.expected is None
    less = kind.prepare(crowded, less)
    assert less.expected > the_set.expected
    assert sum(map(len, bands.bands_of(less).values())) == len(parts) - 1
    assert result_of(make(crowded, less)) == pytest.approx(less.expected, abs=0.1)


def test_a_set_is_not_made_again_and_again(crowded, the_set, after):
    """Limits count from the tracks without any equaliser: what could still be gained stays within the same ones."""
    for again in propose(after, "share.shape"):
        done = make(after, again)
        found = sharing(crowded)
        for unit in sharing(done).units:
            curve = 10.0 * np.log10(present(done.session, sharing(done)).gains[found.scene.names.index(unit.id)])
            assert np.abs(curve).max() <= 6.3
        assert sum(map(len, bands.bands_of(again).values())) + len(the_set.parameters["gain_db"]) <= search.MOST
        after = done
    assert propose(after, "share.shape") == []


def test_schools_change_the_set(crowded):
    cuts = crowded.at(edits.set_work(crowded.session, shaping="cut only"))
    (only,) = propose(cuts, "share.shape")
    assert max(per_strip(only, "gain_db").values()) < 0.0
    alone = crowded.at(edits.set_work(crowded.session, aim="true alone"))
    for move in propose(alone, "share.shape"):
        assert max(abs(gain) for gain in per_strip(move, "gain_db").values()) <= 3.0


def test_a_layer_that_is_hidden_anyway_may_be_left_out(crowded):
    scratch = next(move for move in propose(crowded, "share.thin") if move.targets == (lane(crowded, "Scratch vox"),))
    assert stages.kinds()["share.thin"].optional
    assert result_of(make(crowded, scratch)) == pytest.approx(scratch.expected, abs=0.5)


def test_a_layer_may_also_only_go_down(crowded):
    kind = stages.kinds()["share.thin"]
    (whole, *_) = propose(crowded, "share.thin")
    lower = making.with_parameters(kind, whole, {"down_db": 6.0})
    assert lower.expected is None
    session = making.made(crowded.session, kind, lower)
    for target in whole.targets:
        assert session.lane(target).level_db == crowded.session.lane(target).level_db - 6.0
        assert not session.lane(target).mute
    assert making.with_parameters(kind, lower, {"down_db": 99.0}).expected == pytest.approx(whole.expected)


def test_what_nobody_named_is_not_left_out_and_keeps_its_bottom(crowded):
    nameless = crowded.at(edits.change_strips(crowded.session, [item.id for item in crowded.session.lanes],
                                              role="unknown"))  # fmt: skip
    assert propose(nameless, "share.thin") == []
    low = masking.centres_hz() < 200.0
    kick = lane(crowded, "Kick")
    assert kick in shape.bottom(sharing(nameless))
    for move in propose(nameless, "share.shape"):
        for unit_id, its in bands.bands_of(move).items():
            if unit_id in (kick, lane(crowded, "Bass")):
                curve = 10.0 * np.log10(search.gains_of(its, crowded.session.sample_rate))
                assert np.abs(curve[low]).max() <= 1.05


def test_a_high_pass_comes_where_rumble_is_worth_it_and_everywhere_in_the_other_school(tmp_path, crowded):
    look = look_at(share_sessions.rumbling(tmp_path / "rumble"))
    (move,) = propose(look, "share.high-pass")
    assert move.targets == (lane(look, "Electric guitar"),)
    # Its rumble is read as three soft notes under 50 Hz: those are not its own.
    assert move.parameters["frequency_hz"][move.targets[0]] == pytest.approx(0.75 * 294.0, abs=2.0)
    done = make(look, move)
    assert result_of(done) == pytest.approx(move.expected, abs=move.tolerance)
    assert move.tolerance < 0.15 * (move.before - move.expected)
    assert isinstance(done.session.lane(move.targets[0]).chain[0], HighPass)
    assert propose(crowded, "share.high-pass") == []
    (always,) = propose(crowded.at(edits.set_work(crowded.session, high_passing="everything but the bass")),
                        "share.high-pass")  # fmt: skip
    assert lane(crowded, "Bass") not in always.targets
    assert lane(crowded, "Clarinet 1") in always.targets


def test_a_low_pass_takes_the_hiss_above_a_part_and_leaves_what_plays_with_it(tmp_path, crowded):
    """The flute has as much over 8 kHz as the guitar, but only while it plays; the organ never pauses."""
    look = look_at(share_sessions.hissing(tmp_path / "hissing"))
    (move,) = propose(look, "share.low-pass")
    assert move.targets == (lane(look, "Electric guitar"),)
    assert move.expected < move.before - 6.0
    done = make(look, move)
    assert result_of(done) == pytest.approx(move.expected, abs=0.5)
    assert isinstance(done.session.lane(move.targets[0]).chain[0], LowPass)
    assert propose(look.at(done.session), "share.low-pass") == []
    assert propose(crowded, "share.low-pass") == []
    assert low_pass.hiss_db(look, {"lanes": "track-1=high =4000 x"}) is not None  # a file may hold anything


def test_who_is_only_sometimes_in_the_way_steps_back_only_then(now_and_then):
    (move,) = propose(now_and_then, "share.keyed")
    organ, voice = lane(now_and_then, "Organ"), lane(now_and_then, "Lead vox")
    assert move.targets == (organ,)
    assert move.parameters["key"] == voice
    assert move.evidence["own_cost"] < move.evidence["static_cost"]
    assert move.evidence["victim_gain"] >= 0.6 * move.evidence["static_gain"]
    done = make(now_and_then, move)
    assert result_of(done) == pytest.approx(move.expected, abs=0.05)
    assert propose(done, "share.keyed") == []


def test_a_masker_that_is_always_there_with_its_victim_gets_no_key(crowded):
    assert propose(crowded, "share.keyed") == []


def test_two_alike_get_different_centres(tmp_path):
    crowded = look_at(share_sessions.winds(tmp_path / "winds"))
    found = propose(crowded, "share.complement")
    assert found
    for move in found:
        first, second = (bands.bands_of(move)[target] for target in move.targets)
        up = next(band for band in first if band.gain_db > 0.0)
        assert any(band.frequency_hz == up.frequency_hz and band.gain_db < 0.0 for band in second)
        assert result_of(make(crowded, move)) == pytest.approx(move.expected, abs=0.2)


@pytest.mark.parametrize("seed", [200, 201, 202])
def test_where_nothing_collides_nothing_is_proposed(tmp_path, seed):
    look = look_at(share_sessions.apart(tmp_path / "apart", seed))
    parts = stages.stage("share").moves()
    assert making.propose(look, (*parts.kinds, *parts.also)) == []


# Checks.


def said(look, kind: str):
    return [remark for remark in remarks.remarks(look) if remark.kind == kind]


def with_bands(look, name: str, *its: Band, output_db: float = 0.0):
    return look.at(chain_edits.add_station(look.session, lane(look, name), Equaliser(bands=its, output_db=output_db)))


def test_an_untouched_session_has_nothing_to_check(crowded):
    assert remarks.remarks(crowded) == ()


def test_a_narrow_cut_on_a_bass_is_told(crowded):
    assert said(with_bands(crowded, "Bass", Band(frequency_hz=61.7, gain_db=-6.0, q=8.0)), "narrow-on-bass")
    assert not said(with_bands(crowded, "Bass", Band(frequency_hz=60.0, gain_db=-4.0, q=0.5)), "narrow-on-bass")


def test_bands_that_undo_each_other_are_told(crowded):
    look = with_bands(crowded, "Organ", Band(frequency_hz=400.0, gain_db=-3.0))
    assert said(with_bands(look, "Organ", Band(frequency_hz=430.0, gain_db=4.0)), "undone")
    assert not said(with_bands(look, "Organ", Band(frequency_hz=2000.0, gain_db=4.0)), "undone")


def test_the_same_cut_on_two_alike_is_told(crowded):
    look = with_bands(crowded, "Clarinet 1", Band(frequency_hz=800.0, gain_db=-3.0))
    assert said(with_bands(look, "Clarinet 2", Band(frequency_hz=800.0, gain_db=-3.0)), "same-cut")
    assert not said(with_bands(look, "Clarinet 2", Band(frequency_hz=2000.0, gain_db=-3.0)), "same-cut")


def test_a_lift_that_raises_the_peak_is_told(crowded):
    assert said(with_bands(crowded, "Organ", Band(frequency_hz=400.0, gain_db=9.0, q=0.5)), "raised-peak")
    assert not said(with_bands(crowded, "Organ", Band(frequency_hz=400.0, gain_db=2.0), output_db=-4.0), "raised-peak")


def test_lifts_that_pile_up_and_a_large_band_are_told(crowded):
    look = crowded
    for name in ("Organ", "Clarinet 1", "Lead vox", "Harmonium"):
        look = with_bands(look, name, Band(frequency_hz=6000.0, gain_db=3.0))
    assert len(said(look, "pile-of-lifts")[0].lanes) == 4
    assert said(look, "all-bright")
    assert said(with_bands(crowded, "Organ", Band(gain_db=-9.0)), "large-band")[0].aside


def test_on_the_mix_a_band_over_three_db_is_large(crowded):
    """Common practice: broad bands on the mix bus stay within about 3 dB."""
    usual, large = (crowded.at(chain_edits.add_station(crowded.session, MIX, Equaliser(bands=(Band(gain_db=gain),))))
                    for gain in (2.5, -4.0))  # fmt: skip
    assert not said(usual, "large-band")
    assert said(large, "large-band")[0].text.startswith("Mix: −4.0 dB")


def test_a_bus_compressor_that_came_later_is_told(after):
    assert not said(after, "later-dynamics")
    later = chain_edits.add_station(after.session, MIX, Compressor(threshold_db=-20.0))
    (told,) = said(after.at(later), "later-dynamics")
    assert "Compressor" in told.text
    assert told.aside  # a reminder, no fault
    beside, bus = routing_edits.add_bus(after.session, "Copy", "parallel")
    beside = chain_edits.add_station(beside, bus, Compressor(threshold_db=-40.0))
    assert not said(after.at(beside), "later-dynamics")  # the tracks are as they were


# By hand, live, and to be heard.


def test_bands_by_hand_go_on_all_microphones_and_leave_no_empty_equaliser(crowded):
    lanes = (lane(crowded, "Organ"), lane(crowded, "Harmonium"))
    session = by_hand.add_band(crowded.session, lanes, Band(gain_db=2.0))
    session = by_hand.add_band(session, lanes, Band(frequency_hz=300.0, gain_db=-3.0))
    session = by_hand.change_band(session, lanes, 1, gain_db=-5.0)
    for lane_id in lanes:
        assert [band.gain_db for band in by_hand.last_equaliser(session, lane_id).bands] == [2.0, -5.0]
    session = by_hand.drop_band(by_hand.drop_band(session, lanes, 0), lanes, 0)
    assert session.lane(lanes[0]).chain == ()


def test_live_figures_are_those_that_are_measured_afterwards(crowded):
    found = sharing(crowded)
    hand = live.Live(found, crowded.session)
    session = by_hand.add_band(crowded.session, (lane(crowded, "Organ"),), Band(frequency_hz=700.0, gain_db=-6.0))
    then = sharing(crowded.at(session)).shares
    assert hand.shares(session) == pytest.approx(then, abs=0.01)
    assert hand.shares(crowded.session) == pytest.approx(found.shares, abs=1e-6)
    assert live.differs_in_tone_alone(crowded.session, session)
    louder = edits.change_strips(session, [lane(crowded, "Organ")], level_db=-3.0)
    assert not live.differs_in_tone_alone(crowded.session, louder)


def test_what_was_taken_away_is_the_difference(crowded):
    organ = lane(crowded, "Organ")
    alone = edits.change_strips(crowded.session, [organ], solo=True)
    cut = by_hand.add_band(alone, (organ,), Band(frequency_hz=700.0, gain_db=-6.0))

    def rendered(session):
        return np.concatenate(list(render(make_plan(session, crowded.book.sources))))

    difference = rendered(alone) - rendered(cut)
    taken = rendered(
        hearing.taken_away(
            by_hand.add_band(crowded.session, (organ,), Band(frequency_hz=700.0, gain_db=-6.0)), (organ,)
        )
    )
    assert np.abs(difference).max() > 0.01
    assert np.abs(taken - difference).max() < 1e-5


def test_a_sweep_starts_quietly_and_is_held(crowded):
    organ = lane(crowded, "Organ")
    peak = crowded.measures(organ).sample_peak_dbfs
    states = [hearing.sweep(crowded.session, organ, 400.0, peak, start=start) for start in (True, False)]
    quiet, loud = (
        20.0 * np.log10(np.abs(np.concatenate(list(render(make_plan(state, crowded.book.sources))))).max())
        for state in states
    )
    assert quiet == pytest.approx(loud - 12.0, abs=0.1)
    assert loud <= peak + hearing.SWEEP_ROOM_DB - 3.0 + 0.1  # panned in the middle: 3 dB less


def test_pair_and_rest_are_all_there_is(crowded):
    lanes = (lane(crowded, "Organ"), lane(crowded, "Lead vox"))
    pair, rest, whole = (
        np.concatenate(list(render(make_plan(state, crowded.book.sources))))
        for state in (hearing.pair_alone(crowded.session, lanes), hearing.without(crowded.session, lanes),
                      crowded.session)
    )  # fmt: skip
    assert np.abs(pair + rest - whole).max() < 1e-6


def test_places_say_where_one_lies_on_another(crowded):
    found = lane_places.places(crowded, lane(crowded, "Organ"))
    assert any(place.sort == "lies on" for place in found)
    assert len(found) <= lane_places.MOST
    assert lane_places.places(crowded, lane(crowded, "Kick")) is not None


def test_a_part_that_is_duller_than_its_double_is_named_as_a_lack(tmp_path):
    folder = share_sessions.doubles(tmp_path / "doubles")
    look = look_at(folder)
    dull = lane_places.places(look, lane(look, "Viola dull"))
    found = next(place for place in dull if place.sort == "beside its like")
    assert found.word in ("dull", "lacking presence")  # by where it lacks most
    assert found.gain_db > 0.0
    bright = lane_places.places(look, lane(look, "Viola"))
    assert any(place.sort == "beside its like" and place.gain_db < 0.0 for place in bright)


def test_a_dynamic_band_by_hand_moves_only_where_it_is_loud(crowded):
    session = by_hand.add_dynamic(crowded.session, (lane(crowded, "Organ"),), 700.0, 2.0, -4.0, -30.0)
    (station,) = session.lane(lane(crowded, "Organ")).chain
    assert isinstance(station, DynamicEqualiser)
    assert station.bands[0].threshold_db == -30.0


def test_the_book_lists_every_band_and_counts_zones(after):
    book = bookkeeping.book(after.session, after.reports)
    changed = {item.id for item in after.session.lanes if item.chain}
    assert {thread.lane_id for thread in book.threads} == changed
    for thread in book.threads:
        assert thread.texts
        assert thread.knobs is not None
    assert len(book.lifts) == len(book.cuts) == 6
    assert bookkeeping.book(replace(after.session, lanes=()), after.reports).threads == ()
