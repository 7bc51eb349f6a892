"""Kernel cache, folders, and the layers nothing may break."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from all_even import kernels, places


def test_the_kernel_cache_is_keyed_by_the_sources():
    assert len(kernels.source_hash()) == 16
    assert kernels.source_hash() == kernels.source_hash()
    assert kernels.source_hash() in os.environ["NUMBA_CACHE_DIR"]


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_a_read_only_home_falls_back_to_a_temporary_kernel_cache(tmp_path):
    (tmp_path / "home").mkdir(mode=0o555)
    code = "from all_even import kernels; print(kernels.cache_dir())"
    environment = {**os.environ, "ALL_EVEN_HOME": str(tmp_path / "home" / "x")}
    environment.pop("NUMBA_CACHE_DIR")
    result = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    assert "all-even-kernels-" in result.stdout


def test_caches_and_data_lie_in_the_home_that_was_named(home):
    assert places.cache_folder("measures") == home / "cache" / "measures"
    assert places.data_folder("recovery").is_dir()


def test_no_kernel_uses_fastmath_or_parallel():
    """fastmath deletes the guards against NaN; parallel is the worker pool's business."""
    for path in Path(kernels.__file__).parent.rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        assert "fastmath=True" not in text, path
        assert "parallel=True" not in text, path


def test_nothing_is_ever_unpickled_and_no_code_comes_from_a_file():
    for path in Path(kernels.__file__).parent.rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        for word in ("import pickle", "allow_pickle=True", "eval(", "exec(compile"):
            assert word not in text, (path, word)
