"""The reverb by published measures of rooms (named in `measure.space.response`), and what echo and doubling do."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.dsp.processor import Single
from all_even.dsp.space.doubling import Doubling
from all_even.dsp.space.echo import NOTES, Echo, note_ms
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.space.reverb_times import early_taps, line_frames
from all_even.measure.space import response
from tests import measuring
from tests.measuring import RAYLEIGH_STD_DB

RATE = 48_000
FLAT = Reverb(decay_s=2.0, size_ms=60.0, predelay_ms=0.0, early_db=-40.0, low_ratio=1.0, high_ratio=1.0)
ALL = {**STARTS, "flat": FLAT}


def answer(reverb: Reverb, side: int, position: int = 0) -> np.ndarray:
    """Its response to an impulse on one side, (frames, 2)."""
    impulse = np.zeros((round(max(1.5, 1.6 * reverb.decay_s) * RATE), 2))
    impulse[0, side] = 1.0
    return Single(reverb, RATE, position)(impulse)


def answers(reverb: Reverb, count: int = 8) -> list[np.ndarray]:
    """Its response at several moments of its modulation, from both sides in turn."""
    return [answer(reverb, number % 2, number * 31_013) for number in range(count)]


@pytest.fixture(scope="module", params=sorted(ALL))
def case(request) -> tuple[Reverb, list[np.ndarray]]:
    return ALL[request.param], answers(ALL[request.param])


def test_every_octave_falls_in_the_time_that_is_set(case):
    reverb, heard = case
    found = response.decay_by_octave(np.concatenate(heard, axis=1), RATE)
    for hz, decay in found.items():
        assert decay.decay_s == pytest.approx(float(reverb.decay_at(hz)), rel=0.05), hz
        if hz > 200.0 and reverb.decay_s > 1.0:
            assert decay.bend_db < 0.5, hz


def test_it_is_dense_within_50_ms(case):
    for heard in case[1][:2]:
        for side in heard.T:
            assert response.full_density_s(side, RATE) < 0.05


def test_nothing_rings(case):
    """Rayleigh within 0.3 dB early and late; no peak 2 dB over what is expected of noise."""
    reverb, heard = case
    onset = np.flatnonzero(np.abs(heard[0][:, 0]) > 1e-4 * np.abs(heard[0]).max())[0] / RATE
    length_s = min(0.8, 0.55 * reverb.decay_s)
    for start_s in (onset + 0.1, onset + 0.6 * reverb.decay_s):
        found = [response.evenness(side, RATE, start_s, length_s, reverb.decay_s) for part in heard for side in part.T]
        assert np.mean([one.std_db for one in found]) == pytest.approx(RAYLEIGH_STD_DB, abs=0.3)
        assert np.mean([one.peak_db for one in found]) < 2.0


def test_both_sides_are_unlike(case):
    found = [measuring.correlation_by_octave(part, RATE) for part in case[1]]
    for hz in (250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0):
        assert abs(np.mean([one[hz] for one in found])) < 0.1, hz


def test_a_longer_tail_is_not_a_louder_one():
    noise = 0.1 * np.random.default_rng(0).standard_normal((6 * RATE, 2))
    levels = []
    for decay_s in (0.4, 1.2, 4.0):
        heard = Single(replace(FLAT, decay_s=decay_s), RATE)(noise)[4 * RATE :]
        levels.append(10.0 * np.log10(np.mean(heard**2)))
    assert max(levels) - min(levels) < 1.5


def test_a_start_in_the_middle_of_the_song_is_the_same_after_its_settling_time():
    noise = 0.1 * np.random.default_rng(1).standard_normal((4 * RATE, 2))
    room = STARTS["room"]
    whole = Single(room, RATE)(noise)
    start, settling = 3 * RATE, round(room.settling_s() * RATE)
    late = Single(room, RATE, start - settling)(noise[start - settling :])
    assert np.abs(late[settling:] - whole[start:]).max() < 1e-6


def test_lines_have_unlike_prime_lengths():
    for size_ms in (30.0, 50.0, 75.0, 120.0):
        lengths = line_frames(size_ms, RATE)
        assert len(set(lengths)) == 16
        assert all(length % divisor for length in lengths for divisor in range(2, int(length**0.5) + 1))


def test_early_reflections_stand_one_in_each_cell_and_have_the_energy_of_the_sound():
    for side in (0, 1):
        times, gains = early_taps(side, 3200)
        assert [int(time * 16 // 3200) for time in times] == list(range(16))
        assert np.sum(gains**2) == pytest.approx(1.0)
        assert -6 <= np.sign(gains).sum() <= 6


def test_a_quarter_at_120_is_half_a_second():
    """60 000 / BPM ms: arithmetic."""
    assert note_ms("1/4", 120.0) == 500.0
    assert note_ms("1/8 dotted", 120.0) == 375.0
    assert all(note_ms(note, 60.0) == pytest.approx(1000.0 * beats) for note, beats in NOTES.items())


def test_an_echo_comes_at_its_time_on_each_side_and_falls_by_its_feedback():
    echo = Echo(left_ms=100.0, right_ms=150.0, feedback_percent=50.0, high_pass_hz=20.0, low_pass_hz=20_000.0)
    burst = np.zeros((RATE, 2))
    burst[:480] = np.sin(2 * np.pi * 1000.0 * np.arange(480) / RATE)[:, np.newaxis]
    heard = Single(echo, RATE)(burst)

    def level(side: int, at_ms: float) -> float:
        at = round(at_ms * RATE / 1000.0)
        return float(np.sqrt(np.mean(heard[at : at + 480, side] ** 2)))

    assert level(0, 50.0) < 1e-3
    assert level(0, 200.0) / level(0, 100.0) == pytest.approx(0.5, abs=0.05)
    assert level(1, 300.0) / level(1, 150.0) == pytest.approx(0.5, abs=0.05)


def test_in_turn_each_repeat_comes_from_the_other_side():
    echo = Echo(left_ms=100.0, right_ms=100.0, feedback_percent=80.0, order="in turn")
    click = np.zeros((RATE, 2))
    click[0] = 1.0
    heard = Single(echo, RATE)(click)
    peaks = [np.abs(heard[round(at * RATE) : round((at + 0.02) * RATE)]).max(axis=0) for at in (0.1, 0.2, 0.3, 0.4)]
    assert [int(np.argmax(peak)) for peak in peaks] == [0, 1, 0, 1]


def test_doubling_is_wide_and_holds_in_mono():
    """Mono within 2 dB in every third octave (tried: -1.0 to +1.7)."""
    noise = 0.1 * np.random.default_rng(2).standard_normal((8 * RATE, 1)) * np.ones(2)
    heard = Single(Doubling(), RATE)(noise)
    assert np.corrcoef(heard.T)[0, 1] == pytest.approx(0.94, abs=0.02)
    spectra = [np.abs(np.fft.rfft(sound)) ** 2 for sound in (heard.mean(axis=1), noise[:, 0])]
    hz = np.fft.rfftfreq(len(noise), 1.0 / RATE)
    for centre in 1000.0 * 2.0 ** (np.arange(-9, 13) / 3.0):
        band = (hz > centre * 2.0 ** (-1 / 6)) & (hz < centre * 2.0 ** (1 / 6))
        assert abs(10.0 * np.log10(spectra[0][band].sum() / spectra[1][band].sum())) < 2.0
