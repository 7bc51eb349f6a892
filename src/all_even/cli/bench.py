"""Our speed, measured beside a peer library in the same run.

Figures are seconds of sound per second: of processor time on one core where `cores` is 1, else by the
clock with as many threads for the peer as for us. Nothing here is a test: speed is reported.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType

import numpy as np
from msgspec.structs import replace

from all_even import kernels
from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.dsp.compressor import Compressor
from all_even.dsp.equaliser import Band, Equaliser
from all_even.dsp.passes import HighPass
from all_even.dsp.reverb import STARTS
from all_even.engine import listening
from all_even.engine.figures.book import Book
from all_even.engine.parts import processed
from all_even.engine.planning import make_plan
from all_even.engine.render import WORKERS, render
from all_even.engine.sharing import Sharing, hidden_of, pairs_of, ridges
from all_even.measure.dynamics.movement import part_of
from all_even.measure.dynamics.signal import signal_of
from all_even.measure.recording.character import CharacterMeter
from all_even.measure.recording.track import Measurement
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import Scene, Trial, scene_of
from all_even.moves.ducking import find_ducks, fit, methods
from all_even.moves.dynamics import even_out
from all_even.moves.share import search
from all_even.session import chain_edits
from all_even.session.model import Bus, Lane, Send, Session

RATE = 48_000
TRACKS, SECONDS = 24, 60
PLAYED, PLAYED_S = 48, 20.0
REVERBS = (STARTS["room"], STARTS["hall"])


@dataclass(frozen=True, slots=True)
class Benchmark:
    """realtime_factor: seconds of sound per second; peer_factor: the same for the peer. milliseconds: of what the hand
    waits for, where that is measured instead."""

    name: str
    realtime_factor: float | None
    peer: str | None
    peer_factor: float | None
    cores: int
    note: str
    milliseconds: float | None = None


def run_benchmarks() -> list[Benchmark]:
    with tempfile.TemporaryDirectory(prefix="all-even-bench-") as name:
        folder = Path(name)
        return [
            _measuring(folder), _rendering(), _playing(), *_masking(), *_sharing(), _ducking(), *_dynamics(),
            *_space(),            *_window(folder), *_pauses(folder),
        ]  # fmt: skip


def _window(folder: Path) -> list[Benchmark]:
    """What the hand waits for; the file that all lanes read is measured and opened, nothing else."""
    try:
        from all_even.cli import bench_window
    except ImportError:  # without a toolkit for windows
        return []
    place = folder / "window"
    place.mkdir()
    by_stage, change, opening, (painted, drawn) = bench_window.measure_window(place)
    worst = max(by_stage, key=lambda stage: by_stage[stage])
    stages = ", ".join(f"{stage} {1000 * taken:.1f}" for stage, taken in by_stage.items())
    return [
        Benchmark(
            "one edit with 96 lanes of 4 minutes, 3 stations and 2 sends each", None, None, None, 1,
            f"on the interface thread, median of {bench_window.EDITS}; worst stage {worst}; by stage in ms: {stages}",
            1000 * by_stage[worst],
        ),
        Benchmark(
            "a change of stage with these lanes", None, None, None, 1, "until it is painted; the longest of all",
            1000 * change,
        ),
        Benchmark(
            f"Rides painted anew, {bench_window.LANES} lanes with {bench_window.RIDE_POINTS} points of automation each",
            None, None, None, 1, f"lanes and bench; a point drawn by hand, with its edit: {1000 * drawn:.1f} ms",
            1000 * painted,
        ),
        Benchmark(
            f"a folder of {bench_window.FILES} files, measured before", None, None, None, 1,
            "until every lane shows its measures", 1000 * opening,
        ),
    ]  # fmt: skip


def _playing() -> Benchmark:
    """48 strips with high-pass, six bands, compressor and two sends, played by the clock to the stand-in."""
    from all_even.audio.device import SimulatedDevice
    from all_even.engine.playing.player import Player

    session = strip_session(PLAYED)
    sounds = {
        lane.id: _InMemory(np.repeat(_music(index % 4, 5), 2, axis=1)) for index, lane in enumerate(session.lanes)
    }
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
    return Benchmark(
        f"play {PLAYED} such strips for {PLAYED_S:.0f} s, four seconds of sound repeated", None, None, None, 1,
        f"{underruns} blocks came too late; {100.0 * taken:.0f} % of one core",
    )  # fmt: skip


def _pauses(folder: Path) -> list[Benchmark]:
    """How long the window does not answer while a folder opens, is measured and plays; in a process of its own, as a
    first start has it."""
    stems = folder / "stems"
    stems.mkdir()
    for index in range(TRACKS):
        write_sound(stems / f"{index}.wav", [_track(index + 100, 20)], sample_rate=RATE, channels=1)
    environment = {**os.environ, "ALL_EVEN_HOME": str(folder / "home"), "NUMBA_CACHE_DIR": kernels.cache_dir()}
    done = subprocess.run(
        [sys.executable, "-m", "all_even.cli.bench_window", str(stems)],
        env=environment,
        capture_output=True,
        check=False,
    )
    if done.returncode != 0:  # without a toolkit for windows
        return []
    longest = json.loads(done.stdout.splitlines()[-1])
    phases = ", ".join(f"{phase} {pause:.0f}" for phase, pause in longest.items())
    return [
        Benchmark(
            f"longest pause of the window while a folder of {TRACKS} files opens, is measured and plays", None, None,
            None, 1, f"a timer in the event loop; by phase in ms: {phases}", max(longest.values()),
        )
    ]  # fmt: skip


def _measuring(folder: Path) -> Benchmark:
    """24 mono files of 60 s: read, decode, every figure; the peer reads and takes the loudness only."""
    paths = [folder / f"{index}.wav" for index in range(TRACKS)]
    for index, path in enumerate(paths):
        write_sound(path, [_track(index, SECONDS)], sample_rate=RATE, channels=1)
    _measure_all(paths[:3])  # compiles

    ours = _processor_time(lambda: _measure_all(paths))
    peer = None
    try:
        import pyloudnorm
        import soundfile
    except ImportError:
        pass
    else:
        meter = pyloudnorm.Meter(RATE)
        peer = _processor_time(lambda: [meter.integrated_loudness(soundfile.read(path)[0]) for path in paths])
    sound = TRACKS * SECONDS
    return Benchmark(
        "measure 24 mono tracks of 60 s",
        sound / ours,
        "pyloudnorm (reading and integrated loudness only)" if peer else None,
        sound / peer if peer else None,
        1,
        f"levels, hits, tails, pitch, notes, faults, from 24-bit files, {ours:.2f} s of processor time",
    )


def _measure_all(paths: list[Path]) -> None:
    """The work of a first import, past the cache."""
    from all_even.audio import sound_file

    for path in paths:
        info = sound_file.inspect(path)
        levels = Measurement(info.sample_rate, info.channels)
        playing = CharacterMeter(info.sample_rate, info.channels)
        for block in sound_file.read_blocks(info):
            levels.add(block)
            playing.add(block)
        levels.result()
        playing.result()


class _InMemory:
    def __init__(self, samples: Samples) -> None:
        self._samples = samples
        self.frames, self.channels = samples.shape

    def read(self, start: int, frames: int) -> Samples:
        return self._samples[start : start + frames]


def _masking() -> list[Benchmark]:
    """24 mono tracks of 60 s as they arrive, all pairs; then one of them changed."""
    lanes = tuple(Lane(id=f"lane{i}", name=f"Lane {i}", file="none.wav", level_db=-12.0) for i in range(TRACKS))
    session = Session(name="Masking", sample_rate=RATE, lanes=lanes)
    sources = {lane.id: _InMemory(_track(i, SECONDS)) for i, lane in enumerate(lanes)}
    book = Book(sources)
    table: list[masking.Masking] = []

    def everything() -> None:
        table.append(listening.find_masking(session, book))
        masking.pair_table(table[-1])

    def one_changed() -> None:
        changed = chain_edits.add_station(session, "lane3", HighPass(frequency_hz=200.0))
        found = listening.find_masking(changed, book, floor=table[0].floor)
        masking.pair_table(found, ["lane3"])

    short = {name: masking.excitation_of(np.zeros((RATE, 2)), RATE) for name in ("a", "b")}
    masking.pair_table(masking.find_masking(short))  # compiles
    whole, change = _wall_time(everything), _wall_time(one_changed)
    return [
        Benchmark(
            "masked share of 24 tracks of 60 s, with all pairs", SECONDS / whole, None, None, WORKERS,
            f"{whole:.2f} s by the clock, rendering included",
        ),
        Benchmark(
            "the same after a change of one track", SECONDS / change, None, None, WORKERS,
            f"{change:.2f} s by the clock, rendering included",
        ),
    ]  # fmt: skip


def _sharing() -> list[Benchmark]:
    """The search for bands among 24 tracks of the demo; all figures after one band; what follows a dragged bar."""
    from all_even.demo.parts import Studio
    from all_even.demo.score import make_score
    from all_even.demo.stems import STEMS, render_stem

    studio = Studio(make_score())
    sounds = [render_stem(stem, studio).mean(axis=1, keepdims=True) for stem in STEMS if stem.sample_rate == RATE]
    tracks = {
        f"lane{i}": masking.excitation_of(0.05 * sound / np.sqrt(np.mean(sound**2)), RATE)
        for i, sound in enumerate(sounds[:TRACKS])
    }
    floor = masking.find_masking(tracks, RATE).floor
    scene = scene_of(tracks, tracks, floor, {}, RATE)
    search.find_set(scene.thinned(0.02), most=1)  # compiles
    found: list[search.Placed] = []
    searched = _wall_time(lambda: found.extend(search.find_set(scene)))
    few = Trial(scene.thinned(search.SHARE_OF_FRAMES))
    curve = search.atom_gains(20, -4.5, RATE)

    def all_of(scene: Scene) -> None:
        units = Sharing((), scene, scene, *hidden_of(scene), 2048 / RATE)
        ridges(units)
        pairs_of(units)

    all_of(scene.part(0, 30))  # compiles
    whole = _wall_time(lambda: all_of(scene))
    times = [_wall_time(lambda: few.put(3, few.kept(3, curve))) for _ in range(20)]
    return [
        Benchmark(
            "search for bands, 24 tracks of the demo", studio.score.duration_s / searched, None, None, 1,
            f"{searched:.2f} s by the clock for {len(found)} bands, tracks heard before",
        ),
        Benchmark(
            "shares, ridges and all pairs of these after one band", studio.score.duration_s / whole, None, None, 1,
            f"{whole:.2f} s by the clock", 1000.0 * whole,
        ),
        Benchmark(
            "all shares while a bar is dragged", None, None, None, 1, "median of 20", 1000.0 * float(np.median(times)),
        ),
    ]  # fmt: skip


def _ducking() -> Benchmark:
    """One method fitted to 30 s of kick and bass."""
    kick, bass = _hits(0, 30)[:, 0].astype(np.float64), _line(1, 30)[:, 0].astype(np.float64)
    found = find_ducks(kick, bass, RATE, only=["keyed"])
    prepared = methods.sketch(
        found.meeting, found.key_hz or 60.0, 0.5, np.array(found.meeting.hits_s), np.array(found.meeting.hits_s)
    )
    took = _processor_time(lambda: fit.fit(methods.METHODS[0], prepared))
    return Benchmark("fit one ducking method to 30 s", 30.0 / took, None, None, 1, f"{took:.2f} s of processor time")


def _dynamics() -> list[Benchmark]:
    """A compressor beside a peer's; a line of 60 s with uneven notes looked at, and evened out."""
    levels = 10.0 ** (np.array([0.0, -8.0, 4.0, -5.0, 5.0, -3.0]) / 20.0)
    notes = np.resize(np.repeat(levels, RATE // 2), SECONDS * RATE).astype(np.float32)
    sound: Samples = _line(7, SECONDS) * notes[:, np.newaxis]
    station = even_out.single("lead voice", 0.6)
    found = part_of(signal_of(sound, RATE), ())
    even_out.fitted(part_of(signal_of(sound[: 10 * RATE], RATE), ()), "lead voice", 0.6)  # compiles
    ours = _processor_time(lambda: processed(station, RATE, sound, None))
    looked = _processor_time(lambda: part_of(signal_of(sound, RATE), ()))
    took = _processor_time(lambda: even_out.fitted(found, "lead voice", 0.6))
    peer = None
    try:
        import pedalboard

        board = pedalboard.Pedalboard([pedalboard.Compressor(-18.0, 4.0, 10.0, 100.0)])
        peer = _processor_time(lambda: board(sound.T, RATE))
    except ImportError:
        pass
    return [
        Benchmark(
            "compressor of the even-out, mono, with its gain", SECONDS / ours,
            "pedalboard, its compressor" if peer else None, SECONDS / peer if peer else None, 1,
            f"{ours:.2f} s of processor time",
        ),
        Benchmark(
            "notes, crest and loudness of a line of 60 s", SECONDS / looked, None, None, 1,
            f"{looked:.2f} s of processor time",
        ),
        Benchmark(
            "even out that line, all figures with it", SECONDS / took, None, None, 1, f"{took:.2f} s of processor time",
        ),
    ]  # fmt: skip


def _space() -> list[Benchmark]:
    """The reverb beside a peer's in speed and by published measures, and falling noise; the convolution of a room."""
    from all_even.cli import bench_space as space

    try:
        import pedalboard
    except ImportError:
        peer_speed = peer_quality = None
    else:
        peer_speed, peer_quality = space.speed(space.peer_board(pedalboard)), space.peer(pedalboard)
    beside = "" if peer_quality is None else f"; the peer: {peer_quality.text}"
    return [
        Benchmark(
            "reverb, 16 lines, stereo", space.reverb_speed(), "pedalboard, its reverb" if peer_speed else None,
            peer_speed, 1, f"{space.ours().text}; noise that falls: {space.noise().text}{beside}",
        ),
        Benchmark("convolution of a room of 1.2 s, true stereo", space.room_speed(), None, None, 1, "no latency"),
    ]  # fmt: skip


def _rendering() -> Benchmark:
    """24 stereo tracks with high-pass, 6-band EQ, compressor and two sends, two of four buses with a reverb each.

    The peer runs the same processors on as many threads; sums and sends are NumPy's.
    """
    session = strip_session()
    sounds = [np.repeat(_music(index, SECONDS), 2, axis=1) for index in range(TRACKS)]
    plan = make_plan(session, {lane.id: _InMemory(sound) for lane, sound in zip(session.lanes, sounds, strict=True)})
    for _ in render(plan, 0, RATE):
        pass
    ours = _wall_time(lambda: [None for _ in render(plan)])
    peer = None
    try:
        import pedalboard
    except ImportError:
        pass
    else:
        peer = _wall_time(lambda: _peer_strips(pedalboard, sounds))
    return Benchmark(
        "render 24 stereo tracks: high-pass, 6 bands, compressor, 2 sends; 4 buses, 2 reverbs",
        SECONDS / ours,
        "pedalboard, the same strip" if peer else None,
        SECONDS / peer if peer else None,
        WORKERS,
        f"{ours:.2f} s by the clock, {WORKERS} threads each",
    )


def strip_session(tracks: int = TRACKS) -> Session:
    """The session of the strip benchmark: two groups and two returns with reverb, all compressed."""
    bands = tuple(Band(frequency_hz=100.0 * 2.2**index, gain_db=(-1) ** index * 2.0, q=1.0) for index in range(6))
    buses = tuple(
        Bus(
            id=f"bus{index}",
            name=f"Bus {index}",
            use="group" if index < 2 else "return",
            chain=(
                *((replace(REVERBS[index - 2], id=f"r{index}"),) if index > 1 else ()),
                Compressor(id=f"b{index}", threshold_db=-24.0),
            ),
        )
        for index in range(4)
    )
    lanes = tuple(
        Lane(
            id=f"lane{index}",
            name=f"Lane {index}",
            file="none.wav",
            level_db=-12.0,
            pan=(index % 24 - 12) / 24.0,
            destination=f"bus{index % 2}",
            sends=(Send(to="bus2", level_db=-12.0), Send(to="bus3", level_db=-18.0)),
            chain=(
                HighPass(id=f"h{index}", frequency_hz=60.0),
                Equaliser(id=f"e{index}", bands=bands),
                Compressor(id=f"c{index}", threshold_db=-30.0, ratio=3.0),
            ),
        )
        for index in range(tracks)
    )
    return Session(name="Strips", sample_rate=RATE, lanes=lanes, buses=buses)


def _peer_strips(pedalboard: ModuleType, sounds: list[Samples]) -> None:
    def track(sound: Samples) -> Samples:
        bands = [pedalboard.PeakFilter(100.0 * 2.2**index, (-1) ** index * 2.0, 1.0) for index in range(6)]
        board = pedalboard.Pedalboard(
            [pedalboard.HighpassFilter(60.0), *bands, pedalboard.Compressor(-30.0, 3.0, 10.0, 100.0)]
        )
        return np.asarray(board(sound.T, RATE, reset=False))

    buses = [np.zeros((2, SECONDS * RATE), dtype=np.float32) for _ in range(4)]
    with ThreadPoolExecutor(WORKERS) as pool:
        for index, out in enumerate(pool.map(track, sounds)):
            for bus, gain in ((index % 2, 0.25), (2, 0.06), (3, 0.03)):
                buses[bus] += gain * out

        def group(index: int) -> Samples:
            rooms = [pedalboard.Reverb(room_size=0.7, wet_level=1.0, dry_level=0.0)] if index > 1 else []
            board = pedalboard.Pedalboard([*rooms, pedalboard.Compressor(-24.0, 2.0, 10.0, 100.0)])
            return np.asarray(board(buses[index], RATE))

        list(pool.map(group, range(4)))
    np.sum(buses, axis=0)


def _music(seed: int, seconds: int) -> Samples:
    """Noise that swells and fades, so that gates and peaks have something to do."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(seconds * RATE) / RATE
    swell = 0.05 + 0.25 * np.abs(np.sin(time_s * (0.7 + 0.1 * seed)))
    return (swell * rng.standard_normal(len(time_s)) * 0.3).astype(np.float32)[:, np.newaxis]


def _track(seed: int, seconds: int) -> Samples:
    """Noise, a line of notes or hits, in turn, so that every measure has something to judge."""
    return (_music, _line, _hits)[seed % 3](seed, seconds)


def _line(seed: int, seconds: int) -> Samples:
    """Plucked notes, two a second."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(RATE // 2) / RATE
    fade = np.minimum(1.0, time_s / 0.004) * np.minimum(1.0, (0.5 - time_s) / 0.03) * np.exp(-time_s)
    notes = [55.0 * 2.0 ** (rng.integers(0, 12) / 12.0) for _ in range(2 * seconds)]
    sound = [fade * sum(np.sin(2 * np.pi * hz * k * time_s) / k for k in range(1, 12)) for hz in notes]
    return (0.15 * np.concatenate(sound)).astype(np.float32)[:, np.newaxis]


def _hits(seed: int, seconds: int) -> Samples:
    """A low drum, two a second."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(RATE // 2) / RATE
    body = np.sin(2 * np.pi * (54.0 * time_s + 1.1 * (1.0 - np.exp(-time_s / 0.008)))) * 10.0 ** (-time_s / 0.17)
    body[:500] += 0.2 * np.diff(rng.standard_normal(501)) * np.exp(-np.arange(500) / 80.0)
    levels = rng.uniform(0.6, 0.9, 2 * seconds)
    return (levels[:, np.newaxis] * body).ravel().astype(np.float32)[:, np.newaxis]


def _processor_time(work: Callable[[], object]) -> float:
    start = time.process_time()
    work()
    return time.process_time() - start


def _wall_time(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
