"""The offline render: the mix of a plan as blocks, and the figures of the whole mix.

Blocks may have any length; the samples do not depend on it.
"""

import os
import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from all_even.engine import mixing
from all_even.engine.plan import Plan
from all_even.errors import Cancelled
from all_even.measure.track import Measurement, TrackMeasures

BLOCK_FRAMES = 1 << 15
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
) -> Iterator[Mix]:
    """The mix from `start_frame` to `end_frame` (the song's end), (frames, 2) float64 per block.

    progress is told the share done, 0 to 1. Raises `Cancelled` once the event is set.
    """
    end = plan.frames if end_frame is None else end_frame
    length = max(1, end - start_frame)
    positions = range(start_frame, end, block_frames)
    ahead: deque[Future[Mix]] = deque()
    with ThreadPoolExecutor(WORKERS, thread_name_prefix="render") as pool:
        try:
            for index, position in enumerate(positions):
                # Blocks do not depend on each other: a few are mixed ahead, on all cores.
                while len(ahead) < 2 * WORKERS and index + len(ahead) < len(positions):
                    first = positions[index + len(ahead)]
                    ahead.append(pool.submit(mix_block, plan, first, min(block_frames, end - first)))
                if cancelled is not None and cancelled.is_set():
                    raise Cancelled
                yield ahead.popleft().result()
                if progress is not None:
                    progress((min(position + block_frames, end) - start_frame) / length)
        finally:
            for future in ahead:
                future.cancel()


def mix_block(plan: Plan, position: int, frames: int) -> Mix:
    """One block of the mix."""
    out = np.zeros((frames, 2))
    for lane in plan.lanes:
        if position < lane.end_frame and position + frames > lane.start_frame and lane.audible:
            samples = lane.source.read(position - lane.start_frame, frames)
            mixing.add_lane(out, samples, lane.gains, lane.gains, 0, 0)
    out *= plan.trim
    return out


def measure_mix(
    plan: Plan, *, progress: Progress | None = None, cancelled: threading.Event | None = None
) -> TrackMeasures:
    """All level figures of the whole mix, measured on the rendered sound."""
    measurement = Measurement(plan.sample_rate, 2)
    for block in render(plan, progress=progress, cancelled=cancelled):
        measurement.add(block.astype(np.float32))
    return measurement.result()
