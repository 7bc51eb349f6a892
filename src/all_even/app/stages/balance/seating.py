"""The seating plan: rows from the front, a bearing that is the pan; lanes are seats that can be moved.

Seen from the audience, or mirrored from the players. A drag sideways is the pan, a drag forwards or back another row.
"""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from all_even import texts
from all_even.app import icons, paint, theme
from all_even.app.bench.drawings import Drawing
from all_even.app.desk import Desk
from all_even.dsp.parameter import PAN
from all_even.session import edits
from all_even.session.model import BACK_ROW, Lane
from all_even.session.roles import family_of
from all_even.session.seats import row_of

SEAT = 12.0
SNAP = 0.04
STEP = 0.05
NAME_WIDTH = 96.0


class SeatingPlan(Drawing):
    """from_players: whether left and right are theirs."""

    title = ""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            "Seating plan",
            "Who sits where. Drag a seat sideways: its pan; forwards or back: its row. Arrow keys move the selected",
        )
        self.desk = desk
        self.from_players = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._held: str | None = None

    def plot(self) -> QRectF:
        return QRectF(54, 18, self.width() - 66, self.height() - 36)

    def lanes(self) -> list[Lane]:
        """Those that have a seat: in sight and heard."""
        return [lane for lane in self.desk.session.lanes if not lane.hidden and not lane.mute]

    def places(self) -> dict[str, QPointF]:
        """Where each seat is drawn; those that would lie on each other stand a little apart in their row."""
        plot = self.plot()
        height = plot.height() / (BACK_ROW + 1)
        taken: dict[int, list[QPointF]] = {}
        found: dict[str, QPointF] = {}
        for lane in self.lanes():
            row = row_of(lane)
            x, middle = self._x(lane.pan), self._y(row)
            tried = [middle + offset for offset in (0.0, -0.3 * height, 0.3 * height)]
            places = [QPointF(x + 14.0 * shift, y) for shift in (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5) for y in tried]
            near = taken.setdefault(row, [])
            place = next(
                (p for p in places if all(abs(p.x() - q.x()) > SEAT or abs(p.y() - q.y()) > 7 for q in near)), places[0]
            )
            near.append(place)
            found[lane.id] = place
        return found

    def _x(self, pan: float) -> float:
        plot = self.plot()
        shown = -pan if self.from_players else pan
        return plot.left() + plot.width() * (0.5 + 0.47 * shown)

    def _pan(self, x: float) -> float:
        plot = self.plot()
        pan = ((x - plot.left()) / plot.width() - 0.5) / 0.47
        pan = -pan if self.from_players else pan
        return 0.0 if abs(pan) < SNAP else PAN.clamped(round(pan, 2))

    def _y(self, row: int) -> float:
        """The front row is at the bottom for the audience, at the top for the players."""
        plot = self.plot()
        height = plot.height() / (BACK_ROW + 1)
        turn = row if not self.from_players else BACK_ROW - row
        return plot.bottom() - height * (turn + 0.5)

    def _row(self, y: float) -> int:
        plot = self.plot()
        turn = int((plot.bottom() - y) // (plot.height() / (BACK_ROW + 1)))
        row = turn if not self.from_players else BACK_ROW - turn
        return min(BACK_ROW, max(0, row))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        quiet = theme.colour("quiet")
        sides = ("right", "left") if self.from_players else ("left", "right")
        for text, share in ((sides[0], 0.03), ("centre", 0.5), (sides[1], 0.97)):
            box = QRectF(plot.left() + plot.width() * share - 40, 0, 80, 16)
            paint.text(painter, box, text, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
        for row in range(BACK_ROW + 1):
            y = self._y(row)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.7))
            words = {0: "front", BACK_ROW: "back"}.get(row, f"row {row + 1}")
            paint.text(painter, QRectF(0, y - 8, 48, 16), words, size=theme.SMALL, colour=quiet, align=paint.RIGHT)
        centre = self._x(0.0)
        paint.line(painter, centre, plot.top(), centre, plot.bottom(), theme.colour("line"))
        places = self.places()
        written: list[QRectF] = []
        selected = set(self.desk.selected)
        for lane in sorted(self.lanes(), key=lambda lane: lane.id not in selected):
            self._seat(painter, plot, lane, places[lane.id], lane.id in selected, written)
        said = ("from the players" if self.from_players else "from the audience") + ", seats as the pans are"
        below = QRectF(plot.left(), plot.bottom() + 2, plot.width(), 15)
        paint.text(painter, below, said, size=theme.SMALL, colour=quiet, align=paint.CENTRE)

    def _seat(
        self, painter: QPainter, plot: QRectF, lane: Lane, at: QPointF, selected: bool, written: list[QRectF]
    ) -> None:
        box = QRectF(at.x() - SEAT / 2, at.y() - SEAT / 2, SEAT, SEAT)
        if selected:
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 3), 4, 4)
        icons.draw_mark(painter, family_of(lane.role), box)
        width = min(NAME_WIDTH, paint.width_of(lane.name, theme.SMALL))
        name = QRectF(box.right() + 3, at.y() - 8, width, 16)
        if name.right() > plot.right() + 10:
            name.moveRight(box.left() - 3)
        seats = [QRectF(p.x() - SEAT / 2, p.y() - 6, SEAT, 12) for i, p in self.places().items() if i != lane.id]
        if selected or not any(name.intersects(other) for other in [*written, *seats]):
            written.append(name)
            tone = theme.colour("text" if selected else "quiet")
            shown = texts.clipped(lane.name, 18)
            paint.text(painter, name, shown, size=theme.SMALL, colour=tone)

    def seat_at(self, x: float, y: float) -> str | None:
        """The lane whose seat is there."""
        near = [
            (abs(place.x() - x) + abs(place.y() - y), lane_id)
            for lane_id, place in self.places().items()
            if abs(place.x() - x) <= SEAT and abs(place.y() - y) <= SEAT
        ]
        return min(near)[1] if near else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self._held = self.seat_at(event.position().x(), event.position().y())
        if self._held is not None:
            self.desk.select((self._held,))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.desk.is_open:
            return
        if self._held is None:
            over = self.seat_at(event.position().x(), event.position().y())
            lane = self.desk.session.lane(over) if over is not None else None
            tip = (
                f"{lane.name}: {PAN.text(lane.pan)}, row {row_of(lane) + 1}"
                if lane is not None
                else self.accessibleName()
            )
            self.setToolTip(texts.tip(tip))
            self.setCursor(Qt.CursorShape.OpenHandCursor if lane is not None else Qt.CursorShape.ArrowCursor)
            return
        pan, row, held = self._pan(event.position().x()), self._row(event.position().y()), self._held
        lane = self.desk.session.lane(held)
        values: dict[str, object] = {"pan": pan}
        if row != row_of(lane):
            values["seat_row"] = row
        self.desk.edit(lambda s: edits.change_strips(s, (held,), **values), merge=f"seat {held}")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.desk.end_gesture()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        current = self.desk.current_lane if self.desk.is_open else None
        if event is None or current is None:
            super().keyPressEvent(event)
            return
        sideways = {Qt.Key.Key_Left: -STEP, Qt.Key.Key_Right: STEP}.get(Qt.Key(event.key()))
        back = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        turn = -1 if self.from_players else 1
        lane = self.desk.session.lane(current)
        if sideways is not None:
            step = turn * sideways * (0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
            self.desk.edit(lambda s: edits.nudge_pans(s, (current,), step), merge=f"seat {current}")
        elif back is not None:
            row = row_of(lane) + turn * back
            self.desk.edit(lambda s: edits.change_strips(s, (current,), seat_row=row), merge=f"row {current}")
        else:
            super().keyPressEvent(event)
