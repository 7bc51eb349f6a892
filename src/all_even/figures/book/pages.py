"""Pages: figures that are known, by name, version and fingerprint; those not asked for longest go where room is needed.

A fingerprint tells what a figure rests on, down to the content of the files: so books of several songs may share their
pages, and a song that is come back to is known.
"""

import threading
from collections import OrderedDict
from typing import Any
from weakref import WeakValueDictionary

from all_even.figures.book.fingerprint import Fingerprint
from all_even.figures.book.sizes import size_of

MOST_BYTES = 384 << 20
Key = tuple[str, int, Fingerprint]
"""Name, version, fingerprint."""


class Pages:
    """Safe to use from any thread."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._lock = threading.Lock()
        self._values: OrderedDict[Key, Any] = OrderedDict()
        self._turns: WeakValueDictionary[Key, threading.Lock] = WeakValueDictionary()
        self._bytes = 0
        self._most_bytes = most_bytes

    def get(self, name: str, version: int, fingerprint: Fingerprint) -> Any:
        """A figure that is known, or None."""
        key = (name, version, fingerprint)
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
            return self._values.get(key)

    def put(self, name: str, version: int, fingerprint: Fingerprint, value: Any) -> None:
        key = (name, version, fingerprint)
        with self._lock:
            if key in self._values:
                self._bytes -= size_of(self._values.pop(key))
            self._values[key] = value
            self._bytes += size_of(value)
            while self._bytes > self._most_bytes and len(self._values) > 1:
                self._bytes -= size_of(self._values.popitem(last=False)[1])

    def turn(self, name: str, version: int, fingerprint: Fingerprint) -> threading.Lock:
        """The lock of whoever works a figure out: others who want it wait, and find it."""
        key = (name, version, fingerprint)
        with self._lock:
            return self._turns.setdefault(key, threading.Lock())

    def make_room_for(self, count_bytes: int) -> None:
        """What is asked for together has to be there together, and once more for what comes of an edit."""
        with self._lock:
            self._most_bytes = max(self._most_bytes, 2 * count_bytes)
