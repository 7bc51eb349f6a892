"""Pages: figures that are known, by name, version and fingerprint; those not asked for longest go where room is needed.

A fingerprint tells what a figure rests on, down to the content of the files: so books of several songs may share their
pages, and a song that is come back to is known. What was heard in a pass over the song has a shelf of its own, so that
what is worked out from it, state by state, does not push it out: it would have to be heard again. So has what is small:
a table of the whole song weighs more than thousands of figures and proposals, and is worked out in a second.
"""

import threading
from collections import Counter, OrderedDict
from typing import Any
from weakref import WeakValueDictionary

from all_even.figures.book.fingerprint import Fingerprint
from all_even.figures.book.sizes import OTHERS_BYTES, arrays_of, size_of

MOST_BYTES = 384 << 20
"""Of what was heard; two thirds of it of large tables that are worked out, a sixth of all that is small."""
SMALL_BYTES = 4 << 20
Key = tuple[str, int, Fingerprint]
"""Name, version, fingerprint."""


class _Shelf:
    """Values, and the room they take: an array that several have counts once."""

    def __init__(self, most_bytes: int) -> None:
        self.values: OrderedDict[Key, Any] = OrderedDict()
        self.most_bytes = most_bytes
        self._bytes = 0
        self._holders: Counter[int] = Counter()

    def get(self, key: Key) -> Any:
        if key in self.values:
            self.values.move_to_end(key)
        return self.values.get(key)

    def put(self, key: Key, value: Any) -> None:
        if key in self.values:
            self._let_go(self.values.pop(key))
        self.values[key] = value
        self._bytes += OTHERS_BYTES
        for array in arrays_of(value):
            self._holders[id(array)] += 1
            if self._holders[id(array)] == 1:
                self._bytes += array.nbytes
        while self._bytes > self.most_bytes and len(self.values) > 1:
            self._let_go(self.values.popitem(last=False)[1])

    def _let_go(self, value: Any) -> None:
        self._bytes -= OTHERS_BYTES
        for array in arrays_of(value):
            self._holders[id(array)] -= 1
            if not self._holders[id(array)]:
                del self._holders[id(array)]
                self._bytes -= array.nbytes


class Pages:
    """Safe to use from any thread. shared: parts that several figures have in common, as long as one of them is there;
    by a fingerprint of their own."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._lock = threading.Lock()
        self._heard = _Shelf(most_bytes)
        self._large, self._small = _Shelf(2 * most_bytes // 3), _Shelf(most_bytes // 6)
        self.shared: WeakValueDictionary[Fingerprint, Any] = WeakValueDictionary()
        self._turns: WeakValueDictionary[Key, threading.Lock] = WeakValueDictionary()

    def get(self, name: str, version: int, fingerprint: Fingerprint) -> Any:
        """A figure that is known, or None."""
        key = (name, version, fingerprint)
        with self._lock:
            for shelf in (self._heard, self._small, self._large):
                found = shelf.get(key)
                if found is not None:
                    return found
            return None

    def put(self, name: str, version: int, fingerprint: Fingerprint, value: Any, *, heard: bool = False) -> None:
        """heard: in a pass over the song."""
        with self._lock:
            shelf = self._heard if heard else self._small if size_of(value) < SMALL_BYTES else self._large
            shelf.put((name, version, fingerprint), value)

    def turn(self, name: str, version: int, fingerprint: Fingerprint) -> threading.Lock:
        """The lock of whoever works a figure out: others who want it wait, and find it."""
        key = (name, version, fingerprint)
        with self._lock:
            return self._turns.setdefault(key, threading.Lock())

    def make_room_for(self, count_bytes: int) -> None:
        """What is heard together has to be there together, and once more for what comes of an edit."""
        with self._lock:
            self._heard.most_bytes = max(self._heard.most_bytes, 2 * count_bytes)
