"""What is to be said before anything is moved: a fact about some lanes, with its size, and no move by itself."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Press:
    """A button. command: by its id. text: what stands on it. lanes: those that it is given to; none: as selected."""

    command: str
    text: str
    lanes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Remark:
    """lanes: the ids it is about; none where it is about the whole mix. kind: which rule said it. size: in the unit of
    its kind. text: without names of a single lane. aside: good to know, and nothing to do first: it stands below the
    moves. presses: what answers or helps."""

    lanes: tuple[str, ...]
    kind: str
    size: float
    text: str
    aside: bool = False
    presses: tuple[Press, ...] = ()
