"""A question that only the user can answer: told in a bar of the window, which waits and stops nothing."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Answer:
    """main: the one that loses nothing, shown first and stronger."""

    text: str
    act: Callable[[], object]
    main: bool = False


@dataclass(frozen=True, slots=True)
class Question:
    sentence: str
    answers: tuple[Answer, ...]
