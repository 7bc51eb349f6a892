"""Formats, other rates, channels taken, time references."""

import os

import numpy as np
import pytest
import soundfile

from all_even.audio import content, decoded, sound_file
from all_even.audio.sound_file import inspect, inspect_pair
from all_even.measure.recording.files import measure_file
from tests.conftest import RATE, noise, sine

LOSSLESS = (
    ("a.wav", "PCM_24", {}),
    ("a.wav", "FLOAT", {}),
    ("a.aiff", "PCM_16", {}),
    ("a.caf", "PCM_24", {}),
    ("a.flac", "PCM_24", {}),
    ("a.w64", "PCM_24", {}),
    ("a.rf64", "PCM_16", {"format": "RF64"}),
)


@pytest.mark.parametrize(("name", "subtype", "options"), LOSSLESS, ids=lambda value: str(value))
def test_lossless_formats_give_the_samples_back(write, home, name, subtype, options):
    samples = noise(0.5)
    frames = decoded.open_frames(inspect(write(name, samples, subtype=subtype, **options)), RATE)
    assert frames.frames == len(samples)
    step = 2.0**-15 if subtype == "PCM_16" else 2.0**-23
    np.testing.assert_allclose(frames.read(0, len(samples))[:, 0], samples, atol=step)


@pytest.mark.parametrize(
    ("name", "options"),
    [
        ("a.ogg", {"subtype": "VORBIS"}),
        ("a.opus", {"format": "OGG", "subtype": "OPUS"}),
        ("a.mp3", {"format": "MP3", "subtype": None}),
    ],
)
def test_lossy_formats_keep_level_and_length(write, home, name, options):
    """An MP3 carries encoder padding; what is decoded must have the sound's length to a frame of it."""
    path = write(name, sine(440.0, 2.0, -12.0), **options)
    report = measure_file(path)
    assert report.ok
    assert report.measures.rms_dbfs == pytest.approx(-15.0, abs=0.3)
    frames = decoded.open_frames(report.info, RATE)
    assert frames.frames == pytest.approx(2 * RATE, abs=1200)


def test_another_rate_is_resampled_and_the_file_stays_as_it_was(write, home):
    path = write("a.wav", sine(1000.0, 1.0, -6.0, rate=44_100), rate=44_100)
    before = path.read_bytes()
    frames = decoded.open_frames(inspect(path), RATE)
    assert frames.frames == pytest.approx(RATE, abs=2)
    middle = frames.read(4800, RATE - 9600)[:, 0]
    expected = sine(1000.0, 1.0, -6.0)[4800 : RATE - 4800]
    np.testing.assert_allclose(middle, expected, atol=2e-4)
    assert path.read_bytes() == before


def test_plain_pcm_is_read_in_place(write, home):
    decoded.open_frames(inspect(write("a.wav", noise(0.2))), RATE)
    assert not list((home / "cache" / "decoded").glob("*")) if (home / "cache").exists() else True


def test_reading_outside_the_file_gives_silence(write, home):
    frames = decoded.open_frames(inspect(write("a.wav", noise(0.1))), RATE)
    assert not frames.read(-100, 100).any()
    assert not frames.read(frames.frames, 50).any()
    both = frames.read(-10, 20)
    assert not both[:10].any()
    assert both[10:].any()


def test_a_pair_of_channels_can_be_taken(write, home):
    six = np.stack([np.full(1000, i / 10) for i in range(6)], axis=1)
    info = inspect_pair(write("six.wav", six), (3, 4))
    taken = decoded.open_frames(info, RATE, (3, 4)).read(0, 10)
    np.testing.assert_allclose(taken[0], [0.2, 0.3], atol=1e-6)


def test_the_cache_is_emptied_but_for_what_is_open(write, home):
    closed = write("closed.flac", noise(0.2, 1))
    opened = write("open.flac", noise(0.2, 2))
    unused = decoded.open_frames(inspect(closed), RATE)
    frames = decoded.open_frames(inspect(opened), RATE)
    assert decoded.empty_cache() == 0
    del unused
    assert decoded.empty_cache() == decoded.HEAD.size + 4 * 9600
    assert len(list((home / "cache" / "decoded").glob("*.f32"))) == 1
    assert frames.read(0, 100).any()


@pytest.mark.parametrize("damage", ["emptied", "cut", "one bit", "not ours"])
def test_a_damaged_decoded_copy_is_made_again(write, home, damage):
    info = inspect(write("a.flac", noise(0.2, 1)))
    whole = decoded.open_frames(info, RATE).read(0, 9600)
    (copy,) = (home / "cache" / "decoded").glob("*.f32")
    data = bytearray(copy.read_bytes())
    data[5000] ^= 1
    copy.write_bytes({"emptied": b"", "cut": data[:3000], "one bit": bytes(data), "not ours": b"RIFF" * 999}[damage])
    np.testing.assert_array_equal(decoded.open_frames(info, RATE).read(0, 9600), whole)


def test_a_decoded_copy_that_is_cut_while_it_is_open_goes_on_in_silence(write, home):
    frames = decoded.open_frames(inspect(write("a.flac", noise(0.2, 1))), RATE)
    whole = frames.read(0, 9600)
    (copy,) = (home / "cache" / "decoded").glob("*.f32")
    os.truncate(copy, decoded.HEAD.size + 4 * 5000)
    cut = frames.read(0, 9600)
    np.testing.assert_array_equal(cut[:5000], whole[:5000])
    assert not cut[5000:].any()


def test_a_file_is_known_by_its_content(write):
    a, b = write("a.wav", noise(0.1)), write("b.wav", noise(0.1))
    other = write("c.wav", noise(0.1, 3))
    assert content.content_hash(a) == content.content_hash(b) != content.content_hash(other)


@pytest.mark.parametrize("container", ["WAV", "RF64"])
def test_a_bwf_time_reference_places_the_lane(write, home, tmp_path, container):
    import struct

    from all_even.session.file.new import inspect_all, new_session, sound_paths

    for name, start in (("early.wav", 480_000), ("late.wav", 480_000 + 72_000)):
        path = write(f"take/{name}", noise(0.2), subtype="PCM_16", format=container)
        data = path.read_bytes()
        bext = bytearray(602)
        struct.pack_into("<Q", bext, 338, start)
        chunk = b"bext" + struct.pack("<I", len(bext)) + bytes(bext)
        at = data.find(b"fmt ")
        size = data[4:8] if container == "RF64" else struct.pack("<I", len(data) - 8 + len(chunk))
        path.write_bytes(data[:4] + size + data[8:at] + chunk + data[at:])
    infos, bad = inspect_all(sound_paths(tmp_path / "take"))
    assert not bad
    session = new_session(tmp_path / "take", infos)
    assert {lane.name: lane.start_s for lane in session.lanes} == {"Early": 0.0, "Late": 1.5}


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24"])
@pytest.mark.parametrize("container", ["WAV", "WAVEX", "RF64"])
@pytest.mark.parametrize("channels", [1, 2])
def test_whole_number_pcm_read_in_place_is_what_the_decoder_gives(tmp_path, subtype, container, channels):
    """Reference: libsndfile."""
    path = tmp_path / "pcm.wav"
    sound = np.clip(np.random.default_rng(3).standard_normal((30_011, channels)), -1.0, 1.0)
    soundfile.write(path, sound, 48_000, subtype=subtype, format=container)
    expected, _ = soundfile.read(path, dtype="float32", always_2d=True)
    info = sound_file.inspect(path)
    assert info.pcm_place is not None
    np.testing.assert_array_equal(np.concatenate(list(sound_file.read_blocks(info, 1_024))), expected)
    reader = sound_file.Reader(info)
    found = reader.read(-7, 31_000)
    np.testing.assert_array_equal(found[7 : 7 + len(expected)], expected)
    assert not found[:7].any()
    assert not found[7 + len(expected) :].any()
    with path.open("r+b") as file:  # cut while it is open: what is gone is silence
        file.truncate(info.pcm_place + 20_000)
    cut = reader.read(0, 30_000)
    whole = 20_000 // (channels * (2 if subtype == "PCM_16" else 3))
    np.testing.assert_array_equal(cut[:whole], expected[:whole])
    assert not cut[whole:].any()
    reader.close()
    assert not reader.read(0, 10).any()
