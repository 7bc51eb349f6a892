"""One beat in a picture: the landmarks say what the gain does, and moving one sets the number it stands for."""

import numpy as np
import pytest

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import numbers
from all_even.moves.ducking import find_ducks
from all_even.moves.low_end.ducks import beat
from all_even.moves.low_end.ducks.duck_warnings import warnings
from tests.measure.sounds import RATE, kick, placed, plucked

SECONDS = 8.0
HITS = [0.25 + 0.5 * i for i in range(15)]


@pytest.fixture(scope="module")
def ducks():
    bass = plucked([(0.5 * i, 0.5, (55.0, 61.7)[i % 2]) for i in range(15)], SECONDS)
    own = 0.5 * placed(kick(56.0, 150.0), HITS, SECONDS)
    return find_ducks(own, bass, RATE, hits_s=HITS, only=["keyed", "drawn", "pulse"])


def test_a_drawn_shape_has_the_landmarks_it_was_given(ducks):
    own = {"depth_db": 9.0, "hold_ms": 60.0, "length_ms": 120.0, "curve": 0.0}
    found = beat.beat(ducks, "drawn", own)
    assert (found.landmarks.holds_ms, found.landmarks.back_ms, found.landmarks.depth_db) == (60.0, 180.0, 9.0)
    assert found.gain_db.min() == pytest.approx(-9.0, abs=0.1)
    at_rest = found.gain_db[(found.times_ms > 200) & (found.times_ms < 400)]
    np.testing.assert_allclose(at_rest, 0.0, atol=0.01)


def test_the_sum_is_never_over_both_together_and_the_hole_is_where_the_bass_is_away(ducks):
    own = {"depth_db": 20.0, "hold_ms": 250.0, "length_ms": 100.0, "curve": 0.0}
    found = beat.beat(ducks, "drawn", own)
    assert found.excess_db.max() <= 3.1
    hole = found.excess_db < -3.0
    assert hole.any()
    assert found.times_ms[hole].min() > 60.0
    assert found.figures.gap_db > 3.0


def test_controls_can_be_drawn_beside(ducks):
    for name in ("none", "plain", "keyed_default"):
        found = beat.beat(ducks, name, ducks.method(name).numbers)
        assert np.isfinite(found.sum_db).all()
    assert beat.beat(ducks, "none", {}).landmarks is None


@pytest.mark.parametrize(("handle", "value", "knob"), [("back", 220.0, "length_ms"), ("holds", 80.0, "hold_ms"),
                                                       ("depth", 5.0, "depth_db")])  # fmt: skip
def test_moving_a_landmark_of_a_drawn_shape_sets_it_there(ducks, handle, value, knob):
    own = {"depth_db": 9.0, "hold_ms": 60.0, "length_ms": 120.0, "curve": 0.0}
    before = beat.beat(ducks, "drawn", own)
    moved = beat.moved("drawn", own, before.landmarks, handle, value)
    assert {name for name in own if moved[name] != own[name]} == {knob}
    marks = beat.beat(ducks, "drawn", moved).landmarks
    assert {"back": marks.back_ms, "holds": marks.holds_ms, "depth": marks.depth_db}[handle] == pytest.approx(value)


def test_moving_a_landmark_of_a_compressor_goes_the_right_way(ducks):
    own = ducks.method("keyed").numbers
    before = beat.beat(ducks, "keyed", own)
    for handle, value in (("back", before.landmarks.back_ms + 60.0), ("depth", before.landmarks.depth_db + 3.0)):
        after = beat.beat(ducks, "keyed", beat.moved("keyed", own, before.landmarks, handle, value))
        if handle == "back":
            assert after.landmarks.back_ms > before.landmarks.back_ms + 20.0
        else:
            assert after.landmarks.depth_db > before.landmarks.depth_db + 1.0


def test_no_landmark_leaves_the_range_of_its_number(ducks):
    own = ducks.method("keyed").numbers
    marks = beat.beat(ducks, "keyed", own).landmarks
    for handle in beat.handles("keyed"):
        for value in (-1e6, 1e6):
            moved = beat.moved("keyed", own, marks, handle, value)
            assert 0.5 <= moved["depth_db"] <= numbers(Ducker)["depth_db"].high
            for name in ("attack_ms", "release_ms"):
                assert numbers(Compressor)[name].low <= moved[name] <= numbers(Compressor)[name].high


@pytest.mark.parametrize(
    ("own", "said"),
    [
        ({"depth_db": 12.0, "attack_ms": 1.0, "release_ms": 590.0}, "not back before the next hit"),
        ({"depth_db": 14.0, "attack_ms": 0.3, "release_ms": 2.0}, "low-frequency distortion"),
        ({"depth_db": 6.0, "attack_ms": 2.0, "release_ms": 60.0}, None),
    ],
)
def test_what_is_wrong_with_a_keyed_duck_is_said_with_its_figure(ducks, own, said):
    found = warnings(ducks, "keyed", own)
    assert (any(said in sentence for sentence in found)) if said is not None else found == ()


def test_a_key_that_hears_a_snare_and_doubles_that_are_missed_are_said():
    """The detector listens to a track with a snare in it that is as loud; one hit is a soft double."""
    hits = sorted([*HITS[::2], HITS[4] + 0.13])
    levels = [0.15 if hit == HITS[4] + 0.13 else 1.0 for hit in hits]
    own = 0.5 * placed(kick(56.0, 80.0), hits, SECONDS, levels)
    snare = 0.5 * placed(kick(190.0, 60.0), [hit + 0.5 for hit in HITS[:-2:2]], SECONDS)
    bass = plucked([(0.5 * i, 0.5, 55.0) for i in range(15)], SECONDS)
    found = find_ducks(own, bass, RATE, hits_s=hits, only=["keyed"], detector=own + snare)
    told = " ".join(warnings(found, "keyed", {"depth_db": 10.0, "attack_ms": 1.0, "release_ms": 60.0}))
    assert "the key hears more than the kick" in told
    assert "hardly ducked: 0:02.4" in told


def test_the_band_is_shown_on_the_keys_spectrum():
    bass = plucked([(0.5 * i, 0.5, 55.0) for i in range(15)], SECONDS)
    found = find_ducks(0.5 * placed(kick(56.0, 150.0), HITS, SECONDS), bass, RATE, hits_s=HITS, only=["band"])
    picture = beat.beat(found, "band", found.method("band").numbers)
    low, high = picture.band_hz
    assert low < picture.key_hz[int(np.argmax(picture.key_db))] < high
    assert beat.beat(found, "none", {}).band_hz is None
