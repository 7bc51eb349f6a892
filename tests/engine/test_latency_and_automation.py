"""Clicks arrive in time through every processor and path, keys included; automation is exact to the sample."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.decibels import gain
from all_even.dsp import pan
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.kinds import KINDS
from all_even.dsp.processor import Key
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.utility import Gain
from all_even.engine import automation, mixing
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Lane
from tests.engine.sessions import RATE, Memory

CLICK = 5000
LATE = (Limiter(), Saturation(), Equaliser(bands=(Band(gain_db=3.0),), phase="linear"), Compressor(lookahead_ms=7.0))


def session_of(count: int, **values) -> Session:
    lanes = tuple(Lane(id=f"l{i}", name=f"Track {i}", file="none.wav", **values) for i in range(count))
    return Session(name="Clicks", sample_rate=RATE, lanes=lanes)


def click(at: int = CLICK, size: float = 0.01, frames: int = 24_000) -> Memory:
    sound = np.zeros((frames, 1))
    sound[at] = size
    return Memory(sound)


def mixed(session: Session, sources: dict) -> np.ndarray:
    return np.concatenate(list(render(make_plan(session, sources))))


def arrives(mix: np.ndarray) -> int:
    return int(np.argmax(np.abs(mix[:, 0])))


LATE_ON_PURPOSE = ("Delay", "SubOctave", "Clicks", "Reverb", "Convolution", "Room", "Echo", "Cabinet")
"""A cabinet's cone is slow: its response begins with the others and is strongest a moment later
(`tests/dsp/test_every_processor`)."""


@pytest.mark.parametrize(
    "kind", [kind for kind in KINDS if kind.__name__ not in LATE_ON_PURPOSE], ids=lambda k: k.LABEL
)
def test_a_click_through_any_processor_arrives_with_the_others(kind):
    session = chain_edits.add_station(session_of(2), "l0", kind())
    for lane in ("l0", "l1"):
        alone = {"l0": click(size=0.01 if lane == "l0" else 0.0), "l1": click(size=0.01 if lane == "l1" else 0.0)}
        assert arrives(mixed(session, alone)) == CLICK


@pytest.mark.parametrize("station", LATE, ids=lambda s: s.LABEL)
@pytest.mark.parametrize("path", ["lane", "group", "send", "mix", "nested"])
def test_every_path_is_as_late_as_the_latest(station, path):
    session = session_of(3)
    group, send = "", ""
    session, group = routing_edits.group_strips(session, ["l0"], "Group")
    session, outer = routing_edits.group_strips(session, [group], "Outer")
    session, send = routing_edits.add_bus(session, "Side", "parallel")
    session = routing_edits.set_send(session, ["l1"], send, level_db=-3.0)
    place = {"lane": "l2", "group": group, "send": send, "mix": MIX, "nested": outer}[path]
    session = chain_edits.add_station(session, place, station)
    for lane in ("l0", "l1", "l2"):
        alone = {f"l{i}": click(size=0.01 if f"l{i}" == lane else 0.0) for i in range(3)}
        heard = mixed(session, alone)
        assert arrives(heard) == CLICK, lane
        early = np.abs(heard[: CLICK - 4500]).max()
        assert early < 1e-6


@pytest.mark.parametrize("where", ["none", "key chain", "own chain before"])
def test_a_key_acts_on_the_very_sample_whatever_is_late_on_either_side(where):
    """The keyed gain falls where the key's click is in the song, not where latency put it."""
    session = session_of(2)
    session = chain_edits.add_station(
        session, "l1", Compressor(threshold_db=-60.0, ratio=100.0, attack_ms=0.02, release_ms=5.0, key=Key(source="l0"))
    )
    if where == "key chain":
        session = chain_edits.add_station(session, "l0", Limiter(lookahead_ms=10.0))
    if where == "own chain before":
        session = chain_edits.add_station(session, "l1", Saturation(drive_db=0.0, mix=0.0), 0)
    session = routing_edits.route(session, ["l0"], NOWHERE)
    steady = Memory(np.full((24_000, 1), 0.1))
    heard = mixed(session, {"l0": click(size=0.5), "l1": steady})[:, 0]
    level = 0.1 * np.sqrt(0.5)
    fell = int(np.argmax(heard[3000:] < 0.9 * level)) + 3000
    assert fell == CLICK
    assert heard[CLICK - 1] == pytest.approx(level, rel=1e-3)


def test_a_duck_shape_is_on_time_behind_a_late_station():
    shape = DuckShape(id="d", name="D", hits_s=(CLICK / RATE,), hold_ms=20.0, length_ms=20.0, smoothing_ms=1.0)
    session = chain_edits.set_shape(session_of(2), shape)
    session = chain_edits.add_station(session, "l0", Limiter(lookahead_ms=5.0))
    session = chain_edits.add_station(session, "l0", Ducker(shape="d", depth_db=20.0))
    heard = mixed(session, {"l0": Memory(np.full((24_000, 1), 0.1)), "l1": click(size=0.0)})[:, 0]
    level = 0.1 * np.sqrt(0.5)
    assert heard[CLICK] == pytest.approx(level * 0.1, rel=1e-6)
    assert heard[CLICK - 48] == pytest.approx(level, rel=1e-6)
    assert heard[CLICK - 2] < level


def test_automated_levels_and_pans_are_exact_to_the_sample_also_behind_latency():
    points = ((0.05, 0.0), (0.1, -12.0), (0.1, -40.0), (0.15, 3.0))
    pans = ((0.02, -1.0), (0.2, 1.0))
    session = chain_edits.automate(session_of(1), "l0", "level_db", points)
    session = chain_edits.automate(session, "l0", "pan", pans)
    session = chain_edits.add_station(session, "l0", Limiter(lookahead_ms=4.0))
    heard = mixed(session, {"l0": Memory(np.full((24_000, 1), 0.1))})
    at = np.arange(24_000)
    # NumPy's interpolation, the step in two halves.
    level = np.interp(at, [2400, 4800], [0.0, -12.0])
    level[at >= 4800] = np.interp(at[at >= 4800], [4800, 7200], [-40.0, 3.0])
    place = np.interp(at, [960, 9600], [-1.0, 1.0])
    left = np.array([pan.mono_gains(value)[0] for value in place])
    np.testing.assert_allclose(heard[:, 0], np.float32(0.1) * 10 ** (level / 20) * left, atol=1e-9)


def test_an_automated_send_starts_at_its_point():
    session, side = routing_edits.add_bus(session_of(1), "Side", "return")
    session = routing_edits.set_send(session, ["l0"], side, level_db=-120.0)
    session = chain_edits.automate(session, "l0", f"send:{side}", ((0.1, -120.0), (0.1, 0.0)))
    heard = mixed(session, {"l0": Memory(np.full((24_000, 1), 0.1))})[:, 0]
    level = np.float32(0.1) * np.sqrt(0.5)
    np.testing.assert_allclose(heard[:4800], level, rtol=1e-9)
    np.testing.assert_allclose(heard[4800:], 2.0 * level, rtol=1e-9)


def test_an_automated_setting_steps_at_its_point_and_on_the_grid():
    session = chain_edits.add_station(session_of(1), "l0", Gain())
    station = session.lanes[0].chain[0].id
    session = chain_edits.automate(
        session, "l0", f"{station}.gain_db", ((1234 / RATE, 0.0), (1234 / RATE, -6.0), (0.2, -12.0))
    )
    heard = mixed(session, {"l0": Memory(np.full((24_000, 1), 0.1))})[:, 0] / (np.float32(0.1) * np.sqrt(0.5))
    assert heard[1233] == pytest.approx(1.0)
    assert heard[1234] == pytest.approx(gain(-6.0))
    steps = np.flatnonzero(np.abs(np.diff(heard)) > 1e-12) + 1
    assert all(step == 1234 or step % 32 == 0 for step in steps)
    assert heard[-1] == pytest.approx(gain(-12.0))


def test_what_changes_latency_can_not_be_automated_and_unknown_settings_are_refused():
    session = chain_edits.add_station(session_of(1), "l0", Compressor())
    station = session.lanes[0].chain[0].id
    with pytest.raises(ValueError, match="latency"):
        chain_edits.automate(session, "l0", f"{station}.lookahead_ms", ((0.0, 1.0),))
    for name in ("send:none", "s99.gain_db", f"{station}.colour"):
        with pytest.raises(KeyError):
            chain_edits.automate(session, "l0", name, ((0.0, 1.0),))


def test_removing_a_station_takes_its_automation_along():
    session = chain_edits.add_station(session_of(1), "l0", HighPass())
    station = session.lanes[0].chain[0].id
    session = chain_edits.automate(session, "l0", f"{station}.frequency_hz", ((0.0, 50.0),))
    session = chain_edits.automate(session, "l0", "level_db", ((0.0, -3.0),))
    left = chain_edits.remove_station(session, "l0", station).lanes[0]
    assert [item.parameter for item in left.automation] == ["level_db"]


def test_a_curve_is_level_outside_its_points_and_knows_when_it_stands_still():
    made = automation.Curve(np.array([100, 200, 200]), np.array([0.0, 1.0, 5.0]))
    np.testing.assert_allclose(made.between(98, 4), [0.0, 0.0, 0.0, 0.01])
    assert made.at(199) == pytest.approx(0.99)
    assert made.at(200) == 5.0
    assert made.still(0, 99)
    assert not made.still(90, 20)
    assert made.still(200, 500)


def values_by_numpy(curve: automation.Curve, now: np.ndarray) -> np.ndarray:
    """As its docstring says, by NumPy: straight between points, level outside, of two at one frame the later."""
    after = np.searchsorted(curve.frames, now, side="right")
    left, right = np.maximum(0, after - 1), np.minimum(len(curve.frames) - 1, after)
    width = curve.frames[right] - curve.frames[left]
    part = np.where(width > 0, np.clip((now - curve.frames[left]) / np.maximum(1, width), 0.0, 1.0), 0.0)
    return curve.values[left] + part * (curve.values[right] - curve.values[left])


@pytest.mark.parametrize("count", [1, 2, 7, 300])
def test_a_curve_is_what_its_points_say_at_any_frames_in_any_order(count):
    rng = np.random.default_rng(count)
    frames = np.sort(rng.integers(0, 40_000, count))
    frames[count // 2 :: 5] = frames[count // 2]  # steps
    curve = automation.Curve(np.sort(frames), rng.normal(-12.0, 6.0, count))
    for now in (np.arange(-50, 41_000), np.arange(17, 42_000, 480), rng.integers(-100, 41_000, 9_000)):
        np.testing.assert_array_equal(curve.values_at(now), values_by_numpy(curve, now))


@pytest.mark.parametrize(("channels", "pan_curve"), [(1, None), (2, None), (1, True), (2, True)])
def test_gains_that_rest_are_those_of_every_frame(channels, pan_curve):
    """Where a level and a pan hold, one matrix stands for all frames; where one moves, none does."""
    frames = np.array([0, 1000, 20_000, 21_000, 40_000])
    level = automation.Curve(frames, np.array([-3.0, -9.7, -9.7, 2.3, 2.3]))
    pans = automation.Curve(frames, np.array([0.0, 0.31, 0.31, 0.31, 0.31])) if pan_curve else None
    moving = automation.MovingGains(channels, "-3 dB", -1.7, (level,), 0.2, pans, -1.0)
    resting = moving.resting(1_000, 18_000)
    assert resting.shape == (channels, 2)
    every = moving.between(1_000, 18_000)
    np.testing.assert_array_equal(every, np.broadcast_to(resting, every.shape))
    assert moving.resting(19_900, 200) is None
    assert moving.resting(0, 512) is None


OFF = -120.0
LEVELS = {
    "slow and steep": ([0, 1000, 20_000, 20_003, 40_000], [-3.0, -9.7, -9.7, 2.3, -40.0]),
    "a step, and off": ([500, 2000, 2000, 9000, 9300], [0.0, 6.0, OFF, OFF, -1.0]),
    "thousands of points": (np.arange(0, 40_000, 7), np.sin(np.arange(0, 40_000, 7)) * 9.0),
    "still": ([100], [-4.4]),
}


@pytest.mark.parametrize("delay", [0, 37, 3000])
@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("name", LEVELS)
def test_a_lane_is_added_with_the_gains_of_its_curves(name, channels, delay):
    """Against NumPy, frame by frame, in blocks of any size; off is silence."""
    rng = np.random.default_rng(1)
    frames, values = (np.asarray(part) for part in LEVELS[name])
    other = automation.Curve(np.array([0, 30_000]), np.array([-2.0, 1.0]))
    sound = rng.standard_normal((30_000, channels))
    for levels in ((automation.Curve(frames, values),), (automation.Curve(frames, values), other)):
        moving = automation.MovingGains(channels, "-3 dB", -1.7, levels, 0.2, None, -1.0)
        added = []
        for part in np.split(np.arange(-200, 29_800), np.sort(rng.integers(1, 30_000, 9))):
            out, level, first = np.zeros((len(part), 2)), np.empty(len(part)), int(part[0]) if len(part) else 0
            if automation.level_between(*moving.breakpoints, first, level):
                peak = mixing.add_each(out, sound[part + 200], moving.standing, level, True)
            else:
                peak = mixing.add_lane(out, sound[part + 200], moving.resting(first, len(part)), True)
            assert peak == pytest.approx(np.abs(out).max(initial=0.0), rel=1e-9)
            added.append(out)
        wanted = np.einsum("fc,fcs->fs", sound, moving.gains_at(np.arange(-200, 29_800)))
        np.testing.assert_allclose(np.concatenate(added), wanted, atol=1e-12)
    gains, memory, late = rng.standard_normal((channels, 2)), np.zeros(1 + 2 * delay), []
    for part in np.split(sound, np.sort(rng.integers(1, 30_000, 9))) if delay else ():
        out = np.zeros((len(part), 2))
        mixing.add_late(out, part, gains, False, delay, memory)
        late.append(out)
    if delay:
        np.testing.assert_allclose(np.concatenate(late)[delay:], (sound @ gains)[:-delay], atol=1e-12)
        assert not np.concatenate(late)[:delay].any()


def test_a_bypass_can_be_compared_at_equal_loudness():
    session = chain_edits.add_station(session_of(1), "l0", Gain(gain_db=6.0, bypass=True, matched_db=6.0))
    sounds = {"l0": Memory(np.full((2_000, 1), 0.1))}
    on = chain_edits.change_station(session, "l0", session.lanes[0].chain[0].id, bypass=False)
    np.testing.assert_allclose(mixed(session, sounds), mixed(on, sounds), rtol=1e-9)
    assert replace(session.lanes[0].chain[0], bypass=False) == on.lanes[0].chain[0]


@pytest.mark.parametrize("by", ["itself", "a folder"])
def test_a_key_follows_the_mute_only_where_it_is_said_to(by):
    """Else muting what is listened to leaves the key as it is, as a silent trigger wants it."""
    session = session_of(2)
    duck = Compressor(threshold_db=-60.0, ratio=100.0, attack_ms=0.02, release_ms=5.0, key=Key(source="l0"))
    session = chain_edits.add_station(session, "l1", duck)
    if by == "itself":
        muted = edits.change_strips(session, ("l0",), mute=True)
    else:
        session, folder = routing_edits.folder_strips(session, ["l0"], "Keys")
        muted = edits.change_strips(session, (folder,), mute=True)
    following = chain_edits.change_station(
        muted, "l1", muted.lane("l1").chain[0].id, key=Key(source="l0", follows_mute=True)
    )
    sounds = {"l0": click(size=0.5), "l1": Memory(np.full((24_000, 1), 0.1))}
    level = 0.1 * np.sqrt(0.5)
    assert mixed(muted, sounds)[CLICK + 50, 0] < 0.9 * level
    np.testing.assert_allclose(mixed(following, sounds)[:, 0], level, rtol=1e-5)
