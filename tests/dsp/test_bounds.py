"""No kernel reads or writes outside its arrays: the same tests, with every index checked."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from all_even.dsp import kinds
from all_even.dsp.processor import NO_GAIN, NOTHING, coefficients_of

CHECKED = "ALL_EVEN_CHECK_BOUNDS"
ROOT = Path(__file__).parents[2]
WITH_CHECKS = ("tests/dsp/test_every_processor.py", "tests/dsp/test_bounds.py", "tests/engine/test_any_session.py")


@pytest.mark.proof
@pytest.mark.skipif(CHECKED in os.environ, reason="this is that run")
def test_every_processor_and_any_session_with_every_index_checked():
    environment = {**os.environ, CHECKED: "1"}
    for name in ("NUMBA_CACHE_DIR", "ALL_EVEN_HOME", "PYTEST_XDIST_WORKER"):
        environment.pop(name, None)
    command = [sys.executable, "-m", "pytest", "-q", "-n", "0", "-p", "no:cacheprovider", *WITH_CHECKS]
    told = subprocess.run(command, env=environment, capture_output=True, text=True, cwd=ROOT)
    assert told.returncode == 0, told.stdout[-3000:]


@pytest.mark.skipif(CHECKED not in os.environ, reason="only where indices are checked")
def test_an_index_outside_is_an_error_here():
    from all_even.kernels import kernel

    @kernel
    def beyond(x):
        return x[len(x)]

    with pytest.raises(IndexError):
        beyond(np.zeros(3))


@pytest.mark.parametrize("kind", kinds.KINDS, ids=lambda kind: kind.LABEL)
@pytest.mark.parametrize("junk", [1e9, -1.0, np.nan, np.inf, 0.5])
def test_a_state_of_junk_never_leads_outside(kind, junk):
    """Whatever the memory holds, for instance another processor's: the kernel stays inside it."""
    processor = kind()
    fence = 64
    memory = np.full(processor.state_size(48_000) + 2 * fence, junk)
    memory[:fence] = memory[-fence:] = 7.25
    state = memory[fence : len(memory) - fence]
    block = np.random.default_rng(1).standard_normal((600, 2)) * 0.3
    rings = np.full(processor.history_size(48_000), junk)
    processor.process(block, NOTHING, NO_GAIN, coefficients_of(processor, 48_000), state, 0, False, rings)
    assert (memory[:fence] == 7.25).all()
    assert (memory[-fence:] == 7.25).all()


@pytest.mark.parametrize("kind", [kinds.Delay, kinds.Limiter, kinds.Compressor, kinds.Gate], ids=lambda k: k.LABEL)
def test_a_state_made_for_shorter_settings_is_not_left(kind):
    """What once crashed: coefficients of a long delay meet the memory of a short one."""
    name = "delay_ms" if kind is kinds.Delay else "lookahead_ms"
    short, long = kind(**{name: 0.5}), kind(**{name: 10.0})
    fence = 4096
    memory = np.zeros(short.state_size(48_000) + 2 * fence)
    state = memory[fence : len(memory) - fence]
    block = np.random.default_rng(1).standard_normal((4000, 2))
    long.process(block, NOTHING, NO_GAIN, coefficients_of(long, 48_000), state, 0, False)
    assert not memory[:fence].any()
    assert not memory[-fence:].any()
