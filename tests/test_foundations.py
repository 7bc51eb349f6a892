"""Kernel cache, folders, and the layers nothing may break."""

import os
from pathlib import Path

import pytest

from all_even import kernels, places
from all_even.errors import UserError
from tests.conftest import as_nobody


def test_the_kernel_cache_is_keyed_by_the_sources(tmp_path):
    package = Path(kernels.__file__).parent
    (tmp_path / "dsp" / "filters").mkdir(parents=True)
    for name in ("dsp/filters/biquad.py", "dsp/parameter.py"):
        (tmp_path / name).write_text((package / name).read_text())
    before = kernels.source_hash(tmp_path)
    (tmp_path / "dsp/parameter.py").write_text("# no kernel in here")
    assert kernels.source_hash(tmp_path) == before
    with (tmp_path / "dsp/filters/biquad.py").open("a") as file:
        file.write("\n# another version\n")
    assert kernels.source_hash(tmp_path) != before
    assert kernels.source_hash() in os.environ["NUMBA_CACHE_DIR"]


def test_a_read_only_home_falls_back_to_temporary_caches(public_folder, monkeypatch, defects):
    (public_folder / "home").mkdir(mode=0o555)
    monkeypatch.setenv("ALL_EVEN_HOME", str(public_folder / "home" / "x"))
    with as_nobody():
        assert "all-even-kernels-" in kernels.cache_dir()
        assert "all-even-measures-" in str(places.cache_folder("measures"))
        with pytest.raises(UserError, match="can't be made"):
            places.data_folder("recovery")
        assert places.note_defect(ValueError()) is None
    defects.clear()


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
