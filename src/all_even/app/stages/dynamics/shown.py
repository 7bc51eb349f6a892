"""What lanes and bench of this stage show: what moves in each strip, strip by strip as it is measured.

What was measured stays on the screen until it is measured again; while a hand moves something nothing is asked for.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching
from all_even.session.model.strips import MIX

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.measure.dynamics.movement import Movement


class Shown(Watching):
    """movements: by strip; None where nothing is heard."""

    STAGE, WHOLE = "dynamics", False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.movements: dict[str, Movement | None] = {}

    def of(self, strip_id: str) -> "Movement | None":
        return self.movements.get(strip_id)

    def forget(self) -> None:
        self.movements = {}

    def measure(self, look: "Look", first: str | None, send: Callable[[object], None]) -> "dict[str, Movement | None]":
        from all_even.figures.dynamics.dynamics import moving

        session = look.session
        strips = [*(lane.id for lane in session.lanes if not lane.hidden), *(bus.id for bus in session.buses), MIX]
        found = {}
        for strip_id in sorted(strips, key=lambda strip_id: strip_id != first):
            found[strip_id] = moving(look, strip_id)
            send((strip_id, found[strip_id]))
        return found

    def take(self, part: "tuple[str, Movement | None]") -> None:
        self.movements[part[0]] = part[1]

    def take_last(self, part: "dict[str, Movement | None]") -> None:
        self.movements = part
