"""Lanes as seats on a plan: a mark and a name each, to take hold of; what across and up mean, the subclass says."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from all_even import texts
from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.desk import Desk
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import FINE
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

SEAT = 12.0
NAME_WIDTH, NAME_LETTERS = 100.0, 18


class SeatsDrawing(Handled, Drawing):
    """Subclasses say who has a seat, where, and what a drag does."""

    title = ""
    OVER = Qt.CursorShape.OpenHandCursor

    def __init__(self, desk: Desk, name: str, tip: str) -> None:
        super().__init__(name, tip)
        self.desk = desk
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def lanes(self) -> list[Lane]:
        """Those that have a seat."""
        raise NotImplementedError

    def places(self) -> dict[str, QPointF]:
        """Where each seat is drawn, by lane id."""
        raise NotImplementedError

    def seat_tip(self, lane: Lane) -> str:
        """What is said of a seat under the pointer."""
        raise NotImplementedError

    def taken(self, lane: Lane, at: QPointF) -> None:
        """A seat was taken hold of."""

    def dragged(self, lane: Lane, at: QPointF, *, fine: bool) -> None:
        """The seat in the hand is moved."""
        raise NotImplementedError

    def nudged(self, lane: Lane, across: float, up: float) -> None:
        """The arrow keys: by so many steps to the right, or up."""
        raise NotImplementedError

    # Painting.

    def paint_seats(self, painter: QPainter, plot: QRectF) -> None:
        """The selected ones first, so that their names are written."""
        places, selected = self.places(), set(self.desk.selected)
        written: list[QRectF] = []
        taken = np.array([(place.x(), place.y()) for place in places.values()]).reshape(-1, 2)
        for lane in sorted(self.lanes(), key=lambda lane: lane.id not in selected):
            self._seat(painter, plot, lane, places[lane.id], taken, lane.id in selected, written)

    def _seat(
        self,
        painter: QPainter,
        plot: QRectF,
        lane: Lane,
        at: QPointF,
        taken: NDArray[np.float64],
        selected: bool,
        written: list[QRectF],
    ) -> None:
        """taken: (seats, 2) where everybody stands; written: the names that stand there already."""
        box = QRectF(at.x() - SEAT / 2, at.y() - SEAT / 2, SEAT, SEAT)
        if selected:
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 3), 4, 4)
        icons.draw_mark(painter, family_of(lane.role), box)
        shown = texts.clipped(lane.name, NAME_LETTERS)
        name = QRectF(box.right() + 3, at.y() - 8, min(NAME_WIDTH, paint.width_of(shown, theme.SMALL) + 1), 16)
        if name.right() > plot.right():
            name.moveRight(box.left() - 3)

        def covers_others() -> bool:
            inside = (np.abs(taken[:, 0] - name.center().x()) < name.width() / 2 + 6) & (
                np.abs(taken[:, 1] - name.center().y()) < name.height() / 2 + 6
            )
            own = (taken[:, 0] == at.x()) & (taken[:, 1] == at.y())
            return bool((inside & ~own).any())

        if selected and covers_others():
            name.moveCenter(QPointF(at.x(), at.y() - SEAT - 5))
        if selected or not (any(name.intersects(other) for other in written) or covers_others()):
            written.append(name)
            paint.text(painter, name, shown, size=theme.SMALL, colour=theme.colour("text" if selected else "quiet"))

    # The hand.

    def seat_at(self, x: float, y: float) -> str | None:
        """The lane whose seat is there."""
        near = [
            (abs(place.x() - x) + abs(place.y() - y), lane_id)
            for lane_id, place in self.places().items()
            if abs(place.x() - x) <= SEAT and abs(place.y() - y) <= SEAT
        ]
        return min(near)[1] if near else None

    def handle_at(self, at: QPointF) -> str | None:
        return self.seat_at(at.x(), at.y()) if self.desk.is_open else None

    def press(self, at: QPointF) -> None:
        if self.held is not None:
            self.taken(self.desk.session.lane(self.held), at)
            self.desk.select((self.held,))

    def drag(self, at: QPointF, *, fine: bool) -> None:
        if self.desk.is_open:
            self.dragged(self.desk.session.lane(self.held), at, fine=fine)

    def hover(self, at: QPointF) -> None:
        super().hover(at)
        over = self.handle_at(at)
        tip = self.seat_tip(self.desk.session.lane(over)) if over is not None else self.accessibleName()
        self.setToolTip(texts.tip(tip))

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        current, step = self.desk.current_lane if self.desk.is_open else None, FINE if fine else 1.0
        across = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}.get(key, 0.0)
        up = {Qt.Key.Key_Up: step, Qt.Key.Key_Down: -step}.get(key, 0.0)
        if current is None or not (across or up):
            return False
        self.nudged(self.desk.session.lane(current), across, up)
        return True

    def drop(self, held: str, at: QPointF) -> None:
        self.desk.end_gesture()
        super().drop(held, at)
