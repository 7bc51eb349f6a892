"""Approaches: off by default and then nothing to anybody; chosen, each says what it costs. The kinds themselves are
held by `test_every_kind`."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import decibels, stages
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import settings
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.utility import Gain
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.figures.book.flow import change_db, with_makeup
from all_even.figures.dynamics.coloured import coloured
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import low_end
from all_even.moves import making
from all_even.moves.approaches import bass_tone, colour, mix_knobs, offers, pocket, retuned
from all_even.moves.kind import numbers_of
from all_even.moves.share.lane_places import places
from all_even.session.editing import chain_edits, clip_edits, edits
from all_even.session.file.store import load, save
from all_even.session.machine import template
from all_even.session.model.approaches import Approaches, all_chosen
from tests.moves import approach_sessions, low_sessions
from tests.moves.looks import ducked, find, look_at


@pytest.fixture(scope="module")
def band(tmp_path_factory):
    return look_at(approach_sessions.band(tmp_path_factory.mktemp("band")))


@pytest.fixture(scope="module")
def low(tmp_path_factory):
    return look_at(low_sessions.colliding(tmp_path_factory.mktemp("low")))


def with_approach(look, **values):
    return look.at(edits.set_approaches(look.session, **values))


def test_each_has_a_stage_a_sentence_and_kinds():
    names = set(settings(Approaches))
    assert names == set(Approaches.STAGES) == set(Approaches.HELP)
    for name, stage in Approaches.STAGES.items():
        kinds = offers.kinds_of(name, stages.kinds())
        assert kinds or name in offers.TURNED
        assert stage in stages.all_keys()
        assert len(Approaches.HELP[name].split()) <= 20
        assert all(kind.optional for kind in kinds if kind.approach)
        assert all(kind.stage == stage for kind in kinds if kind.approach)
    assert {kind.approach for kind in stages.kinds().values()} - {""} <= names
    assert set(all_chosen().chosen) == names


def test_what_is_not_chosen_proposes_nothing(band):
    asked = [kind for kind in stages.kinds().values() if kind.approach]
    assert len(asked) > 40
    assert making.propose(band, asked) == []


def test_a_choice_of_one_opens_only_its_own(low):
    chosen = with_approach(low, kick_click=True)
    asked = [kind for kind in stages.kinds().values() if kind.approach]
    assert {move.kind for move in making.propose(chosen, asked)} == {"low-end.click-more", "low-end.click-softer"} & {
        move.kind for move in making.propose(chosen, asked)
    }


def test_what_is_chosen_is_in_the_file_and_in_the_ledger(low, tmp_path):
    from all_even.session.file.describe import sentence

    chosen = edits.set_approaches(low.session, punch=True, glue_ratio="4:1")
    save(chosen, tmp_path / "a.alleven")
    assert load(tmp_path / "a.alleven").approaches == chosen.approaches
    assert chosen.approaches.chosen == ("glue_ratio", "punch")
    assert sentence(low.session, chosen) == "Approach: ratio of the glue as usual → 4:1; Approach: punch off → on"


def test_a_template_takes_them_along(low):
    kept = template.of_session(edits.set_approaches(low.session, pocket=True), "Mine")
    assert template.applied(low.session, kept).approaches.pocket


def test_a_move_of_one_tells_its_figure_the_second_estimate_and_what_it_costs(low):
    chosen = with_approach(low, pocket=True, cut_under_notes=True)
    moves = making.propose(chosen, [*pocket.KINDS, bass_tone.UNDER_NOTES])
    assert moves
    for move in moves:
        assert move.source == "trial"
        assert "Masked, 2nd opinion" in move.reason
        assert ("Costs something" in move.reason) == (move.evidence["costs"] is not None)
        assert ("Nothing in the whole gets worse" in move.reason) == (move.evidence["costs"] is None)


def test_a_pocket_is_where_it_is_worth_most_and_as_loud_as_before(band):
    move = next(iter(making.propose(with_approach(band, pocket=True), [pocket.ON_BASS])))
    found = copies(band)
    p = numbers_of(move)
    net = found.net_db(found.tried(dict.fromkeys(found.basses, pocket.bell(p))))
    others = [
        found.net_db(found.tried(dict.fromkeys(found.basses, pocket.bell({**p, "place_hz": hz}))))
        for hz in pocket.PLACES_HZ
    ]
    assert net >= max(others) - 0.3
    assert net > 0.0
    assert move.expected > move.before


def test_a_pocket_set_by_hand_is_measured_anew(band):
    chosen = with_approach(band, pocket=True)
    move = next(iter(making.propose(chosen, [pocket.ON_BASS])))
    other = making.with_parameters(pocket.ON_BASS, move, {"amount_db": 1.5, "place_hz": 180.0})
    assert other.expected is None
    refit = pocket.ON_BASS.refit(chosen, other)
    assert refit.title == "Pocket: bass +1.5 dB around 180 Hz"
    assert refit.expected is None or refit.expected != move.expected


def test_balance_by_clip_gain_leaves_the_faders_at_rest_and_sounds_the_same(band):
    start = find(band, "balance.voice-first")
    kind = stages.kinds()["balance.voice-first"]
    ready = kind.prepare(band, start)
    faders = making.made(band.session, kind, ready)
    clips = making.made(edits.set_approaches(band.session, balance_by="clip gain"), kind, ready)
    assert {lane.level_db for lane in clips.lanes} == {0.0}
    assert any(lane.level_db != 0.0 for lane in faders.lanes)
    sounds = [np.concatenate(list(render(make_plan(session, band.book.sources)))) for session in (faders, clips)]
    np.testing.assert_allclose(sounds[0], sounds[1], atol=1e-6)


def test_a_fader_stays_moved_where_its_clip_gain_would_change_a_compressor(band):
    lane = band.session.lanes[0].id
    before = chain_edits.add_station(band.session, lane, Compressor())
    after = edits.nudge_levels(before, [one.id for one in before.lanes], -4.0)
    rested = clip_edits.faders_at_rest(before, after)
    assert rested.lane(lane).level_db == -4.0
    assert {one.level_db for one in rested.lanes if one.id != lane} == {0.0}
    assert {one.clip_gain_db for one in rested.lanes if one.id != lane} == {-4.0}
    off = edits.set_levels(before, {before.lanes[1].id: decibels.OFF_DB})
    assert clip_edits.faders_at_rest(before, off).lanes[1].level_db == decibels.OFF_DB


def test_hard_panning_has_nothing_between(band):
    kind = stages.kinds()["balance.spread"]
    usual, hard = (
        making.propose(with_approach(band, pan_width=width), [kind])[0].parameters["pans"]
        for width in ("as usual", "hard left and right")
    )
    assert {abs(pan) for pan in hard.values()} == {1.0}
    assert any(0.0 < abs(pan) < 1.0 for pan in usual.values())


def test_the_ratio_of_the_glue_is_chosen_and_fitted_anew(band):
    kind = stages.kinds()["dynamics.glue"]
    fits = {}
    for ratio in ("as usual", "4:1"):
        moves = making.propose(with_approach(band, glue_ratio=ratio), [kind])
        fits[ratio] = next((move.parameters for move in moves if move.targets == ("mix",)), None)
    assert fits["as usual"] is not None
    assert fits["4:1"] is not None
    assert (fits["as usual"]["ratio"], fits["4:1"]["ratio"]) == (2.0, 4.0)
    assert fits["4:1"]["threshold_db"] > fits["as usual"]["threshold_db"]


def test_offers_are_there_whether_chosen_or_not_and_can_be_heard(band):
    found = offers.offers(band, "kick_click", stages.kinds())
    assert {offer.move.kind for offer in found} == {"low-end.click-more", "low-end.click-softer"}
    for offer in found:
        assert offer.made.lanes != band.session.lanes
    ratios = offers.offers(band, "glue_ratio", stages.kinds())
    assert [offer.move.title.partition(":1: ")[0] for offer in ratios] == ["2", "3", "4"]
    assert not offers.offers(band, "heard_room", stages.kinds())  # there is no return yet
    with pytest.raises(KeyError):
        offers.offers(band, "nonsense", stages.kinds())


def test_colour_on_all_is_as_loud_track_by_track_and_tracks_can_be_left_out(band):
    chosen = with_approach(band, colour=True)
    move = making.propose(chosen, [colour.ALL[0]])[0]
    first = move.targets[0]
    made = making.made(chosen.session, colour.ALL[0], move)
    from all_even.figures.dynamics.dynamics import strip_signal

    for lane_id in move.targets:
        was, is_now = (strip_signal(chosen, session, lane_id).lufs for session in (chosen.session, made))
        assert is_now == pytest.approx(was, abs=0.3)
    fewer = making.without_parts(colour.ALL[0], move, [first])
    left = making.made(chosen.session, colour.ALL[0], fewer)
    assert not left.lane(first).chain
    assert left.lane(move.targets[1]).chain


def test_what_is_added_by_a_curve_is_told_and_a_clean_sound_has_nothing():
    rng = np.random.default_rng(4)
    sound, other = rng.standard_normal((2, 20_000, 1))
    assert colour.added_db(sound, 0.5 * sound) == colour.CLEAN_DB
    filtered = np.convolve(sound[:, 0], (0.8, 0.2), "same")[:, np.newaxis]
    assert colour.added_db(sound, filtered) < -40.0
    assert colour.added_db(sound, sound + 0.1 * other) == pytest.approx(-20.0, abs=0.5)
    one_side = np.hstack((np.zeros_like(sound), sound))
    assert colour.added_db(one_side, one_side + np.hstack((0.0 * other, 0.1 * other))) == pytest.approx(-20.0, abs=0.5)
    assert colour.added_db(0.0 * sound, 0.0 * sound) == colour.CLEAN_DB


def test_saturation_is_counted_like_a_compressor(band):
    lane = next(one.id for one in band.session.lanes if one.role == "lead voice")
    hot = chain_edits.add_station(band.session, lane, Saturation(drive_db=36.0))
    side = coloured(band.at(hot), lane).side
    assert side.noise_rise_db > 3.0
    assert side.lifts_noise
    assert coloured(band, lane) is None


def test_two_knobs_are_as_loud_as_before(band):
    chosen = with_approach(band, two_knobs=True)
    move = making.propose(chosen, [mix_knobs.KIND])[0]
    made = chosen.at(making.made(chosen.session, mix_knobs.KIND, move))
    assert made.mix.integrated_lufs == pytest.approx(chosen.mix.integrated_lufs, abs=0.15)


@pytest.mark.parametrize(
    ("hz", "key", "cents", "note"),
    [
        (55.0, "A minor", 0.0, "A"),
        (58.27, "A minor", -100.0, "A"),
        (49.0, "C major", 0.0, "G"),
    ],
)
def test_the_nearest_note_of_a_key(hz, key, cents, note):
    """Frequencies of equal temperament at A4 = 440 Hz: A1 55, B flat 1 58.27, A flat 1 51.91, G1 49 Hz (textbooks)."""
    found, name = retuned.to_key_cents(hz, key)
    assert abs(found) == pytest.approx(abs(cents), abs=3.0)
    assert name == note or abs(cents) == 100.0


def test_a_duck_tells_what_it_takes_from_the_bass_s_own_start(tmp_path):
    look = look_at(low_sessions.long_tail(tmp_path / "low"))
    assert low_end(look).start_lost_db is None
    lost = low_end(look.at(ducked(look.session))).start_lost_db
    assert lost == pytest.approx(9.0, abs=1.5)  # the shape is 9 dB deep from its hits on


def test_a_makeup_that_follows_gives_back_what_was_taken(band):
    lane = band.session.lanes[0].id
    station = Compressor(threshold_db=-24.0, ratio=6.0, makeup_follows=True)
    look = band.at(chain_edits.add_station(band.session, lane, station))
    for _ in range(2):
        look = look.at(with_makeup(look.session, look.flow))
    flow = look.flow.strip(look.session, lane)
    assert abs(change_db(flow, 0)) < 0.2
    assert look.session.lane(lane).chain[0].makeup_db > 1.0
    by_hand = band.at(chain_edits.add_station(band.session, lane, replace(station, makeup_follows=False)))
    assert with_makeup(by_hand.session, by_hand.flow) is by_hand.session


def test_a_narrow_peak_of_a_high_sound_is_a_place(band):
    from all_even.dsp.tone.equaliser import Band, Equaliser

    lane = next(one.id for one in band.session.lanes if one.role == "tambourine")
    assert not [place for place in places(band, lane) if place.sort == "peak"]
    peaked = chain_edits.add_station(
        band.session, lane, Equaliser(bands=(Band(frequency_hz=7600.0, gain_db=14.0, q=4.0),))
    )
    found = [place for place in places(band.at(peaked), lane) if place.sort == "peak"]
    assert found
    assert found[0].hz == pytest.approx(7600.0, rel=0.08)
    assert found[0].gain_db < 0.0


def test_gain_alone_is_no_peak(band):
    lane = next(one.id for one in band.session.lanes if one.role == "tambourine")
    louder = chain_edits.add_station(band.session, lane, Gain(gain_db=6.0))
    assert not [place for place in places(band.at(louder), lane) if place.sort == "peak"]
