"""Lanes as seats on a plan: a mark and a name each, to take hold of; what across and up mean, the subclass says."""

import numpy as np
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
GAP = 6.0
"""Between a seat and its name: the ring of a selected one fits in."""
NAME_WIDTH, NAME_LETTERS, NAME_LINES = 100.0, 18, 5


class SeatsDrawing(Handled, Drawing):
    """Subclasses say who has a seat, where, and what a drag does."""

    title = ""
    OVER = Qt.CursorShape.OpenHandCursor

    def __init__(self, desk: Desk, name: str, tip: str) -> None:
        super().__init__(name, tip)
        self.desk = desk
        self._drawn: tuple[object, ...] | None = None
        self._where: dict[str, QPointF] = {}
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

    def basis(self) -> tuple[object, ...]:
        """What the places follow from, apart from the size; as long as these are the same objects, all stay seated."""
        raise NotImplementedError

    # Painting: everybody in the kept picture, over it who is selected.

    def renew(self) -> None:
        """A selection alone draws nobody else anew."""
        basis = (*self.basis(), theme.current().name)
        drawn, self._drawn = self._drawn, basis
        if drawn is not None and all(old is new for old, new in zip(drawn, basis, strict=True)):
            self.update()
        else:
            super().renew()

    def paint_seats(self, painter: QPainter, plot: QRectF) -> None:
        """Names that would lie on others are left out."""
        self._where = self.places()
        written: list[QRectF] = []
        for lane in self.lanes():
            at = self._where[lane.id]
            _mark(painter, lane, at)
            shown, name = _name(plot, lane, at)
            if not (any(name.intersects(other) for other in written) or self._covers_others(name, at)):
                written.append(name)
                paint.text(painter, name, shown, size=theme.SMALL, colour=theme.colour("quiet"))

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        """The selected ones with their names, on a ground that keeps them legible; over each other where they are many,
        and left out from the fifth line on."""
        written: list[QRectF] = []
        names: list[tuple[QRectF, str]] = []
        selected = set(self.desk.selected) & self._where.keys() if self.desk.is_open else set()
        seated = [lane for lane in self.lanes() if lane.id in selected] if selected else []
        for lane in seated:
            at = self._where[lane.id]
            shown, name = _name(plot, lane, at)
            if self._covers_others(name, at):
                name.moveCenter(QPointF(at.x(), at.y() - SEAT - 5))
            free = _free(name.adjusted(-2, 0, 2, 0), written, plot)
            if free is not None:
                written.append(free)
                names.append((free.adjusted(2, 0, 0, 0), shown))
                painter.fillRect(free, theme.colour("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for lane in seated:
            at = self._where[lane.id]
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(_box(at).adjusted(-3, -3, 3, 3), 4, 4)
            _mark(painter, lane, at)
        for box, shown in names:
            paint.text(painter, box, shown, size=theme.SMALL, colour=theme.colour("text"))

    def _covers_others(self, name: QRectF, at: QPointF) -> bool:
        """Whether a name written there would lie on somebody else's seat."""
        taken = np.array([(place.x(), place.y()) for place in self._where.values()]).reshape(-1, 2)
        inside = (np.abs(taken[:, 0] - name.center().x()) < name.width() / 2 + 6) & (
            np.abs(taken[:, 1] - name.center().y()) < name.height() / 2 + 6
        )
        own = (taken[:, 0] == at.x()) & (taken[:, 1] == at.y())
        return bool((inside & ~own).any())

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


def _box(at: QPointF) -> QRectF:
    return QRectF(at.x() - SEAT / 2, at.y() - SEAT / 2, SEAT, SEAT)


def _mark(painter: QPainter, lane: Lane, at: QPointF) -> None:
    icons.draw_mark(painter, family_of(lane.role), _box(at))


def _free(name: QRectF, written: list[QRectF], plot: QRectF) -> QRectF | None:
    """The place of a name, or the first one above it that no other name takes; None where there is none."""
    for line in range(NAME_LINES):
        moved = name.translated(0, -line * name.height())
        if moved.top() >= plot.top() and not any(moved.intersects(other) for other in written):
            return moved
    return None


def _name(plot: QRectF, lane: Lane, at: QPointF) -> tuple[str, QRectF]:
    """What is written of a name, and where: right of its seat, or left where it would leave the plan."""
    box, shown = _box(at), texts.clipped(lane.name, NAME_LETTERS)
    name = QRectF(box.right() + GAP, at.y() - 8, min(NAME_WIDTH, paint.width_of(shown, theme.SMALL) + 1), 16)
    if name.right() > plot.right():
        name.moveRight(box.left() - GAP)
    return shown, name
