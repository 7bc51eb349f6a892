"""Output devices: the sound card through PortAudio, and the stand-in that ships with us.

A device calls `fill(block)` for every block it plays; `fill` copies ready samples into (frames, 2)
float32 and returns how many frames it had; the player counts a block that was not ready. The
stand-in consumes by the monotonic clock and can record what it was given.
"""

import math
import threading
import time
from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Fill = Callable[[NDArray[np.float32]], int]
BLOCK_FRAMES = 512
LOST_S = 0.5
"""Without a block for so long, a device that has ended by itself is lost."""
PATIENCE_S = 3.0
"""So long one that says it still runs may be silent: after a start, or where it ran dry on a busy machine, a sound
server asks for a few blocks at once and then takes its time (1.8 s measured, with a silent sink of a common server)."""


class Device(Protocol):
    """Somewhere to play to. latency_s: from `fill` to the ear. last_call: monotonic time of the last `fill`.

    patience_s: how long it may go without `fill` before it is lost.
    """

    name: str
    latency_s: float
    last_call: float

    @property
    def patience_s(self) -> float: ...
    def start(self) -> None: ...
    def stop(self) -> None: ...


class SimulatedDevice:
    """Plays to nobody, in real time (or `speed` times faster); `recording()` is what it heard."""

    def __init__(self, sample_rate: int, fill: Fill, *, record: bool = False, speed: float = 1.0) -> None:
        self.name = "stand-in (silent)"
        self.latency_s = 0.0
        self.patience_s = math.inf
        self.last_call = time.monotonic()
        self._period = BLOCK_FRAMES / sample_rate / speed
        self._fill = fill
        self._record = record
        self._parts: list[NDArray[np.float32]] = []
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        self._stopping.clear()
        self._thread = threading.Thread(target=self._run, name="stand-in device", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join()
        self._thread = None

    def recording(self) -> NDArray[np.float32]:
        """(frames, 2): every frame that `fill` delivered, without the silence of empty blocks."""
        return np.concatenate(self._parts) if self._parts else np.zeros((0, 2), dtype=np.float32)

    def _run(self) -> None:
        due = time.monotonic()
        while not self._stopping.wait(max(0.0, due - time.monotonic())):
            due += self._period
            block = np.zeros((BLOCK_FRAMES, 2), dtype=np.float32)
            got = self._fill(block)
            self.last_call = time.monotonic()
            if self._record and got:
                self._parts.append(block[:got])
            if time.monotonic() - due > 1.0:  # the machine slept: do not rush through the missed time
                due = time.monotonic()


class PortAudioDevice:
    """The system's default output."""

    def __init__(self, sample_rate: int, fill: Fill) -> None:
        import sounddevice

        self.last_call = time.monotonic()

        def callback(out: NDArray[np.float32], frames: int, _time: object, _status: object) -> None:
            self.last_call = time.monotonic()
            got = fill(out)
            out[got:] = 0.0

        self._stream = sounddevice.OutputStream(
            samplerate=sample_rate,
            channels=2,
            dtype="float32",
            blocksize=BLOCK_FRAMES,
            latency="low",
            callback=callback,
        )
        self.name = str(sounddevice.query_devices(self._stream.device)["name"])
        self.latency_s = float(self._stream.latency)

    def start(self) -> None:
        self.last_call = time.monotonic()
        self._stream.start()

    @property
    def patience_s(self) -> float:
        return PATIENCE_S if self._stream.active else LOST_S

    def stop(self) -> None:
        self._stream.stop()
        self._stream.close()


def open_device(sample_rate: int, fill: Fill) -> tuple[Device, str | None]:
    """The sound card where there is one, else the stand-in and a sentence that says so."""
    try:
        return PortAudioDevice(sample_rate, fill), None
    except Exception as error:  # PortAudio's binding raises many kinds, a missing library as OSError
        reason = "no PortAudio library" if isinstance(error, OSError) else "no usable sound output"
        return (
            SimulatedDevice(sample_rate, fill),
            f"This machine has {reason}: playing goes to the silent stand-in.",
        )
