"""What is kept on disk is read by many threads at once, from the first time on."""

import subprocess
import sys

import numpy as np
import pytest

from all_even.measure.recording import cache, character, track

SCRIPT = """
import sys, threading
sys.setswitchinterval(1e-6)
import msgspec
{prepare}
barrier = threading.Barrier(12)

def work():
    barrier.wait()
    {act}

threads = [threading.Thread(target=work) for _ in range(12)]
for thread in threads:
    thread.start()
for thread in threads:
    thread.join()
print("whole")
"""
MEASURES = ("from all_even.measure.recording import cache", """assert cache.load("a") is not None""")
STATIONS = (
    """
from all_even.dsp.space.reverb import Reverb
from all_even.session.editing import chain_edits
""",
    "chain_edits.valid(Reverb())",
)


def save_measures(key: str) -> None:
    measured, playing = track.Measurement(8000, 1), character.CharacterMeter(8000, 1)
    for meter in (measured, playing):
        meter.add(np.ones((8000, 1), dtype=np.float32))
    cache.save(key, measured.result(), *playing.result())


@pytest.mark.parametrize("case", [MEASURES, STATIONS], ids=["measures", "stations"])
def test_the_first_reads_are_safe_in_many_threads_at_once(case, home):
    """Without a decoder made beforehand two of three processes that read measures crashed."""
    save_measures("a")
    script = SCRIPT.format(prepare=case[0], act=case[1])
    for _ in range(3):
        told = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True)
        assert told.stdout == "whole\n", (told.returncode, told.stderr[-500:])
