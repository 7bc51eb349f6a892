"""Facts of an exact engine, on the demo session: what has to cancel, cancels below -120 dBFS."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.utility import Gain, Width
from all_even.engine.planning import make_plan
from all_even.engine.render import render, render_stems
from all_even.engine.sources import Sources
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.file.new import inspect_all, new_session, sound_paths
from all_even.session.model.strips import MIX

SECONDS = 2
NULL = 1e-6  # -120 dBFS


@pytest.fixture(scope="module")
def demo(brief_demo):
    infos, _ = inspect_all(sound_paths(brief_demo))
    session = new_session(brief_demo, infos)
    sources = Sources()
    sources.update(session)
    return session, sources


def mixed(session, sources, start_s=8.0, **options):
    rate = session.sample_rate
    plan = make_plan(session, sources)
    return np.concatenate(list(render(plan, round(start_s * rate), round((start_s + SECONDS) * rate), **options)))


def drums(session):
    return [lane.id for lane in session.lanes if lane.role.startswith(("kick", "snare", "tom", "hi-hat", "overhead"))]


def test_an_empty_chain_and_an_idle_one_are_transparent(demo):
    session, sources = demo
    plain = mixed(session, sources)
    lane = session.lanes[0].id
    idle = chain_edits.set_chain(session, lane, [])
    np.testing.assert_array_equal(mixed(idle, sources), plain)
    for station in (Gain(), Width(), Equaliser(bands=(Band(),)), Compressor(ratio=1.0)):
        through = chain_edits.add_station(session, lane, station)
        assert np.abs(mixed(through, sources) - plain).max() < NULL, station.LABEL


def test_a_group_equals_the_sum_of_its_members(demo):
    session, sources = demo
    members = drums(session)
    assert len(members) > 4
    plain = mixed(session, sources)
    grouped, group = routing_edits.group_strips(session, members, "Drums")
    assert np.abs(mixed(grouped, sources) - plain).max() < NULL
    nested, _ = routing_edits.group_strips(grouped, [group, session.lanes[-1].id], "More")
    assert np.abs(mixed(nested, sources) - plain).max() < NULL
    folder = routing_edits.to_folder(grouped, group)
    assert np.abs(mixed(folder, sources) - plain).max() < NULL
    again = routing_edits.to_summing(folder, group)
    assert np.abs(mixed(again, sources) - plain).max() < NULL


def test_a_post_fader_copy_inverted_cancels_its_members(demo):
    """Common practice before parallel compression: first check that copy = original."""
    session, sources = demo
    session = edits.change_strips(session, drums(session), level_db=-7.3, pan=0.37)
    only, _ = routing_edits.group_strips(session, drums(session), "Drums")
    copied, bus = routing_edits.add_bus(session, "Copy", "parallel")
    copied = routing_edits.set_send(copied, drums(session), bus)
    copied = edits.change_strips(copied, [bus], polarity_inverted=True)
    others = [lane.id for lane in session.lanes if lane.id not in drums(session)]
    heard = mixed(edits.change_strips(copied, others, mute=True), sources)
    assert np.abs(heard).max() < NULL
    assert np.abs(mixed(edits.change_strips(only, others, mute=True), sources)).max() > 0.01


@pytest.mark.parametrize(
    "station",
    [Limiter(ceiling_db=-20.0), Saturation(drive_db=20.0), Equaliser(bands=(Band(gain_db=9.0),), phase="linear")],
)
def test_bypass_equals_the_delayed_input_and_the_rest_waits_for_it(demo, station):
    session, sources = demo
    plain = mixed(session, sources)
    through = chain_edits.add_station(session, session.lanes[2].id, replace(station, bypass=True))
    plan = make_plan(through, sources)
    assert plan.latency == station.latency_frames(session.sample_rate) > 0
    assert np.abs(mixed(through, sources) - plain).max() < NULL
    active = chain_edits.change_station(through, session.lanes[2].id, through.lanes[2].chain[0].id, bypass=False)
    assert np.abs(mixed(active, sources) - plain).max() > 1e-3


def test_stems_of_all_top_level_groups_add_up_to_the_mix_before_its_chain(demo):
    session, sources = demo
    routed, drum_bus = routing_edits.group_strips(session, drums(session), "Drums")
    routed = chain_edits.add_station(routed, drum_bus, Compressor(threshold_db=-30.0, ratio=4.0, lookahead_ms=3.0))
    routed, room = routing_edits.add_bus(routed, "Side", "parallel")
    routed = routing_edits.set_send(routed, [lane.id for lane in session.lanes[-4:]], room, level_db=-9.0)
    routed = chain_edits.add_station(routed, room, Limiter(ceiling_db=-30.0))
    routed = edits.set_trim(routed, -3.0)
    limited = chain_edits.add_station(routed, MIX, Limiter(ceiling_db=-12.0))
    rate = session.sample_rate
    plan = make_plan(limited, sources, taps=True)
    top = []
    for _, stems in render_stems(plan, 8 * rate, 10 * rate):
        assert {lane.id for lane in session.lanes} < set(stems)
        top.append(np.sum([stems[s.id] for s in limited.strips if s.destination == MIX], axis=0))
    before = mixed(routed, sources)[: 2 * rate]
    assert np.abs(np.concatenate(top) - before).max() < NULL


def test_a_24_bit_render_does_not_depend_on_blocks_or_on_where_it_begins(demo):
    session, sources = demo
    routed, group = routing_edits.group_strips(session, drums(session), "Drums")
    routed = chain_edits.add_station(routed, group, Compressor(threshold_db=-30.0, release_ms=60.0))
    routed = chain_edits.add_station(
        routed, session.lanes[0].id, Equaliser(bands=(Band(frequency_hz=60.0, gain_db=4.0),))
    )

    def as_24_bit(mix):
        return np.round(mix * (1 << 23))

    whole = as_24_bit(mixed(routed, sources))
    np.testing.assert_array_equal(as_24_bit(mixed(routed, sources, block_frames=1777)), whole)
    rate = session.sample_rate
    np.testing.assert_array_equal(as_24_bit(mixed(routed, sources, start_s=9.0))[: 1 * rate], whole[rate:])
