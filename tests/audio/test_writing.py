"""Rounding, dither, overs, and files that appear whole or not at all."""

from datetime import datetime

import numpy as np
import pytest
import soundfile

from all_even.audio import writing
from all_even.audio.header import read_header
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


def test_a_wav_file_says_who_made_it_when_and_where_it_begins(tmp_path):
    """EBU Tech 3285: description, originator, date, time, time reference in frames, at their places in `bext`."""
    start = 30 * 3600 * RATE  # over 32 bits
    write_sound(tmp_path / "Song mix.wav", [np.zeros((10, 2))], sample_rate=RATE, channels=2, first_frame=start)
    data = (tmp_path / "Song mix.wav").read_bytes()
    at = data.index(b"bext") + 8
    assert data[at : at + 256].rstrip(b"\0") == b"Song mix"
    assert data[at + 256 : at + 288].rstrip(b"\0") == b"All Even"
    date, time = data[at + 320 : at + 330].decode(), data[at + 330 : at + 338].decode()
    datetime.fromisoformat(f"{date}T{time}")
    assert int.from_bytes(data[at + 338 : at + 346], "little") == start
    assert read_header(tmp_path / "Song mix.wav").time_reference == start


def test_a_sound_over_4_gb_becomes_rf64(tmp_path, monkeypatch):
    """EBU Tech 3306. The size is lowered: the disk of a test is not for 4 GB."""
    assert writing.is_large(1 << 30, 2, "24")
    assert not writing.is_large(1 << 20, 2, "32f")
    monkeypatch.setattr(writing, "LARGEST_WAV_BYTES", 1000)
    sound = noise(0.1)[:, np.newaxis].repeat(2, axis=1)
    for frames, kind in ((0, "WAV"), (len(sound), "RF64")):
        path = tmp_path / f"{kind}.wav"
        write_sound(path, [sound], sample_rate=RATE, channels=2, bits="32f", frames=frames, first_frame=480)
        assert soundfile.info(path).format == kind
        np.testing.assert_allclose(soundfile.read(path)[0], sound, atol=1e-7)
        assert read_header(path).time_reference == 480
    write_sound(tmp_path / "RF64.wav", [sound], sample_rate=RATE, channels=2)  # ours: it may be replaced
