"""Many sessions side by side: one process a core, each with kernels and figures of its own."""

import multiprocessing
import os
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")
MOST = 4


def in_processes(work: Callable[[A], B], wanted: Iterable[A]) -> list[B]:
    """What comes of each, in order. work: of a module that can be imported."""
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(max_workers=max(1, min(MOST, os.cpu_count() or 1)), mp_context=context) as pool:
        return list(pool.map(work, wanted))
