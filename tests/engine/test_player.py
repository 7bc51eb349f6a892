"""The player on the simulated device: what it plays is the render, edits are smooth, loops repeat."""

import time
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from all_even.audio.device import SimulatedDevice
from all_even.cli.benchmarks.strips import strip_session
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.processor import Processor
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.tone.passes import HighPass
from all_even.engine import mixing, planning
from all_even.engine.plan import Plan
from all_even.engine.playing.player import Player
from all_even.engine.playing.state import START_RAMP_S
from all_even.engine.render import render
from all_even.session.editing import chain_edits
from all_even.session.editing.edits import Edit
from tests.conftest import HUNG_S, RATE, noise, sine
from tests.engine.sessions import Memory, plan_of


def make_plan(*sounds: np.ndarray, gain: float = 0.5) -> Plan:
    return plan_of(*(Memory(sound[:, np.newaxis]) for sound in sounds), gain=gain)


def chain_of(lane: str, *stations: Processor) -> Edit:
    """An edit that gives a lane a whole chain."""
    return lambda session: chain_edits.set_chain(session, lane, stations)


class Stage:
    """A player with a recording stand-in that runs faster than the clock."""

    def __init__(self, speed: float) -> None:
        self.devices: list[SimulatedDevice] = []

        def open_device(rate, fill):
            device = SimulatedDevice(rate, fill, record=True, speed=speed)
            self.devices.append(device)
            return device, None

        self.player = Player(open_device)

    def wait(self, condition: Callable[[], bool], seconds: float = HUNG_S) -> None:
        end = time.monotonic() + seconds
        while not condition():
            assert time.monotonic() < end, "timed out"
            time.sleep(0.002)

    def play_to_end(self, seconds: float = HUNG_S) -> np.ndarray:
        self.player.play()
        self.wait(lambda: self.player.playing)
        self.wait(lambda: not self.player.playing, seconds)
        self.devices[0].stop()
        return self.devices[0].recording()


@pytest.fixture
def stage() -> Iterator[Stage]:
    made = Stage(speed=4.0)
    yield made
    made.player.close()


def ramp(frames: int) -> np.ndarray:
    rise = np.minimum(1.0, np.arange(frames) / (START_RAMP_S * RATE))
    return (rise * rise)[:, np.newaxis]


def test_a_recording_equals_the_render_after_the_quiet_start(stage):
    plan = make_plan(noise(2.0, 1), noise(1.5, 2))
    stage.player.set_plan(plan)
    heard = stage.play_to_end()
    rendered = np.concatenate(list(render(plan)))
    assert len(heard) == len(rendered)
    np.testing.assert_allclose(heard, rendered * ramp(len(rendered)), atol=1e-6)


def test_rooms_are_heard_to_their_end_and_edits_meanwhile_change_nothing_of_them(stage):
    """The rings of a reverb are not kept with the memory that playing goes back to: they are right all the same."""
    room = Reverb(decay_s=0.6, predelay_ms=5.0, mix_percent=50.0)

    def plan() -> Plan:
        return plan_of(Memory(noise(2.0, 3)[:, np.newaxis]), gain=0.2, session=chain_of("lane-0", room))

    stage.player.set_plan(plan())
    stage.player.play()
    stage.wait(lambda: stage.player.playing)
    for at_s in (0.3, 0.6, 0.9, 1.2):
        stage.wait(lambda at=at_s: stage.player.position_s() > at)
        stage.player.set_plan(plan())
    stage.wait(lambda: not stage.player.playing)
    stage.devices[0].stop()
    heard, same = stage.devices[0].recording(), plan()
    rendered = np.concatenate(list(render(same, 0, same.frames_with_tail)))
    assert len(heard) == len(rendered) > same.frames
    np.testing.assert_allclose(heard, rendered * ramp(len(rendered)), atol=1e-6)


def test_the_start_is_quiet(stage):
    stage.player.set_plan(make_plan(noise(2.0)))
    heard = stage.play_to_end()
    assert np.abs(heard[: RATE // 50]).max() < 0.01 * np.abs(heard[RATE:]).max()


def test_nothing_passes_the_protective_ceiling(stage):
    stage.player.set_plan(make_plan(sine(100.0, 1.5, 12.0), gain=4.0))
    heard = stage.play_to_end()
    assert np.abs(heard).max() <= mixing.CEILING + 1e-6
    assert np.abs(heard).max() > 0.8


def test_nan_never_reaches_the_output(stage):
    sound = noise(1.0)
    sound[5000:5010] = np.nan
    stage.player.set_plan(make_plan(sound))
    assert np.isfinite(stage.play_to_end()).all()


def test_an_edit_is_heard_without_a_step(stage):
    tone = sine(80.0, 3.0, -6.0)
    stage.player.set_plan(make_plan(tone, gain=1.0))
    stage.player.play()
    stage.wait(lambda: stage.player.position_s() > 1.0)
    stage.player.set_plan(make_plan(tone, gain=0.1))
    stage.wait(lambda: not stage.player.playing)
    stage.devices[0].stop()
    heard = stage.devices[0].recording()
    assert np.abs(heard[-RATE // 2 :]).max() == pytest.approx(0.05, rel=0.02)
    # An 80 Hz tone of 0.5 moves 0.0052 per sample; a sudden change of gain would jump by up to 0.45.
    assert np.abs(np.diff(heard[:, 0])).max() < 0.01


CHAINED = (
    chain_of("lane-0", HighPass(id="s1", frequency_hz=80.0)),
    chain_of("lane-0", HighPass(id="s1", frequency_hz=900.0)),
    chain_of("lane-0", HighPass(id="s1", frequency_hz=80.0), Compressor(id="s2", threshold_db=-40.0, ratio=8.0)),
    chain_of("lane-0", Limiter(id="s3", lookahead_ms=5.0), HighPass(id="s1", frequency_hz=80.0)),
    chain_of("lane-0", HighPass(id="s1", frequency_hz=80.0, bypass=True)),
)


def test_no_edit_of_a_chain_is_heard_as_a_step(stage):
    """A low tone while stations are turned, added, moved, bypassed and taken away, latency and all."""
    tone = 0.5 * np.sin(2 * np.pi * 100.0 * np.arange(12 * RATE) / RATE)
    plans = [plan_of(Memory(tone[:, np.newaxis]), session=change) for change in CHAINED]
    stage.player.set_plan(plans[0])
    stage.player.play()
    stage.wait(lambda: stage.player.position_s() > 1.0)
    for turn in range(12):
        before = stage.player.position_s()
        stage.player.set_plan(plans[turn % len(plans)])
        stage.wait(lambda before=before: stage.player.position_s() > before + 0.3 or not stage.player.playing)
    stage.wait(lambda: not stage.player.playing)
    heard = stage.devices[0].recording()[RATE:-RATE, 0].astype(np.float64)
    # The steepest a 100 Hz tone of this level gets in one sample is 0.0065; a step would stand far out.
    assert np.abs(np.diff(heard)).max() < 0.02
    assert np.abs(heard).max() > 0.1


def test_a_loop_repeats_its_section(stage):
    sound = np.linspace(0.0, 0.5, 2 * RATE)
    stage.player.set_plan(make_plan(sound, gain=1.0))
    stage.player.set_loop((1.0, 1.25))
    stage.player.play()
    stage.wait(lambda: len(stage.devices) > 0 and len(stage.devices[0].recording()) > 2 * RATE)
    stage.player.stop()
    stage.wait(lambda: not stage.player.playing)
    heard = stage.devices[0].recording()[:, 0]
    seams = np.flatnonzero(np.diff((heard[int(1.1 * RATE) : int(1.9 * RATE)] < 0.001).astype(int)) == 1)
    assert len(seams) >= 3
    np.testing.assert_allclose(np.diff(seams), 0.25 * RATE, atol=1)
    assert abs(np.diff(heard)).max() < 0.01


@pytest.mark.parametrize("jump", ["locate", "loop"])
def test_no_jump_is_a_click(stage, jump):
    """A tone at full scale, cut anywhere: no two samples differ by more than the tone's own steps and a fade's."""
    tone = 0.89 * np.sin(2 * np.pi * 110.0 * np.arange(6 * RATE) / RATE)
    stage.player.set_plan(make_plan(tone, gain=1.0))
    if jump == "loop":
        stage.player.set_loop((1.0, 1.2507))
    stage.player.play()
    for place in (3.0012, 0.7031, 2.4018):
        if jump == "locate":
            heard_before = len(stage.devices[0].recording()) if stage.devices else 0
            stage.wait(lambda n=heard_before: stage.devices and len(stage.devices[0].recording()) > n + RATE // 2)
            stage.player.locate(place)
    stage.wait(lambda: len(stage.devices) > 0 and len(stage.devices[0].recording()) > 2.5 * RATE)
    stage.player.stop()
    stage.wait(lambda: not stage.player.playing)
    heard = stage.devices[0].recording()[:, 0]
    own_step = 0.9 * 2 * np.pi * 110.0 / RATE
    assert abs(np.diff(heard)).max() < own_step + 0.9 * np.pi / (0.005 * RATE)


def test_locating_moves_the_position_and_plays_from_there(stage):
    sound = np.repeat([0.1, 0.2, 0.3, 0.4], RATE // 2).astype(np.float32)
    stage.player.set_plan(make_plan(sound, gain=1.0))
    stage.player.locate(1.5)
    stage.wait(lambda: abs(stage.player.position_s() - 1.5) < 0.01)
    heard = stage.play_to_end()
    assert len(heard) == RATE // 2
    assert heard[-1, 0] == pytest.approx(0.4, rel=0.01)


def test_meters_move_while_playing_and_name_their_lanes(stage):
    stage.player.set_plan(make_plan(noise(3.0, 1), np.zeros(3 * RATE)))
    stage.player.play()
    stage.wait(lambda: (meters := stage.player.meters()) is not None and meters.short_term_lufs is None
               and meters.momentary_lufs is not None)  # fmt: skip
    meters = stage.player.meters()
    assert meters.strip_ids == ("lane-0", "lane-1", "mix")
    assert meters.peaks[0] > 0.05
    assert meters.peaks[1] == 0.0


def test_a_device_that_stops_asking_is_replaced_and_said():
    class Dead:
        name, latency_s, patience_s, there = "a card that went away", 0.0, 0.5, True

        def __init__(self) -> None:
            self.last_call = time.monotonic()

        def start(self) -> None:
            self.last_call = time.monotonic()

        def stop(self) -> None: ...

    player = Player(lambda rate, fill: (Dead(), None))
    try:
        player.set_plan(make_plan(noise(5.0)))
        player.play()
        end = time.monotonic() + HUNG_S
        while not isinstance(player.device, SimulatedDevice) and time.monotonic() < end:
            time.sleep(0.01)
        assert isinstance(player.device, SimulatedDevice)
        assert "stopped answering" in player.message
        while player.position_s() < 0.2 and time.monotonic() < end:
            time.sleep(0.01)
        assert player.position_s() >= 0.2
    finally:
        player.close()


def test_a_lost_output_is_returned_to_and_starts_from_silence():
    opened: list[SimulatedDevice] = []

    def open_device(rate, fill):
        opened.append(Leaving(rate, fill))
        return opened[-1], None

    class Leaving:
        name, latency_s, patience_s = "headphones", 0.0, 5.0

        def __init__(self, rate, fill) -> None:
            self.there, self.inner = True, SimulatedDevice(rate, fill, record=True)

        @property
        def last_call(self) -> float:
            return self.inner.last_call

        def start(self) -> None:
            self.inner.start()

        def stop(self) -> None:
            self.inner.stop()

    player = Player(open_device)
    try:
        player.set_plan(make_plan(noise(60.0)))
        player.play()
        end = time.monotonic() + HUNG_S

        def wait(condition) -> None:
            while not condition():
                assert time.monotonic() < end, "hung"
                time.sleep(0.01)

        wait(lambda: opened and len(opened[0].inner.recording()) > RATE)
        opened[0].there = False
        wait(lambda: player.lost is opened[0] and isinstance(player.device, SimulatedDevice))
        assert "headphones is gone" in player.message
        opened[0].there = True
        assert player.lost.there
        player.reopen()
        wait(lambda: player.device is opened[-1] and len(opened) == 2 and player.lost is None)
        wait(lambda: len(opened[1].inner.recording()) > 2 * RATE)
        heard = np.abs(opened[1].inner.recording()[:, 0])
        assert heard[:480].max() < 0.01 * heard[RATE : 2 * RATE].max()
        position = player.position_s()
        wait(lambda: player.position_s() > position)
    finally:
        player.close()


def plays_in_real_time(plan: Plan, most_work: float) -> str:
    """Plays a plan by the clock to its end, checks it, returns what was seen.

    All of it is heard, in order, also where the machine has no time and blocks come late; and the work is at most
    `most_work` times that of a render in large blocks. How much a processor is busy and how many blocks were late
    depends on the machine: that is said, not judged.
    """
    stage = Stage(speed=1.0)
    try:
        stage.player.set_plan(plan)
        before_s = time.process_time()
        heard = stage.play_to_end()
        playing_s = time.process_time() - before_s
        late = stage.player.underruns
    finally:
        stage.player.close()
    before_s = time.process_time()
    rendered = np.concatenate(list(render(plan, 0, plan.frames_with_tail)))
    rendering_s = time.process_time() - before_s
    assert len(heard) == len(rendered)
    np.testing.assert_allclose(heard, rendered * ramp(len(rendered)), atol=1e-5)
    times = playing_s / rendering_s
    assert times < most_work
    played_s = len(heard) / RATE
    busy = playing_s / played_s
    return f"{played_s:.0f} s played, {busy:.0%} of one processor, {times:.1f} times a render, {late} late blocks."


@pytest.mark.proof
def test_24_lanes_play_for_20_seconds_in_real_time(capsys):
    seen = plays_in_real_time(
        make_plan(*[noise(20.0, seed) for seed in range(24)], gain=0.05), most_work=80.0
    )  # seen: 17 to 21
    with capsys.disabled():
        print(f"\n24 tracks: {seen}")


@pytest.mark.proof
def test_the_strips_of_the_benchmark_play_for_60_seconds_in_real_time(capsys):
    """24 stereo strips, four buses, two of them with a reverb; heard to the end of the last room."""
    session = strip_session()
    sources = {
        lane.id: Memory(np.repeat(noise(60.0, i)[:, np.newaxis], 2, axis=1)) for i, lane in enumerate(session.lanes)
    }
    seen = plays_in_real_time(planning.make_plan(session, sources), most_work=20.0)  # seen: 3
    with capsys.disabled():
        print(f"\n24 strips: {seen}")


def test_a_source_that_fails_stops_playing_and_says_so_but_the_player_lives(stage):
    class Broken(Memory):
        def read(self, start, frames):
            raise ValueError("a defect")

    broken = plan_of(Broken(noise(1.0)[:, np.newaxis]))
    stage.player.set_plan(broken)
    stage.player.play()
    stage.wait(lambda: stage.player.message is not None)
    assert "Playing stopped" in stage.player.message
    assert not stage.player.playing
    stage.player.set_plan(make_plan(noise(0.5)))
    stage.player.locate(0.0)
    heard = stage.play_to_end()
    assert len(heard) == RATE // 2


def test_what_was_asked_last_is_known_before_the_engine_follows():
    stage = Stage(3.0)
    player = stage.player
    player.set_plan(make_plan(noise(0.5)))
    player.play()
    assert player.asked
    player.stop()
    assert not player.asked
    player.play()
    stage.wait(lambda: player.playing)
    stage.wait(lambda: not player.playing)
    assert not player.asked  # it ended by itself
    player.close()
