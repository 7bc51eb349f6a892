"""A plan while it runs: the memory of all its processors, moved on block by block.

Time runs at the head: at engine frame t, sources are read at song frame t and the mix that comes out
belongs to song frame t - latency. All memory lies in one array, so that keeping and restoring the state
of a whole mix is one copy; long rings lie in a second one, the history, which needs none (`dsp.processor`).
The same code runs offline, in large blocks with strips of one depth side by side on several threads, and
in the player, in small ones.
"""

from collections import defaultdict, deque
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Protocol

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import decibels
from all_even.audio.sound_file import Samples
from all_even.dsp.processor import NO_GAIN, NOTHING, Processor, coefficients_of, moved
from all_even.dsp.utility import delay_line
from all_even.engine import automation, mixing
from all_even.engine.automation import MovingGains
from all_even.engine.plan import Feed, KeyFeed, Plan, Station, StripPlan
from all_even.kernels import brief

Array = NDArray[np.float64]
Read = Callable[[StripPlan, int, int], Samples]


PIECE_FRAMES = 1 << 16
"""What a call of the decoder costs is the same for any number of frames."""
NO_SAMPLES: Samples = np.zeros((0, 1), dtype=np.float32)


class Watch(Protocol):
    """Looks at the sound on its way: called for each block, by the thread that computes the strip."""

    def entered(self, strip: StripPlan, block: Array, song_frame: int) -> None:
        """What comes into the chain, (frames, channels)."""

    def passed(self, strip: StripPlan, index: int, block: Array, gain: Array, song_frame: int) -> None:
        """What comes out of station `index`, and the gain in dB it applied."""


def read_source(strip: StripPlan, start: int, frames: int) -> Samples:
    """Frames of a lane from its own file; silence before and after it."""
    assert strip.source is not None
    return strip.source.read(start, frames)


class Pieces:
    """Reads files in larger pieces than they are asked for: for one pass from front to back."""

    def __init__(self) -> None:
        self._kept: dict[str, tuple[int, Samples]] = {}

    def read(self, strip: StripPlan, start: int, frames: int) -> Samples:
        """As `read_source`. Each strip is read by one thread at a time."""
        first, samples = self._kept.get(strip.id, (0, NO_SAMPLES))
        if not first <= start <= start + frames <= first + len(samples):
            first, samples = start, read_source(strip, start, max(frames, PIECE_FRAMES))
            self._kept[strip.id] = first, samples
        return samples[start - first : start - first + frames]


class Running:
    """The state of a plan from some engine frame on. position: the next engine frame."""

    def __init__(
        self,
        plan: Plan,
        position: int = 0,
        *,
        short: bool = False,
        read: Read = read_source,
        watch: Watch | None = None,
    ) -> None:
        self.plan, self.position, self.short, self.read, self.watch = plan, position, short, read, watch
        self.memory = np.zeros(plan.state_size)
        self.history = np.zeros(plan.history_size)
        self.blocks: list[Any] = [None] * len(plan.strips)
        self.peaks = np.zeros(len(plan.strips))
        """Largest magnitude per strip behind its fader, of the last block."""
        self.reductions: dict[tuple[str, str], float] = {}
        """The gain in dB that is furthest from 0, by strip and station, of the last block."""
        self._add = mixing.add_lane_brief if short else mixing.add_lane
        self._add_late = mixing.add_late_brief if short else mixing.add_late
        self._add_each = brief(mixing.add_each) if short else mixing.add_each
        self._level_between = brief(automation.level_between) if short else automation.level_between
        self._levels: dict[tuple[int, ...], Array | None] = {}
        self._add_moving = brief(mixing.add_moving) if short else mixing.add_moving
        self._delay = brief(delay_line) if short else delay_line
        self._largest = brief(mixing.largest_gain) if short else mixing.largest_gain
        depths: dict[int, list[int]] = defaultdict(list)
        for index, strip in enumerate(plan.strips):
            depths[strip.depth].append(index)
        # The dearest first, so that threads end together.
        self._depths = [
            sorted(depths[depth], key=lambda index: -len(plan.strips[index].stations)) for depth in sorted(depths)
        ]

    def advance(self, frames: int, pool: ThreadPoolExecutor | None = None, workers: int = 1) -> Array:
        """The next frames of the mix before anything of the device path, (frames, 2)."""
        self._levels.clear()
        for strips in self._depths:
            if pool is None or len(strips) == 1:
                for index in strips:
                    self._strip(index, frames)
            else:
                waiting = deque(strips)
                jobs = [pool.submit(self._work_off, waiting, frames) for _ in range(min(workers, len(strips)) - 1)]
                self._work_off(waiting, frames)
                for job in jobs:
                    job.result()
        self.position += frames
        result: Array = self.blocks[-1]
        return result

    def tap(self, feed: Feed, frames: int) -> Array:
        """What a feed carries in the block that was just computed, (frames, 2)."""
        out = np.zeros((frames, 2))
        end = self.plan.strips[-1].latency_in
        self._mix_in(out, feed, self.position - frames - end, frames)
        return out

    def take_over_memory(self, before: "Running", memory: Array | None) -> None:
        """Goes on from another's memory, as it was kept, where both have the same processors."""
        if memory is None:
            return
        _take_over(self.memory, self.plan.places, memory, before.plan.places)
        _take_over(self.history, self.plan.rings, before.history, before.plan.rings)

    def _work_off(self, waiting: "deque[int]", frames: int) -> None:
        while True:
            try:
                index = waiting.popleft()
            except IndexError:
                return
            self._strip(index, frames)

    def _strip(self, index: int, frames: int) -> None:
        strip = self.plan.strips[index]
        if strip.source is not None:
            samples = self.read(strip, self.position - strip.start_frame, frames)
            block: Any = samples if strip.plain else self._copy(samples)
        else:
            block = np.zeros((frames, 2))
            for feed in strip.feeds:
                peak = self._mix_in(block, feed, self.position - strip.latency_in, frames)
                if feed.main:
                    self.peaks[feed.source] = peak
        if strip.head_gain != 1.0:
            block *= strip.head_gain
        if strip.head_curve is not None:
            start = self.position - strip.latency_in
            moved_frames = 1 if strip.head_curve.still(start, frames) else frames
            block *= 10.0 ** (strip.head_curve.between(start, moved_frames)[:, np.newaxis] / 20.0)
        if self.watch is not None:
            self.watch.entered(strip, block, self.position - strip.latency_in)
        for number, station in enumerate(strip.stations):
            gain = self._station(station, strip, block, frames)
            if self.watch is not None:
                song_frame = self.position - station.latency_before - station.latency
                self.watch.passed(strip, number, block, gain, song_frame)
        self.blocks[index] = block

    def _copy(self, block: Any) -> Any:
        return mixing.copied(block) if self.short else np.array(block, dtype=np.float64, order="C")

    def _mix_in(self, out: Array, feed: Feed, song_frame: int, frames: int) -> float:
        block, gains, moving = self.blocks[feed.source], feed.gains, feed.moving
        metered = self.short and feed.main
        if moving is not None:
            level = self._level(moving, song_frame, frames) if moving.pan_curve is None else None
            if level is not None:
                return float(self._add_each(out, self._late(block, feed), moving.standing, level, metered))
            resting = moving.resting(song_frame, frames)
            if resting is None:
                return float(self._add_moving(out, self._late(block, feed), moving.between(song_frame, frames)))
            gains = resting
        if feed.delay:
            return float(self._add_late(out, block, gains, metered, feed.delay, self.memory[feed.state :]))
        return float(self._add(out, block, gains, metered))

    def _late(self, block: Any, feed: Feed) -> Any:
        """A block as late as a feed needs it."""
        if not feed.delay:
            return block
        late = self._copy(block)
        self._delay(late, NOTHING, NO_GAIN, np.array([float(feed.delay)]), self.memory[feed.state :], 0)
        return late

    def _level(self, moving: MovingGains, song_frame: int, frames: int) -> Array | None:
        """What the curves of a feed say, worked out once for all feeds with the same: a fader, and the sends behind it.
        None where none of them moves."""
        key = (song_frame, *map(id, moving.levels))
        if key not in self._levels:
            level = np.empty(frames)
            moves = self._level_between(*moving.breakpoints, song_frame, level)
            self._levels[key] = level if moves else None
        return self._levels[key]

    def _key(self, key: KeyFeed) -> Array:
        block: Array = self.blocks[key.source]
        if key.delay:
            block = self._copy(block)
            self._delay(block, NOTHING, NO_GAIN, np.array([float(key.delay)]), self.memory[key.state :], 0)
        return block if key.gain == 1.0 else block * key.gain

    def _station(self, station: Station, strip: StripPlan, block: Array, frames: int) -> Array:
        processor = station.processor
        key = NOTHING if station.key is None else self._key(station.key)
        if station.wait:
            self._delay(block, NOTHING, NO_GAIN, np.array([float(station.wait)]), self.memory[station.wait_state :], 0)
        state = self.memory[station.state : station.state + station.size]
        history = self.history[station.history[0] : sum(station.history)]
        if processor.bypass:
            if station.latency:
                self._delay(block, NOTHING, NO_GAIN, np.array([float(station.latency)]), state, 0)
            if processor.matched_db != 0.0:
                block *= decibels.gain(processor.matched_db)
            return NO_GAIN
        gain = np.zeros(frames) if processor.DYNAMIC else NO_GAIN
        position = self.position - station.latency_before
        if not station.automation:
            processor.process(block, key, gain, station.coefficients, state, position, self.short, history)
        else:
            self._automated(station, block, key, gain, state, position, frames, history)
        if processor.DYNAMIC:
            self.reductions[strip.id, processor.id] = self._largest(gain)
        return gain

    def _automated(
        self,
        station: Station,
        block: Array,
        key: Array,
        gain: Array,
        state: Array,
        position: int,
        frames: int,
        history: Array,
    ) -> None:
        curves = tuple(item for _, item in station.automation)
        rate = self.plan.sample_rate
        if all(item.still(position, frames) for item in curves):
            pieces = [(0, frames, position)]
        else:
            pieces = automation.steps(curves, position, frames)
        for start, end, anchor in pieces:
            values = {path: item.at(anchor) for path, item in station.automation}
            coefficients = coefficients_of(with_values(station.processor, values), rate)
            station.processor.process(
                block[start:end],
                key[start:end],
                gain[start:end],
                coefficients,
                state,
                position + start,
                self.short,
                history,
            )


Places = Mapping[tuple[str, ...], tuple[int, int]]


def _take_over(to: Array, places: Places, memory: Array, theirs: Places) -> None:
    """Copies what has the same name and size in both."""
    for name, (place, size) in places.items():
        start, length = theirs.get(name, (0, -1))
        if length == size:
            to[place : place + size] = memory[start : start + size]


def with_values(processor: Processor, values: dict[str, float]) -> Processor:
    """The processor with automated settings put in, inside their ranges. A path is a field, or `bands.N.field`.

    What can't be automated stays as it is: a kernel's memory was laid out for it.
    """
    plain = moved(processor, {path: value for path, value in values.items() if "." not in path})
    bands: list[Any] = list(getattr(plain, "bands", ()))
    for path, value in values.items():
        if path.startswith("bands."):
            _, number, name = path.split(".", 2)
            if number.isdigit() and int(number) < len(bands):
                bands[int(number)] = moved(bands[int(number)], {name: value})
    return replace(plain, bands=tuple(bands)) if bands else plain
