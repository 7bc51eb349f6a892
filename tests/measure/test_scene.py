"""All tracks at once: shares with frozen weights, their slope, and the gain that keeps a track as loud as it is."""

import numpy as np
import pytest

from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.measure.level import loudness
from all_even.measure.level.hops import HOP_S, k_weighting
from all_even.measure.sharing import masking, scene
from all_even.measure.sharing.partial_loudness import A_OVER_QUIET, ALPHA, partial_loudness, specific
from all_even.measure.sharing.scene import Trial, band_gains, bins_hz, home, loudness_weights, scene_of
from tests.measure.sounds import RATE
from tests.moves.share_sessions import band, chords, held, melody


@pytest.fixture(scope="module")
def tracks() -> dict[str, masking.Excitation]:
    sounds = {
        "voice": 0.3 * held(melody([220.0, 247.0, 294.0]), 1.2),
        "organ": 0.2 * held(chords([196.0, 220.0]), 0.9),
        "noise": 2.0 * band(1500.0, 6000.0, 3),
    }
    return {name: masking.excitation_of(sound[:, np.newaxis], RATE) for name, sound in sounds.items()}


@pytest.fixture(scope="module")
def trial(tracks) -> Trial:
    whole = masking.find_masking(tracks, RATE)
    return Trial(scene_of(tracks, tracks, whole.floor, {"voice": 1.0, "organ": 0.5}, RATE))


def test_with_its_own_weights_share_star_is_the_masked_share(tracks, trial):
    known = masking.find_masking(tracks, RATE).shares
    assert trial.shares == pytest.approx([known[name] for name in trial.scene.names], abs=1e-5)


def test_cutting_what_is_hidden_gains_nothing_with_frozen_weights(tracks):
    quiet = {**tracks, "voice": tracks["voice"].scaled(-30.0)}
    floor = masking.find_masking(quiet, RATE).floor
    before = scene.Trial(scene_of(quiet, quiet, floor, {}, RATE))
    cut = np.where(before.shares[0] > 0.5, 10.0 ** (-2.0), 1.0) * np.ones(len(masking.centres_hz()))
    assert before.tried(0, cut)[0] >= before.shares[0] - 1e-9


@pytest.mark.parametrize(("track", "place"), [(0, 20), (0, 35), (1, 25), (2, 55)])
def test_the_slope_is_what_a_small_change_does(trial, track, place):
    step_db = 0.1
    gains = np.ones(len(masking.centres_hz()))
    costs = []
    for sign in (1.0, -1.0):
        gains[place] = 10.0 ** (sign * step_db / 10.0)
        kept = trial.kept(track, gains)
        costs.append(trial.cost(trial.tried(track, kept), track, kept, timbre=0.0))
    slope = (costs[0] - costs[1]) / (2.0 * step_db)
    assert trial.slope()[track, place] == pytest.approx(slope, rel=0.05, abs=2e-7)


def test_the_guard_costs_what_others_lose_beyond_two_per_cent(trial):
    worse = trial.before + np.array([0.0, 0.05, 0.0])
    weight = trial.scene.importance[1]
    assert trial.cost(worse) - trial.cost() == pytest.approx(weight * (0.05 + 0.03))


def test_kept_gains_leave_the_loudness_of_a_wide_sound_within_a_tenth():
    noise = band(60.0, 12_000.0, 1, 3.0)[:, np.newaxis]
    station = Equaliser(bands=(Band(frequency_hz=2000.0, gain_db=6.0, q=0.7), Band(frequency_hz=300.0, gain_db=-4.0)))
    track = masking.excitation_of(noise, RATE)
    trial = Trial(scene_of({"noise": track}, {"noise": track}, 1e-9, {}, RATE))
    curve = band_gains(station.magnitude(bins_hz(RATE), RATE), RATE)
    predicted_db = 10.0 * np.log10(trial.kept(0, curve)[10] / curve[10])
    levels = [_lufs(sound) for sound in (noise, Single(station, RATE)(noise))]
    assert predicted_db == pytest.approx(levels[0] - levels[1], abs=0.1)


def _lufs(sound: np.ndarray) -> float:
    from scipy.signal import sosfilt

    weighted = sosfilt(np.insert(k_weighting(RATE), 3, 1.0, axis=1), sound, axis=0)
    per_hop = round(HOP_S * RATE)
    found = loudness.integrated_lufs((weighted**2).reshape(-1, per_hop, 1).mean(axis=1))
    assert found is not None
    return found


def test_band_gains_of_a_flat_filter_are_one_and_of_a_bell_its_height_at_its_place():
    assert band_gains(np.ones(len(bins_hz(RATE))), RATE) == pytest.approx(1.0)
    bell = Equaliser(bands=(Band(frequency_hz=1000.0, gain_db=6.0, q=0.7),))
    gains_db = 10.0 * np.log10(band_gains(bell.magnitude(bins_hz(RATE), RATE), RATE))
    place = int(np.argmin(np.abs(masking.centres_hz() - 1000.0)))
    assert gains_db[place] == pytest.approx(6.0, abs=0.1)


def test_home_is_where_a_track_has_its_body():
    track = masking.excitation_of(held(melody([220.0, 247.0]), 2.0)[:, np.newaxis], RATE)
    own, centres = home(track.power), masking.centres_hz()
    assert own[np.argmin(np.abs(centres - 230.0))]
    assert not own[np.argmin(np.abs(centres - 60.0))]
    assert not own[np.argmin(np.abs(centres - 5000.0))]


def test_k_weighting_of_bands_is_that_of_the_recommendation():
    """ITU-R BS.1770-5: about +4 dB over 4 kHz, 0.69 dB at 997 Hz, so that a 0 dBFS sine there reads -3.01 LUFS."""
    weights_db = 10.0 * np.log10(loudness_weights(48_000))
    centres = masking.centres_hz()
    assert np.interp(997.0, centres, weights_db) == pytest.approx(0.69, abs=0.05)
    assert weights_db[centres > 6000.0] == pytest.approx(4.0, abs=0.15)


def test_partial_loudness_meets_itself_at_the_threshold():
    """Both branches of the published model (above and under the masked threshold) have to agree there: equations 19
    and 20 of Moore, Glasberg and Baer 1997 at E = E_threshold."""
    noise, factor = np.array([0.0, 1.0, 100.0, 1e5]), np.array(0.5)
    at = factor * noise + 1.0
    under, over = specific(at * (1.0 - 1e-9), noise, factor), specific(at * (1.0 + 1e-9), noise, factor)
    assert under == pytest.approx(over, rel=1e-4)
    quiet = (1.0 + A_OVER_QUIET) ** ALPHA - A_OVER_QUIET**ALPHA
    assert over[0] == pytest.approx(quiet, rel=1e-6)


def test_partial_loudness_falls_with_a_masker_and_is_whole_without():
    own = masking.excitation_of(0.2 * band(800.0, 1200.0, 1)[:, np.newaxis], RATE).spread
    other = masking.excitation_of(0.6 * band(700.0, 1400.0, 2)[:, np.newaxis], RATE).spread
    floor = float(own.max()) * 1e-7
    alone, together = (partial_loudness(own, total, floor) for total in (own, own + other))
    assert 0.0 < together < 0.7 * alone
    assert partial_loudness(np.zeros_like(own), other, floor) == 0.0


def test_thinned_frames_tell_nearly_the_same(trial):
    few = Trial(trial.scene.thinned(1.0 / 3.0))
    assert few.shares == pytest.approx(trial.shares, abs=0.02)
    assert few.scene.power.shape[1] == pytest.approx(trial.scene.power.shape[1] / 3.0, abs=1.0)
