"""Memory that an array gave back stays with the process, and the next one takes it."""

import platform
import subprocess
import sys

import pytest

PROGRAM = """
import all_even
import numpy as np

def held_mb():
    with open("/proc/self/statm") as told:
        return int(told.read().split()[1]) * 4096 / 1e6

first = np.ones(10_000_000)
with_it = held_mb()
del first
without = held_mb()
second = np.ones(10_000_000)
print(with_it, without, held_mb())
"""


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="another C library manages its memory by itself")
def test_what_an_array_gave_back_stays_for_the_next():
    told = subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, check=True).stdout
    with_it, without, again = (float(number) for number in told.split())
    assert with_it > 80.0
    assert without > with_it - 8.0
    assert again < with_it + 8.0
