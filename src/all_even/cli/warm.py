"""Compiles every kernel that measuring and playing need, so that first use does not wait.

Run as `python -m all_even.cli.warm`: a process a core, each taking the next of the pieces below, in the order in which
one who opens a folder needs them. Lines of JSON tell what there is, and what is done; the compiled code stays in the
kernel cache.
"""

import json
import multiprocessing
import os
import shutil
import signal
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from all_even import kernels

UNUSED_S = 30 * 86_400.0
RATE = 48_000
NICE = 15
"""The window and what it opens go first."""


@dataclass(frozen=True, slots=True)
class Piece:
    """Kernels that are compiled one after the other by one process. places: where they stand (`kernels.place_of`)."""

    name: str
    places: tuple[str, ...]
    run: Callable[[], None]


def pieces() -> tuple[Piece, ...]:
    """All of them, what is needed first at the beginning."""
    from all_even.dsp.kinds import KINDS

    plain = [
        Piece("mixing", ("engine.mixing", "engine.mixing short", "engine.automation", "audio.pcm"), _mixing),
        Piece("demo", ("demo.instruments",), _demo),
        Piece("levels", ("measure.level",), _levels),
        Piece("pitch", ("measure.pitch.yin",), _pitch),
        Piece("playing", ("measure.pitch", "measure.time", "measure.faults"), _character),
        Piece("gains", ("dsp.dynamics.compressor_gain",), _gains),
        Piece("sharing", ("measure.sharing", "figures.sharing"), _sharing),
    ]
    # The short calls of the player come when everything can be measured.
    for short in (False, True):
        for kind in KINDS:
            place = kernels.place_of(kind.__module__, brief=short)
            plain.append(Piece(f"{kind.__name__}{' short' if short else ''}", (place,), _processor(kind, short)))
    return tuple(plain)


def _mixing() -> None:
    from all_even.audio import pcm
    from all_even.dsp.utility import delay_line
    from all_even.engine import automation, mixing
    from all_even.engine.automation import SHORT_FRAMES, Curve
    from all_even.kernels import brief

    out = np.zeros((512, 2))
    for add in (mixing.add_lane, mixing.add_lane_brief):
        for kind in (np.float32, np.float64):
            add(out, np.zeros((512, 2), dtype=kind), np.zeros((2, 2)), True)
    curve = np.array([0, 10]), np.array([0.0, 1.0]), np.array([2])
    for late, each, level in (
        (mixing.add_late, mixing.add_each, automation.level_between),
        (mixing.add_late_brief, brief(mixing.add_each), brief(automation.level_between)),
    ):
        for kind in (np.float32, np.float64):
            late(out, np.zeros((512, 2), dtype=kind), np.zeros((2, 2)), True, 1, np.zeros(8))
            each(out, np.zeros((512, 2), dtype=kind), np.zeros((2, 2)), np.zeros(512), True)
        level(*curve, 0, np.zeros(512))
    for largest in (mixing.largest_gain, brief(mixing.largest_gain)):
        largest(np.zeros(512))
    mixing.ProtectiveCeiling(RATE)(out)
    for width in (2, 3):
        pcm.widen(np.frombuffer(bytes(12), dtype=np.uint8), width, np.zeros(12 // width, dtype=np.float32))
    for moving in (mixing.add_moving, brief(mixing.add_moving)):
        for kind in (np.float32, np.float64):
            moving(out, np.zeros((512, 2), dtype=kind), np.zeros((512, 2, 2)))
    for frames in (1, SHORT_FRAMES + 1):
        Curve(*curve[:2]).between(0, frames)
    for delay in (delay_line, brief(delay_line)):
        delay(out, np.zeros((0, 2)), np.zeros(0), np.array([1.0]), np.zeros(8), 0)


def _demo() -> None:
    from all_even.demo import instruments
    from all_even.demo.score import NoteEvent

    sound = np.zeros(64)
    instruments.high_pass(instruments.low_pass(sound, 1000.0), 100.0)
    instruments.resonate(sound, 300.0, 20.0, 3.0)
    note = NoteEvent(start_s=0.0, length_s=0.001, pitch=60, velocity=1.0)
    instruments.tones(sound, [note], partials=np.ones(2), t60_s=1.0, attack_s=0.001, release_s=0.001)


def _levels() -> None:
    from all_even.measure.level.levels import GainMeter, LevelMeter
    from all_even.measure.recording.track import Measurement

    for channels in (1, 2):
        measurement = Measurement(RATE, channels)
        measurement.add(np.zeros((RATE // 2, channels), dtype=np.float32))
        measurement.result()
    LevelMeter(RATE).add(np.zeros((RATE, 2)))
    GainMeter(RATE).add(np.zeros(RATE))


def _pitch() -> None:
    from all_even.measure.pitch.yin import pitch_track

    pitch_track(np.sin(np.arange(8_000) * 0.1), 4_000, highest_hz=1_000.0)


def _character() -> None:
    """Two seconds of struck notes in a little noise: hits, tails, notes and faults all have something to read."""
    from all_even.measure.recording.character import CharacterMeter

    time_s = np.arange(2 * RATE) / RATE
    note = np.sin(2.0 * np.pi * 110.0 * time_s) * np.exp(-6.0 * (time_s % 0.5))
    sound = (0.5 * note + 1e-3 * np.random.default_rng(0).standard_normal(len(time_s))).astype(np.float32)
    for channels in (1, 2):
        meter = CharacterMeter(RATE, channels)
        meter.add(np.ascontiguousarray(np.repeat(sound[:, np.newaxis], channels, axis=1)))
        meter.result()


def _gains() -> None:
    from all_even.dsp.dynamics import compressor_gain
    from all_even.dsp.dynamics.compressor import Compressor

    station = Compressor()
    power = compressor_gain.detector_power(np.zeros((64, 2), dtype=np.float32), RATE, station)
    compressor_gain.gain_db(power, RATE, station)


def _sharing() -> None:
    from all_even.figures.sharing.sharing import Sharing, hidden_of, pairs_of, ridges
    from all_even.measure.sharing import masking, placing
    from all_even.measure.sharing.scene import Trial, scene_of

    rng = np.random.default_rng(0)
    tracks = {name: masking.excitation_of(0.1 * rng.standard_normal((RATE, 2)), RATE) for name in ("a", "b")}
    found = masking.find_masking(tracks, RATE)
    masking.pair_table(found)
    scene = scene_of(tracks, tracks, found.floor, {}, RATE)
    Trial(scene).slope()
    sharing = Sharing((), scene, scene, *hidden_of(scene), 2048 / RATE)
    ridges(sharing)
    pairs_of(sharing)
    placing.covered(placing.stage_of(list(tracks.values()), found.floor, RATE), np.full((2, 2), 0.5))


def _processor(kind: type, short: bool) -> Callable[[], None]:
    def run() -> None:
        from all_even.dsp.processor import NO_GAIN, NOTHING, coefficients_of

        processor = kind()
        coefficients = coefficients_of(processor, RATE)
        state, history = np.zeros(processor.state_size(RATE)), np.zeros(processor.history_size(RATE))
        processor.process(np.zeros((512, 2)), NOTHING, NO_GAIN, coefficients, state, 0, short, history)

    return run


def warm(workers: int | None = None) -> None:
    """Compiles all pieces. workers: processes, one a core unless said."""
    print(json.dumps({"all": {piece.name: piece.places for piece in pieces()}}), flush=True)
    # Forked before the compiler is read in: each takes the next number.
    context = multiprocessing.get_context("fork")
    turn = context.Value("i", 0)
    count = max(1, workers or os.cpu_count() or 1)
    helpers = [context.Process(target=_work_off, args=(turn,), daemon=True) for _ in range(count)]
    for helper in helpers:
        helper.start()
    for helper in helpers:
        helper.join()
    if any(helper.exitcode for helper in helpers):
        sys.exit(1)
    folder = os.environ.get("NUMBA_CACHE_DIR")
    if folder:
        (Path(folder) / kernels.WARM).touch()
        _forget_old(Path(folder))


def _work_off(turn: Any) -> None:
    """Compiles piece after piece. turn: the next one, for all processes."""
    wanted = pieces()
    while True:
        with turn.get_lock():
            number, turn.value = turn.value, turn.value + 1
        if number >= len(wanted):
            return
        wanted[number].run()
        with turn.get_lock():  # a line at a time
            print(json.dumps({"done": wanted[number].name}), flush=True)


def _forget_old(present: Path) -> None:
    """Kernels of versions that have not been used for a month."""
    for other in present.parent.iterdir():
        mark = other / ".writable"
        if other != present and mark.is_file() and mark.stat().st_mtime < time.time() - UNUSED_S:
            shutil.rmtree(other, ignore_errors=True)


if __name__ == "__main__":
    os.environ.setdefault("NUMBA_CACHE_DIR", kernels.cache_dir())
    os.nice(NICE)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))  # takes the helpers along
    warm()
