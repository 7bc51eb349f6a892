"""The sound of strips behind their chains, kept beside the caches so that a change elsewhere need not render it again.

Each sound is a file of float32 without a name: it is gone with the process, however that ends. The oldest ones
make room for new ones. What finds no room is not kept, and rendered again.
"""

import contextlib
import os
import shutil
import tempfile
import threading
from collections import OrderedDict, deque

import numpy as np
from numpy.typing import NDArray

from all_even import places
from all_even.audio.sound_file import Samples

MOST_BYTES = 6 << 30
TAIL = 1 << 13
"""Frames behind the song: more than any processor looks ahead."""
SHARE_OF_DISK = 0.25
"""No more than this of what is free."""
MOST_PASSING = 8
"""So many sums are kept: each state has its own, and is left soon."""


class KeptSound:
    """(frames, channels) of float32 from the song's first frame on; silence around it.

    lead: frames before the song that are kept too: what looks ahead may sound there already, and be delayed later.
    So are `TAIL` frames behind it, which a later station may look ahead to.
    """

    def __init__(self, channels: int, frames: int, lead: int = 0) -> None:
        """Raises OSError where there is no room for it."""
        self.channels, self.frames, self.lead = channels, frames, lead
        self._file = tempfile.TemporaryFile(dir=places.cache_folder("strips"))  # noqa: SIM115 - lives as long as this
        self._fd = self._file.fileno()
        if self.bytes:
            os.posix_fallocate(self._fd, 0, self.bytes)  # a full disk is told now, not while writing

    @property
    def bytes(self) -> int:
        return 4 * self.channels * (self.lead + self.frames + TAIL)

    def write(self, start: int, block: NDArray[np.floating]) -> None:
        """Writes (frames, channels) at song frame `start`; what lies outside is left out."""
        first, stop = max(-self.lead, start), min(self.frames + TAIL, start + len(block))
        if stop > first:
            part = np.ascontiguousarray(block[first - start : stop - start], dtype=np.float32)
            os.pwrite(self._fd, part.data.cast("B"), 4 * self.channels * (first + self.lead))

    def read(self, start: int, frames: int) -> Samples:
        """(frames, channels) from song frame `start` on; zeros outside."""
        result = np.zeros((frames, self.channels), dtype=np.float32)
        first, stop = max(-self.lead, start), min(start + frames, self.frames + TAIL)
        if stop > first:
            wanted = result[first - start : stop - start].data.cast("B")
            done, place = 0, 4 * self.channels * (first + self.lead)
            while done < len(wanted):
                got = os.preadv(self._fd, [wanted[done:]], place + done)
                if got <= 0:
                    break
                done += got
        return result


class KeptSounds:
    """Sounds by fingerprint, the least recently used let go first. Safe to use from any thread."""

    def __init__(self, most_bytes: int | None = None) -> None:
        self._lock = threading.Lock()
        self._sounds: OrderedDict[str, KeptSound] = OrderedDict()
        self._passing: deque[str] = deque()
        self._most_bytes = _room() if most_bytes is None else most_bytes

    def get(self, fingerprint: str) -> KeptSound | None:
        with self._lock:
            sound = self._sounds.get(fingerprint)
            if sound is not None:
                self._sounds.move_to_end(fingerprint)
            return sound

    def new(self, channels: int, frames: int, lead: int = 0) -> KeptSound | None:
        """An empty sound to write to, or None where it is too long or the disk is full."""
        if 4 * channels * (lead + frames + TAIL) > self._most_bytes:
            return None
        with contextlib.suppress(OSError):
            return KeptSound(channels, frames, lead)
        return None

    def put(self, fingerprint: str, sound: KeptSound, *, passing: bool = False) -> None:
        """Keeps a whole sound; the oldest ones go where it needs their room. passing: only until some more of these
        have come."""
        with self._lock:
            if passing:
                self._passing.append(fingerprint)
                if len(self._passing) > MOST_PASSING:
                    self._sounds.pop(self._passing.popleft(), None)
            self._sounds[fingerprint] = sound
            self._sounds.move_to_end(fingerprint)
            total = sum(kept.bytes for kept in self._sounds.values())
            while total > self._most_bytes and len(self._sounds) > 1:
                total -= self._sounds.popitem(last=False)[1].bytes

    def clear(self) -> None:
        with self._lock:
            self._sounds.clear()
            self._passing.clear()


def _room() -> int:
    try:
        free = shutil.disk_usage(places.cache_folder("strips")).free
    except OSError:
        return 0
    return min(MOST_BYTES, int(free * SHARE_OF_DISK))
