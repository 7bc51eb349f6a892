"""Notes of lines, their evenness and tuning."""

import numpy as np
import pytest
from scipy.signal import sosfreqz

from all_even.dsp.filters import biquad
from all_even.measure.pitch import pitch
from all_even.measure.pitch.evenness import evenness, narrow_band
from all_even.measure.pitch.notes import find_notes
from all_even.measure.pitch.tuning import Tuning, against_the_song, tuning
from all_even.measure.pitch.yin import pitch_track
from all_even.measure.time.traces import trace_samples
from tests.measure.sounds import RATE, plucked

LINE = [28, 28, 33, 31, 35, 35, 40, 38, 33, 33, 28, 31]  # MIDI: E1 to E2


def line(midi=LINE, length=0.4, cents=0.0):
    return [(0.2 + i * length, length, pitch.hertz(note + cents / 100.0)) for i, note in enumerate(midi)]


def found_in(notes, levels=None):
    sound = plucked(notes, notes[-1][0] + 1.0)
    if levels is not None:
        for (start, length, _), level in zip(notes, levels, strict=True):
            sound[round(start * RATE) : round((start + length) * RATE)] *= level
    traces = trace_samples(sound[:, np.newaxis], RATE)
    return traces, find_notes(traces)


def test_every_note_of_a_bass_line_is_found_with_repeated_ones():
    wanted = line()
    _, found = found_in(wanted)
    assert len(found) == len(wanted)
    for note, (start, _, hertz) in zip(found, wanted, strict=True):
        assert note.start_s == pytest.approx(start, abs=0.04)
        assert abs(pitch.cents_between(note.frequency_hz, hertz)) < 10.0


def test_chords_and_noise_are_no_line():
    chords = sum(plucked(line([m + k for m in LINE]), 6.0) for k in (24, 28, 31))
    assert find_notes(trace_samples(chords[:, np.newaxis], RATE)) == ()
    rng = np.random.default_rng(0)
    assert find_notes(trace_samples(0.1 * rng.standard_normal((4 * RATE, 1)), RATE)) == ()
    assert find_notes(trace_samples(np.zeros((100, 1)), RATE)) == ()


@pytest.mark.parametrize("hertz", [31.0, 41.2, 55.0, 110.0, 220.0])
def test_yin_reads_low_notes_within_5_cents(hertz):
    """With the lag inside the integration 31 Hz would read 43 cents sharp."""
    time = np.arange(8000) / 4000.0
    tone = sum(np.sin(2 * np.pi * hertz * k * time) / k for k in range(1, int(1900 / hertz)))
    frequency, aperiodicity = pitch_track(tone, 4000, highest_hz=1000.0)
    assert abs(pitch.cents_between(float(np.median(frequency[20:-20])), hertz)) < 5.0
    assert aperiodicity[20:-20].max() < 0.1


def test_a_note_that_stands_out_is_named():
    levels = [2.0 if note == 33 else 1.0 for note in LINE]
    traces, found = found_in(line(), levels)
    even = evenness(traces.low, found)
    assert even is not None
    assert even.outstanding[0].name == "A1"
    assert even.outstanding[0].difference_db == pytest.approx(6.0, abs=1.5)
    flat_traces, flat = found_in(line())
    assert evenness(flat_traces.low, flat).spread_db < even.spread_db
    assert evenness(traces.low, found[:3]) is None


@pytest.mark.parametrize(("q", "least", "most"), [(0.7, 0.5, 2.0), (1.4, 2.0, 3.7), (4.0, 4.5, 6.0), (7.0, 5.0, 6.0)])
def test_a_narrow_bell_takes_out_single_notes(q, least, most):
    """A -6 dB bell at A1 over E1 to E2: range of its gains over the notes, by common practice."""
    b0, b1, b2, a1, a2 = biquad.bell(55.0 / RATE, -6.0, q)
    notes = [pitch.hertz(m) for m in range(28, 41)]
    _, response = sosfreqz([[b0, b1, b2, 1.0, a1, a2]], worN=notes, fs=RATE)
    gains = 20.0 * np.log10(np.abs(response))
    found = narrow_band(gains, -6.0)
    assert least < found.range_db < most
    assert found.too_narrow == (q > 3.0)


def test_the_step_between_neighbouring_notes_grows_with_q():
    """Largest difference of a +6 dB bell at A1 between notes a semitone apart: Q 1, 3 and 7."""
    steps = []
    for q in (1.0, 3.0, 7.0):
        b0, b1, b2, a1, a2 = biquad.bell(55.0 / RATE, 6.0, q)
        _, response = sosfreqz([[b0, b1, b2, 1.0, a1, a2]], worN=[pitch.hertz(m) for m in range(28, 41)], fs=RATE)
        steps.append(float(np.abs(np.diff(20.0 * np.log10(np.abs(response)))).max()))
    assert steps[0] < 0.6 < 1.2 < steps[1] < 2.2 < steps[2] < 4.5


def test_a_part_out_of_tune_reads_its_cents_against_the_others():
    _, found = found_in(line(cents=-22.0))
    own = tuning(found)
    assert own is not None
    assert own.cents == pytest.approx(-22.0, abs=3.0)
    against = against_the_song({"sub": own, "bass": Tuning(0.0, 1.0, 20.0), "voice": Tuning(2.0, 5.0, 20.0)})
    assert against["sub"] == pytest.approx(-23.0, abs=3.0)
    assert against_the_song({"sub": own}) == {}
    assert tuning(found[:2]) is None


def test_a_band_that_tuned_high_is_not_out_of_tune():
    both = {"a": Tuning(48.0, 1.0, 10.0), "b": Tuning(-49.0, 1.0, 10.0)}
    assert abs(against_the_song(both)["a"]) == pytest.approx(3.0, abs=0.01)
