"""Several things looked at at once, on as many threads as a look has: kernels and NumPy let each other run."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from all_even.figures.book.look import Look
from all_even.priority import step_back

T = TypeVar("T")
R = TypeVar("R")


def side_by_side(look: Look, work: Callable[[T], R], items: Sequence[T]) -> list[R]:
    """What comes of each, in their order. Raises what the first of them raises; the others are waited for."""
    if look.workers < 2 or len(items) < 2:
        return [work(item) for item in items]
    with ThreadPoolExecutor(look.workers, thread_name_prefix="side by side", initializer=step_back) as pool:
        return list(pool.map(work, items))
