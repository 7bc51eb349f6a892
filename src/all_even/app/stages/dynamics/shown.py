"""What lanes and bench of this stage show: what moves in each strip, strip by strip as it is measured.

What was measured stays on the screen until it is measured again; while a hand moves something nothing is asked for.
"""

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching
from all_even.app.work import Report
from all_even.session.model.session import Session
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

    def ask(self, look: "Look", session: Session) -> None:
        strips = [*(lane.id for lane in session.lanes if not lane.hidden), *(bus.id for bus in session.buses)]
        first = self.desk.current
        wanted = sorted((*strips, MIX), key=lambda strip_id: strip_id != first)
        self.movements = {strip_id: self.movements[strip_id] for strip_id in wanted if strip_id in self.movements}

        def job(report: Report) -> None:
            from all_even.figures.dynamics.dynamics import moving

            heard = look.with_cancel(report.cancelled)
            for strip_id in wanted:
                report.send((strip_id, moving(heard, strip_id)))

        def partial(found: "tuple[str, Movement | None]") -> None:
            strip_id, movement = found
            if strip_id not in self.movements or self.movements[strip_id] is not movement:
                self.movements[strip_id] = movement
                self.changed.emit()

        self.desk.start("movement", job, lambda _none: self.known(session), partial)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
