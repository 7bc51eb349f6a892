"""Measuring files as a first import does, past every cache."""

from collections.abc import Iterator
from pathlib import Path

from all_even.audio import sound_file
from all_even.audio.writing import write_sound
from all_even.cli.benchmarks.benchmark import RATE, SECONDS, TRACKS, Benchmark, processor_time
from all_even.cli.benchmarks.sounds import track
from all_even.measure.recording.character import CharacterMeter
from all_even.measure.recording.track import Measurement


def measure(folder: Path) -> Iterator[Benchmark]:
    """24 mono files of 60 s: read, decode, every figure; the peer reads and takes the loudness only."""
    paths = [folder / f"{index}.wav" for index in range(TRACKS)]
    for index, path in enumerate(paths):
        write_sound(path, [track(index, SECONDS)], sample_rate=RATE, channels=1)
    _measure_all(paths[:3])  # compiles

    ours = processor_time(lambda: _measure_all(paths))
    peer = None
    try:
        import pyloudnorm
        import soundfile
    except ImportError:
        pass
    else:
        meter = pyloudnorm.Meter(RATE)
        peer = processor_time(lambda: [meter.integrated_loudness(soundfile.read(path)[0]) for path in paths])
    sound = TRACKS * SECONDS
    yield Benchmark(
        "measure 24 mono tracks of 60 s",
        sound / ours,
        "pyloudnorm (reading and integrated loudness only)" if peer else None,
        sound / peer if peer else None,
        1,
        f"levels, hits, tails, pitch, notes, faults, from 24-bit files, {ours:.2f} s of processor time",
    )


def _measure_all(paths: list[Path]) -> None:
    """The work of a first import, past the cache."""
    for path in paths:
        info = sound_file.inspect(path)
        levels = Measurement(info.sample_rate, info.channels)
        playing = CharacterMeter(info.sample_rate, info.channels)
        for block in sound_file.read_blocks(info):
            levels.add(block)
            playing.add(block)
        levels.result()
        playing.result()
