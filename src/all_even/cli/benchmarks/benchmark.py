"""One figure of our speed, and how it is timed.

Figures are seconds of sound per second: of processor time on one core where `cores` is 1, else by the
clock with as many threads for the peer as for us. Nothing here is a test: speed is reported.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass

RATE = 48_000
TRACKS, SECONDS = 24, 60


@dataclass(frozen=True, slots=True)
class Benchmark:
    """realtime_factor: seconds of sound per second; peer_factor: the same for the peer. milliseconds: of what the hand
    waits for, where that is measured instead. failed: it could not be measured; the note says why."""

    name: str
    realtime_factor: float | None
    peer: str | None
    peer_factor: float | None
    cores: int
    note: str
    milliseconds: float | None = None
    failed: bool = False


def processor_time(work: Callable[[], object]) -> float:
    """Seconds of all threads of this process."""
    start = time.process_time()
    work()
    return time.process_time() - start


def wall_time(work: Callable[[], object]) -> float:
    """Seconds by the clock."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
