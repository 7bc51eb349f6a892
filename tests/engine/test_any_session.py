"""Facts that hold for any session: chains, routings, automation and block sizes as they come."""

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.engine.planning import make_plan
from all_even.engine.render import render_stems
from all_even.session.editing import routing_edits
from all_even.session.file import store
from all_even.session.model import routing
from all_even.session.model.strips import MIX
from tests.engine.sessions import any_session, in_blocks, rendered, sounds

SOUNDS = sounds(4)


@pytest.mark.slow  # sessions of every kind of processor, block by block
@settings(max_examples=25, deadline=None)
@given(any_session(), st.lists(st.integers(1, 700), min_size=30, max_size=30))
def test_small_blocks_as_in_the_player_equal_the_offline_render(session, sizes):
    plan = make_plan(session, SOUNDS)
    whole = rendered(plan)
    assert np.isfinite(whole).all()
    np.testing.assert_allclose(in_blocks(plan, sizes), whole, atol=1e-6)


@settings(max_examples=15, deadline=None)
@given(any_session(), st.integers(0, 8900), st.integers(300, 5000))
def test_a_render_from_the_middle_equals_the_full_one(session, start, block_frames):
    plan = make_plan(session, SOUNDS)
    part = rendered(plan, min(start, plan.frames), block_frames=block_frames)
    np.testing.assert_allclose(part, rendered(plan)[min(start, plan.frames) :], atol=1e-6)


@settings(max_examples=15, deadline=None)
@given(any_session())
def test_stems_that_lead_to_the_mix_add_up_to_what_enters_its_chain(session):
    bare = msgspec.structs.replace(session, mix=msgspec.structs.replace(session.mix, chain=(), automation=()))
    plan = make_plan(bare, SOUNDS, taps=True)
    total = []
    for mix, stems in render_stems(plan):
        top = [stem for name, stem in stems.items() if bare.strip(name).destination == MIX]
        sends = [s for strip in bare.strips for s in strip.sends if s.to == MIX]
        assert not sends
        total.append(np.sum(top, axis=0) - mix if top else -mix)
    assert not total or np.abs(np.concatenate(total)).max(initial=0.0) < 1e-6


@settings(max_examples=60, deadline=None)
@given(any_session())
def test_a_session_survives_its_file(session):
    assert store.decode(store.encode(session), "any") == session


@settings(max_examples=100, deadline=None)
@given(any_session(), st.data())
def test_no_edit_of_the_routing_is_ever_a_loop(session, data):
    """Any route that is asked for is either made and sound, or refused with the loop named."""
    strips = [strip.id for strip in session.strips]
    source, target = data.draw(st.sampled_from(strips)), data.draw(st.sampled_from([bus.id for bus in session.buses]))
    for ask in (routing_edits.route, routing_edits.set_send):
        refused = ""
        try:
            made = ask(session, [source], target)
        except routing.RoutingError as error:
            refused = str(error)
        if refused:
            assert "loop" in refused
            assert session.strip_name(source) in refused
        else:
            assert routing.find_loop(made) == ()
            make_plan(made, SOUNDS)


@settings(max_examples=60, deadline=None)
@given(any_session(), st.data())
def test_removing_any_strip_leaves_a_sound_session(session, data):
    gone = data.draw(st.sampled_from([item.id for item in session.members]))
    made = routing_edits.remove_strips(session, [gone])
    routing.check(made)
    assert gone not in {item.id for item in made.members}
    make_plan(made, SOUNDS)
