"""Compiled kernels on disk: damaged files are made again, other users kept out, a full disk no matter."""

import os
import shutil
import stat
import subprocess
import sys
from pathlib import Path

import pytest

from all_even import kernels
from tests.conftest import HUNG_S

LITTLE = """
import numpy as np
from all_even.dsp.utility import Gain
from all_even.dsp.processor import Single
print(Single(Gain(gain_db=6.0), 48_000)(np.ones((4, 1)))[0, 0])
"""


def run(home: Path, code: str = LITTLE, **extra: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "ALL_EVEN_HOME": str(home), **extra}
    environment.pop("NUMBA_CACHE_DIR", None)
    return subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, timeout=HUNG_S)


@pytest.fixture(scope="module")
def compiled_once(tmp_path_factory) -> Path:
    home = tmp_path_factory.mktemp("kernels") / "home"
    assert run(home).stdout.startswith("1.99")
    return home


@pytest.fixture
def warm_home(compiled_once, tmp_path) -> Path:
    """A home with compiled kernels, of this test alone."""
    return Path(shutil.copytree(compiled_once, tmp_path / "home"))


def files(home: Path) -> list[Path]:
    return [path for path in (home / "cache" / "kernels").rglob("*.nb*") if path.is_file()]


@pytest.mark.parametrize("damage", ["emptied", "cut", "one bit", "a pickle"])
def test_damaged_kernels_are_compiled_again_and_nothing_in_them_is_run(warm_home, damage, tmp_path):
    marker = tmp_path / "was run"
    pickled = b"cposix\nsystem\n(S'touch " + os.fsencode(marker) + b"'\ntR."
    assert files(warm_home)
    for path in files(warm_home):
        data = bytearray(path.read_bytes())
        data[-9] ^= 1
        path.write_bytes({"emptied": b"", "cut": data[:60], "one bit": bytes(data), "a pickle": pickled}[damage])
    again = run(warm_home)
    assert again.stdout.startswith("1.99")
    assert again.stderr == ""
    assert not marker.exists()
    sizes = {path: path.stat().st_size for path in files(warm_home)}
    assert min(sizes.values()) > 60


def test_whole_kernels_are_used_again(warm_home):
    times = {path: path.stat().st_mtime_ns for path in files(warm_home)}
    assert run(warm_home).stdout.startswith("1.99")
    assert {path: path.stat().st_mtime_ns for path in files(warm_home)} == times


def test_nobody_else_may_write_kernels(warm_home):
    (folder,) = (warm_home / "cache" / "kernels").iterdir()
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    folder.chmod(0o777)
    run(warm_home)
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700


def test_kernels_run_where_they_can_not_be_kept(warm_home):
    """A full disk: the compiled code is used and only not kept."""
    code = "from all_even import outputs\ndef full(*_a): raise OSError(28, 'no space')\noutputs.write_whole = full\n"
    told = run(warm_home.parent / "new", code + LITTLE)
    assert told.stdout.startswith("1.99")
    assert told.stderr == ""


def test_a_cache_home_that_is_a_file_is_no_obstacle_and_nothing_is_left_elsewhere(tmp_path):
    (tmp_path / "home").write_text("a file")
    (tmp_path / "elsewhere").mkdir()
    told = run(tmp_path / "home", TMPDIR=str(tmp_path / "elsewhere"))
    assert told.stdout.startswith("1.99")
    assert told.stderr == ""
    assert list((tmp_path / "elsewhere").iterdir()) == []


def test_a_warm_mark_of_another_version_does_not_stop_warming(home, monkeypatch):
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    other = home / "cache" / "kernels" / "0123456789abcdef"
    other.mkdir(parents=True)
    (other / kernels.WARM).touch()
    assert not kernels.is_warm()
    (Path(kernels.cache_dir()) / kernels.WARM).touch()
    assert kernels.is_warm()
