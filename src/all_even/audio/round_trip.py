"""Through an outside device and back: a sound is played to an output while an input is recorded, and a click ahead of
it tells how late the input hears the output. A stand-in for the device ships with us.

Nothing that comes in is played: no loop can ring through us.
"""

import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from all_even.audio import available
from all_even.audio.available import INPUT_NAMED_BY, Output
from all_even.audio.sound_file import Samples
from all_even.decibels import level_db
from all_even.errors import UserError
from all_even.late import scipy

SENT_PEAK_DB = -12.0
"""The highest peak that is sent unless somebody says otherwise, in dBFS."""
CLICK_UNDER_DB = 6.0
"""The click lies so far under the sound's highest peak."""
BEFORE_S, CLICK_S, AFTER_S = 0.25, 0.01, 1.0
"""Silence before the click, its length, and the silence in which it may come back; the sound follows."""
CLICK_HZ = (400.0, 6_000.0)
"""It sweeps from here to there: no filter of a device takes all of it."""
TAIL_S = 1.0
LEAST_ALIKE = 0.5
"""Correlation under which no click came back (a setting of ours)."""
SILENT_S = 5.0
"""Without a block for so long, a device is lost."""
Watch = Callable[[float], None]
"""Told how much has passed, 0 to 1; ends the trip by raising."""


class Way(Protocol):
    """Where a sound goes out and comes back in."""

    name: str

    def run(self, out: Samples, sample_rate: int, watch: Watch) -> Samples:
        """Plays (frames, 2) and returns as many frames of two channels that came in meanwhile."""
        ...


@dataclass(frozen=True, slots=True)
class Trip:
    """back: as many frames as were sent, in place to the sample, at the level they came back with when they are sent at
    full level. late: frames from output to input. change_db: the click's level against how it was sent. heard:
    (frames,) of what came in from the moment on at which the click went out."""

    back: Samples
    late: int
    change_db: float
    heard: Samples


class StandIn:
    """A device that is not there: late, a little quieter, and warm. late: in frames."""

    name = "stand-in (a warm amplifier, not there)"

    def __init__(self, late: int = 331, gain_db: float = -2.0) -> None:
        self.late, self.gain_db = late, gain_db

    def run(self, out: Samples, sample_rate: int, watch: Watch) -> Samples:
        watch(0.0)
        came = np.zeros_like(out)
        warm = np.tanh(out.astype(np.float64)) * 10.0 ** (self.gain_db / 20.0)
        came[self.late :] = warm[: len(out) - self.late]
        watch(1.0)
        return came


class CardWay:
    """From an output of this machine to one of its inputs; either may be the system's own choice."""

    def __init__(self, output: Output, source: Output) -> None:
        self.output, self.source = output, source
        out = output.name if output.key else "the system's output"
        back = source.name if source.key else "the system's input"
        self.name = f"{out} to {back}"

    def run(self, out: Samples, sample_rate: int, watch: Watch) -> Samples:
        import sounddevice

        came, done, over = np.zeros_like(out), 0, threading.Event()
        last = time.monotonic()

        def callback(incoming: Samples, outgoing: Samples, frames: int, _time: object, _status: object) -> None:
            nonlocal done, last
            last = time.monotonic()
            count = min(frames, len(out) - done)
            outgoing[:count], outgoing[count:] = out[done : done + count], 0.0
            came[done : done + count] = incoming[:count]
            done += count
            if done == len(out):
                over.set()

        try:
            with available.opening(self.output.key) as number:
                recorded = _input_number(self.source.key)
                before = os.environ.pop(INPUT_NAMED_BY, None)
                if self.source.key.startswith(available.SERVER):
                    os.environ[INPUT_NAMED_BY] = self.source.key.removeprefix(available.SERVER)
                try:
                    stream = sounddevice.Stream(
                        samplerate=sample_rate, channels=2, dtype="float32", device=(recorded, number),
                        callback=callback,
                    )  # fmt: skip
                finally:
                    os.environ.pop(INPUT_NAMED_BY, None)
                    if before is not None:
                        os.environ[INPUT_NAMED_BY] = before
        except LookupError:
            raise UserError(f"{self.name}: one of the two is not there any more.") from None
        except OSError:
            raise UserError("This machine has no PortAudio library: nothing can be sent out.") from None
        except Exception as error:  # PortAudio's binding raises many kinds
            if not len(sounddevice.query_devices()):
                raise UserError("No sound card and no sound server is reached: nothing can be sent out.") from None
            raise UserError(f"From {self.name} no way can be opened: {error}") from None
        try:
            with stream:
                while not over.wait(0.1):
                    watch(done / len(out))
                    if time.monotonic() - last > SILENT_S:
                        raise UserError(f"{self.name} stopped after {done / sample_rate:.1f} s.")
        finally:
            available.closed()
        return came


def _input_number(key: str) -> int | None:
    """PortAudio's number of an input; LookupError where there is no such input."""
    import sounddevice

    if not key:
        return None
    wanted = available.DOOR if key.startswith(available.SERVER) else key.removeprefix(available.CARD)
    devices = [dict(device) for device in sounddevice.query_devices()]
    found = next((d for d in devices if d["name"] == wanted and d["max_input_channels"] >= 2), None)
    if found is None:
        raise LookupError(key)
    return int(found["index"])


def click(sample_rate: int) -> Samples:
    """(frames,) of a short sweep with a peak of 1."""
    times = np.arange(round(CLICK_S * sample_rate)) / sample_rate
    low, high = CLICK_HZ
    phase = 2.0 * np.pi * (low * times + (high - low) * times**2 / (2.0 * CLICK_S))
    window = np.sin(np.pi * times / CLICK_S) ** 2
    return (window * np.sin(phase)).astype(np.float32)


def send(
    sound: Samples, sample_rate: int, way: Way, *, peak_db: float = SENT_PEAK_DB, watch: Watch = lambda _share: None
) -> Trip:
    """Sends (frames, 1 or 2) through a device and takes it back. A sound of no frames sends the click alone.

    peak_db: its highest peak on the way, in dBFS; what comes back is raised again by as much as it was lowered for the
    way. A sound of one channel goes out on both sides and is taken from the first input. A UserError where the click
    does not come back, or the device can't be had.
    """
    highest = float(np.abs(sound).max()) if sound.size else 1.0
    gain = 10.0 ** (peak_db / 20.0) / highest if highest > 0.0 else 1.0
    peep = click(sample_rate) * np.float32(10.0 ** ((peak_db - CLICK_UNDER_DB) / 20.0))
    at, begin = round(BEFORE_S * sample_rate), round((BEFORE_S + CLICK_S + AFTER_S) * sample_rate)
    tail = round(TAIL_S * sample_rate) if len(sound) else 0
    out = np.zeros((begin + len(sound) + tail, 2), np.float32)
    out[at : at + len(peep)] = peep[:, np.newaxis]
    out[begin : begin + len(sound)] = sound * np.float32(gain)
    came = way.run(out, sample_rate, watch)
    late, change_db, heard = _heard(came[:begin], peep, at)
    back = came[begin + late : begin + late + len(sound)] / np.float32(gain)
    if sound.shape[1] == 1:
        back = back[:, :1]
    if len(back) < len(sound):
        back = np.concatenate((back, np.zeros((len(sound) - len(back), back.shape[1]), np.float32)))
    return Trip(back, late, change_db, heard)


def _heard(came: Samples, peep: Samples, at: int) -> tuple[int, float, Samples]:
    """How late the click comes back, its level against how it was sent, in dB, and the input from its start on."""
    side = came[:, int(np.argmax((came**2).sum(axis=0)))].astype(np.float64)
    pattern = peep.astype(np.float64)
    found = scipy.signal.correlate(side[at:], pattern, mode="valid", method="fft")
    best = int(np.argmax(np.abs(found)))
    around = side[at + best : at + best + len(pattern)]
    own, here = float((pattern**2).sum()), float((around**2).sum())
    if here <= 0.0 or abs(float(found[best])) / np.sqrt(own * here) < LEAST_ALIKE:
        raise UserError("The click did not come back: check the cables, the device's level, and which input it is.")
    return best, level_db(float(np.sqrt(here / own))), side[at:].astype(np.float32)
