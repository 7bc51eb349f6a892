"""The player: a thread that mixes ahead into a ring, and a device that empties it.

The device's callback only copies. The engine thread mixes blocks of 512 frames, up to 60 ms ahead.
An edit discards what the ring holds and was not yet played and goes back to the state that was kept at
that block. There the old plan and the new one, which takes the old one's state over, run side by side
for one block, and the sound is blended from one to the other: so nothing that is changed by hand makes
a step, whatever it is. The device path starts quiet, ramps over half a second and ends in the protective
ceiling; prints know none of this.
"""

import threading
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from all_even.audio import device as devices
from all_even.audio.decoded import Frames
from all_even.audio.device import Device, Fill
from all_even.audio.sound_file import Samples
from all_even.engine import mixing
from all_even.engine.plan import Plan, StripPlan
from all_even.engine.running import Running
from all_even.measure import loudness
from all_even.measure.hops import HopMeter

BLOCK = 512
RING_BLOCKS = 6  # 64 ms at 48 kHz
PRIMED_BLOCKS = 4
"""Playing starts when this much is ready."""
KEPT_BLOCKS = 2
"""An edit keeps what will be heard next, so that the ring does not run dry while two plans are blended."""
START_RAMP_S = 0.5
FADE_S = 0.005
"""Out and in again where playing jumps to another place: a step would be a click, at worst of full scale."""
SHORTEST_BLEND = 256
"""Frames; shorter blocks (at a loop's end) leave the blend to the next one."""
PREROLL_S = 0.3
"""How long filters and compressors may settle before playing starts; a print takes all they need."""
STOP_FADE_S = 0.01
READ_AHEAD = 1 << 15

OpenDevice = Callable[[int, Fill], tuple[Device, str | None]]


@dataclass(frozen=True, slots=True, eq=False)
class Meters:
    """What was heard in one block. Linear magnitudes behind the faders, strip ids beside.

    position_frame: of the block's start in the song. short_term_lufs, momentary_lufs: of the mix as
    it was played since the start. held: whether the protective ceiling acted. reductions: the strongest
    gain in dB of each dynamic station, by strip and station.
    """

    stream_frame: int
    position_frame: int
    strip_ids: tuple[str, ...]
    peaks: NDArray[np.float64]
    mix_peaks: tuple[float, float]
    momentary_lufs: float | None
    short_term_lufs: float | None
    held: bool
    reductions: dict[tuple[str, str], float]


@dataclass(slots=True)
class _State:
    """Where playing is, and the plan that runs. position: song frame of what comes out next."""

    position: int
    ramp: int  # frames of the start ramp already played
    running: Running | None = None
    matching: float = 1.0
    since_jump: int | None = None  # frames since playing jumped here, while that fades in


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """A state as it was at the start of a block: all that is needed to go back to it."""

    stream_frame: int
    state: _State
    head: int
    memory: NDArray[np.float64] | None

    def restored(self) -> _State:
        running = self.state.running
        if running is not None and self.memory is not None:
            running.memory[:] = self.memory
            running.position = self.head
        return replace(self.state)


@dataclass(slots=True)
class _Wish:
    """What the other threads want; taken by the engine thread as one."""

    plan: Plan | None = None
    matching: float = 1.0
    playing: bool = False
    locate: int | None = None
    loop: tuple[int, int] | None = None
    changed: bool = False
    fields: set[str] = field(default_factory=set)


class Player:
    """Plays a plan. All methods may be called from the interface thread and return at once."""

    def __init__(self, open_device: OpenDevice = devices.open_device) -> None:
        self._open_device = open_device
        self._lock = threading.Lock()  # guards the ring's counters; held for a copy of one block at most
        self._wake = threading.Condition()
        self._wish = _Wish()
        self._ring = np.zeros((RING_BLOCKS * BLOCK, 2), dtype=np.float32)
        self._read = self._written = 0
        self._kept: deque[_Kept] = deque(maxlen=RING_BLOCKS + 4)
        self._meters: deque[Meters] = deque(maxlen=64)
        self._readers: dict[str, _ReadAhead] = {}
        self._named: tuple[Plan, tuple[str, ...]] | None = None
        self._reading = ThreadPoolExecutor(1, thread_name_prefix="read ahead")
        self._device: Device | None = None
        self._rate = 0
        self._closing = False
        self.playing = False
        self.message: str | None = None
        self.underruns = 0
        self._stopped_at = 0
        self._flowing = False  # the last block was full: the next one is missed if it is not
        self._ending = False
        self._primed = False
        self._thread = threading.Thread(target=self._run, name="engine", daemon=True)
        self._thread.start()

    # What the interface calls.

    def set_plan(self, plan: Plan, matching_gain: float = 1.0) -> None:
        """Plays this from now on. matching_gain: linear, for level-matched comparison."""
        self._ask(plan=plan, matching=matching_gain)

    def play(self) -> None:
        self._ask(playing=True)

    def stop(self) -> None:
        self._ask(playing=False)

    def locate(self, position_s: float) -> None:
        plan = self._wish.plan
        self._ask(locate=round(position_s * plan.sample_rate) if plan else 0)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """A section in seconds that repeats, or None."""
        rate = self._wish.plan.sample_rate if self._wish.plan else 48_000
        self._ask(loop=None if loop is None else (round(loop[0] * rate), round(loop[1] * rate)))

    def meters(self) -> Meters | None:
        """What is being heard now."""
        heard = None
        for meters in tuple(self._meters):
            if meters.stream_frame <= self._read:
                heard = meters
        return heard

    def position_s(self) -> float:
        """Where in the song the device is."""
        rate = self._rate or 48_000
        if self._wish.locate is not None:
            return self._wish.locate / rate
        if not self.playing:
            return self._stopped_at / rate
        heard = self.meters()
        if heard is None:
            return self._stopped_at / rate
        return (heard.position_frame + max(0, self._read - heard.stream_frame)) / rate

    @property
    def device(self) -> Device | None:
        return self._device

    def close(self) -> None:
        """Ends the threads; the player can't be used afterwards."""
        with self._wake:
            self._closing = True
            self._wake.notify_all()
        self._thread.join()
        self._reading.shutdown(wait=True, cancel_futures=True)
        if self._device is not None:
            self._device.stop()

    # The device's callback.

    def _fill(self, out: NDArray[np.float32]) -> int:
        with self._lock:
            ahead = self._written - self._read
            if not self._primed:
                if ahead < PRIMED_BLOCKS * BLOCK and not self._ending:
                    return 0
                self._primed = True
            frames = min(len(out), ahead)
            at = self._read % len(self._ring)
            first = min(frames, len(self._ring) - at)
            out[:first] = self._ring[at : at + first]
            out[first:frames] = self._ring[: frames - first]
            self._read += frames
        if frames == len(out):
            self._flowing = True
        elif self._flowing:
            self._flowing = False
            if self.playing and not self._ending:
                self.underruns += 1
        return frames

    # The engine thread.

    def _ask(self, **values: object) -> None:
        with self._wake:
            for name, value in values.items():
                setattr(self._wish, name, value)
                self._wish.fields.add(name)
            self._wish.changed = True
            self._wake.notify_all()

    def _run(self) -> None:
        plan: Plan | None = None
        matching = 1.0
        loop: tuple[int, int] | None = None
        state = _State(0, 0)
        hops: HopMeter | None = None
        ceiling: mixing.ProtectiveCeiling | None = None
        recent: deque[float] = deque(maxlen=400)
        while True:
            with self._wake:
                if self._closing:
                    return
                if not self._wish.changed and (not self.playing or not self._space()):
                    self._wake.wait(0.004 if self.playing else 0.1)
                if self._closing:
                    return
                fields, self._wish.fields = self._wish.fields, set()
                self._wish.changed = False
                wish_plan, wish_playing = self._wish.plan, self._wish.playing
                located, self._wish.locate = self._wish.locate, None
                matching, loop = self._wish.matching, self._wish.loop
            if fields:
                state = self._rewind(state)
                if "plan" in fields and wish_plan is not plan:
                    self._take_plan(wish_plan)
                    if plan is None or wish_plan is None or plan.sample_rate != wish_plan.sample_rate:
                        ceiling = hops = None
                    plan = wish_plan
                if located is not None:
                    if self.playing:
                        self._fade_out(plan, state, ceiling, FADE_S)
                        state.since_jump = 0
                    state.position = located
                    state.running = None
                    self._stopped_at = located
                    recent.clear()
                if wish_playing and not self.playing and plan is not None and plan.frames:
                    if state.position >= plan.frames:
                        state.position = 0
                    state = _State(state.position, 0, None, matching)
                    recent.clear()
                    hops = None
                    self._ending = self._primed = self._flowing = False
                    self._start_device(plan.sample_rate)
                    self.playing = True
                elif not wish_playing and self.playing:
                    self._fade_out(plan, state, ceiling, STOP_FADE_S)
                    self._stopped_at = state.position
                    self.playing = False
            self._watch_device()
            if not self.playing or plan is None or not self._space():
                continue
            ceiling = ceiling or mixing.ProtectiveCeiling(plan.sample_rate)
            hops = hops or HopMeter(plan.sample_rate, 2)
            self._ending = state.position >= plan.frames
            if self._ending:
                if self._read >= self._written:
                    self._stopped_at = 0
                    state = _State(0, 0)
                    self.playing = False
                    with self._wake:
                        self._wish.playing = False
                else:
                    time.sleep(0.002)
                continue
            try:
                self._produce(plan, state, matching, loop, ceiling, hops, recent)
            except Exception as defect:  # the thread must live on: say it, and be silent
                self.message = f"Playing stopped: something went wrong in the engine ({type(defect).__name__})."
                self.playing = False
                with self._wake:
                    self._wish.playing = False

    def _produce(
        self,
        plan: Plan,
        state: _State,
        matching: float,
        loop: tuple[int, int] | None,
        ceiling: mixing.ProtectiveCeiling,
        hops: HopMeter,
        recent: deque[float],
    ) -> None:
        """Mixes one block into the ring and moves the state on."""
        looping = loop is not None and loop[0] < loop[1] and state.position < loop[1]
        if state.running is None:
            state.running = self._begin(plan, state.position)
            state.matching = matching
        frames = min(BLOCK, plan.frames - state.position)
        if looping and loop is not None:
            frames = min(frames, loop[1] - state.position)
            if state.running.position < loop[1]:
                frames = min(frames, loop[1] - state.running.position)
        stream_frame = self._written
        self._kept.append(
            _Kept(
                stream_frame,
                replace(state),
                state.running.position,
                state.running.memory.copy(),
            )
        )
        out = self._advance(plan, state, frames, matching)
        for row in hops.add(out.astype(np.float32)):
            recent.append(float(row[0] + row[1]))
        _shape(out, state, plan.sample_rate)
        if looping and loop is not None:
            left = (loop[1] - state.position - np.arange(frames)) / (FADE_S * plan.sample_rate)
            if left[-1] < 1.0:
                out *= _swell(left)[:, np.newaxis]
        held = ceiling(out)
        self._put(out.astype(np.float32))
        momentary, short_term = _recent_loudness(recent)
        self._meters.append(
            Meters(
                stream_frame, state.position, self._strip_ids(state.running.plan),
                state.running.peaks * state.running.plan.strips[-1].head_gain,
                (float(np.abs(out[:, 0]).max(initial=0.0)), float(np.abs(out[:, 1]).max(initial=0.0))),
                momentary, short_term, held, dict(state.running.reductions),
            )
        )  # fmt: skip
        state.ramp += frames
        state.position += frames
        if state.since_jump is not None:
            state.since_jump += frames
            if state.since_jump > FADE_S * plan.sample_rate:
                state.since_jump = None
        if looping and loop is not None:
            late = state.running.position > loop[1]
            if state.running.position == loop[1]:
                state.running.position = loop[0]  # the sources jump first, the sound follows a latency later
            if state.position == loop[1]:
                state.position = loop[0]
                state.since_jump = 0
                if late:
                    state.running = None

    def _advance(self, plan: Plan, state: _State, frames: int, matching: float) -> NDArray[np.float64]:
        """The next frames of the mix; blends to the wanted plan where another one runs."""
        running = state.running
        assert running is not None
        out = running.advance(frames) * state.matching
        if (running.plan is plan and state.matching == matching) or frames < SHORTEST_BLEND:
            return out
        before = running.position - frames
        if running.plan.timing() == plan.timing():
            following = Running(plan, before, short=True, read=self._read_source)
            # The old plan has already moved on: its state at the block's start was kept.
            following.take_over_memory(running.plan, self._kept_memory(state))
        else:
            following = self._begin(plan, state.position)
        part = (np.arange(1, frames + 1) / frames)[:, np.newaxis]
        out = (1.0 - part) * out + part * (following.advance(frames) * matching)
        state.running, state.matching = following, matching
        return out

    def _kept_memory(self, state: _State) -> NDArray[np.float64] | None:
        last = self._kept[-1] if self._kept else None
        return last.memory if last is not None and last.state.running is state.running else None

    def _begin(self, plan: Plan, position: int) -> Running:
        """A plan from a song position on, with its processors settled as far as there is time for."""
        settling = round(min(plan.settling_s, PREROLL_S) * plan.sample_rate)
        running = Running(plan, max(0, position - settling), short=True, read=self._read_source)
        while running.position < position + plan.latency:
            running.advance(min(4 * BLOCK, position + plan.latency - running.position))
        return running

    def _strip_ids(self, plan: Plan) -> tuple[str, ...]:
        if self._named is None or self._named[0] is not plan:
            self._named = (plan, tuple(strip.id for strip in plan.strips))
        return self._named[1]

    def _read_source(self, strip: StripPlan, start: int, frames: int) -> Samples:
        return self._reader(strip).read(start, frames)

    def _reader(self, strip: StripPlan) -> "_ReadAhead":
        reader = self._readers.get(strip.id)
        if reader is None or reader.source is not strip.source:
            assert strip.source is not None
            reader = self._readers[strip.id] = _ReadAhead(strip.source, self._reading)
        return reader

    def _take_plan(self, plan: Plan | None) -> None:
        wanted = set(plan.lane_ids) if plan else set()
        for lane_id in set(self._readers) - wanted:
            del self._readers[lane_id]

    def _space(self) -> bool:
        return self._written - self._read <= (RING_BLOCKS - 1) * BLOCK

    def _put(self, block: NDArray[np.float32]) -> None:
        with self._lock:
            at = self._written % len(self._ring)
            first = min(len(block), len(self._ring) - at)
            self._ring[at : at + first] = block[:first]
            self._ring[: len(block) - first] = block[first:]
            self._written += len(block)

    def _rewind(self, state: _State) -> _State:
        """Discards the blocks that nobody has begun to hear; returns the state at the first of them."""
        with self._lock:
            for kept in self._kept:
                if self._read + KEPT_BLOCKS * BLOCK <= kept.stream_frame < self._written:
                    self._written = kept.stream_frame
                    state = kept.restored()
                    break
        while self._kept and self._kept[-1].stream_frame >= self._written:
            self._kept.pop()
        while self._meters and self._meters[-1].stream_frame >= self._written:
            self._meters.pop()
        return state

    def _fade_out(
        self, plan: Plan | None, state: _State, ceiling: mixing.ProtectiveCeiling | None, fade_s: float
    ) -> None:
        """Puts a last stretch of what is playing into the ring, ending in silence."""
        if plan is None or ceiling is None or state.running is None or state.position >= plan.frames:
            return
        frames = min(BLOCK, round(fade_s * plan.sample_rate), plan.frames - state.position)
        out = state.running.advance(frames) * state.matching
        _shape(out, state, plan.sample_rate)
        out *= _swell(1.0 - np.arange(frames) / frames)[:, np.newaxis]
        ceiling(out)
        self._put(out.astype(np.float32))

    def _start_device(self, sample_rate: int) -> None:
        if self._device is not None and self._rate == sample_rate:
            return
        if self._device is not None:
            self._device.stop()
        self._rate = sample_rate
        self._device, self.message = self._open_device(sample_rate, self._fill)
        self._device.start()

    def _watch_device(self) -> None:
        """Goes on with the stand-in where the device has stopped asking."""
        device = self._device
        if device is None or not self.playing or isinstance(device, devices.SimulatedDevice):
            return
        if time.monotonic() - device.last_call > device.patience_s:
            self.message = f"The output {device.name} stopped answering: playing goes on to the silent stand-in."
            threading.Thread(target=_quietly_stop, args=(device,), daemon=True).start()
            self._device = devices.SimulatedDevice(self._rate, self._fill)
            self._device.start()


class _ReadAhead:
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


def _swell(share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Half a cosine from 0 at share 0 to 1 at share 1 and after."""
    return 0.5 - 0.5 * np.cos(np.pi * np.clip(share, 0.0, 1.0))


def _shape(out: NDArray[np.float64], state: _State, sample_rate: int) -> None:
    """The quiet start, and the way in after a jump, in place."""
    frames = np.arange(len(out))
    ramp_frames = START_RAMP_S * sample_rate
    if state.ramp < ramp_frames:
        rise = np.minimum(1.0, (state.ramp + frames) / ramp_frames)
        out *= (rise * rise)[:, np.newaxis]
    if state.since_jump is not None:
        out *= _swell((state.since_jump + frames) / (FADE_S * sample_rate))[:, np.newaxis]


def _recent_loudness(recent: deque[float]) -> tuple[float | None, float | None]:
    """Momentary and short-term loudness of the last hops; None before a window is full or in silence."""
    weighted = np.fromiter(recent, dtype=np.float64)
    results = []
    for hops in (loudness.MOMENTARY_HOPS, loudness.SHORT_TERM_HOPS):
        power = float(weighted[-hops:].mean()) if len(weighted) >= hops else 0.0
        value = loudness.lufs(power)
        results.append(value if value > loudness.ABSOLUTE_GATE_LUFS else None)
    return results[0], results[1]


def _quietly_stop(device: Device) -> None:
    try:
        device.stop()
    except Exception:  # a vanished device may refuse even that
        return
