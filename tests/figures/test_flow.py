"""What flows where, measured: levels along a chain, contributions, what a bus changes, and the rivers drawn from it."""

import numpy as np
import pytest

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.utility import Gain
from all_even.engine.planning import make_plan
from all_even.figures.arriving import arrival
from all_even.figures.arriving.flow_shapes import rivers
from all_even.figures.book import flow
from all_even.figures.book.book import flow_of
from all_even.measure.level import levels
from all_even.measure.recording.track import Measurement
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane
from tests.conftest import noise
from tests.engine.sessions import RATE, Memory
from tests.measuring import measure_mix


@pytest.fixture
def song():
    """Three lanes of 4 s: a and b equally loud, c 12 dB quieter; and their own measures."""
    sounds = {
        name: Memory(noise(4.0, seed)[:, np.newaxis] * level)
        for name, seed, level in (("a", 1, 1.0), ("b", 2, 1.0), ("c", 3, 0.25))
    }
    lanes = tuple(Lane(id=name, name=name.upper(), file="none.wav") for name in sounds)
    measures = {}
    for name, sound in sounds.items():
        measurement = Measurement(RATE, 1)
        measurement.add(sound.samples)
        measures[name] = measurement.result()
    return Session(name="Song", sample_rate=RATE, lanes=lanes), sounds, measures


def test_levels_along_a_chain_are_those_of_its_stations(song):
    session, sounds, _ = song
    for gain_db in (-6.0, 4.0):
        session = chain_edits.add_station(session, "a", Gain(gain_db=gain_db))
    measured = flow_of(session, sounds).strip(session, "a")
    first, second = measured.stations
    assert first.level.rms_dbfs == pytest.approx(measured.entered.rms_dbfs - 6.0, abs=1e-6)
    assert second.level.peak_dbfs == pytest.approx(measured.entered.peak_dbfs - 2.0, abs=1e-6)
    assert flow.change_db(measured, 1) == pytest.approx(4.0, abs=1e-6)
    moved = chain_edits.change_station(session, "a", session.chain("a")[0].id, gain_db=0.0)
    assert flow.Flow(None, {"a": measured}).strip(moved, "a") is None


def test_a_lane_with_a_chain_arrives_as_it_measures_alone_in_the_mix(song):
    session, sounds, measures = song
    session = chain_edits.add_station(session, "a", Compressor(threshold_db=-40.0, ratio=4.0))
    session, _ = routing_edits.group_strips(session, ["a"], "Group")
    session = edits.change_strips(session, ["a", session.buses[0].id], level_db=-3.0)
    session = edits.set_trim(session, -2.0)
    measured = flow_of(session, sounds)
    arriving = arrival.arrival(session, session.lane("a"), measures["a"], measured).integrated_lufs
    alone = edits.change_strips(session, ["b", "c"], mute=True)
    assert arriving == pytest.approx(measure_mix(make_plan(alone, sounds)).integrated_lufs, abs=0.02)
    unknown = arrival.arrival(session, session.lane("a"), measures["a"], None)
    assert unknown.integrated_lufs is None


def test_contributions_add_up_in_power(song):
    session, sounds, measures = song
    measured = flow_of(session, sounds)
    found = {item.edge.source: item for item in flow.contributions(session, MIX, measures, measured)}
    power = sum(10 ** (item.share_lu / 10) for item in found.values())
    assert power == pytest.approx(1.0, abs=0.02)
    assert found["a"].share_lu - found["c"].share_lu == pytest.approx(12.04, abs=0.1)
    assert found["a"].change_lu is None


def test_an_automated_fader_counts_as_it_moves(song):
    session, _, measures = song
    session = chain_edits.automate(session, "a", "level_db", ((0.0, -120.0), (2.0, -120.0), (2.0, -6.0)))
    edge = routing.Edge("a", MIX, "destination")
    energy = flow.feed_energy(
        session, session.lane("a"), edge, flow.energy_at_fader(session, session.lane("a"), measures["a"], None)
    )
    assert energy[:199].max() == 0.0
    assert energy[210:].mean() == pytest.approx(measures["a"].hops.weighted[210:].mean() * 0.5 * 10**-0.6, rel=1e-3)


def test_a_loud_burst_sinks_in_a_compressed_bus_and_what_rests_then_comes_up(song):
    """The compressor acts while a plays: b, which plays when a rests, comes up against the whole."""
    session, sounds, _ = song
    half = len(sounds["a"].samples) // 2
    sounds["a"].samples[half:] = 0.0
    sounds["b"].samples[:half] = 0.0
    sounds["b"].samples *= 0.1
    measures = {}
    for name, sound in sounds.items():
        measurement = Measurement(RATE, 1)
        measurement.add(sound.samples)
        measures[name] = measurement.result()
    session, bus = routing_edits.group_strips(session, ["a", "b"], "Group")
    session = chain_edits.add_station(
        session, bus, Compressor(threshold_db=-30.0, ratio=6.0, attack_ms=1.0, release_ms=20.0)
    )
    measured = flow_of(session, sounds)
    found = {item.edge.source: item.change_lu for item in flow.contributions(session, bus, measures, measured)}
    assert found["b"] > 1.0
    assert abs(found["a"]) < 0.5


def test_rivers_widen_towards_their_bus_and_keys_stay_threads(song):
    session, sounds, measures = song
    session, bus = routing_edits.group_strips(session, ["a", "b"], "Group")
    session = chain_edits.add_station(session, "b", Compressor(key=Key(source="c")))
    measured = flow_of(session, sounds)
    known = {
        item.edge: item for target in (bus, MIX) for item in flow.contributions(session, target, measures, measured)
    }
    rows = ("a", "b", "c", bus, MIX)
    made = rivers(session, rows, known)
    assert made.columns == (bus, MIX)
    assert made.target_rows == (3, 4)
    widths = [made.width(0, row) for row in range(5)]
    assert widths[0][0] == 0.0
    assert widths[0][1] == pytest.approx(0.5, abs=0.1)
    assert widths[3] == (pytest.approx(1.0, abs=0.01), 0.0)
    assert [(thread.source_row, thread.target_row) for thread in made.threads] == [(2, 1)]
    muted = edits.change_strips(session, ["a"], mute=True)
    closed = next(branch for branch in rivers(muted, rows, known).branches if branch.row == 0)
    assert not closed.open
    assert closed.share_lu is None


def test_the_spread_of_levels_counts_hops_where_their_peaks_lie():
    hops = np.array([[0.0, 10 ** (level / 20.0)] for level in (-80.0, -59.9, -12.1, -12.1, -0.1, 3.0)])
    edges, share = levels.peak_spread(hops)
    assert len(edges) == 40
    assert share.sum() == pytest.approx(1.0)
    assert share[0] == pytest.approx(0.2)
    assert share[np.searchsorted(edges, -12.1) - 1] == pytest.approx(0.4)
    assert share[-1] == pytest.approx(0.4)
    assert levels.peak_spread(np.zeros((3, 2)))[1].sum() == 0.0


@pytest.mark.parametrize("automated", [False, True])
def test_clip_gain_acts_before_the_chain_and_arithmetic_follows_it(song, automated):
    session, sounds, measures = song
    lanes = ["a", "c"]
    changed = edits.change_strips(session, lanes, clip_gain_db=-6.0)
    if automated:
        points = [(0.0, -6.0), (2.0, -6.0), (2.0, -12.0)]
        for lane in lanes:
            changed = chain_edits.automate(changed, lane, "clip_gain_db", points)
    changed = chain_edits.add_station(changed, "a", Compressor(threshold_db=-10.0, ratio=4.0))
    measured = flow_of(changed, sounds)
    plain = flow_of(chain_edits.add_station(session, "a", Compressor(threshold_db=-10.0, ratio=4.0)), sounds)
    lower = measured.strip(changed, "a").entered.peak_dbfs - plain.strips["a"].entered.peak_dbfs
    assert lower == pytest.approx(-6.0, abs=0.05)
    for lane in lanes:
        arriving = arrival.arrival(changed, changed.lane(lane), measures[lane], measured).integrated_lufs
        alone = edits.change_strips(changed, [other for other in "abc" if other != lane], mute=True)
        assert arriving == pytest.approx(measure_mix(make_plan(alone, sounds)).integrated_lufs, abs=0.03)
    if not automated:
        assert flow_of(edits.change_strips(changed, ["c"], clip_gain_db=0.0), sounds).mix.integrated_lufs > (
            measured.mix.integrated_lufs
        )
