"""How this process gets its memory: what an array gave back is taken for the next one.

As it comes, the C library asks the system for each large array anew and gives it back at once; the system then fills
every page of it with zeros, page by page, while we wait: a fifth of all time on songs of four minutes.
"""

import contextlib
import ctypes

TRIM_THRESHOLD, MMAP_THRESHOLD, ARENA_MAX = -1, -3, -8
"""Of glibc's `mallopt` (malloc.h)."""
KEPT_BYTES = (1 << 31) - 1
"""Free memory at the end of the heap over this goes back to the system."""
LARGEST_BYTES = 1 << 30
"""Larger arrays have pages of their own, as before."""


def keep() -> None:
    """Sees to it, for all threads from now on; where the C library is another one, nothing changes."""
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(ARENA_MAX, 1)
        mallopt(TRIM_THRESHOLD, KEPT_BYTES)
        mallopt(MMAP_THRESHOLD, LARGEST_BYTES)
