"""Sections that run all at once give what they give one after the other. Reference: SciPy's `sosfilt`."""

import numpy as np
import pytest
import scipy

from all_even.dsp.filters import biquad
from all_even.dsp.filters.biquad import run_sections
from all_even.dsp.filters.systolic import SHORTEST


def cascade(count: int) -> np.ndarray:
    return np.array([biquad.bell(0.002 * 1.6**k, (-1) ** k * 5.0, 0.7 + 0.3 * k) for k in range(count)])


def as_sos(sections: np.ndarray) -> np.ndarray:
    """SciPy's form: b0 b1 b2 a0 a1 a2."""
    return np.insert(sections, 3, 1.0, axis=1)


@pytest.mark.parametrize("count", [1, 2, 3, 4, 5, 8, 9, 13])
@pytest.mark.parametrize("channels", [1, 2])
def test_blocks_of_any_length_give_what_the_reference_gives(count, channels):
    rng = np.random.default_rng(count)
    sound, sections = rng.standard_normal((6_000, channels)), cascade(count)
    expected = scipy.signal.sosfilt(as_sos(sections), sound, axis=0)
    state, start = np.zeros(4 * count), 0
    while start < len(sound):
        end = start + int(rng.choice([1, SHORTEST - 1, SHORTEST, 100, 1_000]))
        run_sections(sound[start:end], sections, state)
        start = end
    np.testing.assert_allclose(sound, expected, atol=2e-12)


def test_what_rings_out_comes_to_rest_and_leaves_no_denormals():
    sections, state = cascade(6), np.zeros(24)
    block = np.zeros((512, 2))
    block[0] = 1.0
    run_sections(block, sections, state)
    for _ in range(3_000):
        block[:] = 0.0
        run_sections(block, sections, state)
    assert not state.any()
