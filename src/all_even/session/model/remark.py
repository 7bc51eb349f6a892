"""What is to be said before anything is moved: a fact about some lanes, with its size, and no move by itself."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Remark:
    """lanes: the ids it is about; none where it is about the whole mix. kind: which rule said it. size: in the unit of
    its kind. text: without names of a single lane. aside: good to know, and nothing to do first: it stands below the
    moves. press: the command, by its id, that helps; press_text: what its button says."""

    lanes: tuple[str, ...]
    kind: str
    size: float
    text: str
    aside: bool = False
    press: str = ""
    press_text: str = ""
