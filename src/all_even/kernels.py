"""How inner loops are compiled: one decorator, one cache folder, keyed by our own sources.

The cache is keyed by a hash of the package's sources, so that an edit to one kernel can never meet
the machine code of another version of its callee. Where the folder can't be written, a temporary
one is used. `fastmath` stays off (it deletes NaN guards) and so does `parallel` (threads are the
worker pool's business). Kernels release the GIL.
"""

import hashlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from all_even import places

F = TypeVar("F", bound=Callable[..., Any])


def source_hash() -> str:
    """A short hash over the package's sources outside the window."""
    package = Path(__file__).parent
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(package.rglob("*.py")):
        if "app" not in path.relative_to(package).parts:
            digest.update(path.read_bytes())
    return digest.hexdigest()


def _cache_dir() -> str:
    try:
        folder = places.cache_folder("kernels") / source_hash()
        folder.mkdir(exist_ok=True)
        (folder / ".writable").touch()
        return str(folder)
    except OSError:
        return tempfile.mkdtemp(prefix="all-even-kernels-")


os.environ.setdefault("NUMBA_CACHE_DIR", _cache_dir())

import numba  # noqa: E402  the cache folder has to be set before numba is imported


def kernel(function: F) -> F:
    """Compiles an inner loop on first call; cached on disk, without the GIL, division as in NumPy."""
    compiled: F = numba.njit(cache=True, nogil=True, error_model="numpy")(function)
    return compiled


def brief(compiled: F) -> F:
    """The same kernel for calls of some microseconds, keeping the GIL.

    Giving the GIL away costs up to a switch interval of waiting for it again: for a hundred short calls
    per block of the player that is worse than never giving it away.
    """
    kept: F = numba.njit(cache=True, nogil=False, error_model="numpy")(compiled.py_func)  # type: ignore[attr-defined]
    return kept
