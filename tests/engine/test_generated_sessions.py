"""Any levels, places and states: the mix is the sum that NumPy makes, and nothing is ever not a number."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even import decibels
from all_even.dsp import pan
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane, MixSettings
from tests.conftest import noise
from tests.engine.sessions import Memory

SOUNDS = [
    noise(0.1, 1)[:, np.newaxis],
    np.stack([noise(0.08, 2), noise(0.08, 3)], axis=1),
    noise(0.05, 4)[:, np.newaxis],
]

lane = st.fixed_dictionaries(
    {
        "level_db": st.one_of(st.just(-120.0), st.floats(-60, 12)),
        "pan": st.floats(-1, 1),
        "mute": st.booleans(),
        "solo": st.booleans(),
        "polarity_inverted": st.booleans(),
        "start_s": st.floats(0, 0.05),
    }
)


def session_of(lanes, trim, law) -> Session:
    return Session(
        name="generated",
        sample_rate=48_000,
        folders=(Folder(path="/m"),),
        lanes=tuple(Lane(id=f"l{i}", name=f"{i}", file=f"{i}.wav", **values) for i, values in enumerate(lanes)),
        mix=MixSettings(trim_db=trim),
        pan_law=law,
    )


@settings(max_examples=60, deadline=None)
@given(
    st.lists(lane, min_size=3, max_size=3),
    st.floats(-40, 12),
    st.sampled_from(["-3 dB", "-4.5 dB", "-6 dB"]),
    st.integers(100, 9000),
)
def test_any_session_is_the_sum_of_its_lanes(lanes, trim, law, block_frames):
    session = session_of(lanes, trim, law)
    plan = make_plan(session, {f"l{i}": Memory(sound) for i, sound in enumerate(SOUNDS)})
    mixed = np.concatenate(list(render(plan, block_frames=block_frames)))
    expected = np.zeros((plan.frames, 2))
    for made, sound in zip(session.lanes, SOUNDS, strict=True):
        if made.mute or made.level_db <= -120.0 or (any(lane.solo for lane in session.lanes) and not made.solo):
            continue
        gain = 10.0 ** (made.level_db / 20.0) * (-1.0 if made.polarity_inverted else 1.0)
        start = round(made.start_s * 48_000)
        both = sound.astype(np.float64) @ pan.matrix(sound.shape[1], made.pan, law)
        expected[start : start + len(sound)] += gain * both
    expected *= decibels.gain(trim)
    np.testing.assert_allclose(mixed, expected, atol=1e-9)
    assert np.isfinite(mixed).all()


@settings(max_examples=40, deadline=None)
@given(st.lists(lane, min_size=3, max_size=3), st.integers(0, 4799))
def test_a_render_from_anywhere_equals_the_full_one(lanes, start):
    plan = make_plan(session_of(lanes, 0.0, "-3 dB"), {f"l{i}": Memory(sound) for i, sound in enumerate(SOUNDS)})
    start = min(start, plan.frames - 1)
    whole = np.concatenate(list(render(plan)))
    part = np.concatenate(list(render(plan, start, block_frames=777)))
    np.testing.assert_array_equal(part, whole[start:])
