"""Filters against the published analogue prototypes, the audio EQ cookbook, and scipy's Butterworth design.

Sources: R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients": its H(s) and its
bilinear coefficients, both from memory and written out here, not taken from the program; Butterworth and
Linkwitz-Riley properties as in any filter handbook; scipy.signal.
"""

import math

import numpy as np
import pytest
from scipy import signal

from all_even.dsp.filters import biquad, crossover
from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass

RATE = 48_000


def db(magnitude):
    return 20.0 * np.log10(np.maximum(magnitude, 1e-12))


def cookbook(shape: str, frequency: float, gain_db: float, q: float) -> tuple[np.ndarray, np.ndarray]:
    """(b, a) of the bilinear design."""
    A, w = 10.0 ** (gain_db / 40.0), 2.0 * math.pi * frequency / RATE
    alpha, cos = math.sin(w) / (2.0 * q), math.cos(w)
    root = 2.0 * math.sqrt(A) * alpha
    if shape == "bell":
        b = [1 + alpha * A, -2 * cos, 1 - alpha * A]
        a = [1 + alpha / A, -2 * cos, 1 - alpha / A]
    elif shape == "low shelf":
        b = [A * (A + 1 - (A - 1) * cos + root), 2 * A * (A - 1 - (A + 1) * cos), A * (A + 1 - (A - 1) * cos - root)]
        a = [A + 1 + (A - 1) * cos + root, -2 * (A - 1 + (A + 1) * cos), A + 1 + (A - 1) * cos - root]
    elif shape == "high shelf":
        b = [A * (A + 1 + (A - 1) * cos + root), -2 * A * (A - 1 + (A + 1) * cos), A * (A + 1 + (A - 1) * cos - root)]
        a = [A + 1 - (A - 1) * cos + root, 2 * (A - 1 - (A + 1) * cos), A + 1 - (A - 1) * cos - root]
    else:
        b, a = [1, -2 * cos, 1], [1 + alpha, -2 * cos, 1 - alpha]
    return np.array(b), np.array(a)


def analogue(band: Band, at: np.ndarray) -> np.ndarray:
    """Magnitude of the cookbook's H(s) for a band, by scipy, s being normalised to the band's frequency."""
    A, q = 10.0 ** (band.gain_db / 40.0), band.q
    root = math.sqrt(A) / q
    b, a = {
        "bell": ([1, A / q, 1], [1, 1 / (A * q), 1]),
        "low shelf": ([A, A * root, A * A], [A, root, 1]),
        "high shelf": ([A * A, A * root, A], [1, root, A]),
        "notch": ([1, 0, 1], [1, 1 / q, 1]),
        "high-pass": ([1, 0, 0], [1, 1 / q, 1]),
        "low-pass": ([1], [1, 1 / q, 1]),
        # Not in the cookbook, our own definition: half the gain down at the bottom, half up at the top, 6 dB steep.
        "tilt": ([A, 1], [1, A]),
    }[band.shape]
    _, response = signal.freqs(b, a, worN=np.asarray(at) / band.frequency_hz)
    return np.abs(response)


@pytest.mark.parametrize("shape", ["bell", "low shelf", "high shelf", "notch", "high-pass", "low-pass", "tilt"])
def test_a_band_stands_for_the_published_prototype(shape):
    """What the linear phase is made of and the drawing shows."""
    at = np.geomspace(20.0, 20_000.0, 200)
    for gain_db in (-12.0, 3.0, 18.0):
        for q in (0.5, 2.0):
            band = Band(shape=shape, frequency_hz=700.0, gain_db=gain_db, q=q)
            np.testing.assert_allclose(band.prototype(at), analogue(band, at), rtol=1e-9)


def test_published_points_of_the_prototypes():
    """A bell has its gain at its frequency and 0 dB far away; a shelf half its gain there and all of it far away."""
    for gain_db in (-12.0, 6.0):
        bell = Band(frequency_hz=1000.0, gain_db=gain_db, q=2.0)
        low = Band(shape="low shelf", frequency_hz=1000.0, gain_db=gain_db, q=0.7)
        high = Band(shape="high shelf", frequency_hz=1000.0, gain_db=gain_db, q=0.7)
        tilt = Band(shape="tilt", frequency_hz=1000.0, gain_db=gain_db)
        far = [0.5, 1000.0, 2e6]
        for band, wanted in (
            (bell, (0.0, gain_db, 0.0)),
            (low, (gain_db, gain_db / 2, 0.0)),
            (high, (0.0, gain_db / 2, gain_db)),
            (tilt, (-gain_db / 2, 0.0, gain_db / 2)),
        ):
            np.testing.assert_allclose(db(analogue(band, far)), wanted, atol=0.01)


@pytest.mark.parametrize("shape", ["bell", "low shelf", "high shelf", "notch"])
@pytest.mark.parametrize("gain_db", [-12.0, -4.0, 3.0, 12.0])
def test_below_an_eighth_of_the_rate_a_band_is_the_cookbooks(shape, gain_db):
    """Within 0.1 dB of the bilinear design, which itself lies within 0.1 dB of the analogue filter there."""
    for frequency in (40.0, 250.0, 1000.0):
        for q in (0.5, 1.0, 4.0) if shape in ("bell", "notch") else (0.5, 1.0):
            band = Band(shape=shape, frequency_hz=frequency, gain_db=gain_db, q=q)
            at = np.geomspace(20.0, min(RATE / 8, 4 * frequency), 200)
            ours = biquad.magnitude(np.array([band.section(RATE)]), at, RATE)
            _, theirs = signal.freqz(*cookbook(shape, frequency, gain_db, q), worN=at, fs=RATE)
            keep = np.abs(theirs) > 10 ** (-30 / 20)
            assert np.abs(db(ours) - db(np.abs(theirs)))[keep].max() < 0.1
            assert np.abs(db(analogue(band, at)) - db(np.abs(theirs)))[keep].max() < 0.1


WORST = {
    "bell": (0.45, 1.0, 1.5),
    "low shelf": (0.2, 0.35, 0.55),
    "high shelf": (0.2, 0.35, 0.55),
    "tilt": (0.2, 0.25, 0.4),
}
"""dB up to 16 kHz at 48 kHz: within ±6 dB up to 8 kHz; within ±6 dB up to 16 kHz; within ±18 dB up to 16 kHz."""


@pytest.mark.parametrize("shape", WORST)
def test_up_to_16_khz_a_band_is_its_analogue_prototype(shape):
    at = np.geomspace(20.0, 16_000.0, 300)
    usual, high, strong = WORST[shape]
    for frequency in (30.0, 200.0, 1000.0, 4000.0, 8000.0, 16_000.0):
        for gain_db in (-18.0, -12.0, -6.0, -2.0, 2.0, 6.0, 12.0, 18.0):
            for q in (0.4, 0.7, 1.0) if "shelf" in shape else (0.3, 0.7, 2.0, 8.0):
                band = Band(shape=shape, frequency_hz=frequency, gain_db=gain_db, q=q)
                ours = biquad.magnitude(np.array([band.section(RATE)]), at, RATE)
                error = np.abs(db(ours) - db(analogue(band, at))).max()
                allowed = strong if abs(gain_db) > 6.0 else high if frequency > 8000.0 else usual
                assert error < allowed, (frequency, gain_db, q)


def test_a_cut_undoes_the_same_lift():
    at = np.geomspace(20.0, 23_000.0, 100)
    for shape in ("bell", "low shelf", "high shelf", "tilt"):
        both = [Band(shape=shape, frequency_hz=5000.0, gain_db=g, q=0.8).section(RATE) for g in (9.0, -9.0)]
        np.testing.assert_allclose(biquad.magnitude(np.array(both), at, RATE), 1.0, atol=1e-9)


def test_linear_phase_has_the_prototypes_magnitude_and_is_symmetric():
    bands = (
        Band(frequency_hz=40.0, gain_db=6.0, q=1.0),
        Band(frequency_hz=3000.0, gain_db=-4.0, q=2.0),
        Band(shape="high shelf", frequency_hz=8000.0, gain_db=3.0, q=0.7),
    )
    equaliser = Equaliser(bands=bands, phase="linear")
    impulse = np.zeros((2 * equaliser.latency_frames(RATE) + 1, 1))
    impulse[0] = 1.0
    response = Single(equaliser, RATE)(impulse)[:, 0]
    np.testing.assert_allclose(response, response[::-1], atol=1e-12)
    at = np.geomspace(25.0, 16_000.0, 200)
    _, ours = signal.freqz(response, worN=at, fs=RATE)
    wanted = np.prod([analogue(band, at) for band in bands], axis=0)
    assert np.abs(db(np.abs(ours)) - db(wanted)).max() < 0.05


@pytest.mark.parametrize("slope", [6, 12, 18, 24, 36, 48])
def test_passes_are_butterworth(slope):
    """-3.01 dB at the corner, and scipy's analogue design within 0.05 dB up to a sixth of the rate."""
    at = np.geomspace(30.0, 8000.0, 200)
    for made, kind in (
        (HighPass(frequency_hz=200.0, slope=slope), "highpass"),
        (LowPass(frequency_hz=800.0, slope=slope), "lowpass"),
    ):
        sections = made.sections(RATE)
        corner = db(biquad.magnitude(sections, [made.frequency_hz], RATE))[0]
        assert corner == pytest.approx(-3.01, abs=0.03)
        b, a = signal.butter(slope // 6, 2 * np.pi * made.frequency_hz, kind, analog=True)
        _, analogue = signal.freqs(b, a, worN=2 * np.pi * at)
        keep = np.abs(analogue) > 10 ** (-80 / 20)
        error = np.abs(db(biquad.magnitude(sections, at, RATE)) - db(np.abs(analogue)))[keep]
        assert error.max() < (0.25 if slope % 12 else 0.05 * slope / 6)  # a single pole is the least exact


@pytest.mark.parametrize("made", [HighPass(frequency_hz=1000.0, slope=3), LowPass(frequency_hz=200.0, slope=3)])
def test_the_gentle_slope_is_3_db_per_octave_with_the_stated_ripple(made):
    octaves = np.linspace(1.0, 5.0, 100)
    at = made.frequency_hz * 2.0 ** (-octaves if isinstance(made, HighPass) else octaves)
    level = db(biquad.magnitude(made.sections(RATE), at, RATE))
    fit = np.polyfit(octaves, level, 1)
    assert fit[0] == pytest.approx(-3.0, abs=0.12)
    assert np.abs(level - np.polyval(fit, octaves)).max() < 0.2
    assert db(biquad.magnitude(made.sections(RATE), [made.frequency_hz], RATE))[0] == pytest.approx(-3.0, abs=0.1)


@pytest.mark.parametrize(
    "crossovers", [(120.0,), (120.0, 2000.0), (80.0, 500.0, 4000.0), (60.0, 250.0, 1200.0, 6000.0)]
)
def test_the_bands_of_a_crossover_add_up_to_an_all_pass(crossovers):
    """Within 0.01 dB from 10 Hz to 20 kHz; each band is -6 dB at its crossover."""
    impulse = np.zeros((1 << 15, 2))
    impulse[0] = 1.0
    bands = np.zeros((len(crossovers) + 1, *impulse.shape))
    crossover.split(impulse, bands, crossover.sections(crossovers, RATE), np.zeros(crossover.STATE))
    at = np.geomspace(10.0, 20_000.0, 300)
    _, total = signal.freqz(bands.sum(axis=0)[:, 0], worN=at, fs=RATE)
    assert np.abs(db(np.abs(total))).max() < 0.01
    for index, frequency in enumerate(crossovers):
        _, low = signal.freqz(bands[index, :, 1], worN=[frequency], fs=RATE)
        if len(crossovers) == 1:
            assert db(np.abs(low))[0] == pytest.approx(-6.02, abs=0.01)


def test_a_high_pass_can_raise_the_peak_of_a_square_wave():
    """It holds its peak for 10 ms; with its lowest partial turned in phase the tops lean over (Fourier series)."""
    time = np.arange(RATE) / RATE
    square = np.sign(np.sin(2 * np.pi * 50.0 * (time + 1e-6)))[:, np.newaxis]
    assert peak_behind_high_pass_db(square, "minimum") > 1.5


@pytest.mark.parametrize("phase", ["minimum", "linear"])
def test_a_high_pass_can_raise_the_peak_whatever_its_phase(phase):
    """Rumble that happens to hold the peaks of two notes down: without it they stand up, though energy went."""
    time = np.arange(RATE) / RATE
    notes = np.cos(2 * np.pi * 60.0 * time) + np.cos(2 * np.pi * 100.0 * time)
    held_down = (notes - 0.25 * np.cos(2 * np.pi * 20.0 * time))[:, np.newaxis]
    assert peak_behind_high_pass_db(held_down, phase) > 0.4


def peak_behind_high_pass_db(sound: np.ndarray, phase: str) -> float:
    """Change of the peak by 12 dB per octave from 30 Hz, away from the ends; the power has to fall."""
    cut = Equaliser(bands=(Band(shape="high-pass", frequency_hz=30.0, q=0.7071),), phase=phase)
    inside = slice(RATE // 4, 3 * RATE // 4)
    out = Single(cut, RATE)(sound.copy())[inside]
    assert np.mean(out**2) < np.mean(sound[inside] ** 2)
    return float(db(np.abs(out).max() / np.abs(sound[inside]).max()))


def test_pre_ringing_is_none_in_minimum_phase_and_grows_with_q():
    """A ringing filter of quality Q at f decays by 8.7 dB in Q / (pi f) s (from the pole's distance, textbook): linear
    phase has the same on both sides of its middle."""

    def ringing(q: float) -> float:
        bands = (Band(frequency_hz=200.0, gain_db=12.0, q=q),)
        assert Equaliser(bands=bands).pre_ringing_ms(48_000) == 0.0
        return Equaliser(bands=bands, phase="linear").pre_ringing_ms(48_000)

    assert 0.0 < ringing(1.0) < ringing(4.0) < 86.0
