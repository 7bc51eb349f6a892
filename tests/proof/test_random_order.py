"""The window's tests in an order that nobody wrote: the drawn share of their modules, shuffled by the day."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.proof.draw import drawing_day, drawn

pytestmark = pytest.mark.proof
ROOT = Path(__file__).parents[2]


def test_tests_of_the_window_hold_in_any_order():
    modules = drawn(sorted(str(path.relative_to(ROOT)) for path in (ROOT / "tests" / "app").glob("test_*.py")))
    seed = str(drawing_day().toordinal())
    ran = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "tests.shuffled", "-p", "no:xdist", "-p", "no:cacheprovider",
         *modules],
        env={**os.environ, "ALL_EVEN_SHUFFLE": seed}, cwd=ROOT, capture_output=True, text=True, check=False,
    )  # fmt: skip
    print(f"{len(modules)} modules in the order of {seed}")
    assert ran.returncode == 0, (
        f"ALL_EVEN_SHUFFLE={seed} pytest -p tests.shuffled {' '.join(modules)}\n{ran.stdout[-4000:]}"
    )
