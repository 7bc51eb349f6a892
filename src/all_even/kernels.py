"""How inner loops are compiled: one decorator, one cache folder, keyed by our own sources.

The cache is keyed by a hash of all sources with kernels, so that an edit to one kernel can never meet
the machine code of another version of its callee. Where the folder can't be written, a temporary
one is used. `fastmath` stays off (it deletes NaN guards) and so does `parallel` (threads are the
worker pool's business). Kernels release the GIL.
"""

import hashlib
import os
import tempfile
import types
from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import Any, TypeVar, cast

from all_even import places

F = TypeVar("F", bound=Callable[..., Any])


def source_hash() -> str:
    """A short hash over all files with kernels: what a kernel uses has to stand in one of them."""
    package = Path(__file__).parent
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(package.rglob("*.py")):
        content = path.read_bytes()
        if b"@kernel" in content:
            digest.update(content)
    return digest.hexdigest()


def cache_dir() -> str:
    try:
        folder = places.cache_folder("kernels") / source_hash()
        folder.mkdir(exist_ok=True)
        (folder / ".writable").touch()
        return str(folder)
    except OSError:
        return tempfile.mkdtemp(prefix="all-even-kernels-")


class Kernel:
    """An inner loop that is compiled when it is first called.

    Until then neither numba nor the cache folder is touched: whoever only reads a session file or shows
    the start page does not wait for a compiler. Kernels called by this one are compiled with it.
    """

    def __init__(self, function: Callable[..., Any], keeps_interpreter: bool = False) -> None:
        self.function = function
        self._keeps_interpreter = keeps_interpreter
        self.__doc__ = function.__doc__
        self.__name__ = function.__name__

    def __call__(self, *arguments: Any) -> Any:
        return self.compiled(*arguments)

    @cached_property
    def compiled(self) -> Callable[..., Any]:
        """The machine code's entry; compiles or loads it for the argument types it then meets."""
        if "NUMBA_CACHE_DIR" not in os.environ:
            os.environ["NUMBA_CACHE_DIR"] = cache_dir()
        import numba

        plain = self.function
        callees = {
            name: value.compiled
            for name in plain.__code__.co_names
            if isinstance(value := plain.__globals__.get(name), Kernel)
        }
        copy = types.FunctionType(
            plain.__code__, {**plain.__globals__, **callees}, plain.__name__, plain.__defaults__, plain.__closure__
        )
        copy.__module__ = plain.__module__
        # The cache tells functions apart by this name, not by whether they keep the interpreter.
        copy.__qualname__ = plain.__qualname__ + ("_brief" if self._keeps_interpreter else "")
        options = {"cache": True, "nogil": not self._keeps_interpreter, "error_model": "numpy"}
        return cast(Callable[..., Any], numba.njit(**options)(copy))

    @cached_property
    def brief(self) -> "Kernel":
        """The same loop for calls of some microseconds; see `brief`."""
        return Kernel(self.function, keeps_interpreter=True)


def kernel(function: F) -> F:
    """Marks an inner loop: cached on disk, without the GIL, division as in NumPy."""
    return cast(F, Kernel(function))


def brief(compiled: F) -> F:
    """The same kernel for calls of some microseconds, keeping the GIL.

    Giving the GIL away costs up to a switch interval of waiting for it again: for a hundred short calls
    per block of the player that is worse than never giving it away.
    """
    return cast(F, cast(Kernel, compiled).brief)
