"""Units, punch, separation, side effects on sounds whose truth is known."""

import numpy as np
import pytest

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Single
from all_even.measure.dynamics import movement, separation, sibilants, side_effects, units
from all_even.measure.dynamics.signal import signal_of
from tests import measuring
from tests.measure.sounds import RATE, kick, placed, snare
from tests.moves import dynamic_sessions
from tests.moves.share_sessions import chords, held

HITS_S = tuple(np.arange(0.3, 9.5, 0.5))


def part(sound, hits_s=(), *, is_sum=False):
    return movement.part_of(signal_of(sound[:, np.newaxis], RATE), hits_s, is_sum=is_sum)


def behind(found, station):
    gain = np.zeros(len(found.signal.samples))
    now = Single(station, RATE)(found.signal.samples, None, gain)
    return movement.movement(found, signal_of(now, RATE), gain)


def test_every_note_of_a_line_is_a_unit_at_its_level():
    planted = np.array(dynamic_sessions.PLANTED_DB)
    found = units.find_units(part(dynamic_sessions.line()).signal.power)
    assert len(found) == 24
    np.testing.assert_allclose(found.starts_s, 0.25 + 0.5 * np.arange(24), atol=0.03)
    expected = np.resize(planted, 24)
    np.testing.assert_allclose(found.levels_db - found.levels_db[0], expected - expected[0], atol=1.0)
    low, high = np.percentile(expected, (10, 90))
    assert found.spread_db == pytest.approx(high - low, abs=0.5)


def test_a_dip_of_six_decibels_parts_two_notes_and_one_of_three_does_not():
    sound = np.concatenate([np.full(RATE // 2, level) for level in (0.0, 0.5, 0.5, 0.0)])
    for depth_db, count in ((3.0, 1), (9.0, 2)):
        dipped = sound.copy()
        middle = slice(RATE - 2400, RATE + 2400)
        dipped[middle] *= 10.0 ** (-depth_db / 20.0)
        assert len(units.find_units(part(dipped).signal.power)) == count


def test_otsu_parts_two_heaps_between_them():
    rng = np.random.default_rng(1)
    values = np.concatenate((rng.normal(-40.0, 2.0, 400), rng.normal(-12.0, 2.0, 150)))
    assert -34.0 < units.otsu(values) < -18.0


def test_few_units_have_no_spread_and_silence_has_none():
    assert units.spread_db(np.arange(7.0)) is None
    assert len(units.find_units(np.zeros(500))) == 0
    assert side_effects.contour(units.find_units(np.zeros(500)), np.zeros(0)) is None


def test_punch_is_the_first_ten_milliseconds_over_the_body():
    """By its definition: 10 log10 of mean squares, on hits whose two parts are known."""
    hit = np.zeros(round(0.3 * RATE))
    hit[: RATE // 100] = 0.5
    hit[round(0.03 * RATE) : round(0.15 * RATE)] = 0.05
    found = part(placed(hit, HITS_S, 10.0), HITS_S)
    assert found.punch_db == pytest.approx(20.0, abs=0.1)


def test_a_fast_compressor_takes_punch_and_a_slow_one_gives_it():
    """Common practice: fast attacks grab and round, 10 to 20 ms let a snap pass."""
    found = part(placed(snare(), HITS_S, 10.0), HITS_S)
    fast = behind(found, Compressor(threshold_db=-24.0, ratio=6.0, attack_ms=0.1, release_ms=200.0))
    slow = behind(found, Compressor(threshold_db=-24.0, ratio=6.0, attack_ms=15.0, release_ms=200.0))
    assert fast.side.attack_change_db < -1.0
    assert fast.side.dulls
    assert slow.side.attack_change_db > 1.0
    assert not slow.side.dulls


def test_a_pad_that_ducks_under_every_kick_pumps_and_a_gentle_one_does_not():
    pad = 0.1 * held(chords([196.0], 10.0), seconds=10.0)
    found = part(placed(kick(), HITS_S, 10.0) + pad, HITS_S, is_sum=True)
    hard = behind(found, Compressor(threshold_db=-30.0, ratio=8.0, attack_ms=1.0, release_ms=120.0))
    gentle = behind(found, Compressor(threshold_db=-8.0, ratio=1.5, attack_ms=30.0, release_ms=600.0))
    assert hard.side.pumps
    assert hard.side.pump_db > 4.0
    assert not gentle.side.pumps


def test_what_is_quiet_comes_up_with_compression_and_phrases_lose_their_dynamics():
    lines = [dynamic_sessions.line((db, db - 1.0, db + 1.0))[: 4 * RATE] for db in (0.0, -10.0, -4.0)]
    phrases = np.concatenate([part for line in lines for part in (line, np.zeros(RATE // 2))])
    found = part(phrases + 1e-4 * np.random.default_rng(2).standard_normal(len(phrases)))
    hard = behind(found, Compressor(threshold_db=-50.0, ratio=10.0, attack_ms=5.0, release_ms=80.0, level="RMS"))
    assert hard.side.lifts_noise
    assert hard.side.flattens
    assert hard.side.contour < 0.4
    untouched = behind(found, Compressor(threshold_db=0.0))
    assert untouched.side.contour == pytest.approx(1.0, abs=0.01)
    assert untouched.side.noise_rise_db == pytest.approx(0.0, abs=0.05)


def test_a_gain_that_follows_the_wave_of_a_low_note_shakes():
    low = part(dynamic_sessions.line((0.0,), hz=50.0))
    fast = behind(low, Compressor(threshold_db=-30.0, ratio=10.0, attack_ms=0.1, release_ms=1.0))
    slow = behind(low, Compressor(threshold_db=-30.0, ratio=10.0, attack_ms=20.0, release_ms=300.0, level="RMS"))
    assert fast.side.shakes
    assert not slow.side.shakes


def test_louder_is_unmatched_until_the_bypass_is_turned_by_as_much():
    found = part(dynamic_sessions.line())
    gain = np.zeros(len(found.signal.samples))
    louder = signal_of(found.signal.samples * np.float32(2.0), RATE)
    assert movement.movement(found, louder, gain).side.unmatched
    assert not movement.movement(found, louder, gain, matched_lu=6.0).side.unmatched


def test_own_hits_and_bleed_are_told_apart_by_their_peaks():
    own = placed(snare(), HITS_S, 10.0)
    bleed = placed(kick(), np.array(HITS_S) + 0.25, 10.0) * 0.1
    peaks = np.abs(own + bleed).reshape(-1, 480).max(axis=1)
    found = separation.separation(peaks)
    assert (found.own, found.others) == (len(HITS_S), len(HITS_S))
    assert found.db == pytest.approx(20.0 * np.log10(np.abs(own).max() / np.abs(bleed).max()), abs=1.5)
    np.testing.assert_allclose(measuring.own_hits_s(peaks, found), HITS_S, atol=0.02)


def test_softer_hits_of_its_own_are_no_bleed_and_another_drum_is():
    levels = np.where(np.arange(len(HITS_S)) % 2, 0.2, 1.0)
    ghosts = signal_of(placed(snare(), HITS_S, 10.0, levels)[:, np.newaxis], RATE)
    bled = placed(snare(), HITS_S[::2], 10.0) + 0.2 * placed(kick(), HITS_S[1::2], 10.0)
    other = signal_of(bled[:, np.newaxis], RATE)
    assert not separation.is_bleed(ghosts, separation.separation(ghosts.peaks), ())
    assert separation.is_bleed(other, separation.separation(other.peaks), ())
    # The same soft hits, when another microphone says that they are its own.
    assert separation.is_bleed(ghosts, separation.separation(ghosts.peaks), HITS_S[1::2])


def test_a_microphone_without_bleed_has_no_separation():
    peaks = np.abs(placed(snare(), HITS_S, 10.0)).reshape(-1, 480).max(axis=1)
    assert separation.separation(peaks) is None


def test_every_s_is_found_and_a_pad_has_none():
    sound = dynamic_sessions.speech(hiss_db=-4.0)
    found = sibilants.find_sibilants(sound[:, np.newaxis], RATE)
    truth = np.arange(0.25, dynamic_sessions.SECONDS - 1.5, 0.75) - 0.025
    middle = 0.5 * (found.starts_s + found.ends_s)
    assert found.sure
    assert all(np.abs(middle - at).min() < 0.04 for at in truth)
    assert len(found) <= len(truth) + 1
    pad = held(chords([196.0], 10.0), seconds=10.0)
    assert not sibilants.find_sibilants(pad[:, np.newaxis], RATE).sure
    assert len(sibilants.find_sibilants(np.zeros((RATE, 1)), RATE)) == 0


def test_one_note_that_is_held_does_not_count_as_if_all_dynamics_were_gone():
    """The contour is the median of the pairs' slopes (Sen 1968): known for halves, robust against an outlier."""
    before = np.array([-30.0, -26.0, -22.0, -18.0, -28.0, -20.0, -24.0])
    assert side_effects.slope(before, 0.5 * before) == pytest.approx(0.5)
    held = before.copy()
    stuck_out = np.append(before, -2.0)
    assert side_effects.slope(stuck_out, np.append(held, -14.0)) == pytest.approx(1.0)
    equal = np.array([-20.0] * 12 + [-8.0])
    assert side_effects.slope(equal, np.minimum(equal, -16.0)) is None  # but for one hit nothing differs
