"""Our speed, measured beside a peer library in the same run.

Figures are seconds of sound per second: of processor time on one core where `cores` is 1, else by the
clock with as many threads for the peer as for us. Nothing here is a test: speed is reported.
"""

import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType

import numpy as np

from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.dsp.compressor import Compressor
from all_even.dsp.equaliser import Band, Equaliser
from all_even.dsp.passes import HighPass
from all_even.engine.plan import make_plan
from all_even.engine.render import WORKERS, render
from all_even.measure.track import Measurement
from all_even.session.model import Bus, Lane, Send, Session

RATE = 48_000
TRACKS, SECONDS = 24, 60


@dataclass(frozen=True, slots=True)
class Benchmark:
    """realtime_factor: seconds of sound per second; peer_factor: the same for the peer."""

    name: str
    realtime_factor: float
    peer: str | None
    peer_factor: float | None
    cores: int
    note: str


def run_benchmarks() -> list[Benchmark]:
    with tempfile.TemporaryDirectory(prefix="all-even-bench-") as name:
        return [_measuring(Path(name)), _rendering()]


def _measuring(folder: Path) -> Benchmark:
    """24 mono files of 60 s: read, decode, every level figure; the peer reads and takes the loudness only."""
    paths = [folder / f"{index}.wav" for index in range(TRACKS)]
    for index, path in enumerate(paths):
        write_sound(path, [_music(index, SECONDS)], sample_rate=RATE, channels=1)
    _measure_all(paths[:1])  # compiles

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
        f"all level figures from 24-bit files, {ours:.2f} s of processor time",
    )


def _measure_all(paths: list[Path]) -> None:
    """The work of a first import, past the cache."""
    from all_even.audio import sound_file

    for path in paths:
        info = sound_file.inspect(path)
        measurement = Measurement(info.sample_rate, info.channels)
        for block in sound_file.read_blocks(info):
            measurement.add(block)
        measurement.result()


class _InMemory:
    def __init__(self, samples: Samples) -> None:
        self._samples = samples
        self.frames, self.channels = samples.shape

    def read(self, start: int, frames: int) -> Samples:
        return self._samples[start : start + frames]


def _rendering() -> Benchmark:
    """24 stereo tracks with high-pass, 6-band EQ, compressor and two sends, four buses with compression.

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
        "render 24 stereo tracks: high-pass, 6 bands, compressor, 2 sends; 4 buses",
        SECONDS / ours,
        "pedalboard, the same strip" if peer else None,
        SECONDS / peer if peer else None,
        WORKERS,
        f"{ours:.2f} s by the clock, {WORKERS} threads each",
    )


def strip_session() -> Session:
    """The session of the strip benchmark: two groups, two parallel buses, all compressed."""
    bands = tuple(Band(frequency_hz=100.0 * 2.2**index, gain_db=(-1) ** index * 2.0, q=1.0) for index in range(6))
    buses = tuple(
        Bus(id=f"bus{index}", name=f"Bus {index}", chain=(Compressor(id=f"b{index}", threshold_db=-24.0),))
        for index in range(4)
    )
    lanes = tuple(
        Lane(
            id=f"lane{index}",
            name=f"Lane {index}",
            file="none.wav",
            level_db=-12.0,
            pan=(index - 12) / 24.0,
            destination=f"bus{index % 2}",
            sends=(Send(to="bus2", level_db=-12.0), Send(to="bus3", level_db=-18.0)),
            chain=(
                HighPass(id=f"h{index}", frequency_hz=60.0),
                Equaliser(id=f"e{index}", bands=bands),
                Compressor(id=f"c{index}", threshold_db=-30.0, ratio=3.0),
            ),
        )
        for index in range(TRACKS)
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
        list(
            pool.map(
                lambda bus: pedalboard.Pedalboard([pedalboard.Compressor(-24.0, 2.0, 10.0, 100.0)])(bus, RATE), buses
            )
        )
    np.sum(buses, axis=0)


def _music(seed: int, seconds: int) -> Samples:
    """Noise that swells and fades, so that gates and peaks have something to do."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(seconds * RATE) / RATE
    swell = 0.05 + 0.25 * np.abs(np.sin(time_s * (0.7 + 0.1 * seed)))
    return (swell * rng.standard_normal(len(time_s)) * 0.3).astype(np.float32)[:, np.newaxis]


def _processor_time(work: Callable[[], object]) -> float:
    start = time.process_time()
    work()
    return time.process_time() - start


def _wall_time(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
