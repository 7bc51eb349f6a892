"""Our speed, measured beside a peer library in the same run.

Figures are in seconds of sound per second of processor time on one core, so that they can be
compared between machines with other numbers of cores. Nothing here is a test: speed is reported.
"""

import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.engine.plan import LanePlan, Plan
from all_even.engine.render import render
from all_even.measure.track import Measurement

RATE = 48_000
TRACKS, SECONDS = 24, 60


@dataclass(frozen=True, slots=True)
class Benchmark:
    """realtime_factor: seconds of sound per second and core; peer_factor: the same for the peer."""

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
    """The mix of 24 stereo tracks with level and pan; no peer has this alone."""
    lanes = tuple(
        LanePlan(f"{index}", _InMemory(np.repeat(_music(index, SECONDS), 2, axis=1)), 0, np.eye(2) * 0.2, True)
        for index in range(TRACKS)
    )
    plan = Plan(RATE, SECONDS * RATE, lanes, 1.0)
    for _ in render(plan, 0, RATE):
        pass
    ours = _processor_time(lambda: [None for _ in render(plan)])
    return Benchmark(
        "render 24 stereo tracks, level and pan",
        SECONDS / ours,
        None,
        None,
        1,
        f"{ours:.2f} s of processor time",
    )


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
