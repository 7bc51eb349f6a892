"""Both sides as one, against NumPy's own reductions."""

import numpy as np
import pytest

from all_even.audio import sides


@pytest.mark.parametrize("dtype", [np.float32, np.float64])
@pytest.mark.parametrize("shape", [(0, 1), (0, 2), (7, 1), (1000, 2), (500, 3)])
def test_it_is_what_numpy_makes_of_rows(shape, dtype):
    sound = np.random.default_rng(0).standard_normal(shape).astype(dtype)
    kept = sound.copy()
    np.testing.assert_allclose(sides.middle_of(sound), sound.mean(axis=1, dtype=np.float64), rtol=1e-14, atol=1e-15)
    np.testing.assert_allclose(sides.power_of(sound), (sound.astype(np.float64) ** 2).sum(axis=1), rtol=1e-14)
    np.testing.assert_array_equal(sides.highest_of(sound), np.abs(sound).max(axis=1))
    np.testing.assert_array_equal(sound, kept)
    assert sides.middle_of(sound).dtype == sides.power_of(sound).dtype == np.float64
