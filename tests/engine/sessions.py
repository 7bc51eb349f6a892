"""Sessions for engine tests: sounds in memory, and any session a person could build."""

import numpy as np
from hypothesis import strategies as st
from msgspec.structs import replace

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Key, Processor
from all_even.dsp.space.doubling import Doubling
from all_even.dsp.space.echo import Echo
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.room import Room
from all_even.dsp.space.widener import Widener
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.utility import DcRemoval, Delay, Gain, Width
from all_even.engine import planning
from all_even.engine.plan import Plan
from all_even.engine.render import render
from all_even.engine.running import Running
from all_even.session.editing.edits import Edit
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, NOWHERE, Automation, Bus, FolderGroup, Lane, Point, Send

RATE = 48_000
FRAMES = 9_000


class Memory:
    """A lane's sound as an array."""

    def __init__(self, samples: np.ndarray) -> None:
        self.samples = samples.astype(np.float32)
        self.frames, self.channels = self.samples.shape

    def read(self, start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, self.channels), dtype=np.float32)
        first, stop = max(0, start), min(self.frames, start + frames)
        if stop > first:
            out[first - start : stop - start] = self.samples[first:stop]
        return out


def in_blocks(plan: Plan, sizes: list[int]) -> np.ndarray:
    """The mix as the player's engine computes it, in blocks of these sizes by turns."""
    running = Running(plan, 0, short=True)
    parts, turn = [], 0
    while running.position < plan.frames + plan.latency:
        parts.append(running.advance(min(sizes[turn % len(sizes)], plan.frames + plan.latency - running.position)))
        turn += 1
    return np.concatenate(parts)[plan.latency :]


def sounds(count: int, frames: int = FRAMES) -> dict[str, Memory]:
    """Noise that comes and goes; every second lane is stereo."""
    made = {}
    for index in range(count):
        rng = np.random.default_rng(index)
        noise = 0.3 * rng.standard_normal((frames, 1 + index % 2))
        made[f"l{index}"] = Memory(noise * (np.sin(np.arange(frames) / (400.0 + 90 * index)) > 0)[:, np.newaxis])
    return made


def stations() -> list[Processor]:
    """One of each kind that settles quickly, so that a render from the middle has a middle."""
    return [
        Gain(gain_db=-3.0, invert=True),
        HighPass(frequency_hz=200.0, slope=24),
        LowPass(frequency_hz=5000.0, slope=6),
        Equaliser(bands=(Band(frequency_hz=900.0, gain_db=6.0), Band(shape="high shelf", gain_db=-4.0))),
        Compressor(threshold_db=-25.0, ratio=4.0, attack_ms=1.0, release_ms=4.0, lookahead_ms=1.0),
        Compressor(threshold_db=-30.0, release_ms=5.0, level="RMS", rms_ms=2.0, topology="decoupled", link=30.0),
        Compressor(threshold_db=-30.0, release_ms=5.0, character="supple", mix=60.0),
        BandCompressor(crossovers_hz=(900.0,), bands=(Compressor(threshold_db=-30.0, release_ms=4.0),) * 2, mix=50.0),
        Limiter(ceiling_db=-12.0, lookahead_ms=1.0, release_ms=5.0),
        Gate(threshold_db=-20.0, hold_ms=2.0, release_ms=4.0),
        TransientShaper(attack_db=3.0),
        DynamicEqualiser(),
        Ducker(shape="shape", depth_db=9.0),
        Saturation(drive_db=9.0, low_cut_hz=100.0),
        Delay(delay_ms=0.5),
        Width(width=150.0),
        DcRemoval(),
        Reverb(decay_s=0.1, size_ms=30.0, predelay_ms=1.0, early_ms=5.0, mix_percent=60.0),
        Room(decay_s=0.2, width_m=4.0, length_m=5.0, height_m=3.0, mix_percent=50.0),
        Echo(left_ms=3.0, right_ms=5.0, feedback_percent=20.0, high_pass_hz=1000.0, mix_percent=50.0),
        Doubling(left_ms=5.0, right_ms=6.0, depth_ms=0.5),
        Widener(late_ms=4.0),
    ]  # fmt: skip


SHAPE = DuckShape(id="shape", name="Shape", hits_s=(0.01, 0.05, 0.1), hold_ms=5.0, length_ms=20.0)

MOVABLE = {
    "gain": ("gain_db", -12.0, 6.0),
    "high-pass": ("frequency_hz", 60.0, 900.0),
    "compressor": ("threshold_db", -40.0, -10.0),
    "equaliser": ("bands.0.gain_db", -9.0, 9.0),
    "saturation": ("drive_db", 0.0, 18.0),
}


@st.composite
def any_session(draw: st.DrawFn, lanes: int = 4, buses: int = 3) -> Session:
    """Chains, groups, sends, keys, folders, automation. Routes lead onward only, so that there is no loop."""
    numbers = iter(range(1000))

    def chain(earlier: list[str]) -> tuple[Processor, ...]:
        picked = draw(st.lists(st.sampled_from(stations()), max_size=3))
        made = []
        for station in picked:
            values = {"id": f"s{next(numbers)}", "bypass": draw(st.booleans()) and draw(st.booleans())}
            if hasattr(station, "key") and earlier and draw(st.booleans()):
                level_db, follows = draw(st.sampled_from([0.0, -6.0])), draw(st.booleans())
                values["key"] = Key(source=draw(st.sampled_from(earlier)), level_db=level_db, follows_mute=follows)
            made.append(replace(station, **values))
        return tuple(made)

    def points(low: float, high: float) -> tuple[Point, ...]:
        times = sorted(draw(st.lists(st.floats(0.0, FRAMES / RATE), min_size=1, max_size=4)))
        return tuple(Point(time_s=time, value=draw(st.floats(low, high))) for time in times)

    def automation(stations_made, sends, fader: bool = True) -> tuple[Automation, ...]:
        made = []
        if fader and draw(st.booleans()):
            made.append(Automation(parameter="level_db", points=points(-40.0, 6.0)))
        if fader and draw(st.booleans()):
            made.append(Automation(parameter="pan", points=points(-1.0, 1.0)))
        if sends and draw(st.booleans()):
            made.append(Automation(parameter=f"send:{sends[0].to}", points=points(-40.0, 0.0)))
        for station in stations_made:
            kind = type(station).__struct_config__.tag
            if kind in MOVABLE and draw(st.booleans()):
                field, low, high = MOVABLE[kind]
                made.append(Automation(parameter=f"{station.id}.{field}", points=points(low, high)))
        return tuple(made)

    def strip_values(onward: list[str], earlier: list[str]) -> dict:
        made = chain(earlier)
        targets = draw(st.lists(st.sampled_from(onward), max_size=2, unique=True)) if onward else []
        sends = tuple(
            Send(to=to, level_db=draw(st.floats(-30.0, 0.0)), pre_fader=draw(st.booleans())) for to in targets
        )
        return {
            "chain": made,
            "level_db": draw(st.floats(-20.0, 6.0)),
            "pan": draw(st.floats(-1.0, 1.0)),
            "polarity_inverted": draw(st.booleans()),
            "mute": draw(st.integers(0, 5)) == 0,
            "solo": draw(st.integers(0, 5)) == 0,
            "destination": draw(st.sampled_from([*onward, MIX, MIX])),
            "sends": sends,
            "group": draw(st.sampled_from([None, None, "f0"])),
            "automation": automation(made, sends),
        }

    bus_ids = [f"b{index}" for index in range(buses)]
    lane_ids = [f"l{index}" for index in range(lanes)]
    made_lanes = []
    for index, lane_id in enumerate(lane_ids):
        values = strip_values(bus_ids, lane_ids[:index])
        if draw(st.integers(0, 6)) == 0:
            values["destination"] = NOWHERE
        if draw(st.booleans()):
            values["clip_gain_db"] = draw(st.floats(-12.0, 12.0))
        if draw(st.integers(0, 3)) == 0:
            values["automation"] += (Automation(parameter="clip_gain_db", points=points(-12.0, 6.0)),)
        made_lanes.append(
            Lane(
                id=lane_id, name=f"Track {index}", file="none.wav", start_s=draw(st.sampled_from([0.0, 0.01])), **values
            )
        )
    made_buses = [
        Bus(id=bus_id, name=f"Bus {index}", **strip_values(bus_ids[index + 1 :], lane_ids))
        for index, bus_id in enumerate(bus_ids)
    ]
    mix_chain = chain(lane_ids)
    return replace(
        Session(name="Any", sample_rate=RATE, folders=(Folder(path="/nowhere"),)),
        lanes=tuple(made_lanes),
        buses=tuple(made_buses),
        folder_groups=(
            FolderGroup(
                id="f0",
                name="Folder",
                level_db=draw(st.floats(-12.0, 6.0)),
                mute=draw(st.integers(0, 5)) == 0,
                automation=tuple(item for item in automation((), ()) if item.parameter in ("level_db", "mute")),
            ),
        ),
        shapes=(SHAPE,),
        mix=replace(
            Session(name="x", sample_rate=RATE).mix,
            chain=mix_chain,
            trim_db=draw(st.floats(-12.0, 6.0)),
            automation=automation(mix_chain, (), fader=False),
        ),
    )


def plan_of(*sources: Memory, gain: float = 0.5, session: Edit = lambda made: made) -> Plan:
    """Mono lanes in the centre, each with `gain` on both sides; `session` edits what is planned."""
    level_db = 20.0 * np.log10(gain / np.sqrt(0.5))
    lanes = tuple(
        Lane(id=f"lane-{i}", name=f"Track {i}", file="none.wav", level_db=level_db) for i in range(len(sources))
    )
    made = session(Session(name="Test", sample_rate=RATE, lanes=lanes))
    return planning.make_plan(made, {lane.id: source for lane, source in zip(lanes, sources, strict=True)})


def rendered(plan, start=0, **options):
    blocks = list(render(plan, start, **options))
    return np.concatenate(blocks) if blocks else np.zeros((0, 2))
