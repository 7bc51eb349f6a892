"""The player: a thread that mixes ahead into a ring, and a device that empties it.

The device's callback only copies. The engine thread mixes 1024 frames at a time, up to 75 ms ahead.
An edit discards what the ring holds and was not yet played and goes back to the state that was kept at
that block. There the old plan and the new one, which takes the old one's state over, run side by side
for one block, and the sound is blended from one to the other: so nothing that is changed by hand makes
a step, whatever it is. The device path starts quiet, ramps over half a second and ends in the protective
ceiling; prints know none of this.
"""

import contextlib
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from all_even.audio import device as devices
from all_even.audio.device import Device, Fill
from all_even.engine import mixing
from all_even.engine.plan import Plan
from all_even.engine.playing.meters import Meters, recent_loudness
from all_even.engine.playing.read_ahead import Readers
from all_even.engine.playing.ring import AT_ONCE, BLOCK, Ring
from all_even.engine.playing.state import FADE_S, Kept, State, shape, swell
from all_even.engine.running import Running
from all_even.measure.level.hops import HopMeter

SHORTEST_BLEND = 256
"""Frames; shorter blocks (at a loop's end) leave the blend to the next one."""
PREROLL_S = 0.3
"""How long filters and compressors may settle before playing starts; a print takes all they need."""
STOP_FADE_S = 0.01
HEARD_OUT_S = 0.15
"""How long the old output may take for what it is still to play before another one is opened."""
OpenDevice = Callable[[int, Fill], tuple[Device, str | None]]


@dataclass(slots=True)
class _Wish:
    """What the other threads want; taken by the engine thread as one."""

    plan: Plan | None = None
    matching: float = 1.0
    playing: bool = False
    locate: int | None = None
    loop: tuple[int, int] | None = None
    reopen: bool = False
    changed: bool = False
    fields: set[str] = field(default_factory=set)


class Player:
    """Plays a plan. All methods may be called from the interface thread and return at once."""

    def __init__(self, open_device: OpenDevice = devices.open_device) -> None:
        self._open_device = open_device
        self._wake = threading.Condition()
        self._wish = _Wish()
        self._ring = Ring()
        self._readers = Readers()
        self._named: tuple[Plan, tuple[str, ...]] | None = None
        self._device: Device | None = None
        self._rate = 0
        self._closing = False
        self.playing = False
        self.message: str | None = None
        self.lost: Device | None = None
        """The output that was lost, in whose place the stand-in plays; `there` says whether it is back."""
        self._stopped_at = 0
        self._thread = threading.Thread(target=self._run, name="engine", daemon=True)
        self._thread.start()

    # What the interface calls.

    @property
    def plan(self) -> Plan | None:
        """What it plays, or will from the next block on."""
        return self._wish.plan

    def set_plan(self, plan: Plan | None, matching_gain: float = 1.0) -> None:
        """Plays this from now on; nothing without a plan. matching_gain: linear, for level-matched comparison."""
        self._ask(plan=plan, matching=matching_gain)

    @property
    def asked(self) -> bool:
        """Whether it was asked last to play: the engine follows a moment later, and both are so again at the end."""
        return self._wish.playing

    def play(self) -> None:
        self._ask(playing=True)

    def stop(self) -> None:
        self._ask(playing=False)

    def locate(self, position_s: float) -> None:
        self._ask(locate=round(position_s * self.plan.sample_rate) if self.plan else 0)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """A section in seconds that repeats, or None."""
        rate = self.plan.sample_rate if self.plan else 48_000
        self._ask(loop=None if loop is None else (round(loop[0] * rate), round(loop[1] * rate)))

    def meters(self) -> Meters | None:
        """What is being heard now."""
        return self._ring.heard()

    @property
    def underruns(self) -> int:
        """Blocks that came too late."""
        return self._ring.underruns

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
        return (heard.position_frame + max(0, self._ring.read - heard.stream_frame)) / rate

    @property
    def device(self) -> Device | None:
        return self._device

    def reopen(self) -> None:
        """Opens the output anew: another one was chosen, or a lost one is back."""
        self._ask(reopen=True)

    def close(self) -> None:
        """Ends the threads; the player can't be used afterwards."""
        with self._wake:
            self._closing = True
            self._wake.notify_all()
        self._thread.join()
        self._readers.close()
        self._close_devices()

    # The engine thread.

    def _fill(self, out: NDArray[np.float32]) -> int:
        """The device's callback."""
        return self._ring.fill(out, self.playing)

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
        state = State(0, 0)
        hops: HopMeter | None = None
        ceiling: mixing.ProtectiveCeiling | None = None
        recent: deque[float] = deque(maxlen=400)
        while True:
            with self._wake:
                if self._closing:
                    return
                if not self._wish.changed and (not self.playing or not self._ring.has_space):
                    self._wake.wait(0.004 if self.playing else 0.1)
                if self._closing:
                    return
                fields, self._wish.fields = self._wish.fields, set()
                self._wish.changed = False
                wish_plan, wish_playing = self._wish.plan, self._wish.playing
                located, self._wish.locate = self._wish.locate, None
                matching, loop = self._wish.matching, self._wish.loop
            if fields:
                state = self._ring.rewind(state)
                if "reopen" in fields:
                    self._reopen(plan, state, ceiling)
                if "plan" in fields and wish_plan is not plan:
                    self._readers.keep_only(wish_plan)
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
                if wish_playing and not self.playing and plan is not None and plan.frames_with_tail:
                    if state.position >= plan.frames_with_tail:
                        state.position = 0
                    state = State(state.position, 0, None, matching)
                    recent.clear()
                    hops = None
                    self._ring.start()
                    self._start_device(plan.sample_rate)
                    self.playing = True
                elif not wish_playing and self.playing:
                    self._fade_out(plan, state, ceiling, STOP_FADE_S)
                    self._stopped_at = state.position
                    self.playing = False
            self._watch_device()
            if not self.playing or plan is None or not self._ring.has_space:
                continue
            ceiling = ceiling or mixing.ProtectiveCeiling(plan.sample_rate)
            hops = hops or HopMeter(plan.sample_rate, 2, short=True)
            self._ring.ending = state.position >= plan.frames_with_tail
            if self._ring.ending:
                if self._ring.is_empty:
                    self._stopped_at = 0
                    state = State(0, 0)
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
        state: State,
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
        blends = state.running.plan is not plan or state.matching != matching  # mixed twice: the less at a time
        frames = min(BLOCK if blends else AT_ONCE, plan.frames_with_tail - state.position)
        if looping and loop is not None:
            frames = min(frames, loop[1] - state.position)
            if state.running.position < loop[1]:
                frames = min(frames, loop[1] - state.running.position)
        stream_frame = self._ring.written
        self._ring.kept.append(
            Kept(
                stream_frame,
                replace(state),
                state.running.position,
                mixing.copied(state.running.memory[:, np.newaxis])[:, 0],
            )
        )
        out = self._advance(plan, state, frames, matching)
        for row in hops.add(mixing.copied(out, precision=np.float32)):
            recent.append(float(row[0] + row[1]))
        shape(out, state, plan.sample_rate)
        if looping and loop is not None:
            left = (loop[1] - state.position - np.arange(frames)) / (FADE_S * plan.sample_rate)
            if left[-1] < 1.0:
                out *= swell(left)[:, np.newaxis]
        held = ceiling(out)
        self._ring.put(mixing.copied(out, precision=np.float32))
        momentary, short_term = recent_loudness(recent)
        self._ring.meters.append(
            Meters(
                stream_frame, state.position, self._strip_ids(state.running.plan),
                state.running.peaks * state.running.plan.strips[-1].head_gain,
                mixing.peaks_brief(out),
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

    def _advance(self, plan: Plan, state: State, frames: int, matching: float) -> NDArray[np.float64]:
        """The next frames of the mix; blends to the wanted plan where another one runs."""
        running = state.running
        assert running is not None
        out = mixing.copied(running.advance(frames), state.matching)
        if (running.plan is plan and state.matching == matching) or frames < SHORTEST_BLEND:
            return out
        before = running.position - frames
        if running.plan.timing() == plan.timing():
            following = Running(plan, before, short=True, read=self._readers.read)
            # The old plan has already moved on: its state at the block's start was kept.
            following.take_over_memory(running, self._kept_memory(state))
        else:
            following = self._begin(plan, state.position)
        part = (np.arange(1, frames + 1) / frames)[:, np.newaxis]
        out = (1.0 - part) * out + part * (following.advance(frames) * matching)
        state.running, state.matching = following, matching
        return out

    def _kept_memory(self, state: State) -> NDArray[np.float64] | None:
        last = self._ring.kept[-1] if self._ring.kept else None
        return last.memory if last is not None and last.state.running is state.running else None

    def _begin(self, plan: Plan, position: int) -> Running:
        """A plan from a song position on, with its processors settled as far as there is time for."""
        settling = round(min(plan.settling_s, PREROLL_S) * plan.sample_rate)
        running = Running(plan, max(0, position - settling), short=True, read=self._readers.read)
        while running.position < position + plan.latency:
            running.advance(min(4 * BLOCK, position + plan.latency - running.position))
        return running

    def _strip_ids(self, plan: Plan) -> tuple[str, ...]:
        if self._named is None or self._named[0] is not plan:
            self._named = (plan, tuple(strip.id for strip in plan.strips))
        return self._named[1]

    def _fade_out(
        self, plan: Plan | None, state: State, ceiling: mixing.ProtectiveCeiling | None, fade_s: float
    ) -> None:
        """Puts a last stretch of what is playing into the ring, ending in silence."""
        if plan is None or ceiling is None or state.running is None or state.position >= plan.frames_with_tail:
            return
        frames = min(BLOCK, round(fade_s * plan.sample_rate), plan.frames_with_tail - state.position)
        out = state.running.advance(frames) * state.matching
        shape(out, state, plan.sample_rate)
        out *= swell(1.0 - np.arange(frames) / frames)[:, np.newaxis]
        ceiling(out)
        self._ring.put(out.astype(np.float32))

    def _reopen(self, plan: Plan | None, state: State, ceiling: mixing.ProtectiveCeiling | None) -> None:
        """While nothing plays the old one is closed and the next play opens the other; else it goes on there, from
        silence up."""
        if not self.playing or plan is None:
            self._close_devices()
            self._device = self.lost = None
            return
        self._fade_out(plan, state, ceiling, STOP_FADE_S)
        end = time.monotonic() + HEARD_OUT_S
        while not self._ring.is_empty and time.monotonic() < end:
            time.sleep(0.002)
        self._close_devices()
        self._ring.drop()
        state.ramp, state.running = 0, None
        self._ring.start()
        self._start_device(plan.sample_rate, anew=True)

    def _start_device(self, sample_rate: int, anew: bool = False) -> None:
        """Opens the output; `anew` also where one is open. After a loss the same one is tried once more."""
        if self._device is not None and self._rate == sample_rate and not anew and self.lost is None:
            return
        self._close_devices()
        self._rate = sample_rate
        self._device, self.message = self._open_device(sample_rate, self._fill)
        try:
            self._device.start()
        except Exception as error:  # PortAudio's binding raises many kinds
            self.message = f"{self._device.name} can't be started ({error}): playing goes to the silent stand-in."
            self._close_devices()
            self._device = devices.SimulatedDevice(sample_rate, self._fill)
            self._device.start()
        self.lost = None

    def _close_devices(self) -> None:
        for device in (self._device, self.lost):
            if device is not None:
                _quietly(device.stop)

    def _watch_device(self) -> None:
        """Goes on with the stand-in where the device has stopped asking, or its output is gone: what a server
        then chooses in its place may be a loudspeaker that nobody expects."""
        device = self._device
        if device is None or not self.playing or isinstance(device, devices.SimulatedDevice):
            return
        silent = time.monotonic() - device.last_call > device.patience_s
        if silent or not device.there:
            why = "stopped answering" if device.there else "is gone"
            self.message = f"The output {device.name} {why}: playing goes on to the silent stand-in."
            self.lost = device
            # It goes on looking whether its output is back.
            end = device.close_stream if isinstance(device, devices.PortAudioDevice) else device.stop
            threading.Thread(target=_quietly, args=(end,), daemon=True).start()
            self._device = devices.SimulatedDevice(self._rate, self._fill)
            self._device.start()


def _quietly(end: Callable[[], object]) -> None:
    """Ends what may be gone already: a vanished device may refuse even that."""
    with contextlib.suppress(Exception):
        end()
