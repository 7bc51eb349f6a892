"""What two sequences begin with in common."""

from collections.abc import Sequence
from typing import Any


def same_start(one: Sequence[Any], other: Sequence[Any]) -> int:
    """How many items are the same from the beginning on; by halves, since slices are compared quickly."""
    low, high = 0, min(len(one), len(other))
    while low < high:
        middle = (low + high + 1) // 2
        if one[low:middle] == other[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low
