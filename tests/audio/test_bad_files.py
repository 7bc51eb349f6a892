"""Every kind of bad file gets its own sentence; nothing else is disturbed."""

import os
import struct
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from all_even.audio.sound_file import SoundFileError, inspect
from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import measure_file, measure_files
from tests.conftest import RATE, as_nobody, noise, sine


def wav_bytes(channels: int = 1, rate: int = 48_000, data: bytes = b"\0" * 960, promised: int | None = None) -> bytes:
    """A 16-bit WAV file made by hand, with any lie in its header."""
    size = len(data) if promised is None else promised
    fmt = struct.pack("<HHIIHH", 1, channels, rate, rate * channels * 2 & 0xFFFFFFFF, channels * 2, 16)
    return (
        b"RIFF"
        + struct.pack("<I", 36 + size & 0xFFFFFFFF)
        + b"WAVE"
        + b"fmt "
        + struct.pack("<I", 16)
        + fmt
        + b"data"
        + struct.pack("<I", size)
        + data
    )


BAD = {
    "nothing.wav": (b"", "nothing.wav is empty: it has 0 bytes."),
    "letter.wav": (
        b"Dear mixer, the takes follow.\n" * 40,
        "letter.wav is not a sound file: its content is not WAV nor anything else that can be read.",
    ),
    "picture.flac": (
        bytes(range(256)) * 20,
        "picture.flac is not a sound file: its content is not FLAC nor anything else that can be read.",
    ),
    "silent movie.wav": (wav_bytes(channels=0), "silent movie.wav has no channels: its header says 0."),
    "slow.wav": (wav_bytes(rate=1000), "slow.wav has a sample rate of 1000 Hz: 4 to 384 kHz can be read."),
    "fast.wav": (wav_bytes(rate=768_000), "fast.wav has a sample rate of 768000 Hz: 4 to 384 kHz can be read."),
    "six.wav": (
        wav_bytes(channels=6, data=b"\1\0" * 600),
        "six.wav has 6 channels: only mono and stereo are mixed, but two of its channels can be taken.",
    ),
    "header only.wav": (
        wav_bytes(data=b""),
        "header only.wav holds no samples: its header is there, the sound is not.",
    ),
    "stump.wav": (wav_bytes()[:30], "stump.wav is cut short: it ends before its sound begins."),
}


@pytest.mark.parametrize("name", BAD)
def test_a_bad_file_is_refused_in_one_sentence(name, tmp_path):
    content, sentence = BAD[name]
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(SoundFileError) as caught:
        inspect(path)
    assert str(caught.value) == sentence


def test_a_folder_a_pipe_and_a_missing_file_are_told_apart(tmp_path):
    (tmp_path / "takes.wav").mkdir()
    os.mkfifo(tmp_path / "pipe.wav")
    for name, words in (
        ("takes.wav", "is a folder"),
        ("pipe.wav", "not a regular file"),
        ("gone.wav", "not there any more"),
    ):
        with pytest.raises(SoundFileError, match=words):
            inspect(tmp_path / name)


def test_a_file_without_permission_is_said(public_folder):
    path = public_folder / "private.wav"
    path.write_bytes(wav_bytes())
    path.chmod(0)
    with as_nobody(), pytest.raises(SoundFileError, match=r"private.wav can't be read: this user has no permission."):
        inspect(path)


def test_a_name_that_is_not_utf_8_is_said(tmp_path):
    raw = os.fsencode(tmp_path) + b"/kick\xff.wav"
    with open(raw, "wb") as file:
        file.write(wav_bytes())
    with pytest.raises(SoundFileError, match=r"kick\?.wav has a name that is not UTF-8 text: rename the file."):
        inspect(Path(os.fsdecode(raw)))


def test_a_wav_shorter_than_its_header_is_used_and_said(tmp_path):
    path = tmp_path / "cut.wav"
    path.write_bytes(wav_bytes(data=b"\1\0" * 48_000, promised=2 * 96_000))
    report = measure_file(path)
    assert report.ok
    assert report.defect == "cut.wav is cut short: its header promises 2.0 s, the file holds 1.0 s."
    assert next(finding.kind for finding in findings(report)) == "truncated"


def test_an_aiff_shorter_than_its_header_is_said(write, tmp_path):
    path = write("cut.aiff", noise(2.0), subtype="PCM_16")
    path.write_bytes(path.read_bytes()[: RATE * 2])
    assert "cut short: its header promises 2.0 s" in inspect(path).defect


def test_a_flac_that_breaks_off_is_used_as_far_as_it_goes(write):
    path = write("half.flac", noise(4.0))
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    report = measure_file(path)
    assert report.ok
    assert 1.0 < report.measures.duration_s < 3.0
    assert "cut short: its header promises 4.0 s" in report.defect


def test_not_a_number_is_read_as_silence_and_counted(write):
    samples = sine(440.0, 1.0, -6.0)
    samples[100:110] = np.nan
    samples[200] = np.inf
    report = measure_file(write("broken.wav", samples, subtype="FLOAT"))
    assert report.measures.not_finite == 11
    assert report.measures.sample_peak_dbfs == pytest.approx(-6.0, abs=0.01)
    assert any(finding.kind == "not_finite" for finding in findings(report))


def test_a_recorder_that_never_wrote_the_size_is_read_to_the_end(tmp_path):
    path = tmp_path / "stopped.wav"
    path.write_bytes(wav_bytes(data=b"\1\0" * 4800, promised=0xFFFFFFFF))
    assert inspect(path).defect is None


def test_a_file_over_two_gigabytes_is_described(tmp_path):
    """A sparse W64-sized RF64 file: the header is read with 64-bit sizes."""
    path = tmp_path / "long.rf64"
    frames = 450_000_000
    sizes = b"ds64" + struct.pack("<IQQQI", 28, frames * 6 + 100, frames * 6, frames, 0)
    form = b"fmt " + struct.pack("<IHHIIHH", 16, 1, 2, 48_000, 48_000 * 6, 6, 24)
    path.write_bytes(b"RF64" + b"\xff" * 4 + b"WAVE" + sizes + form + b"data" + b"\xff" * 4)
    os.truncate(path, path.stat().st_size + frames * 6)
    info = inspect(path)
    assert info.frames == frames
    assert info.defect is None


def test_bad_files_do_not_stop_the_others(tmp_path, write):
    good = write("good.wav", noise(0.5))
    paths = [good]
    for name, (content, _) in BAD.items():
        (tmp_path / name).write_bytes(content)
        paths.append(tmp_path / name)
    reports = dict(measure_files([(path, None) for path in paths]))
    assert reports[0].ok
    assert all(reports[i].error and not reports[i].ok for i in range(1, len(paths)))


def test_the_decoder_does_not_write_to_stderr(write):
    """An MP3 with rubbish before its frames makes the decoder talk."""
    path = write("talk.mp3", noise(1.0), subtype=None, format="MP3")
    path.write_bytes(b"\xff\xfb\x90" + b"\0" * 5000 + path.read_bytes())
    code = (
        "from pathlib import Path; from all_even.measure.recording.files import measure_file; "
        f"measure_file(Path({str(path)!r}))"
    )
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert result.stderr == ""


def test_any_bytes_at_all_give_a_sentence_or_a_file(tmp_path):
    """Seeded rubbish behind real headers: an error of ours or a description, never another exception."""
    rng = np.random.default_rng(5)
    beginnings = [wav_bytes()[:n] for n in (4, 12, 20, 36, 44)] + [b"FORM\0\0\1\0AIFF", b"fLaC", b"OggS", b"RF64"]
    for index in range(60):
        path = tmp_path / f"rubbish {index}.wav"
        path.write_bytes(beginnings[index % len(beginnings)] + rng.bytes(int(rng.integers(0, 3000))))
        report = measure_file(path)
        assert report.ok or report.error.startswith(path.name)


CASES = Path(__file__).parent / "cases"
"""Generated sounds with flipped bytes; each once stopped a folder, a print or the JSON."""


def test_headers_that_overflow_stop_nobody_else(write, home):
    paths = [*sorted(CASES.iterdir()), write("good.wav", noise(0.5))]
    reports = {path.name: report for (path, report) in zip(paths, _measured(paths), strict=True)}
    assert reports["good.wav"].ok
    assert reports["huge-chunk.w64"].error == "huge-chunk.w64 is cut short: it ends before its sound begins."
    assert "sample rate of inf Hz" in reports["huge-rate.aiff"].error
    assert reports["no-frame.flac"].error == "no-frame.flac can't be decoded: no sound could be read from it."
    assert reports["huge-samples.wav"].ok
    assert not (home / "data" / "defects.log").exists()


def _measured(paths):
    found = dict(measure_files([(path, None) for path in paths]))
    return [found[index] for index in range(len(paths))]


@pytest.mark.parametrize("case", sorted(CASES.iterdir()), ids=lambda path: path.name)
def test_every_figure_of_a_damaged_file_is_finite_or_unknown(case, home, capsys):
    from all_even import cli

    assert cli.main(["measure", str(case), "--json"]) == 0
    assert "NaN" not in capsys.readouterr().out


def test_samples_far_over_full_scale_count_as_damage(write, home):
    samples = sine(440.0, 1.0, -6.0)
    samples[100:103] = 1e30
    report = measure_file(write("wild.wav", samples, subtype="DOUBLE"))
    assert report.measures.not_finite == 3
    assert report.measures.sample_peak_dbfs == pytest.approx(-6.0, abs=0.01)


@pytest.mark.parametrize("form", ["nested", "empty", "list lies"])
def test_a_header_of_any_shape_is_read_quickly(form, tmp_path, monkeypatch):
    """Chunks inside chunks, 40 MB of empty ones, sizes that lead nowhere: so many steps and no more."""
    from all_even.audio import header

    body = b""
    if form == "nested":
        for _ in range(80):
            body = b"LIST" + struct.pack("<I", len(body) + 4) + b"INFO" + body
    elif form == "empty":
        body = b"junk\0\0\0\0" * 5_000_000
    else:
        body = b"LIST" + struct.pack("<I", 0xFFFFFFFE) + b"INFO"
    data = wav_bytes()
    path = tmp_path / "many.wav"
    path.write_bytes(data[:12] + body + data[12:])
    steps = 0
    real = header._chunks

    def counted(*arguments):
        nonlocal steps
        for item in real(*arguments):
            steps += 1
            yield item

    monkeypatch.setattr(header, "_chunks", counted)
    header.read_header(path)
    assert steps <= 2_000  # of up to five million
    measure_file(path)


def test_a_time_reference_behind_the_sound_is_found_and_a_short_chunk_is_none(tmp_path):
    from all_even.audio.header import read_header

    data = wav_bytes()
    bext = bytearray(602)
    struct.pack_into("<Q", bext, 338, 48_000 * 3600)
    late = data + b"bext" + struct.pack("<I", 602) + bext
    cut = data[:12] + b"bext" + struct.pack("<I", 40) + bext[:40] + data[12:]
    for name, content, wanted in (("late.wav", late, 48_000 * 3600), ("cut.wav", cut, None)):
        (tmp_path / name).write_bytes(content)
        assert read_header(tmp_path / name).time_reference == wanted
        assert inspect(tmp_path / name).start_frame == wanted


def test_a_file_that_makes_us_stumble_stands_alone_and_is_noted(write, home, monkeypatch, defects):
    from all_even.measure.recording import files

    real = files.Measurement.add

    def add(self, block):
        if len(block) == 4801:
            raise ZeroDivisionError
        real(self, block)

    monkeypatch.setattr(files.Measurement, "add", add)
    bad, good = write("bad.wav", noise(0.2)[:4801]), write("good.wav", noise(0.2))
    reports = _measured([bad, good])
    assert reports[0].error == "bad.wav can't be measured: All Even stumbled over it."
    assert reports[1].ok
    assert "ZeroDivisionError" in (home / "data" / "defects.log").read_text()
    defects.clear()
