"""A metric: the figure that a move is judged by, named and measured the same way before and after it."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look

Arguments = Mapping[str, float | int | str | None]


@dataclass(frozen=True, slots=True)
class Metric:
    """label: what it is, with lower-case first letter. tolerance: within which a promise counts as kept. depends_on:
    what it is measured on (`moves.dependencies`). read: measures it; None where it can't be known."""

    id: str
    label: str
    unit: str
    decimals: int
    tolerance: float
    depends_on: tuple[str, ...]
    read: Callable[[Look, Arguments], float | None]

    def text(self, value: float | None) -> str:
        """The figure with its unit; a dash where it is unknown."""
        if value is None or not math.isfinite(value):
            return "–"
        return f"{number(value, self.decimals)} {self.unit}".rstrip()


def words(metric: str) -> Metric:
    """For a metric that is not known any more, from an older file: it can be shown, not measured."""
    return Metric(metric, metric, "", 1, 0.0, (), lambda _look, _arguments: None)
