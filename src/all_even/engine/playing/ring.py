"""The ring between engine and device: the engine writes ahead, the device's callback only copies."""

import threading
from collections import deque

import numpy as np
from numpy.typing import NDArray

from all_even.engine import mixing
from all_even.engine.playing.meters import Meters
from all_even.engine.playing.state import Kept, State

BLOCK = 512
AT_ONCE = 2 * BLOCK
"""So much is mixed at a time: of a hundred tracks most of the time of a block goes into the calls, not the samples."""
RING_BLOCKS = 7  # 75 ms at 48 kHz
PRIMED_BLOCKS = 4
"""Playing starts when this much is ready."""
KEPT_BLOCKS = 2
"""An edit keeps what will be heard next, so that the ring does not run dry while two plans are blended."""


class Ring:
    """read, written: stream frames. kept: the state at each block's start; meters: what each block reads. ending: no
    more will come; underruns: blocks that came too late."""

    def __init__(self) -> None:
        self._lock = threading.Lock()  # guards the counters; held for a copy of one block at most
        self._sound = np.zeros((RING_BLOCKS * BLOCK, 2), dtype=np.float32)
        self.read = self.written = 0
        self.kept: deque[Kept] = deque(maxlen=RING_BLOCKS + 4)
        self.meters: deque[Meters] = deque(maxlen=64)
        self.ending = False
        self.underruns = 0
        self._primed = False
        self._flowing = False  # the last block was full: the next one is missed if it is not

    def start(self) -> None:
        """Playing begins: the device waits until enough is there."""
        self.ending = self._primed = self._flowing = False

    @property
    def has_space(self) -> bool:
        return self.written - self.read <= RING_BLOCKS * BLOCK - AT_ONCE

    @property
    def is_empty(self) -> bool:
        return self.read >= self.written

    def put(self, block: NDArray[np.float32]) -> None:
        with self._lock:
            at = self.written % len(self._sound)
            first = min(len(block), len(self._sound) - at)
            mixing.take_brief(block[:first], self._sound[at : at + first], 1.0)
            mixing.take_brief(block[first:], self._sound[: len(block) - first], 1.0)
            self.written += len(block)

    def fill(self, out: NDArray[np.float32], playing: bool) -> int:
        """The device's callback: copies what is there, returns how many frames."""
        with self._lock:
            ahead = self.written - self.read
            if not self._primed:
                if ahead < PRIMED_BLOCKS * BLOCK and not self.ending:
                    return 0
                self._primed = True
            frames = min(len(out), ahead)
            at = self.read % len(self._sound)
            first = min(frames, len(self._sound) - at)
            mixing.take_brief(self._sound[at : at + first], out[:first], 1.0)
            mixing.take_brief(self._sound[: frames - first], out[first:frames], 1.0)
            self.read += frames
        if frames == len(out):
            self._flowing = True
        elif self._flowing:
            self._flowing = False
            if playing and not self.ending:
                self.underruns += 1
        return frames

    def drop(self) -> None:
        """What is left will not be heard."""
        with self._lock:
            self.read = self.written

    def rewind(self, state: State) -> State:
        """Discards the blocks that nobody has begun to hear; returns the state at the first of them."""
        with self._lock:
            for kept in self.kept:
                if self.read + KEPT_BLOCKS * BLOCK <= kept.stream_frame < self.written:
                    self.written = kept.stream_frame
                    state = kept.restored()
                    break
        while self.kept and self.kept[-1].stream_frame >= self.written:
            self.kept.pop()
        while self.meters and self.meters[-1].stream_frame >= self.written:
            self.meters.pop()
        return state

    def heard(self) -> Meters | None:
        """What is being heard now."""
        found = None
        for meters in tuple(self.meters):
            if meters.stream_frame <= self.read:
                found = meters
        return found
