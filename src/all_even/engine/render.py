"""The offline render: the mix of a plan as blocks, its stems in the same pass, the figures of the mix.

Blocks may have any length; the samples do not depend on it. A render from the middle starts earlier, by
the time after which nothing remembers what came before, so that it equals the full one.
"""

import math
import os
import threading
from collections import deque
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from all_even.engine.plan import Plan, is_stateless
from all_even.engine.running import Pieces, Running, Watch
from all_even.errors import Cancelled
from all_even.priority import step_back

BLOCK_FRAMES = 1 << 14
"""What happens once a block and strip costs what 2,000 frames of it do: shorter blocks are slower."""
WORKERS = os.cpu_count() or 2

Mix = NDArray[np.float64]
Progress = Callable[[float], None]


def render(
    plan: Plan,
    start_frame: int = 0,
    end_frame: int | None = None,
    *,
    block_frames: int = BLOCK_FRAMES,
    progress: Progress | None = None,
    cancelled: threading.Event | None = None,
    watch: Watch | None = None,
    workers: int = WORKERS,
) -> Iterator[Mix]:
    """The mix from `start_frame` to `end_frame` (the song's end), (frames, 2) float64 per block.

    progress is told the share done, 0 to 1. Raises `Cancelled` once the event is set. watch: sees the
    sound on its way, also what is computed only to settle. workers: threads that may be used.
    """
    end = plan.frames if end_frame is None else end_frame
    for mix, _ in _blocks(plan, start_frame, end, block_frames, progress, cancelled, watch, workers):
        yield mix


def render_stems(
    plan: Plan,
    start_frame: int = 0,
    end_frame: int | None = None,
    *,
    progress: Progress | None = None,
    cancelled: threading.Event | None = None,
) -> Iterator[tuple[Mix, dict[str, Mix]]]:
    """The mix and what each strip gives to its destination, on time with each other, from one pass.

    The plan has to be made with `taps`. Stems are (frames, 2), with the trim of the mix bus but before its
    chain: those of all strips that lead straight to the mix add up to what enters that chain.
    """
    end = plan.frames if end_frame is None else end_frame
    yield from _blocks(plan, start_frame, end, BLOCK_FRAMES, progress, cancelled, None, WORKERS)


def _blocks(
    plan: Plan,
    start: int,
    end: int,
    block_frames: int,
    progress: Progress | None,
    cancelled: threading.Event | None,
    watch: Watch | None,
    workers: int,
) -> Iterator[tuple[Mix, dict[str, Mix]]]:
    if plan.strips and is_stateless(plan) and watch is None and not plan.taps:
        pieces = _independent(plan, start, end, block_frames, workers)
    else:
        pieces = _in_order(plan, start, end, block_frames, watch, workers)
    done = 0
    for mix, stems in pieces:
        if cancelled is not None and cancelled.is_set():
            pieces.close()
            raise Cancelled
        done += len(mix)
        if len(mix):
            yield mix, stems
        if progress is not None:
            progress(min(1.0, done / max(1, end - start)))


Rendered = Generator[tuple[Mix, dict[str, Mix]], None, None]


def _in_order(plan: Plan, start: int, end: int, block_frames: int, watch: Watch | None, workers: int) -> Rendered:
    """Block after block, strips side by side; blocks without frames while the state settles."""
    if not plan.strips or end <= start:
        return
    settling = plan.settling_frames
    first = max(0, start - math.ceil(settling) - plan.latency) if math.isfinite(settling) else 0
    running = Running(plan, first, read=Pieces().read, watch=watch)
    # Stems leave where the mix bus begins, the mix where its chain ends.
    early = plan.latency - plan.strips[-1].latency_in
    waiting: dict[str, deque[Mix]] = {name: deque() for name in plan.taps}
    with ThreadPoolExecutor(workers, thread_name_prefix="render", initializer=step_back) as pool:
        while running.position < end + plan.latency:
            frames = min(block_frames, end + plan.latency - running.position)
            song_frame = running.position - plan.latency
            mix = running.advance(frames, pool if workers > 1 else None, workers)
            keep = max(0, min(frames, start - song_frame))
            stems = {}
            for name, feed in plan.taps.items():
                stems[name] = _late(waiting[name], running.tap(feed, frames) * plan.strips[-1].head_gain, early)[keep:]
            yield mix[keep:], stems


def _late(ring: "deque[Mix]", block: Mix, frames: int) -> Mix:
    """Delays a stem by what the chain of the mix bus takes."""
    if frames == 0:
        return block
    joined = np.concatenate([ring.pop() if ring else np.zeros((frames, 2)), block])
    ring.append(joined[len(block) :].copy())
    return joined[: len(block)]


def _independent(plan: Plan, start: int, end: int, block_frames: int, workers: int) -> Rendered:
    """Where nothing is remembered, blocks do not need each other: a few ahead, on all cores."""
    positions = range(start, end, 4 * block_frames)
    ahead: deque[Future[Mix]] = deque()

    def mixed(position: int) -> Mix:
        return Running(plan, position).advance(min(4 * block_frames, end - position))

    with ThreadPoolExecutor(workers, thread_name_prefix="render", initializer=step_back) as pool:
        try:
            for index in range(len(positions)):
                while len(ahead) < 2 * workers and index + len(ahead) < len(positions):
                    ahead.append(pool.submit(mixed, positions[index + len(ahead)]))
                yield ahead.popleft().result(), {}
        finally:
            for future in ahead:
                future.cancel()
