"""Which outputs and inputs there are: those of the sound server where one answers, else PortAudio's cards.

A server's output is played to through PortAudio's door to the server, which asks the environment for its name when
it is opened; what the server calls its default is an output of its own, which may move from one to another.
"""

import contextlib
import os
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

SERVER, CARD = "server:", "card:"
DOOR = "pulse"
"""PortAudio's name for the way to the sound server."""
NAMED_BY = "PULSE_SINK"
"""Where that way looks for the output's name."""
INPUT_NAMED_BY = "PULSE_SOURCE"
ANSWER_S = 1.0
LOOK_S = 1.0


@dataclass(frozen=True, slots=True)
class Output:
    """Somewhere to play to. key: empty for the system's own choice; else `server:` or `card:` and its lasting name."""

    key: str
    name: str


DEFAULT = Output("", "The system's own choice")


def find_outputs() -> list[Output]:
    """The system's own choice first, then what can be chosen; takes up to a second, where a server does not answer."""
    served = _served()
    if served is not None and _door() is not None:
        return [DEFAULT, *served]
    return [DEFAULT, *_cards()]


def find_inputs() -> list[Output]:
    """As `find_outputs`, of what can be recorded from; what the server only hears of its own outputs is left out."""
    served = _served_inputs()
    if served is not None and _door() is not None:
        return [DEFAULT, *served]
    return [DEFAULT, *(Output(CARD + device["name"], device["name"]) for device in _devices("max_input_channels"))]


def is_there(key: str) -> bool:
    """Whether an output can be played to now; of the system's own choice: whether there is any."""
    served = _served()
    if key.startswith(SERVER):
        return any(output.key == key for output in served or ())
    if not key and served:
        return True
    cards = _cards()
    return any(output.key == key for output in cards) if key else bool(cards)


def _served() -> list[Output] | None:
    """The sound server's outputs; None where no server answers."""
    return _of_server(lambda server: server.sink_list())


def _served_inputs() -> list[Output] | None:
    """Its inputs, without those that only hear its own outputs."""
    return _of_server(lambda server: [item for item in server.source_list() if not item.name.endswith(".monitor")])


def _of_server(listed: Callable[[Any], list[Any]]) -> list[Output] | None:
    try:
        import pulsectl
    except (ImportError, OSError):
        return None
    try:
        with pulsectl.Pulse("all-even", connect=False) as server:
            server.connect(autospawn=False, timeout=ANSWER_S)
            return [Output(SERVER + item.name, item.description or item.name) for item in listed(server)]
    except Exception:  # its errors share no class; whichever it is, there is no server to play to
        return None


_opened = 0
_lock = threading.Lock()


def rescan() -> None:
    """Lets PortAudio look anew for cards that came or went; not while a stream is open."""
    import sounddevice

    with _lock:
        if not _opened:
            with contextlib.suppress(Exception):
                sounddevice._terminate()
            with contextlib.suppress(Exception):
                sounddevice._initialize()


def _devices(counted: str = "max_output_channels") -> list[dict[str, Any]]:
    """counted: PortAudio's word for the channels that it needs two of."""
    try:
        import sounddevice

        return [dict(device) for device in sounddevice.query_devices() if device[counted] >= 2]
    except Exception:  # PortAudio's binding raises many kinds, a missing library as OSError
        return []


def _cards() -> list[Output]:
    return [Output(CARD + device["name"], device["name"]) for device in _devices()]


def _door() -> int | None:
    return next((int(device["index"]) for device in _devices() if device["name"] == DOOR), None)


@contextlib.contextmanager
def opening(key: str) -> Iterator[int | None]:
    """While a stream is being opened: gives PortAudio's number of the output, None for its default.

    LookupError where there is no such output.
    """
    global _opened
    if not _opened:
        rescan()
    number = None
    if key.startswith(SERVER):
        number = _door()
    elif key.startswith(CARD):
        number = next((int(d["index"]) for d in _devices() if d["name"] == key.removeprefix(CARD)), None)
    if key and (number is None or not is_there(key)):
        raise LookupError(key)
    with _lock:
        _opened += 1
        before = os.environ.pop(NAMED_BY, None) if key else None
        if key.startswith(SERVER):
            os.environ[NAMED_BY] = key.removeprefix(SERVER)
    try:
        yield number
    except BaseException:
        closed()
        raise
    finally:
        if key:
            os.environ.pop(NAMED_BY, None)
            if before is not None:
                os.environ[NAMED_BY] = before


def closed() -> None:
    """A stream that was opened is closed, or could not be opened."""
    global _opened
    with _lock:
        _opened = max(0, _opened - 1)


class Presence:
    """Looks once a second, on a thread of its own, whether an output is still, or again, there."""

    def __init__(self, key: str) -> None:
        self._key = key
        self.there = True
        self._over = threading.Event()
        threading.Thread(target=self._look, name="output", daemon=True).start()

    def _look(self) -> None:
        while not self._over.wait(LOOK_S):
            self.there = is_there(self._key)

    def end(self) -> None:
        self._over.set()
