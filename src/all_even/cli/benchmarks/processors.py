"""Single processors beside a peer's, and the fits that run on them."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from all_even.audio.sound_file import Samples
from all_even.cli.benchmarks import reverb
from all_even.cli.benchmarks.benchmark import RATE, SECONDS, Benchmark, processor_time
from all_even.cli.benchmarks.sounds import hits, line
from all_even.figures.arriving.contribution import processed
from all_even.measure.dynamics.movement import part_of
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.ducking import find_ducks, fit, methods
from all_even.moves.dynamics import even_out


def duck(_folder: Path) -> Iterator[Benchmark]:
    """One method fitted to 30 s of kick and bass."""
    kick, bass = hits(0, 30)[:, 0].astype(np.float64), line(1, 30)[:, 0].astype(np.float64)
    found = find_ducks(kick, bass, RATE, only=["keyed"])
    prepared = methods.sketch(
        found.meeting, found.key_hz or 60.0, 0.5, np.array(found.meeting.hits_s), np.array(found.meeting.hits_s)
    )
    took = processor_time(lambda: fit.fit(methods.METHODS[0], prepared))
    yield Benchmark("fit one ducking method to 30 s", 30.0 / took, None, None, 1, f"{took:.2f} s of processor time")


def dynamics(_folder: Path) -> Iterator[Benchmark]:
    """A compressor beside a peer's; a line of 60 s with uneven notes looked at, and evened out."""
    levels = 10.0 ** (np.array([0.0, -8.0, 4.0, -5.0, 5.0, -3.0]) / 20.0)
    notes = np.resize(np.repeat(levels, RATE // 2), SECONDS * RATE).astype(np.float32)
    sound: Samples = line(7, SECONDS) * notes[:, np.newaxis]
    station = even_out.single("lead voice", 0.6)
    found = part_of(signal_of(sound, RATE), ())
    even_out.fitted(part_of(signal_of(sound[: 10 * RATE], RATE), ()), "lead voice", 0.6)  # compiles
    ours = processor_time(lambda: processed(station, RATE, sound, None))
    looked = processor_time(lambda: part_of(signal_of(sound, RATE), ()))
    took = processor_time(lambda: even_out.fitted(found, "lead voice", 0.6))
    peer = None
    try:
        import pedalboard

        board = pedalboard.Pedalboard([pedalboard.Compressor(-18.0, 4.0, 10.0, 100.0)])
        peer = processor_time(lambda: board(sound.T, RATE))
    except ImportError:
        pass
    yield Benchmark(
        "compressor of the even-out, mono, with its gain", SECONDS / ours,
        "pedalboard, its compressor" if peer else None, SECONDS / peer if peer else None, 1,
        f"{ours:.2f} s of processor time",
    )  # fmt: skip
    yield Benchmark(
        "notes, crest and loudness of a line of 60 s", SECONDS / looked, None, None, 1,
        f"{looked:.2f} s of processor time",
    )  # fmt: skip
    yield Benchmark(
        "even out that line, all figures with it", SECONDS / took, None, None, 1, f"{took:.2f} s of processor time",
    )  # fmt: skip


def space(_folder: Path) -> Iterator[Benchmark]:
    """The reverb beside a peer's in speed and by published measures, and falling noise; the convolution of a room."""
    try:
        import pedalboard
    except ImportError:
        peer_speed = peer_quality = None
    else:
        peer_speed, peer_quality = reverb.speed(reverb.peer_board(pedalboard)), reverb.peer(pedalboard)
    beside = "" if peer_quality is None else f"; the peer: {peer_quality.text}"
    yield Benchmark(
        "reverb, 16 lines, stereo", reverb.reverb_speed(), "pedalboard, its reverb" if peer_speed else None,
        peer_speed, 1, f"{reverb.ours().text}; noise that falls: {reverb.noise().text}{beside}",
    )  # fmt: skip
    yield Benchmark("convolution of a room of 1.2 s, true stereo", reverb.room_speed(), None, None, 1, "no latency")
