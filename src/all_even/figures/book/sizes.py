"""How much memory a figure takes."""

import dataclasses
from collections.abc import Iterator
from typing import Any

import numpy as np

OTHERS_BYTES = 64
"""About what a figure takes besides."""


def arrays_of(value: Any) -> Iterator[np.ndarray[Any, Any]]:
    """The arrays of a figure."""
    if isinstance(value, np.ndarray):
        yield value
    elif dataclasses.is_dataclass(value) and not isinstance(value, type):
        for field in dataclasses.fields(value):
            yield from arrays_of(getattr(value, field.name))
    elif isinstance(value, dict):
        for item in value.values():
            yield from arrays_of(item)
    elif isinstance(value, tuple | list) and len(value) < 1000:
        for item in value:
            yield from arrays_of(item)


def size_of(value: Any) -> int:
    """How many bytes the arrays of a figure take, each counted once."""
    return sum({id(array): int(array.nbytes) for array in arrays_of(value)}.values())
