"""How a stage is shown: the body of its lanes, its bench, and the commands that are its own."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from all_even.app.commands import Command
from all_even.app.desk import Desk

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.lanes.body import Body


@dataclass(frozen=True, slots=True)
class StageView:
    """What a stage's folder gives to the window. body, bench: made when the stage is first shown; loaded no earlier."""

    body: "Callable[[Desk], Body]"
    bench: "Callable[[Desk], Bench]"
    commands: tuple[Command, ...] = ()
