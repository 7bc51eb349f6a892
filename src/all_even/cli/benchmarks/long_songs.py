"""From a folder to a mix, on songs as they are: processor time and memory of the whole path, how both grow, and how
long cards are waited for. Each in a process of its own; minutes of work, so only where asked for by name."""

import json
import os
import resource
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from all_even import kernels, stages
from all_even.cli.benchmarks.benchmark import Benchmark
from all_even.cli.benchmarks.songs import write_song

if TYPE_CHECKING:
    from all_even.figures.book.look import Look

TRACKS, SONG_S = 24, 240.0
MANY, LONG_S = 64, 300.0
GROWING_TRACKS, GROWING_MINUTES = (12, 24, 48, 96), (1.0, 4.0, 16.0)


def whole(folder: Path) -> Iterator[Benchmark]:
    """First mix of 24 tracks of four minutes."""
    write_song(folder, TRACKS, SONG_S)
    yield _mixed(folder, f"first mix of {TRACKS} tracks of {SONG_S / 60.0:.0f} min", SONG_S)


def large(folder: Path) -> Iterator[Benchmark]:
    """First mix of 64 stereo tracks of five minutes."""
    write_song(folder, MANY, LONG_S, stereo=True)
    yield _mixed(folder, f"first mix of {MANY} stereo tracks of {LONG_S / 60.0:.0f} min", LONG_S)


def growth(folder: Path) -> Iterator[Benchmark]:
    """First mixes of more tracks, and of longer songs."""
    for name, sizes, write in (
        ("tracks of 1 min", GROWING_TRACKS, lambda to, tracks: write_song(to, tracks, 60.0)),
        ("min, 12 tracks", GROWING_MINUTES, lambda to, minutes: write_song(to, 12, 60.0 * minutes)),
    ):
        spent, held = [], []
        for size in sizes:
            place = folder / f"{name} {size:.0f}"
            place.mkdir()
            write(place, size)
            told = _run(place, "mix")
            spent.append(told["processor_s"])
            held.append(told["memory_gb"])
            shutil.rmtree(place)  # what was retuned lies in a folder beside the tracks
        power, room = (float(np.polyfit(np.log(sizes), np.log(values), 1)[0]) for values in (spent, held))
        rows = ", ".join(
            f"{size:.0f}: {s:.0f} s, {gb:.2f} GB" for size, s, gb in zip(sizes, spent, held, strict=True)
        )  # fmt: skip
        yield Benchmark(
            f"first mix of {sizes[0]:.0f} to {sizes[-1]:.0f} {name}", None, None, None, 1,
            f"{rows}; processor time grows with the power {power:.2f}, memory {room:.2f}",
        )  # fmt: skip


def cards(folder: Path) -> Iterator[Benchmark]:
    """How long cards are waited for, stage by stage, 24 tracks of four minutes that are measured: entering it first,
    entering it again, after a fader, and from a press to its result."""
    write_song(folder, TRACKS, SONG_S)
    for stage, told in _run(folder, "cards").items():
        yield Benchmark(
            f"all default cards of {stages.stage(stage).name} after a fader was moved, {TRACKS} tracks of 4 min", None,
            None, None, 2,
            f"the first of them {told['first_s']:.1f} s; entered first {told['entered_s']:.1f} s, again "
            f"{told['again_s']:.2f} s; from a press to its result {told['pressed_s']:.1f} s",
            1000.0 * told["edited_s"],
        )  # fmt: skip


def _mixed(folder: Path, name: str, song_s: float) -> Benchmark:
    told = _run(folder, "mix")
    spent_s, each = told["processor_s"], ", ".join(f"{stage} {spent:.0f}" for stage, spent in told["stages"].items())
    return Benchmark(
        name, song_s / spent_s, None, None, 1,
        f"{spent_s / song_s:.2f} times the song of processor time, {told['memory_gb']:.2f} GB; seconds: {each}",
    )  # fmt: skip


def _run(folder: Path, what: str) -> Any:
    environment = {**os.environ, "NUMBA_CACHE_DIR": kernels.cache_dir()}
    environment["ALL_EVEN_HOME"] = str(folder.parent / "home")
    done = subprocess.run(
        [sys.executable, "-m", "all_even.cli.benchmarks.long_songs", what, str(folder)],
        env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode != 0:
        raise RuntimeError(done.stderr.strip().rpartition("\n")[2] or "it ended by itself")
    return json.loads(done.stdout.splitlines()[-1])


def _look(folder: Path) -> "Look":
    from all_even.cli.looking import look_at
    from all_even.session.file.new import inspect_all, new_session, sound_paths

    infos, _ = inspect_all(sound_paths(folder))
    return look_at(new_session(folder, infos))


def time_mix(folder: Path) -> dict[str, Any]:
    """Seconds of processor time of the whole path and of each stage, and the most memory that was held."""
    from all_even.first_mix import following, questions, stage_run

    begun = time.process_time()
    look = _look(folder)
    asked = questions.questions(look)
    look = replace(look.at(questions.answered(look.session, asked, questions.Answers())), workers=1)
    spent, at = {"files": time.process_time() - begun}, time.process_time()
    for _, run in following.follow(look, stage_run.Wishes(school=asked.school)):
        spent[run.key], at = time.process_time() - at, time.process_time()
    memory_gb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    return {"processor_s": time.process_time() - begun, "memory_gb": memory_gb, "stages": spent}


def time_cards(folder: Path) -> dict[str, dict[str, float]]:
    """By stage, on what the stages before it leave."""
    from all_even.first_mix import following, questions, stage_run

    look = _look(folder)
    asked = questions.questions(look)
    look = look.at(questions.answered(look.session, asked, questions.Answers()))
    found = {}
    for number, (after, run) in enumerate(following.follow(look, stage_run.Wishes(school=asked.school))):
        if number and run.key in {stage.key for stage in stages.STAGES}:
            found[run.key] = _waited_for(look, run.key)
        look = after
    return found


def _waited_for(look: "Look", stage: str) -> dict[str, float]:
    from all_even.figures.book.pages import Pages
    from all_even.moves import making
    from all_even.session.editing import edits

    kinds = [kind for kind in stages.stage(stage).moves().shown if not kind.optional]
    cold = replace(look, book=type(look.book)(look.book.sources, pages=Pages()))

    def through(one: "Look") -> tuple[list[Any], float, float]:
        begun, first = time.perf_counter(), None
        moves: list[Any] = []
        for moves in making.propose_soon(one, kinds, ()):
            if moves and first is None:
                first = time.perf_counter() - begun
        taken = time.perf_counter() - begun
        return moves, taken, taken if first is None else first

    moves, entered_s, _ = through(cold)
    _, again_s, _ = through(cold)
    lane = next(lane for lane in cold.session.lanes if not lane.mute)
    moved = cold.at(edits.change_strips(cold.session, (lane.id,), level_db=lane.level_db + 1.0))
    _, edited_s, first_s = through(moved)
    pressed_s = 0.0
    by_id = {kind.id: kind for kind in kinds}
    move = next((move for move in moves if not by_id[move.kind].bookkeeping), None)
    if move is not None:
        begun = time.perf_counter()
        making.make(cold, by_id[move.kind], move, stages.metrics())
        pressed_s = time.perf_counter() - begun
    return {
        "entered_s": entered_s,
        "again_s": again_s,
        "first_s": first_s,
        "edited_s": edited_s,
        "pressed_s": pressed_s,
    }


if __name__ == "__main__":
    work = {"mix": time_mix, "cards": time_cards}[sys.argv[1]]
    print(json.dumps(partial(work, Path(sys.argv[2]))()), flush=True)
