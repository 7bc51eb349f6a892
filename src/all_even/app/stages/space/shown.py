"""What lanes and bench of Space show; asked for when the hand rests, kept on the screen until it is known anew."""

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching
from all_even.app.work import Report
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.space.depth import Depth
    from all_even.figures.space.space_view import ReturnView, SpaceView


class Shown(Watching):
    """view: None before it is known first."""

    STAGE = "space"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.view: SpaceView | None = None
        desk.mix_measured.connect(self.refresh)

    def depth(self, lane_id: str) -> "Depth | None":
        return self.view.depths.get(lane_id) if self.view is not None else None

    def of(self, bus_id: str) -> "ReturnView | None":
        return self.view.returns.get(bus_id) if self.view is not None else None

    def forget(self) -> None:
        self.view = None

    def ask(self, look: "Look", session: Session) -> None:
        def job(report: Report) -> "SpaceView":
            from all_even.figures.space.space_view import space_view

            return space_view(look.with_cancel(report.cancelled), report.send)

        def show(found: "SpaceView") -> None:
            self.view = found
            self.changed.emit()

        def done(found: "SpaceView") -> None:
            self.view = found
            self.known(session)

        self.desk.start("space", job, done, show)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
