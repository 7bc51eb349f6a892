"""Dynamics against the definitions of Giannoulis, Massberg and Reiss (J. Audio Eng. Soc. 60, 2012).

Static curve with a constant magnitude; attack and release are the times to 63 % of a step in dB. The
limiter is judged by scipy's resampling to four times the rate, saturation by the spectrum of a tone.
"""

import math

import numpy as np
import pytest
from scipy import signal

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Single
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.tone.sub_octave import SubOctave
from all_even.dsp.utility import Width

RATE = 48_000


def amplitude(level_db):
    return 10.0 ** (np.asarray(level_db) / 20.0)


def constant(level_db: float, seconds: float = 1.0) -> np.ndarray:
    """Constant magnitude, alternating sign."""
    frames = round(seconds * RATE)
    return (amplitude(level_db) * (-1.0) ** np.arange(frames))[:, np.newaxis] * np.ones(2)


@pytest.mark.parametrize("level", ["peak", "RMS"])
@pytest.mark.parametrize("topology", ["branching", "decoupled"])
@pytest.mark.parametrize(("ratio", "knee", "limiting"), [(2.0, 0.0, False), (4.0, 12.0, False), (1.0, 6.0, True)])
def test_the_static_curve_is_the_published_one(level, topology, ratio, knee, limiting):
    """Equation 4 of the paper, written out here again, within 0.05 dB."""
    compressor = Compressor(
        threshold_db=-30.0, ratio=ratio, limiting=limiting, knee_db=knee, attack_ms=1.0, release_ms=20.0,
        level=level, topology=topology,
    )  # fmt: skip
    slope = 0.0 if limiting else 1.0 / ratio
    for level_db in range(-60, 1, 5):
        over = level_db + 30.0
        if 2 * over < -knee:
            wanted = level_db
        elif 2 * abs(over) <= knee:
            wanted = level_db + (slope - 1) * (over + knee / 2) ** 2 / (2 * knee) if knee else level_db
        else:
            wanted = -30.0 + over * slope
        heard = Single(compressor, RATE)(constant(level_db))[-1, 0]
        assert 20 * math.log10(abs(heard)) == pytest.approx(wanted, abs=0.05)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(1.0, 50.0), (10.0, 100.0), (30.0, 400.0)])
def test_attack_and_release_are_the_times_to_63_percent(attack_ms, release_ms):
    compressor = Compressor(threshold_db=-40.0, ratio=4.0, knee_db=0.0, attack_ms=attack_ms, release_ms=release_ms)
    sound = np.concatenate((constant(-60.0, 0.5), constant(0.0, 1.0), constant(-60.0, 1.5)))
    gain = np.zeros(len(sound))
    Single(compressor, RATE)(sound, None, gain)
    down = np.argmax(gain[RATE // 2 :] <= -30.0 * (1 - math.exp(-1))) / RATE * 1000
    back = np.argmax(gain[RATE * 3 // 2 :] >= -30.0 * math.exp(-1)) / RATE * 1000
    assert down == pytest.approx(attack_ms, rel=0.02, abs=0.05)
    assert back == pytest.approx(release_ms, rel=0.02)


def test_hold_waits_and_range_limits():
    compressor = Compressor(threshold_db=-40.0, ratio=10.0, attack_ms=0.1, release_ms=20.0, hold_ms=50.0, range_db=6.0)
    sound = np.concatenate((constant(0.0, 0.2), constant(-80.0, 0.3)))
    gain = np.zeros(len(sound))
    Single(compressor, RATE)(sound, None, gain)
    assert gain.min() == pytest.approx(-6.0, abs=0.01)
    end = round(0.2 * RATE)
    assert gain[end + round(0.049 * RATE)] == pytest.approx(-6.0, abs=0.01)
    assert gain[end + round(0.08 * RATE)] > -3.0


def test_release_by_programme_is_quick_after_a_peak_and_slow_after_a_loud_passage():
    compressor = Compressor(threshold_db=-30.0, ratio=8.0, attack_ms=5.0, release_ms=60.0, programme_release=True)

    def left_after(seconds: float) -> float:
        sound = np.concatenate((constant(0.0, seconds), constant(-80.0, 0.2)))
        gain = np.zeros(len(sound))
        Single(compressor, RATE)(sound, None, gain)
        at = round(seconds * RATE)
        return gain[at + round(0.15 * RATE)] / gain[at - 1]

    assert left_after(0.01) < 0.35
    assert left_after(2.0) > 0.6


def test_the_characters_follow_their_formulas():
    """Eager catches a large step sooner than exact, supple lets go later."""
    sound = np.concatenate((constant(-60.0, 0.1), constant(0.0, 0.3), constant(-60.0, 0.5)))

    def trace(character: str) -> np.ndarray:
        gain = np.zeros(len(sound))
        made = Compressor(threshold_db=-30.0, ratio=10.0, attack_ms=20.0, release_ms=100.0, character=character)
        Single(made, RATE)(sound, None, gain)
        return gain

    exact, eager, supple = trace("exact"), trace("eager"), trace("supple")
    assert eager[round(0.105 * RATE)] < exact[round(0.105 * RATE)] - 3.0
    assert supple[round(0.45 * RATE)] < exact[round(0.45 * RATE)] - 3.0


def test_a_key_decides_and_its_high_pass_takes_the_low_end_out_of_it():
    quiet, loud = constant(-50.0, 0.5), np.zeros((RATE // 2, 2))
    loud[:] = np.sin(2 * np.pi * 60.0 * np.arange(RATE // 2) / RATE)[:, np.newaxis]
    open_key = Compressor(threshold_db=-20.0, ratio=4.0, attack_ms=1.0)
    assert abs(Single(open_key, RATE)(quiet, loud)[-200:]).max() < 0.5 * amplitude(-50.0)
    filtered = Compressor(threshold_db=-20.0, ratio=4.0, attack_ms=1.0, key_high_pass_hz=1000.0)
    np.testing.assert_allclose(Single(filtered, RATE)(quiet, loud)[-200:], quiet[-200:], rtol=1e-3)
    listening = Compressor(listen=True)
    np.testing.assert_allclose(Single(listening, RATE)(quiet, loud), loud, atol=1e-12)


def test_the_stereo_link_goes_from_own_to_common():
    sound = constant(0.0, 0.3) * [1.0, 0.01]
    linked = Single(Compressor(threshold_db=-20.0, ratio=10.0, attack_ms=1.0, link=100.0), RATE)(sound)
    apart = Single(Compressor(threshold_db=-20.0, ratio=10.0, attack_ms=1.0, link=0.0), RATE)(sound)
    assert abs(linked[-1, 1]) < 0.2 * abs(sound[-1, 1])
    assert abs(apart[-1, 1]) == pytest.approx(abs(sound[-1, 1]), rel=1e-6)


def test_an_idle_band_compressor_is_an_all_pass_also_where_it_is_mixed():
    """Dry and wet went through the same filters: at any mix the magnitude stays flat."""
    impulse = np.zeros((1 << 14, 2))
    impulse[0] = 1e-3
    for mix in (0.0, 40.0, 100.0):
        idle = Compressor(threshold_db=12.0)
        made = BandCompressor(crossovers_hz=(100.0, 1000.0), bands=(idle, idle, idle), mix=mix, lookahead_ms=2.0)
        response = np.fft.rfft(Single(made, RATE)(impulse)[:, 0] / 1e-3)
        assert np.abs(20 * np.log10(np.abs(response))).max() < 0.01


def test_a_band_is_compressed_by_itself():
    time_s = np.arange(RATE) / RATE
    sound = (np.sin(2 * np.pi * 60 * time_s) + 0.2 * np.sin(2 * np.pi * 3000 * time_s))[:, np.newaxis] * [0.5, 0.5]
    hold = Compressor(threshold_db=-30.0, ratio=10.0, attack_ms=5.0)
    made = BandCompressor(crossovers_hz=(400.0,), bands=(hold, Compressor(bypass=True)))
    spectrum = np.abs(np.fft.rfft(Single(made, RATE)(sound)[RATE // 2 :, 0]))
    before = np.abs(np.fft.rfft(sound[RATE // 2 :, 0]))
    assert spectrum[30] < 0.2 * before[30]
    assert spectrum[1500] == pytest.approx(before[1500], rel=0.01)


HARD = {
    "noise": lambda rng: rng.standard_normal((RATE // 2, 2)),
    "square": lambda rng: 2.0 * np.sign(np.sin(0.1305 * np.arange(RATE // 2) + 0.3))[:, np.newaxis] * np.ones(2),
    "fs/4": lambda rng: (1.5 * np.sin(np.pi / 2 * np.arange(RATE // 2) + np.pi / 4))[:, np.newaxis] * np.ones(2),
    "clicks": lambda rng: 4.0 * (np.arange(RATE // 2) % 4800 == 7)[:, np.newaxis] * np.ones(2),
}  # fmt: skip


@pytest.mark.parametrize("name", HARD)
@pytest.mark.parametrize("lookahead_ms", [0.5, 2.0, 10.0])
def test_the_ceiling_holds_between_the_samples(name, lookahead_ms):
    sound = HARD[name](np.random.default_rng(1))
    held = Single(Limiter(ceiling_db=-6.0, lookahead_ms=lookahead_ms, release_ms=20.0), RATE)(sound)
    peak = np.abs(signal.resample_poly(held, 4, 1)).max()
    assert 20 * math.log10(peak) <= -6.0 + 0.1
    assert 20 * math.log10(peak) > -9.0


@pytest.mark.parametrize("size", [RATE, 77])
def test_the_gain_of_the_limiter_is_that_of_its_definition(size):
    """In plain NumPy: peak of four points a frame, held over the look-ahead, let go by one pole, averaged."""
    sound = 0.5 * np.random.default_rng(3).standard_normal((RATE // 4, 2)) * np.linspace(0.1, 1.5, RATE // 4)[:, None]
    limiter = Limiter(ceiling_db=-6.0, lookahead_ms=2.0, release_ms=20.0)
    run, found = Single(limiter, RATE), np.zeros(len(sound))
    for at in range(0, len(sound), size):
        run(sound[at : at + size], None, found[at : at + size])
    time = np.arange(-12, 12) + 1.0
    points = [sound]
    for part in (0.25, 0.5, 0.75):
        taps = np.sinc(time - part) * np.i0(7.0 * np.sqrt(1.0 - ((time - part) / 12.0) ** 2)) / np.i0(7.0)
        points.append(np.stack([np.convolve(side, taps[::-1])[12 : 12 + len(sound)] for side in sound.T], axis=1))
    between = np.abs(np.array(points)).max(axis=(0, 2))
    top = np.maximum(between, np.append(np.abs(sound).max(axis=1)[1:], 0.0))
    missing = np.maximum(0.0, 1.0 - amplitude(-6.0 - 0.05) / np.maximum(top, 1e-9))
    held = np.array([missing[max(0, i - 95) : i + 1].max() for i in range(len(sound))])
    share, released = math.exp(-1.0 / (0.020 * RATE)), np.zeros(len(sound) + 96)
    for i, most in enumerate(held):
        released[96 + i] = max(most, share * released[95 + i] + (1.0 - share) * most)
    average = np.convolve(released, np.ones(96) / 96.0)[96 : 96 + len(sound)]
    late = 12  # frames until the middle of the interpolator has come by
    np.testing.assert_allclose(found[late:], 20.0 * np.log10(1.0 - average[:-late]), atol=1e-6)
    assert found.min() < -6.0


def test_the_limiter_leaves_what_is_under_the_ceiling_alone():
    sound = 0.3 * np.random.default_rng(2).uniform(-1, 1, (5000, 2))
    limiter = Limiter(ceiling_db=-1.0)
    held = Single(limiter, RATE)(sound)
    late = limiter.latency_frames(RATE)
    np.testing.assert_array_equal(held[late:], sound[:-late])


def test_the_gate_closes_by_its_range_and_opens_in_its_attack():
    gate = Gate(threshold_db=-40.0, ratio=100.0, range_db=30.0, attack_ms=2.0, hold_ms=20.0, release_ms=50.0)
    sound = np.concatenate((constant(-60.0, 1.0), constant(-10.0, 0.2)))
    gain = np.zeros(len(sound))
    Single(gate, RATE)(sound, None, gain)
    assert gain[RATE - 1] == pytest.approx(-30.0, abs=0.01)
    opened = np.argmax(gain[RATE:] > -30.0 * math.exp(-1)) / RATE * 1000
    assert opened == pytest.approx(2.0, rel=0.05)


def test_the_transient_shaper_moves_attacks_by_at_most_what_is_asked_whatever_the_level():
    time_s = np.arange(RATE) / RATE
    hit = (np.exp(-20 * (time_s % 0.5)) * np.sin(2 * np.pi * 180 * time_s))[:, np.newaxis] * [0.5, 0.5]
    for scale in (1.0, 0.05):
        gain = np.zeros(RATE)
        Single(TransientShaper(attack_db=6.0), RATE)(scale * hit, None, gain)
        assert 3.0 < gain.max() <= 6.0
        Single(TransientShaper(sustain_db=-9.0), RATE)(scale * hit, None, gain)
        assert -9.0 <= gain.min() < -2.0


@pytest.mark.parametrize("curve", [0.0, 0.5, -0.5])
def test_the_ducker_follows_its_shape_to_the_sample(curve):
    """Written out here from the words that describe it (our own definition): half a cosine in dB ends at the hit,
    then held, then back by t^(4^curve), straight in dB where the curve is 0."""
    shape = DuckShape(id="a", name="A", hits_s=(0.1, 0.3), hold_ms=40.0, length_ms=80.0, smoothing_ms=5.0, curve=curve)

    class Linked(Ducker, frozen=True, kw_only=True, tag="ducker-reference"):
        def coefficients(self, sample_rate):
            return Ducker(depth_db=12.0).following(shape, sample_rate)

    heard = Single(Linked(), RATE)(np.ones((RATE // 2, 1)))[:, 0]
    after_ms = (np.arange(RATE // 2) - 4800) / RATE * 1000
    share = np.zeros(len(after_ms))
    coming = (after_ms >= -5.0) & (after_ms < 0.0)
    share[coming] = (1.0 - np.cos(np.pi * (after_ms[coming] + 5.0) / 5.0)) / 2.0
    share[(after_ms >= 0.0) & (after_ms <= 40.0)] = 1.0
    going = (after_ms > 40.0) & (after_ms < 120.0)
    share[going] = 1.0 - ((after_ms[going] - 40.0) / 80.0) ** (4.0**curve)
    first = after_ms < 150.0
    np.testing.assert_allclose(20 * np.log10(heard[first]), -12.0 * share[first], atol=1e-9)
    halfway = 20 * math.log10(heard[round((0.1 + 0.080) * RATE)])  # 40 of 80 ms on the way back
    assert halfway == pytest.approx({0.0: -6.0, 0.5: -9.0, -0.5: -12.0 * (1 - math.sqrt(0.5))}[curve], abs=0.01)
    assert 20 * math.log10(heard[round(0.1 * RATE)]) == pytest.approx(-12.0)
    assert heard[round(0.1 * RATE) - 300] == 1.0
    assert heard[round(0.23 * RATE)] == 1.0


def test_a_dynamic_band_moves_only_over_its_threshold_and_no_further_than_its_range():
    band = DynamicBand(frequency_hz=1000.0, q=2.0, threshold_db=-30.0, range_db=-6.0, ratio=20.0, attack_ms=1.0)
    for level_db, wanted in ((-40.0, 0.0), (-10.0, -6.0)):
        tone = amplitude(level_db) * np.sin(2 * np.pi * 1000 * np.arange(RATE) / RATE)[:, np.newaxis]
        heard = Single(DynamicEqualiser(bands=(band,)), RATE)(tone)[RATE // 2 :]
        change = 20 * math.log10(np.abs(heard).max() / amplitude(level_db))
        assert change == pytest.approx(wanted, abs=0.2)


@pytest.mark.parametrize("curve", ["round", "firm", "uneven"])
def test_saturation_aliases_less_than_80_db_under_the_tone(curve):
    """5 kHz at -6 dBFS, 12 dB of drive: everything that is no harmonic of it."""
    frequency = 4987.0
    tone = amplitude(-6.0) * np.sin(2 * np.pi * frequency * np.arange(2 * RATE) / RATE)[:, np.newaxis]
    heard = Single(Saturation(curve=curve, drive_db=12.0), RATE)(tone)[RATE:, 0]
    window = np.kaiser(RATE, 25.0)
    spectrum = 20 * np.log10(np.abs(np.fft.rfft(heard * window)) / window.sum() * 2 + 1e-15)
    tones = np.arange(len(spectrum))
    harmonic = np.min([np.abs(tones - k * frequency) for k in range(5)], axis=0) < 60
    assert spectrum[~harmonic].max() < spectrum.max() - 80.0
    assert spectrum[round(3 * frequency)] > spectrum.max() - 40.0


def test_quiet_sounds_and_rumble_pass_saturation_unchanged():
    time_s = np.arange(RATE) / RATE
    made = Saturation(drive_db=24.0, low_cut_hz=120.0)
    rumble = 0.2 * np.sin(2 * np.pi * 15 * time_s)[:, np.newaxis]
    heard = Single(made, RATE)(rumble)[made.latency_frames(RATE) :]
    spectrum = np.abs(np.fft.rfft(heard[RATE // 4 :, 0]))
    assert np.sort(spectrum)[-1] > 50 * spectrum[round(45 * 0.75)]
    quiet = 1e-5 * np.random.default_rng(1).standard_normal((4000, 1))
    quiet = signal.sosfiltfilt(signal.butter(8, 15_000, fs=RATE, output="sos"), quiet, axis=0)
    plain = Single(Saturation(drive_db=6.0), RATE)(quiet)
    late = made.latency_frames(RATE)
    np.testing.assert_allclose(plain[late + 200 : -200], quiet[200 : -200 - late], atol=2e-8)


def test_the_sub_octave_is_an_octave_lower_mono_and_band_limited():
    tone = 0.3 * np.sin(2 * np.pi * 82.4 * np.arange(2 * RATE) / RATE)[:, np.newaxis] * [1.0, 0.6]
    heard = Single(SubOctave(), RATE)(tone)
    np.testing.assert_array_equal(heard[:, 0], heard[:, 1])
    spectrum = np.abs(np.fft.rfft(heard[RATE:, 0]))
    assert np.argmax(spectrum) == 41
    assert spectrum[200:].max() < 0.05 * spectrum.max()


def test_width_keeps_mono_and_scales_the_sides():
    rng = np.random.default_rng(1)
    sound = rng.standard_normal((100, 2))
    np.testing.assert_allclose(Single(Width(), RATE)(sound), sound, atol=1e-12)
    mono = Single(Width(width=0.0), RATE)(sound)
    np.testing.assert_allclose(mono[:, 0], mono[:, 1], atol=1e-12)
    np.testing.assert_allclose(mono[:, 0], sound.mean(axis=1), atol=1e-12)
    wide = Single(Width(width=200.0), RATE)(sound)
    np.testing.assert_allclose(wide[:, 0] - wide[:, 1], 2 * (sound[:, 0] - sound[:, 1]), atol=1e-12)
    swapped = Single(Width(left_pan=1.0, right_pan=-1.0), RATE)(sound)
    np.testing.assert_allclose(swapped, sound[:, ::-1], atol=1e-12)
