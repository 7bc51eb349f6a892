"""Faults of a recording: dropouts, cut ends, hum, dead and inverted sides, printed reverberation."""

import numpy as np
import pytest

from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import measure_file
from tests.conftest import RATE, noise, sine
from tests.measure.sounds import kick, placed, plucked, snare

NOTES = [(0.3 + 0.7 * i, 0.5, 110.0 * 2 ** (i % 5 / 12)) for i in range(14)]
SECONDS = 11.0


@pytest.fixture
def told(write, home):
    def find(samples: np.ndarray, held: bool = True) -> dict[str, float | None]:
        sound = samples + 1e-5 * noise(len(samples) / RATE).reshape(-1, *(1,) * (samples.ndim - 1))[: len(samples)]
        report = measure_file(write("a.wav", sound))
        return {finding.kind: finding.size for finding in findings(report, held=held)}

    return find


@pytest.fixture
def line():
    return plucked(NOTES, SECONDS)


def test_a_clean_line_has_no_faults(told, line):
    assert told(line) == {}


@pytest.mark.parametrize("ms", [1.0, 10.0, 80.0])
def test_a_dropout_is_found_with_its_place_and_length(write, home, line, ms):
    at = round(2.537 * RATE)
    holed = line + 1e-5 * noise(SECONDS)
    holed[at : at + round(ms * 0.001 * RATE)] = 0.0
    (finding,) = findings(measure_file(write("a.wav", holed)))
    assert finding.kind == "dropout"
    assert finding.severity == "fault"
    assert finding.time_s == pytest.approx(2.537, abs=0.001)
    assert finding.size == pytest.approx(ms, abs=0.2)
    assert "0:02.537" in finding.text


def test_edited_silence_between_phrases_is_no_dropout(told):
    edited = plucked(NOTES[:6], SECONDS) + 1e-5 * noise(SECONDS)
    for start, length, _ in NOTES[:6]:
        edited[round((start + length) * RATE) : round((start + 0.69) * RATE)] = 0.0
    assert "dropout" not in told(edited)


def test_a_file_that_was_cut_without_a_fade_says_at_which_end(told):
    held = sine(110.0, 4.0, -12.0, phase=1.1)
    assert set(told(held)) == {"cut_start", "cut_end"}
    fade = np.minimum(1.0, np.arange(len(held)) / (0.005 * RATE))
    assert told(held * fade * fade[::-1]) == {}
    assert set(told(held * fade)) == {"cut_end"}


def test_a_file_that_begins_with_a_stroke_is_not_cut(told):
    assert told(0.5 * placed(kick(), [0.0, 0.7, 1.4, 2.1], 4.0)) == {}


@pytest.mark.parametrize("mains", [50.0, 60.0])
def test_hum_is_found_under_the_music_with_its_level(told, mains):
    seconds = 24.0
    hum = sum(sine(mains * k, seconds, -55.0) for k in (1, 2, 3))
    found = told(plucked(NOTES, seconds) + hum)
    assert set(found) == {"hum"}
    assert found["hum"] == pytest.approx(-55.0 - 3.01 + 10 * np.log10(3.0), abs=2.5)


def test_hum_between_the_hits_of_a_drum_is_found_and_repeated_hits_are_no_hum(told):
    """Hits that repeat exactly have a comb of lines as well; a loud drum drowns a hum in a long spectrum."""
    seconds = 24.0
    hits = placed(snare(), np.arange(0.3, seconds - 0.5, 0.7557), seconds)
    assert told(0.5 * hits, held=False) == {}
    hum = sum(sine(60.0 * k, seconds, -50.0) for k in (1, 2, 3, 4))
    assert "hum" in told(0.5 * hits + hum)


def test_hum_between_notes_is_no_note(write, home):
    seconds = 16.0
    hum = sum(sine(50.0 * k, seconds, -50.0 - 6.0 * k) for k in range(1, 6))
    sound = 0.5 * plucked([(0.5 + 2.0 * i, 0.6, 110.0) for i in range(7)], seconds) + hum
    found = measure_file(write("a.wav", sound)).character
    assert found.hum is not None
    assert [round(note.frequency_hz) for note in found.notes] == [110] * 7


def test_a_held_low_g_is_not_hum(told):
    held = plucked([(0.2, 10.0, 48.9994)], SECONDS)
    assert "hum" not in told(held)


def test_a_dead_and_an_inverted_side_are_faults(told, line):
    assert "dead_channel" in told(np.stack([line, np.zeros_like(line)], axis=1))
    assert "inverted_channel" in told(np.stack([line, -0.9 * line], axis=1))
    assert "identical_channels" in told(np.stack([line, line], axis=1))


def test_printed_reverberation_of_held_notes_is_told(told):
    notes = [(0.3 + 1.4 * i, 0.6, 220.0 * 2 ** (i % 5 / 12)) for i in range(8)]
    dry = np.zeros(round(12.0 * RATE))
    for start, length, hertz in notes:  # held notes, let go at once
        tone = sum(sine(hertz * k, length, -14.0 - 6.0 * k) for k in range(1, 9))
        edge = np.minimum(1.0, np.arange(len(tone)) / 480.0)
        at = round(start * RATE)
        dry[at : at + len(tone)] += tone * edge * edge[::-1]
    time = np.arange(round(1.2 * RATE)) / RATE
    room = np.random.default_rng(5).standard_normal(len(time)) * 10.0 ** (-3.0 * time / 0.8)
    size = len(dry) + len(room)
    wet = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(room, size))[: len(dry)]
    assert "reverb" not in told(dry)
    time_s = told(dry + 0.8 * wet / np.abs(wet).max() * np.abs(dry).max())["reverb"]
    assert 0.27 < time_s < 0.8  # it detects; the time reads low


def test_a_float_file_far_over_full_scale_breaks_nothing(write, home):
    report = measure_file(write("a.wav", 1e6 * noise(3.0), subtype="FLOAT"))
    assert report.error is None
    assert np.isfinite(report.envelope).all()
