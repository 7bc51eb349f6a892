"""How much memory a figure takes."""

import dataclasses
from typing import Any

import numpy as np


def size_of(value: Any) -> int:
    """About how many bytes a figure's arrays take."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return sum(size_of(getattr(value, field.name)) for field in dataclasses.fields(value))
    if isinstance(value, dict):
        return sum(size_of(item) for item in value.values())
    if isinstance(value, tuple | list) and len(value) < 1000:
        return sum(size_of(item) for item in value)
    return 64
