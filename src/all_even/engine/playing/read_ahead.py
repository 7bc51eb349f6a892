"""Reading ahead: files are read by a thread of their own, so that the engine never waits for a disk."""

from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np

from all_even.audio.decoded import Frames
from all_even.audio.sound_file import Samples
from all_even.engine.plan import Plan, StripPlan

READ_AHEAD = 1 << 15


class ReadAhead:
    """Keeps a piece of a source at hand and the next one on its way, read by another thread.

    Reading gives the interpreter away and has to wait to get it back: a hundred lanes read by the
    engine thread itself would run the ring dry.
    """

    def __init__(self, source: Frames, pool: ThreadPoolExecutor) -> None:
        self.source, self._pool = source, pool
        self._start = 0
        self._data: Samples = np.zeros((0, source.channels), dtype=np.float32)
        self._next: Future[Samples] | None = None

    def read(self, start: int, frames: int) -> Samples:
        """(frames, channels) from `start` on; `frames` is far shorter than a piece."""
        if self._next is not None and start >= self._start + READ_AHEAD and start < self._start + 2 * READ_AHEAD:
            self._take(self._start + READ_AHEAD, self._next.result())
        elif not self._start <= start < self._start + len(self._data):
            self._take(start, self.source.read(start, READ_AHEAD))
        have = self._data[start - self._start : start - self._start + frames]
        if len(have) < frames and self._next is not None:
            have = np.concatenate((have, self._next.result()[: frames - len(have)]))
        return have

    def _take(self, start: int, data: Samples) -> None:
        self._start, self._data = start, data
        self._next = self._pool.submit(self.source.read, start + READ_AHEAD, READ_AHEAD)


class Readers:
    """One for each lane of the plan that is played."""

    def __init__(self) -> None:
        self._readers: dict[str, ReadAhead] = {}
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="read ahead")

    def read(self, strip: StripPlan, start: int, frames: int) -> Samples:
        """(frames, channels) of a lane's file from `start` on."""
        reader = self._readers.get(strip.id)
        if reader is None or reader.source is not strip.source:
            assert strip.source is not None
            reader = self._readers[strip.id] = ReadAhead(strip.source, self._pool)
        return reader.read(start, frames)

    def keep_only(self, plan: Plan | None) -> None:
        """Lets go of what a plan does not play."""
        wanted = set(plan.lane_ids) if plan else set()
        for lane_id in set(self._readers) - wanted:
            del self._readers[lane_id]

    def close(self) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)
