"""Rendering and playing a session of full strips, beside a peer with the same ones."""

import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import ModuleType

import numpy as np
from msgspec.structs import replace

from all_even.audio.device import SimulatedDevice
from all_even.audio.sound_file import Samples
from all_even.cli.benchmarks.benchmark import RATE, SECONDS, TRACKS, Benchmark, wall_time
from all_even.cli.benchmarks.full_strip import BUSES, bus_compressor, full_lane
from all_even.cli.benchmarks.sounds import InMemory, music
from all_even.dsp.space.reverb_starts import STARTS
from all_even.engine.planning import make_plan
from all_even.engine.playing.player import Player
from all_even.engine.render import WORKERS, render
from all_even.session.editing import ride_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus

PLAYED, PLAYED_S = 64, 60.0
POINTS = 10_000
REVERBS = (STARTS["room"], STARTS["hall"])


def render_strips(_folder: Path) -> Iterator[Benchmark]:
    """24 stereo tracks with high-pass, 6-band EQ, compressor and two sends to compressed buses; then the same with a
    reverb on each of the two returns.

    The peer runs the same processors on as many threads; sums and sends are NumPy's.
    """
    sounds = [np.repeat(music(index, SECONDS), 2, axis=1) for index in range(TRACKS)]
    yield _rendered(sounds, reverbs=False)
    yield _rendered(sounds, reverbs=True)
    yield _automated(sounds)


def _automated(sounds: list[Samples]) -> Benchmark:
    """The same, every fader with as many points as hands leave; what that costs on top."""
    at = np.linspace(0.0, SECONDS, POINTS)
    still = session = strip_session(reverbs=False)
    for index, lane in enumerate(session.lanes):
        values = -12.0 + 3.0 * np.sin(at * (1.0 + 0.1 * index))
        points = list(zip(at.tolist(), values.tolist(), strict=True))
        session = ride_edits.set_curve(session, lane.id, "level_db", points)
    plain, moving = (_seconds(one, sounds) for one in (still, session))
    return Benchmark(
        f"the same without reverbs, every fader with {POINTS} points of automation", SECONDS / moving, None, None,
        WORKERS, f"{100.0 * (moving / plain - 1.0):.0f} % on top of the same with faders that do not move",
    )  # fmt: skip


def _seconds(session: Session, sounds: list[Samples]) -> float:
    """To render a session of tracks, the best of three."""
    plan = make_plan(session, {lane.id: InMemory(sound) for lane, sound in zip(session.lanes, sounds, strict=True)})
    for _ in render(plan, 0, RATE):  # compiles
        pass
    return min(wall_time(lambda: [None for _ in render(plan)]) for _ in range(3))


def _rendered(sounds: list[Samples], *, reverbs: bool) -> Benchmark:
    ours = _seconds(strip_session(reverbs=reverbs), sounds)
    peer = None
    try:
        import pedalboard
    except ImportError:
        pass
    else:
        peer = min(wall_time(lambda: _peer_strips(pedalboard, sounds, reverbs=reverbs)) for _ in range(3))
    return Benchmark(
        "render 24 stereo tracks: high-pass, 6 bands, compressor, 2 sends; 4 buses"
        + (", 2 of them with a reverb" if reverbs else ""),
        SECONDS / ours,
        "pedalboard, the same strips" if peer else None,
        SECONDS / peer if peer else None,
        WORKERS,
        f"{ours:.2f} s by the clock, {WORKERS} threads each",
    )


def play(_folder: Path) -> Iterator[Benchmark]:
    """64 strips with high-pass, six bands, compressor and two sends to reverbs, played by the clock to the stand-in."""
    session = strip_session(PLAYED)
    sounds = {lane.id: InMemory(np.repeat(music(index % 4, 5), 2, axis=1)) for index, lane in enumerate(session.lanes)}
    plan = make_plan(session, sounds)
    player = Player(lambda rate, fill: (SimulatedDevice(rate, fill), None))
    player.set_plan(plan)
    player.set_loop((0.5, 4.5))
    busy = time.process_time()
    begun = time.perf_counter()
    player.play()
    time.sleep(PLAYED_S)
    taken = (time.process_time() - busy) / (time.perf_counter() - begun)
    underruns = player.underruns
    player.close()
    yield Benchmark(
        f"play {PLAYED} such strips with both reverbs for {PLAYED_S:.0f} s, four seconds of sound repeated", None, None,
        None, 1, f"{underruns} blocks came too late; {100.0 * taken:.0f} % of one core",
    )  # fmt: skip


def strip_session(tracks: int = TRACKS, *, reverbs: bool = True) -> Session:
    """The session of the strip benchmark: two groups and two returns (with a reverb each), all compressed."""
    buses = tuple(
        Bus(
            id=bus_id,
            name=f"Bus {index}",
            use="group" if index < 2 else "return",
            chain=(
                *((replace(REVERBS[index - 2], id=f"r{index}"),) if reverbs and index > 1 else ()),
                bus_compressor(index),
            ),
        )
        for index, bus_id in enumerate(BUSES)
    )
    lanes = tuple(full_lane(index, "none.wav", level_db=-12.0, pan=(index % 24 - 12) / 24.0) for index in range(tracks))
    return Session(name="Strips", sample_rate=RATE, lanes=lanes, buses=buses)


def _peer_strips(pedalboard: ModuleType, sounds: list[Samples], *, reverbs: bool) -> None:
    def strip(sound: Samples) -> Samples:
        bands = [pedalboard.PeakFilter(100.0 * 2.2**index, (-1) ** index * 2.0, 1.0) for index in range(6)]
        board = pedalboard.Pedalboard(
            [pedalboard.HighpassFilter(60.0), *bands, pedalboard.Compressor(-30.0, 3.0, 10.0, 100.0)]
        )
        return np.asarray(board(sound.T, RATE, reset=False))

    buses = [np.zeros((2, SECONDS * RATE), dtype=np.float32) for _ in range(4)]
    with ThreadPoolExecutor(WORKERS) as pool:
        for index, out in enumerate(pool.map(strip, sounds)):
            for bus, gain in ((index % 2, 0.25), (2, 0.06), (3, 0.03)):
                buses[bus] += gain * out

        def group(index: int) -> Samples:
            rooms = [pedalboard.Reverb(room_size=0.7, wet_level=1.0, dry_level=0.0)] if reverbs and index > 1 else []
            board = pedalboard.Pedalboard([*rooms, pedalboard.Compressor(-24.0, 2.0, 10.0, 100.0)])
            return np.asarray(board(buses[index], RATE))

        list(pool.map(group, range(4)))
    np.sum(buses, axis=0)
