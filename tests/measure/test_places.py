"""What sticks out of a line, and what an ear calls it."""

import numpy as np
import pytest

from all_even.measure.pitch.high_line import RATE as HIGH_RATE
from all_even.measure.pitch.high_line import high_notes
from all_even.measure.pitch.notes import Note
from all_even.measure.pitch.partials import partials, spots
from all_even.measure.sharing import ear_words, masking
from tests.measure.sounds import RATE
from tests.moves.share_sessions import held

PITCHES = (262.0, 294.0, 330.0, 349.2, 392.0, 440.0, 494.0)


def line(ringing_hz: float = 0.0, octaves: float = 0.06, gain_db: float = 0.0) -> tuple[np.ndarray, list[Note]]:
    """Each pitch three times; a place where partials are louder."""
    notes = [(0.4 * i, 0.36, PITCHES[(3 * i) % 7]) for i in range(21)]
    sound = np.zeros(round(9.0 * RATE))
    for start, length, hz in notes:
        time = np.arange(round(length * RATE)) / RATE
        tone = np.zeros(len(time))
        for k in range(1, int(8000.0 / hz)):
            near = np.exp(-0.5 * (np.log2(hz * k / ringing_hz) / octaves) ** 2) if ringing_hz else 0.0
            tone += 10.0 ** (gain_db * near / 20.0) / k * np.sin(2 * np.pi * hz * k * time + k)
        at = round(start * RATE)
        sound[at : at + len(tone)] += 0.1 * tone * np.minimum(1.0, time / 0.02)
    return sound, [Note(start, start + length, hz, -20.0) for start, length, hz in notes]


def test_a_clean_line_has_no_places():
    sound, notes = line()
    assert spots(partials(sound, RATE, notes)) == []


@pytest.mark.parametrize("hz", [900.0, 1700.0, 2800.0])
def test_a_resonance_of_many_pitches_is_found_where_it_is(hz):
    sound, notes = line(hz, 0.12, 13.0)
    found = spots(partials(sound, RATE, notes))
    assert found
    assert min(abs(np.log2(spot.hz / hz)) for spot in found[:2]) < 0.12


def test_a_ringing_note_is_found_on_its_fundamental():
    sound, notes = line(392.0, 0.03, 12.0)
    found = [spot for spot in spots(partials(sound, RATE, notes)) if spot.midi == 67 and spot.partial == 1]
    assert len(found) == 1
    assert found[0].over_db > 6.0


def test_partials_read_notes_where_they_lie_in_the_song():
    sound, notes = line()
    later = np.concatenate((np.zeros(RATE), sound))
    here, there = partials(sound, RATE, notes), partials(later, RATE, notes, start_s=1.0)
    assert np.array_equal(here.midi, there.midi)
    assert here.of_note_db == pytest.approx(there.of_note_db, abs=0.1, nan_ok=True)


def test_a_line_over_one_kilohertz_is_read_and_chords_are_not():
    high = [(0.3 * i, 0.28, (784.0, 932.3, 1174.7, 1568.0)[i % 4]) for i in range(20)]
    sound = held(high, 1.0, 7000.0, 7.0)[::3]
    notes = high_notes(sound)
    found = sorted({round(69 + 12 * float(np.log2(note.frequency_hz / 440.0))) for note in notes})
    assert found == [79, 82, 86, 91]
    chord = sum(held([(0.0, 6.5, hz)], 1.0, 7000.0, 7.0) for hz in (262.0, 330.0, 392.0))[::3]
    assert high_notes(chord) == ()
    assert HIGH_RATE * 3 == RATE


@pytest.mark.parametrize(
    ("hz", "family", "word"),
    [(120.0, "", "boomy"), (300.0, "", "muddy"), (550.0, "keys", "boxy"), (900.0, "guitars", "honky"),
     (900.0, "voices", "nasal"), (5000.0, "strings", "stringy"), (5000.0, "guitars", "stringy"),
     (3500.0, "strings", "harsh"), (5000.0, "keys", "sharp"),
     (7000.0, "voices", "sibilant"), (12_000.0, "", "airy")],
)  # fmt: skip
def test_ear_words_lie_where_the_trade_puts_them(hz, family, word):
    """Common practice: boomy 80-200, muddy 200-400, boxy 400-700, honky and nasal 700-1200, harsh 2-5 k, stringy about
    5 k, sibilant 5-9 k, air over 10 k."""
    assert ear_words.word_at(hz, family) == word


def test_contrast_of_a_tilted_spectrum_is_none_and_of_a_lump_its_size():
    tilted = -2.0 * np.arange(len(ear_words.THIRDS_HZ))
    assert np.nanmax(np.abs(ear_words.contrast(tilted))) < 1e-9
    lump = tilted.copy()
    lump[10:13] += 6.0
    found = ear_words.contrast(lump)
    assert int(np.nanargmax(found)) == 11
    assert found[11] == pytest.approx(6.0)


def test_third_octaves_of_pink_noise_are_level():
    noise = np.random.default_rng(2).standard_normal(RATE * 8)
    spectrum = np.fft.rfft(noise)
    pink = np.fft.irfft(spectrum / np.sqrt(np.maximum(1.0, np.arange(len(spectrum)))), len(noise))
    power = masking.excitation_of(pink[:, np.newaxis], RATE).power
    assert np.ptp(ear_words.third_octaves(power)[2:]) < 1.5
