"""The bench of a stage: what every one of them can do."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QWidget

from all_even.app.desk import Desk
from all_even.app.work import Line

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.figures.book.look import Look

HEIGHT = 212


class Bench(QWidget):
    """The close look at what is selected. The frame calls `refresh` whenever something changed while it is shown."""

    wanted_height = HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._asked: dict[str, object] = {}

    def look_at(
        self,
        name: str,
        figure: "Callable[[Look], object]",
        show: Callable[[Any], None],
        *,
        also: object = None,
        line: Line = "quick",
    ) -> None:
        """Shows a figure of the present session, worked out off this thread once for each state; None until one can be.

        name: of the job; also: what it rests on beside the session; line: of `Desk.start`.
        """
        desk = self.desk
        if desk.figures.book is None or desk.mix_stale:
            if name not in self._asked:
                show(None)
            return
        session = desk.session
        before = self._asked.get(name)
        if isinstance(before, tuple) and before[0] is session and before[1] == also:
            return
        self._asked[name] = (session, also)

        def done(found: object) -> None:
            if desk.is_open and desk.session is session:
                show(found)

        desk.figures.find(name, figure, done, line=line)

    def look_anew(self) -> None:
        """What was looked at is of another song."""
        self._asked.clear()

    def refresh(self) -> None:
        """Shows the session as it is now; a session is open."""
        raise NotImplementedError

    def select(self) -> None:
        """Something else is selected."""
        self.refresh()

    def open_part(self, part_id: str) -> None:
        """Shows a part of what is selected, such as a station, where the bench has such."""

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        """Thirty times a second. meters: of what is heard; None while nothing plays."""

    def set_follow(self, on: bool) -> None:
        """Whether close views stay around the playing position."""

    def fit(self, narrow: bool) -> None:
        """narrow: whether the window has little width."""
