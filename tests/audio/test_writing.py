"""Rounding, dither, overs, and files that appear whole or not at all."""

import numpy as np
import pytest
import soundfile

from all_even.audio.writing import Quantiser, tpdf, write_sound
from all_even.errors import Cancelled, UserError
from tests.conftest import RATE, noise


def test_24_bits_are_rounded_not_floored(tmp_path):
    values = np.array([[0.4, -0.4], [0.6, -0.6], [1.0, -1.0]]) / 2**23
    write_sound(tmp_path / "a.wav", [values], sample_rate=RATE, channels=2, bits="24")
    read = soundfile.read(tmp_path / "a.wav", dtype="int32")[0] >> 8
    assert read.tolist() == [[0, 0], [1, -1], [1, -1]]


def test_overs_are_counted_and_clipped_in_integers_but_kept_in_float(tmp_path):
    loud = np.array([[1.5, -1.5], [0.5, 0.5]])
    for bits in ("16", "24"):
        assert write_sound(tmp_path / f"{bits}.wav", [loud], sample_rate=RATE, channels=2, bits=bits).overs == 2
    write_sound(tmp_path / "f.wav", [loud], sample_rate=RATE, channels=2, bits="32f")
    assert soundfile.read(tmp_path / "f.wav")[0][0].tolist() == [1.5, -1.5]


def test_dither_is_triangular_and_free_of_the_signal():
    """TPDF of 2 LSB peak to peak: variance 1/6 LSB squared; total error 1/4 with rounding (textbook)."""
    dither = tpdf(0, 200_000, 1)
    assert np.abs(dither).max() <= 1.0
    assert dither.var() == pytest.approx(1 / 6, rel=0.02)
    signal = np.linspace(-3, 3, 200_000)[:, np.newaxis] / 2**15
    error = Quantiser("16")(signal).astype(float) - signal * 2**15
    assert error.var() == pytest.approx(0.25, rel=0.02)
    assert abs(np.corrcoef(error[:, 0], signal[:, 0])[0, 1]) < 0.01


def test_dither_is_anchored_at_the_session_and_never_repeats_soon():
    whole = tpdf(0, 140_000, 2)
    np.testing.assert_array_equal(tpdf(60_000, 10_000, 2), whole[60_000:70_000])
    assert abs(np.corrcoef(whole[:65_536, 0], whole[65_536:131_072, 0])[0, 1]) < 0.02


def test_nothing_is_left_of_a_cancelled_file(tmp_path):
    def blocks():
        yield noise(0.1)[:, np.newaxis].repeat(2, axis=1)
        raise Cancelled

    with pytest.raises(Cancelled):
        write_sound(tmp_path / "a.wav", blocks(), sample_rate=RATE, channels=2)
    assert not list(tmp_path.iterdir())


def test_what_can_not_be_written_is_said_before_anything_is(tmp_path):
    for path, bits, words in (
        (tmp_path / "a.mp3", "24", "has to end in .wav or .flac"),
        (tmp_path / "a.flac", "32f", "FLAC holds 16 or 24 bits"),
        (tmp_path / "gone" / "a.wav", "24", "there is no folder"),
    ):
        with pytest.raises(UserError, match=words):
            write_sound(path, [], sample_rate=RATE, channels=2, bits=bits)
