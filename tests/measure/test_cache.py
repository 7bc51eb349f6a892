"""Measures on disk: read without running a parser of code, by any number of threads, or made again."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from all_even import sealed
from all_even.audio import content
from all_even.measure.recording import cache
from all_even.measure.recording.files import measure_file
from tests.conftest import noise


@pytest.fixture
def kept(write, home):
    path = write("a.wav", noise(1.0))
    return measure_file(path), content.content_hash(path), path


def test_what_is_kept_is_what_was_measured(kept):
    report, identity, _ = kept
    measures, character, envelope = cache.load(identity)
    assert measures.hops.weighted.flags.writeable
    for name in ("weighted", "power", "low", "high", "mean", "cross"):
        np.testing.assert_array_equal(getattr(measures.hops, name), getattr(report.measures.hops, name))
    assert measures.integrated_lufs == report.measures.integrated_lufs
    assert measures.third_octave_db == report.measures.third_octave_db
    assert character == report.character
    np.testing.assert_array_equal(envelope, report.envelope)


def test_nothing_in_the_cache_is_read_by_a_parser_of_code(kept, home):
    """NumPy's own files hold their shape as Python text, which is parsed by `ast`: not safe in threads."""
    (file,) = (home / "cache" / "measures").glob("*.measures")
    assert sealed.read(file) is not None
    assert b"NUMPY" not in file.read_bytes()
    assert b"'descr'" not in file.read_bytes()


def test_many_threads_read_at_once(kept):
    _, identity, _ = kept
    with ThreadPoolExecutor(16) as pool:
        found = list(pool.map(lambda _n: cache.load(identity), range(400)))
    assert all(item is not None for item in found)


@pytest.mark.parametrize("damage", ["emptied", "cut", "one bit", "other", "old"])
def test_a_damaged_file_is_measured_again(kept, home, damage):
    report, identity, path = kept
    (file,) = (home / "cache" / "measures").glob("*.measures")
    data = bytearray(file.read_bytes())
    data[len(data) // 2] ^= 4
    file.write_bytes(
        {"emptied": b"", "cut": data[:999], "one bit": bytes(data), "other": b"\x93NUMPY" * 99, "old": b"PK\3\4"}[
            damage
        ]
    )
    assert cache.load(identity) is None
    assert measure_file(path).measures.integrated_lufs == report.measures.integrated_lufs
    assert cache.load(identity) is not None


def test_a_whole_file_of_other_contents_is_measured_again(kept, home):
    """Sealed, but not what this version writes."""
    _, identity, _ = kept
    (file,) = (home / "cache" / "measures").glob("*.measures")
    for data in (b"", b"\xc1", b"\x93\x80\xc0\x80", b"\x93\x81\xa1x\x01\x80\x80"):
        sealed.write(file, data)
        assert cache.load(identity) is None
