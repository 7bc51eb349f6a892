"""What is heard while sound passes: one pass over a plan, for all that listen to its strips.

A listener stands at one strip, the mix being one, and is shown what comes into its chain, what each station lets out,
and what leaves; the song alone, neither what comes before its first frame nor after its last. Each is called by one
thread at a time.
"""

import threading
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.engine.plan import Plan, StripPlan
from all_even.engine.render import BLOCK_FRAMES, WORKERS
from all_even.engine.running import Pieces, Running
from all_even.errors import Cancelled
from all_even.figures.book.kept import TAIL, KeptSound
from all_even.measure.recording.track import Measurement, TrackMeasures
from all_even.measure.sharing.masking import BandPowerMeter
from all_even.priority import step_back

Array = NDArray[np.float64]


class Listener(Protocol):
    """Shown (frames, channels) of the song, block after block; lead, tail: and of so many frames before and behind
    it."""

    lead: int
    tail: int

    def entered(self, block: Array) -> None:
        """What comes into the chain."""

    def passed(self, index: int, block: Array, gain_db: Array) -> None:
        """What comes out of station `index`, and the gain it applied; without rows where it is not dynamic."""

    def left(self, block: Array) -> None:
        """What leaves the chain, before the fader."""

    def result(self) -> Any:
        """The figure, once all has passed."""


class Deaf:
    """Listens to nothing; others listen to a part."""

    lead = tail = 0

    def entered(self, block: Array) -> None:
        pass

    def passed(self, index: int, block: Array, gain_db: Array) -> None:
        pass

    def left(self, block: Array) -> None:
        pass


class LevelsListener(Deaf):
    """All level figures of what leaves."""

    def __init__(self, rate: int, channels: int) -> None:
        self._measurement = Measurement(rate, channels)

    def left(self, block: Array) -> None:
        self._measurement.add(block.astype(np.float32))

    def result(self) -> TrackMeasures:
        return self._measurement.result()


class PowersListener(Deaf):
    """Power in the ear's bands: of what leaves, or of what enters; of the mean of both sides where the meter has one
    channel."""

    def __init__(self, meter: BandPowerMeter, *, entering: bool = False) -> None:
        self._meter, self._entering = meter, entering

    def entered(self, block: Array) -> None:
        if self._entering:
            self._meter.add(block)

    def left(self, block: Array) -> None:
        if not self._entering:
            self._meter.add(middle_of(block)[:, np.newaxis] if self._meter.channels < block.shape[1] else block)

    def result(self) -> NDArray[np.float32]:
        """(channels, frames, bands)."""
        return self._meter.result()


class Keeping(Deaf):
    """Writes what leaves to a kept sound, from `lead` frames before the song to `tail` behind it."""

    def __init__(self, sound: KeptSound) -> None:
        self.sound, self.lead, self.tail = sound, sound.lead, TAIL
        self._at = -sound.lead
        self._failed = False

    def left(self, block: Array) -> None:
        try:
            self.sound.write(self._at, block)
        except OSError:
            self._failed = True
        self._at += len(block)

    def result(self) -> KeptSound | None:
        return None if self._failed or self._at < self.sound.frames + TAIL else self.sound


class KeepingEntering(Keeping):
    """The same of what comes into the chain."""

    def entered(self, block: Array) -> None:
        Keeping.left(self, block)

    def left(self, block: Array) -> None:
        pass


class _Watching:
    """Shows each listener the part of a block that belongs to the song.

    aside: where the listeners at the last strip, the mix, are shown theirs, while the next block is computed.
    """

    def __init__(
        self, plan: Plan, listening: Mapping[str, Iterable[Listener]], aside: ThreadPoolExecutor | None
    ) -> None:
        self._frames = plan.frames
        self._aside, self._last_id = aside, plan.strips[-1].id
        self._digesting: deque[Future[None]] = deque()
        self._at: dict[str, list[Listener]] = defaultdict(list)
        for strip_id, listeners in listening.items():
            self._at[strip_id] += listeners

    def entered(self, strip: StripPlan, block: Array, song_frame: int) -> None:
        listeners = self._at.get(strip.id)
        if listeners:
            for listener in listeners:
                part = block[self._inside(listener, song_frame)]
                listener.entered(part)
                if not strip.stations:
                    listener.left(part)

    def passed(self, strip: StripPlan, index: int, block: Array, gain_db: Array, song_frame: int) -> None:
        if strip.id == self._last_id and index + 1 == len(strip.stations) and self._aside is not None:
            # Nobody changes this block any more.
            self.wait(1)
            self._digesting.append(self._aside.submit(self._show, strip, index, block, gain_db, song_frame))
        else:
            self._show(strip, index, block, gain_db, song_frame)

    def wait(self, most: int = 0) -> None:
        """Until no more than so many blocks of the mix are being shown."""
        while len(self._digesting) > most:
            self._digesting.popleft().result()

    def _show(self, strip: StripPlan, index: int, block: Array, gain_db: Array, song_frame: int) -> None:
        for listener in self._at.get(strip.id, ()):
            inside = self._inside(listener, song_frame)
            listener.passed(index, block[inside], gain_db[inside])
            if index + 1 == len(strip.stations):
                listener.left(block[inside])

    def _inside(self, listener: Listener, song_frame: int) -> slice:
        """Which frames of a block a listener is shown."""
        return slice(max(0, -listener.lead - song_frame), max(0, self._frames + listener.tail - song_frame))


def one_pass(
    plan: Plan,
    listening: Mapping[str, Iterable[Listener]],
    *,
    progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
    workers: int = WORKERS,
) -> None:
    """Plays the whole song of a plan to listeners, by strip id. workers: threads; one while music plays.

    progress is told the share done, 0 to 1. Raises `Cancelled` once the event is set.
    """
    if not plan.strips or not plan.frames:
        return
    tail = max((listener.tail for listeners in listening.values() for listener in listeners), default=0)
    end = plan.frames + max(strip.latency_out for strip in plan.strips) + tail
    with (
        ThreadPoolExecutor(workers, thread_name_prefix="render", initializer=step_back) as pool,
        ThreadPoolExecutor(1, thread_name_prefix="listen", initializer=step_back) as aside,
    ):
        watching = _Watching(plan, listening, aside if workers > 1 else None)
        running = Running(plan, 0, read=Pieces().read, watch=watching)
        while running.position < end:
            if cancelled is not None and cancelled.is_set():
                raise Cancelled
            running.advance(min(BLOCK_FRAMES, end - running.position), pool if workers > 1 else None, workers)
            if progress is not None:
                progress(min(1.0, running.position / end))
        watching.wait()
