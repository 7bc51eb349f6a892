"""What lanes and bench of Space show; asked for when the hand rests, kept on the screen until it is known anew."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching

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

    def depth(self, lane_id: str) -> "Depth | None":
        return self.view.depths.get(lane_id) if self.view is not None else None

    def of(self, bus_id: str) -> "ReturnView | None":
        return self.view.returns.get(bus_id) if self.view is not None else None

    def forget(self) -> None:
        self.view = None

    def measure(self, look: "Look", first: str | None, send: Callable[[object], None]) -> "SpaceView":
        from all_even.figures.space.space_view import space_view

        return space_view(look, send)

    def take(self, part: "SpaceView") -> None:
        self.view = part
