"""How a stage is shown: the body of its lanes, its bench, and the commands that are its own."""

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import Command, Hands
from all_even.app.desk import Desk

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.lanes.body import Body


@dataclass(frozen=True, slots=True)
class StageView:
    """What a stage's folder gives to the window. folder: its package, of which the modules `body` and `bench` are read
    in when the stage is first shown, no earlier; body, bench: the classes there."""

    folder: str
    body: str
    bench: str
    commands: tuple[Command[Hands], ...] = ()

    def make_body(self, desk: Desk) -> "Body":
        return cast("Body", getattr(import_module(f"{self.folder}.body"), self.body)(desk))

    def make_bench(self, desk: Desk) -> "Bench":
        return cast("Bench", getattr(import_module(f"{self.folder}.bench"), self.bench)(desk))
