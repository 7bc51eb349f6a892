"""Long sweeps of what the engine's tests ask of a few: any session, in any blocks, from any place."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.engine.planning import make_plan
from tests.engine.sessions import any_session, in_blocks, rendered, sounds

SOUNDS = sounds(6)


@pytest.mark.proof
@settings(max_examples=40, deadline=None)
@given(any_session(lanes=6, buses=4), st.lists(st.integers(1, 900), min_size=12, max_size=12), st.integers(0, 8900))
def test_player_blocks_and_renders_from_the_middle_equal_the_whole(session, sizes, start):
    plan = make_plan(session, SOUNDS)
    whole = rendered(plan)
    assert np.isfinite(whole).all()
    np.testing.assert_allclose(in_blocks(plan, sizes), whole, atol=1e-6)
    start = min(start, plan.frames)
    np.testing.assert_allclose(rendered(plan, start), whole[start:], atol=1e-6)
