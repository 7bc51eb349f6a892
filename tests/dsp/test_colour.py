"""Saturation's voicings, the cabinet, the echo that moves and the tone at hits: by what is known of them beforehand.

Which harmonics a curve makes follows from its symmetry (an odd function makes odd ones alone) and, for hard clipping,
from its Fourier series (textbooks of communication theory; worked out here by numerical quadrature). The response of a
minimum-phase filter has the drawn magnitude, and its phase is the Hilbert transform of the logarithm of that (A. V.
Oppenheim and R. W. Schafer, "Discrete-Time Signal Processing"; from memory)."""

import math
from itertools import pairwise

import numpy as np
import pytest
import scipy.signal

from all_even.dsp.ducking.hit_tone import HitTone
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.processor import Single
from all_even.dsp.space.echo import NOTES, Echo
from all_even.dsp.tone.cabinet import BOXES, LENGTH_S, Cabinet, magnitude_db, response
from all_even.dsp.tone.saturation import CURVES, LATENCY, Saturation

RATE = 48_000


def tone(hz: float, peak: float, seconds: float = 0.5) -> np.ndarray:
    return peak * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)[:, np.newaxis]


def harmonics_db(sound: np.ndarray, hz: float, count: int = 7) -> np.ndarray:
    """Levels of harmonics re the first, dB; the first tenth of a second is left out."""
    part = sound[RATE // 10 :, 0]
    part = part[: len(part) // (RATE // 100) * (RATE // 100)] * np.hanning(len(part) // (RATE // 100) * (RATE // 100))
    spectrum = np.abs(np.fft.rfft(part))
    at = [round(k * hz * len(part) / RATE) for k in range(1, count + 1)]
    levels = np.array([spectrum[place - 2 : place + 3].max() for place in at])
    return 20.0 * np.log10(levels / levels[0] + 1e-12)


@pytest.mark.parametrize("curve", CURVES)
def test_a_quiet_tone_passes_unchanged(curve):
    sound = tone(500.0, 0.001)
    heard = Single(Saturation(curve=curve, drive_db=6.0, low_cut_hz=0.0), RATE)(sound)
    level = np.sqrt(np.mean(heard[RATE // 10 :] ** 2) / np.mean(sound[RATE // 10 :] ** 2))
    assert 20.0 * math.log10(level) == pytest.approx(0.0, abs=0.05)


@pytest.mark.parametrize("curve", CURVES)
def test_odd_curves_make_odd_harmonics_and_the_uneven_one_even_ones(curve):
    found = harmonics_db(Single(Saturation(curve=curve, drive_db=12.0, low_cut_hz=0.0), RATE)(tone(500.0, 0.5)), 500.0)
    assert found[2] > -40.0
    assert (found[1] > -30.0) == (curve == "uneven")
    assert (found[3] < -70.0) == (curve != "uneven")


def test_hard_clipping_has_the_harmonics_of_its_fourier_series():
    peak, drive_db = 0.5, 12.0
    g = peak * 10.0 ** (drive_db / 20.0)
    t = np.linspace(0.0, 2.0 * np.pi, 200_001)
    wave = np.clip(g * np.sin(t), -1.0, 1.0)
    known = np.array([np.trapezoid(wave * np.sin(k * t), t) for k in (1, 3, 5, 7)])
    sound = Single(Saturation(curve="hard", drive_db=drive_db, low_cut_hz=0.0), RATE)(tone(500.0, peak))
    found = harmonics_db(sound, 500.0)[[0, 2, 4, 6]]
    np.testing.assert_allclose(found, 20.0 * np.log10(np.abs(known / known[0])), atol=0.3)


def test_tape_gives_way_first_where_treble_is_loud():
    """At one level treble is taken down further than lows, and not where both are quiet."""
    station = Saturation(curve="tape", drive_db=12.0, low_cut_hz=0.0)

    def lost_db(hz: float, peak: float) -> float:
        sound = tone(hz, peak)
        heard = Single(station, RATE)(sound)[RATE // 10 :]
        return -20.0 * math.log10(np.sqrt(np.mean(heard**2) / np.mean(sound[RATE // 10 :] ** 2)))

    loud = lost_db(6000.0, 0.4) - lost_db(6000.0, 0.001)
    assert loud > lost_db(300.0, 0.4) - lost_db(300.0, 0.001) + 1.5
    # Quiet, only its bandwidth is left: one pole at 15 kHz, 0.64 dB at 6 kHz.
    assert lost_db(6000.0, 0.001) == pytest.approx(10.0 * math.log10(1.0 + (6000.0 / 15000.0) ** 2), abs=0.25)


@pytest.mark.parametrize("box", BOXES)
def test_a_cabinet_has_the_magnitude_it_was_drawn_with(box):
    heard = response(box, 3.0, RATE)
    hertz, found = scipy.signal.freqz(heard, worN=np.array([110.0, 400.0, 1000.0, 2500.0, 3500.0]), fs=RATE)
    at = 20.0 * np.log10(np.abs(found))
    drawn = magnitude_db(box, hertz)
    np.testing.assert_allclose(at, drawn, atol=1.2)  # the floor, 3 cm away, adds what is left


def test_a_cabinet_is_of_minimum_phase():
    """More of its energy comes early than in any other response of that magnitude."""
    own = response("closed back", 3.0, RATE)
    assert len(own) == round(LENGTH_S * RATE)
    backwards = own[::-1]
    early = np.cumsum(own**2) / np.sum(own**2)
    assert early[20] > 0.5
    assert np.all(early >= np.cumsum(backwards**2) / np.sum(backwards**2) - 1e-9)


def test_a_cabinet_takes_the_fizz_and_leaves_the_notes():
    noise = 0.1 * np.random.default_rng(2).standard_normal((RATE, 1))
    heard = Single(Cabinet(box="closed back"), RATE)(noise)
    sections = scipy.signal.butter(4, 8000.0, "highpass", fs=RATE, output="sos")
    top = [np.mean(scipy.signal.sosfilt(sections, x[:, 0]) ** 2) for x in (noise, heard)]
    assert 10.0 * np.log10(top[1] / top[0]) < -30.0


def echo_at(echo: Echo, seconds: float = 2.0) -> np.ndarray:
    impulse = np.zeros((round(seconds * RATE), 2))
    impulse[0] = 1.0
    return Single(echo, RATE)(impulse)


def test_an_echo_that_does_not_move_comes_when_it_is_set():
    heard = echo_at(Echo(left_ms=250.0, right_ms=375.0, feedback_percent=50.0, high_pass_hz=20.0, low_pass_hz=20e3))
    for side, ms in ((0, 250.0), (1, 375.0)):
        assert int(np.argmax(np.abs(heard[:, side]))) == round(ms * RATE / 1000.0)


def test_a_moving_echo_stays_within_what_it_moves_by():
    plain = Echo(left_ms=250.0, right_ms=250.0, feedback_percent=0.0, high_pass_hz=20.0, low_pass_hz=20e3)
    times = []
    for start in range(0, 8 * RATE, RATE):
        impulse = np.zeros((RATE, 2))
        impulse[0] = 1.0
        moving = Echo(left_ms=250.0, right_ms=250.0, feedback_percent=0.0, high_pass_hz=20.0, low_pass_hz=20e3,
                      moves_ms=4.0, rate_hz=0.2)  # fmt: skip
        times.append(1000.0 * np.argmax(np.abs(Single(moving, RATE, start)(impulse)[:, 0])) / RATE)
    assert min(times) >= 250.0 - 4.1
    assert max(times) <= 250.0 + 4.1
    assert max(times) - min(times) > 4.0
    assert np.argmax(np.abs(echo_at(plain)[:, 0])) == RATE // 4


def test_a_resonant_echo_rings_at_its_corner_and_never_grows():
    echo = Echo(left_ms=50.0, right_ms=50.0, feedback_percent=95.0, low_pass_hz=1000.0, resonance_db=18.0)
    heard = echo_at(echo, 6.0)[:, 0]
    levels = [float(np.sqrt(np.mean(heard[k * RATE : (k + 1) * RATE] ** 2))) for k in range(6)]
    assert all(later < earlier for earlier, later in pairwise(levels))
    spectrum = np.abs(np.fft.rfft(heard[2 * RATE : 4 * RATE] * np.hanning(2 * RATE)))
    assert np.argmax(spectrum) / 2.0 == pytest.approx(1000.0, rel=0.06)


def test_note_values_reach_down_to_a_thirty_second():
    assert NOTES["1/32"] == 0.125
    assert NOTES["1/16 triplet"] == pytest.approx(1.0 / 6.0)


def test_a_tone_sounds_at_each_hit_at_its_frequency_and_falls_in_its_time():
    station = HitTone(frequency_hz=80.0, length_ms=400.0, bend_semitones=0.0, level_db=-12.0)
    shape = DuckShape(id="s", name="s", hits_s=(0.5, 1.5))
    silence = np.zeros((round(2.5 * RATE), 1))
    heard = Single(station, RATE, coefficients=station.following(shape, RATE))(silence)[:, 0]
    assert not np.any(heard[: RATE // 2])
    after = heard[RATE // 2 : RATE // 2 + round(0.4 * RATE)]
    crossings = np.flatnonzero(np.diff(np.signbit(after)))
    assert len(crossings) == pytest.approx(2.0 * 80.0 * 0.4, abs=1.5)
    level = [np.abs(heard[round(at * RATE) : round((at + 0.0125) * RATE)]).max() for at in (0.5, 0.7)]
    assert 20.0 * np.log10(level[1] / level[0]) == pytest.approx(-30.0, abs=1.5)
    np.testing.assert_allclose(heard[RATE // 2 : RATE], heard[3 * RATE // 2 : 2 * RATE], atol=1e-9)


def test_latency_of_saturation_is_the_same_for_all_voicings():
    assert {Saturation(curve=curve).latency_frames(RATE) for curve in CURVES} == {LATENCY}
