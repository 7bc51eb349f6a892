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

from all_even.audio import available
from all_even.audio.available import Output

Fill = Callable[[NDArray[np.float32]], int]
BLOCK_FRAMES = 512
LOST_S = 0.5
"""Without a block for so long, a device that has ended by itself is lost."""
PATIENCE_S = 3.0
"""How long one that says it still runs may be silent: where it ran dry on a busy machine, a sound server asks for a
few blocks at once and then takes its time (1.8 s measured, with a silent sink of a common server)."""
START_S = 5.0
"""How long one may take before its first block: a server that starts, a wireless loudspeaker that wakes up."""
BUFFERS = (0, 512, 1024, 2048, 4096)
"""Frames that may be asked for; 0 leaves it to the device, as short as it can."""


class Device(Protocol):
    """Somewhere to play to. latency_s: from `fill` to the ear. last_call: monotonic time of the last `fill`.

    patience_s: how long it may go without `fill` before it is lost. there: whether the output it plays to exists.
    """

    name: str
    latency_s: float
    last_call: float

    @property
    def patience_s(self) -> float: ...
    @property
    def there(self) -> bool: ...
    def start(self) -> None: ...
    def stop(self) -> None: ...


class SimulatedDevice:
    """Plays to nobody, in real time (or `speed` times faster); `recording()` is what it heard."""

    def __init__(self, sample_rate: int, fill: Fill, *, record: bool = False, speed: float = 1.0) -> None:
        self.name = "stand-in (silent)"
        self.latency_s = 0.0
        self.patience_s = math.inf
        self.there = True
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
    """An output of this machine. output: `available.Output`. buffer_frames: one of `BUFFERS`.

    LookupError where there is no such output; PortAudio's own errors where it can't be opened.
    """

    def __init__(
        self, sample_rate: int, fill: Fill, output: Output = available.DEFAULT, buffer_frames: int = 0
    ) -> None:
        import sounddevice

        self.last_call = time.monotonic()
        self._asked = False
        """Whether it has asked for a block since it was started."""

        def callback(out: NDArray[np.float32], frames: int, _time: object, _status: object) -> None:
            self.last_call = time.monotonic()
            self._asked = True
            got = fill(out)
            out[got:] = 0.0

        with available.opening(output.key) as number:
            self._stream = sounddevice.OutputStream(
                samplerate=sample_rate,
                channels=2,
                dtype="float32",
                device=number,
                blocksize=BLOCK_FRAMES,
                latency=buffer_frames / sample_rate if buffer_frames else "low",
                callback=callback,
            )
        own = str(sounddevice.query_devices(self._stream.device)["name"])
        self.name = output.name if output.key else own
        self.latency_s = float(self._stream.latency)
        self._presence = available.Presence(output.key)
        self._closed = False

    def start(self) -> None:
        self.last_call = time.monotonic()
        self._stream.start()

    @property
    def patience_s(self) -> float:
        if not self._asked:
            return START_S
        return PATIENCE_S if self._stream.active else LOST_S

    @property
    def there(self) -> bool:
        return self._presence.there

    def stop(self) -> None:
        """Also ends looking for the output."""
        self._presence.end()
        self.close_stream()

    def close_stream(self) -> None:
        """Lets go of the output, and goes on looking whether it is there."""
        if not self._closed:
            self._closed = True
            try:
                self._stream.abort()
                self._stream.close()
            finally:
                available.closed()


def open_device(
    sample_rate: int, fill: Fill, output: Output = available.DEFAULT, buffer_frames: int = 0
) -> tuple[Device, str | None]:
    """The output where it is there, else the stand-in and a sentence that says so."""
    try:
        return PortAudioDevice(sample_rate, fill, output, buffer_frames), None
    except LookupError:
        reason = f"The output {output.name} is not there"
    except OSError:
        reason = "This machine has no PortAudio library"
    except Exception:  # PortAudio's binding raises many kinds
        reason = "This machine has no usable sound output" if not output.key else f"{output.name} can't be opened"
    return SimulatedDevice(sample_rate, fill), f"{reason}: playing goes to the silent stand-in."
