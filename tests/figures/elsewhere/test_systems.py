"""Other systems: their responses are what they say, as drawn and as heard; nothing of them is printed."""

import numpy as np
import pytest
from scipy import signal

from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.systems import SYSTEMS, system
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from tests.engine.sessions import Memory

HZ = np.geomspace(25.0, 10_000.0, 80)
WITHIN_DB = 0.1
STATED = {
    "phone": ((4, 500.0, "highpass"), (2, 12_000.0, "lowpass")),
    "laptop": ((3, 250.0, "highpass"), (2, 14_000.0, "lowpass")),
    "small": ((2, 110.0, "highpass"), (2, 16_000.0, "lowpass")),
    "car": ((2, 35.0, "highpass"), (2, 13_000.0, "lowpass")),
    "club": ((4, 30.0, "highpass"),),
}
"""Butterworth passes that each system names: order, corner in Hz."""
# ISO 226:2003, table 1: frequency, exponent, threshold-related constants; from memory.
ISO_HZ = (20, 25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500,
          3150, 4000, 5000, 6300, 8000, 10_000, 12_500)  # fmt: skip
EXPONENT = (
    0.532, 0.506, 0.480, 0.455, 0.432, 0.409, 0.387, 0.367, 0.349, 0.330, 0.315, 0.301, 0.288, 0.276, 0.267, 0.259,
    0.253, 0.250, 0.246, 0.244, 0.243, 0.243, 0.243, 0.242, 0.242, 0.245, 0.254, 0.271, 0.301,
)  # fmt: skip
TRANSFER_DB = (
    -31.6, -27.2, -23.0, -19.1, -15.9, -13.0, -10.3, -8.1, -6.2, -4.5, -3.1, -2.0, -1.1, -0.4, 0.0, 0.3, 0.5, 0.0, -2.7,
    -4.1, -1.0, 1.7, 2.5, 1.2, -2.1, -7.1, -11.2, -10.7, -3.1,
)  # fmt: skip
THRESHOLD_DB = (
    78.5, 68.7, 59.5, 51.1, 44.0, 37.5, 31.5, 26.5, 22.1, 17.9, 14.4, 11.4, 8.6, 6.2, 4.4, 3.0, 2.2, 2.4, 3.5, 1.7,
    -1.3, -4.2, -6.0, -5.4, -1.5, 6.0, 12.6, 13.9, 12.3,
)  # fmt: skip
# The same standard's contour of 40 phon, dB, from memory.
FORTY_PHON = {20: 99.85, 31.5: 88.17, 50: 77.78, 100: 64.37, 200: 53.41, 500: 43.05, 1000: 40.0, 2000: 39.23,
              4000: 36.65, 8000: 51.80, 12_500: 51.49}  # fmt: skip


def contour_db(phon: float) -> np.ndarray:
    """Sound pressure level of a contour of equal loudness, ISO 226:2003, formula 1."""
    exponent, transfer, threshold = (np.array(values) for values in (EXPONENT, TRANSFER_DB, THRESHOLD_DB))
    inner = (
        4.47e-3 * (10.0 ** (0.025 * phon) - 1.14) + (0.4 * 10.0 ** ((threshold + transfer) / 10.0 - 9.0)) ** exponent
    )
    return 10.0 / exponent * np.log10(inner) - transfer + 94.0


def decibels(magnitude: np.ndarray) -> np.ndarray:
    return 20.0 * np.log10(np.maximum(magnitude, 1e-9))


def bands_db(key: str, hz: np.ndarray) -> np.ndarray:
    """What is stated beside the passes: shelves of 9 dB, bells; analogue prototypes (audio EQ cookbook)."""
    stations = [station for station in system(key).chain if hasattr(station, "bands")]
    return sum((decibels(band.prototype(hz)) for station in stations for band in station.bands), np.zeros(len(hz)))


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("key", STATED)
def test_a_response_is_the_stated_butterworth_passes_with_their_bands(key, rate):
    stated = bands_db(key, HZ)
    for order, corner_hz, kind in STATED[key]:
        # The analogue filter: scipy.signal's own Butterworth.
        b, a = signal.butter(order, 2 * np.pi * corner_hz, kind, analog=True)
        stated = stated + decibels(np.abs(signal.freqs(b, a, worN=2 * np.pi * HZ)[1]))
    found = decibels(system(key).magnitude(HZ, rate))
    # A digital low-pass at 12 to 16 kHz leaves its prototype near half the rate: most at 10 kHz.
    near = {44_100: 0.55, 48_000: 0.35, 96_000: WITHIN_DB}[rate]
    for low_hz, high_hz, within_db in ((0.0, 2500.0, WITHIN_DB), (2500.0, 10_001.0, near)):
        heard = (stated > -60.0) & (low_hz <= HZ) & (high_hz > HZ)
        np.testing.assert_allclose(found[heard], stated[heard], atol=within_db)


def test_the_contours_are_those_of_the_standard():
    found = dict(zip(ISO_HZ, contour_db(40.0), strict=True))
    for hertz, level_db in FORTY_PHON.items():
        assert found[hertz] == pytest.approx(level_db, abs=0.05)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_quiet_is_the_difference_of_two_contours(rate):
    stated = contour_db(80.0) - contour_db(50.0) - 30.0
    found = decibels(system("quiet").magnitude(np.array(ISO_HZ), rate))
    np.testing.assert_allclose(found, stated, atol=WITHIN_DB)


@pytest.mark.parametrize("item", SYSTEMS, ids=lambda item: item.key)
def test_what_is_heard_is_what_is_drawn(item):
    rate, frames = 48_000, 1 << 16
    impulse = np.zeros((frames, 2), dtype=np.float32)
    impulse[100] = 0.5
    session = Session(name="One", sample_rate=rate, lanes=(Lane(id="one", name="One", file="none.wav"),))
    plan = make_plan(systems.through(session, item.key), {"one": Memory(impulse)})
    sound = np.concatenate(list(render(plan)))
    spectrum = np.abs(np.fft.rfft(sound[:, 0])) / 0.5
    at = np.round(HZ * len(sound) / rate).astype(int)
    stated = decibels(item.magnitude(at * rate / len(sound), rate))
    heard = stated > -60.0
    np.testing.assert_allclose(decibels(spectrum[at])[heard], stated[heard], atol=WITHIN_DB)


def test_from_one_place_both_sides_are_alike_and_what_is_against_each_other_is_gone():
    rate = 48_000
    noise = np.random.default_rng(1).standard_normal(rate).astype(np.float32) * 0.1
    session = Session(name="One", sample_rate=rate, lanes=(Lane(id="one", name="One", file="none.wav"),))
    against = {"one": Memory(np.stack([noise, -noise], axis=1))}
    for item in SYSTEMS:
        sound = np.concatenate(list(render(make_plan(systems.through(session, item.key), against))))
        assert (np.abs(sound).max() < 1e-6) == item.mono, item.key


def test_the_session_itself_is_not_changed_and_every_assumption_is_said():
    session = Session(name="One", sample_rate=48_000)
    for item in SYSTEMS:
        assert systems.through(session, item.key) is not session
        assert session.mix.chain == ()
        assert len(item.assumes) > 20
    with pytest.raises(KeyError):
        system("a bathroom")


def test_the_low_end_alone_has_nothing_over_125_hz():
    rate = 48_000
    time = np.arange(rate) / rate
    lanes = (Lane(id="low", name="Low", file="a.wav"), Lane(id="high", name="High", file="b.wav"))
    session = Session(name="Two", sample_rate=rate, lanes=lanes)
    sounds = {name: Memory(np.tile(np.sin(2 * np.pi * hz * time)[:, None], 2).astype(np.float32) * 0.2)
              for name, hz in (("low", 60.0), ("high", 1000.0))}  # fmt: skip
    sound = np.concatenate(list(render(make_plan(systems.low_end_alone(session), sounds))))[rate // 4 :, 0]
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    hz = np.fft.rfftfreq(len(sound), 1.0 / rate)
    low, high = spectrum[np.abs(hz - 60.0).argmin()], spectrum[np.abs(hz - 1000.0).argmin()]
    assert decibels(high / low) < -60.0
