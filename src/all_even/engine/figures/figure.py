"""What a figure is: a name, a version, what it rests on, and how it is worked out.

A figure is never stored in a session: it is worked out from one, and known again by the fingerprint of what it rests
on. Adding one is one `Figure` beside the function that works it out; whoever wants it asks `Look.get`.
"""

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar

import numpy as np

from all_even.engine.figures.fingerprint import Fingerprint, Fingerprints

if TYPE_CHECKING:
    from all_even.engine.figures.look import Look

T = TypeVar("T")
Scope = Literal["file", "strip", "feed", "bus", "pair", "mix", "session"]


@dataclass(frozen=True, slots=True)
class Figure(Generic[T]):
    """version: raised when the definition changes. rests_on: the fingerprint, given the session's and a target (a
    strip, `a:b`, or empty). compute: pure; asks the look for other figures, and lets it be cancelled. kept_as: the
    type by which it is kept on disk, where it rests on the files alone, is small, and takes long to work out.
    """

    name: str
    version: int
    scope: Scope
    rests_on: Callable[["Look", Fingerprints, str], Fingerprint]
    compute: Callable[["Look", str], T]
    kept_as: Any = None


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
