"""What the hand waits for in the window; the file that all lanes read is measured and opened, nothing else."""

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from all_even import kernels
from all_even.audio.writing import write_sound
from all_even.cli.benchmarks.benchmark import RATE, TRACKS, Benchmark
from all_even.cli.benchmarks.sounds import track


def window(folder: Path) -> Iterator[Benchmark]:
    """Edits, stages and Rides with 96 lanes; then a folder of many files."""
    from all_even.cli.benchmarks import hand

    stage = hand.Stage()
    try:
        (folder / "one").mkdir()
        stage.open_many(hand.many_lanes(folder / "one"))
        by_stage = hand.time_edits(stage)
        worst = max(by_stage, key=lambda stage: by_stage[stage])
        stages = ", ".join(f"{stage} {1000 * taken:.1f}" for stage, taken in by_stage.items())
        yield _waited(
            f"one edit with {hand.LANES} tracks of 4 minutes, 3 processors and 2 sends each", by_stage[worst],
            f"on the interface thread, median of {hand.EDITS}; worst stage {worst}; by stage in ms: {stages}",
        )  # fmt: skip
        yield _waited(
            "a change of stage with these tracks", hand.time_stages(stage), "until it is painted; the longest of all"
        )
        rows = hand.time_rows(stage)
        worst = max(rows, key=lambda act: rows[act])
        acts = ", ".join(f"{act} {1000 * taken:.1f}" for act, taken in rows.items())
        yield _waited(
            f"rows of {hand.LANES} tracks, small, by family: the slowest of scroll, selection and fold", rows[worst],
            f"until it is painted, median; worst {worst}; the longest of all stages in ms: {acts}",
        )  # fmt: skip
        late, blocks, pictures = hand.play_and_paint(stage)
        yield Benchmark(
            f"play these {hand.LANES} tracks with the window open", None, None, None, 1,
            f"{late} of {blocks} blocks came too late; rows painted {pictures:.0f} times a second",
        )  # fmt: skip
        painted, drawn = hand.time_rides(stage)
        yield _waited(
            f"Rides painted anew, {hand.LANES} tracks with {hand.RIDE_POINTS} points of automation each", painted,
            f"tracks and bench; a point drawn by hand, with its edit: {1000 * drawn:.1f} ms",
        )  # fmt: skip
        (folder / "many").mkdir()
        yield _waited(
            f"a folder of {hand.FILES} files, measured before", hand.time_folder(stage, folder / "many"),
            "until every track shows its measures",
        )  # fmt: skip
    finally:
        stage.close()


def _waited(name: str, taken_s: float, note: str) -> Benchmark:
    return Benchmark(name, None, None, None, 1, note, 1000.0 * taken_s)


def pauses(folder: Path) -> Iterator[Benchmark]:
    """How long the window does not answer while a folder opens, is measured and plays; in a process of its own, as a
    first start has it."""
    stems = folder / "stems"
    stems.mkdir()
    for index in range(TRACKS):
        write_sound(stems / f"{index}.wav", [track(index + 100, 20)], sample_rate=RATE, channels=1)
    environment = {**os.environ, "ALL_EVEN_HOME": str(folder / "home"), "NUMBA_CACHE_DIR": kernels.cache_dir()}
    done = subprocess.run(
        [sys.executable, "-m", "all_even.cli.benchmarks.hand", str(stems)],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode != 0:
        raise RuntimeError(done.stderr.strip().rpartition("\n")[2] or "the window ended by itself")
    longest = json.loads(done.stdout.splitlines()[-1])
    phases = ", ".join(f"{phase} {pause:.0f}" for phase, pause in longest.items())
    yield Benchmark(
        f"longest pause of the window while a folder of {TRACKS} files opens, is measured and plays", None, None,
        None, 1, f"a timer in the event loop; by phase in ms: {phases}", max(longest.values()),
    )  # fmt: skip
