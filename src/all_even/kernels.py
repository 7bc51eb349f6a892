"""How inner loops are compiled: one decorator, one cache folder, keyed by our own sources.

The cache is keyed by a hash of all sources with kernels, so that an edit to one kernel can never meet
the machine code of another version of its callee. Where the folder can't be written, a temporary
one is used. Of `fastmath` only `contract` is on, which adds products unrounded; the rest would delete guards
against NaN. `parallel` is off (threads are the worker pool's business). Kernels release the GIL.

With `ALL_EVEN_CHECK_BOUNDS` set, kernels are compiled so that an index outside an array is an error
instead of a write into foreign memory: for tests, in a cache of their own.
"""

import hashlib
import os
import stat
import time
import types
from collections.abc import Callable
from functools import cache, cached_property
from pathlib import Path
from typing import Any, TypeVar, cast

from all_even import late, places

F = TypeVar("F", bound=Callable[..., Any])
CONTRACT = frozenset({"contract"})
MARKS = (b"@kernel", b"@cancelling", b"Written(")
"""Files with one of these hold loops that are compiled."""
WARM = ".warm"
"""In the cache folder, once everything was compiled."""


def checks_bounds() -> bool:
    """Whether kernels of this process are compiled with checks of every index."""
    return bool(os.environ.get("ALL_EVEN_CHECK_BOUNDS"))


def source_hash(package: Path = Path(__file__).parent) -> str:
    """A short hash over all files with kernels: what a kernel uses has to stand in one of them."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(package.rglob("*.py")):
        content = path.read_bytes()
        if any(mark in content for mark in MARKS):
            digest.update(content)
    return digest.hexdigest()


def cache_dir() -> str:
    """The folder of this version's compiled kernels, made where it is missing; nobody else may write to it."""
    try:
        folder = places.cache_folder("kernels") / (source_hash() + ("-checked" if checks_bounds() else ""))
        folder.mkdir(mode=0o700, exist_ok=True)
        status = folder.stat()
        if status.st_uid != os.geteuid():
            raise PermissionError
        if stat.S_IMODE(status.st_mode) & 0o077:
            folder.chmod(0o700)
        (folder / ".writable").touch()
        return str(folder)
    except OSError:
        return str(places.temporary_folder("kernels"))


def is_warm() -> bool:
    """Whether this version's kernels were all compiled before."""
    return (Path(os.environ.get("NUMBA_CACHE_DIR") or cache_dir()) / WARM).is_file()


def place_of(module: str, *, brief: bool = False) -> str:
    """Where kernels stand, as it is said between processes: the module, and whether they are for short calls."""
    return module.removeprefix("all_even.") + (" short" if brief else "")


awaited: Callable[[str], bool] | None = None
"""Whether another process is compiling what stands at a place: who needs it waits instead of compiling it as well. Set
by the window while it prepares a machine."""
WAIT_S = 0.02


class Kernel:
    """An inner loop that is compiled when it is first called.

    Until then neither numba nor the cache folder is touched: whoever only reads a session file or shows
    the start page does not wait for a compiler. Kernels called by this one are compiled with it.
    """

    def __init__(self, function: Callable[..., Any], fastmath: frozenset[str] = CONTRACT) -> None:
        self.function = function
        self._fastmath = fastmath
        self.__doc__ = function.__doc__
        self.__name__ = function.__name__
        self.place = place_of(function.__module__)

    def __call__(self, *arguments: Any) -> Any:
        while awaited is not None and awaited(self.place):
            time.sleep(WAIT_S)
        return self.compiled(*arguments)

    @cached_property
    def compiled(self) -> Callable[..., Any]:
        """The machine code's entry; compiles or loads it for the argument types it then meets."""
        plain = self.function
        callees = {
            name: value.compiled
            for name in plain.__code__.co_names
            if isinstance(value := plain.__globals__.get(name), Kernel)
        }
        copy = types.FunctionType(
            plain.__code__, {**plain.__globals__, **callees}, plain.__name__, plain.__defaults__, plain.__closure__
        )
        copy.__module__, copy.__qualname__ = plain.__module__, plain.__qualname__
        return _compiled(copy, nogil=True, fastmath=set(self._fastmath))

    @cached_property
    def brief(self) -> "Kernel":
        """The same loop for calls of some microseconds; see `brief`."""
        return Brief(self)


class Brief(Kernel):
    """A loop that is entered with the interpreter kept: the machine code of `whole`, called by one line."""

    def __init__(self, whole: Kernel) -> None:
        super().__init__(whole.function)
        self.whole = whole
        self.place = place_of(whole.function.__module__, brief=True)

    @cached_property
    def compiled(self) -> Callable[..., Any]:
        """Compiles the one line, and the loop where nobody did."""
        plain = self.function.__code__
        names = ", ".join(plain.co_varnames[: plain.co_argcount])
        line = compile(f"def enter({names}):\n    return whole({names})", plain.co_filename, "exec")
        code = next(part for part in line.co_consts if isinstance(part, types.CodeType))
        entry = types.FunctionType(
            code.replace(co_firstlineno=plain.co_firstlineno), {"whole": self.whole.compiled}, self.__name__,
            self.function.__defaults__,
        )  # fmt: skip
        # The cache tells functions apart by this name.
        entry.__module__, entry.__qualname__ = self.function.__module__, self.function.__qualname__ + "_brief"
        return _compiled(entry, nogil=False)


@cache
def _compiler() -> tuple[Any, Any]:
    """The compiler and our files for it. Read in once: later loops do not wait for who reads in another library."""
    with late.LOCK:
        import numba

        from all_even import kernel_files

        return numba, kernel_files


def _compiled(function: Callable[..., Any], **options: Any) -> Callable[..., Any]:
    """Machine code for the argument types it meets, kept on disk."""
    if "NUMBA_CACHE_DIR" not in os.environ:
        os.environ["NUMBA_CACHE_DIR"] = cache_dir()
    numba, kernel_files = _compiler()
    made = numba.njit(cache=True, error_model="numpy", boundscheck=checks_bounds(), **options)(function)
    kernel_files.check_sums(made)
    return cast(Callable[..., Any], made)


class Written(Kernel):
    """A piece of machine code that is written by hand for the compiler, for use inside kernels.

    make: returns it; called once, when a kernel that uses it is compiled.
    """

    def __init__(self, make: Callable[[], Callable[..., Any]]) -> None:
        super().__init__(make)

    @cached_property
    def compiled(self) -> Callable[..., Any]:
        """What a kernel calls."""
        return self.function()


def kernel(function: F) -> F:
    """Marks an inner loop: cached on disk, without the GIL, division as in NumPy."""
    return cast(F, Kernel(function))


def cancelling(function: F) -> F:
    """A `@kernel` that rounds each product before it is added: what cancels on paper is zero in the samples."""
    return cast(F, Kernel(function, fastmath=frozenset()))


def brief(compiled: F) -> F:
    """The same kernel for calls of some microseconds, keeping the GIL.

    Giving the GIL away costs up to a switch interval of waiting for it again: for a hundred short calls
    per block of the player that is worse than never giving it away.
    """
    return cast(F, cast(Kernel, compiled).brief)
