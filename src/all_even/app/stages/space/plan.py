"""The plan from front to back: across is the pan, up is further away; lanes are set by dragging them, sends follow."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from all_even import texts
from all_even.app import icons, paint, theme
from all_even.app.bench.drawings import Drawing
from all_even.app.desk import Desk
from all_even.app.stages.space.body import FAR_DB, NEAR_DB
from all_even.app.stages.space.shown import Shown
from all_even.dsp.parameter import PAN, number
from all_even.session import edits, routing, space, space_edits
from all_even.session.model import Lane
from all_even.session.roles import family_of

SEAT = 12.0
SNAP, PAN_STEP, DEPTH_STEP_DB = 0.04, 0.05, 0.5
DRY_SHARE = 0.12
"""Of the height, at the front, for lanes without room."""
NAME_WIDTH = 100.0
TICKS_DB = (20.0, 15.0, 10.0, 5.0)


class DepthPlan(Drawing):
    title = ""

    def __init__(self, desk: Desk, shown: Shown) -> None:
        super().__init__(
            "Plan from front to back",
            "Who stands where: across by pan, up the further away. Drag up or down: all sends of a lane follow; "
            "sideways: its pan. Arrow keys move the selected, Shift finer",
        )
        self.desk, self.shown = desk, shown
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._held: str | None = None
        self._start, self._pan, self._moved_db = QPointF(), 0.0, 0.0

    def plot(self) -> QRectF:
        return QRectF(50, 18, self.width() - 58, self.height() - 24)

    def lanes(self) -> list[Lane]:
        """Those that are in sight and heard."""
        session = self.desk.session
        return [lane for lane in session.lanes if not lane.hidden and routing.is_sounding(session, lane)]

    def _y(self, ratio_db: float | None) -> float:
        plot = self.plot()
        if ratio_db is None:
            return plot.bottom() - 0.5 * DRY_SHARE * plot.height()
        share = min(1.0, max(0.0, (NEAR_DB - ratio_db) / (NEAR_DB - FAR_DB)))
        room = (1.0 - DRY_SHARE) * plot.height() - SEAT
        return plot.bottom() - DRY_SHARE * plot.height() - room * share

    def _x(self, pan: float) -> float:
        plot = self.plot()
        return plot.left() + plot.width() * (0.5 + 0.45 * pan)

    def places(self) -> dict[str, QPointF]:
        """Where each lane stands; who would stand on another steps a little aside."""
        found: dict[str, QPointF] = {}
        for lane in self.lanes():
            depth = self.shown.depth(lane.id)
            y, x = self._y(depth.ratio_db if depth is not None else None), self._x(lane.pan)
            tried = [QPointF(x + 15.0 * shift, y) for shift in (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6)]
            found[lane.id] = next(
                (
                    p
                    for p in tried
                    if all(abs(p.x() - q.x()) > SEAT + 1 or abs(p.y() - q.y()) > SEAT for q in found.values())
                ),
                tried[0],
            )
        return found

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        if not self.desk.is_open:
            return
        quiet = theme.colour("quiet")
        for text, share in (("left", 0.05), ("centre", 0.5), ("right", 0.95)):
            box = QRectF(plot.left() + plot.width() * share - 40, 0, 80, 16)
            paint.text(painter, box, text, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
        for tick in TICKS_DB:
            y = self._y(tick)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            at = QRectF(0, y - 8, 44, 16)
            paint.text(painter, at, f"{number(tick, 0)} dB", size=theme.SMALL, colour=quiet, align=paint.RIGHT)
        edge = plot.bottom() - DRY_SHARE * plot.height()
        paint.line(painter, plot.left(), edge, plot.right(), edge, theme.colour("line"))
        for text, y in (("far", self._y(FAR_DB)), ("dry", self._y(None))):
            paint.text(painter, QRectF(0, y - 8, 44, 16), text, size=theme.SMALL, colour=quiet, align=paint.RIGHT)
        paint.line(painter, self._x(0.0), plot.top(), self._x(0.0), plot.bottom(), theme.colour("line"))
        places, selected = self.places(), set(self.desk.selected)
        written: list[QRectF] = []
        for lane in sorted(self.lanes(), key=lambda lane: lane.id not in selected):
            self._seat(painter, plot, lane, places, lane.id in selected, written)

    def _seat(
        self,
        painter: QPainter,
        plot: QRectF,
        lane: Lane,
        places: dict[str, QPointF],
        selected: bool,
        written: list[QRectF],
    ) -> None:
        at = places[lane.id]
        box = QRectF(at.x() - SEAT / 2, at.y() - SEAT / 2, SEAT, SEAT)
        if selected:
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 3), 4, 4)
        icons.draw_mark(painter, family_of(lane.role), box)
        shown = texts.clipped(lane.name, 18)
        name = QRectF(box.right() + 3, at.y() - 8, min(NAME_WIDTH, paint.width_of(shown, theme.SMALL) + 1), 16)
        if name.right() > plot.right():
            name.moveRight(box.left() - 3)
        others = [QRectF(p.x() - 6, p.y() - 6, 12, 12) for lane_id, p in places.items() if lane_id != lane.id]
        if selected and any(name.intersects(other) for other in others):
            name.moveCenter(QPointF(at.x(), at.y() - SEAT - 5))
        if selected or not any(name.intersects(other) for other in [*written, *others]):
            written.append(name)
            paint.text(painter, name, shown, size=theme.SMALL, colour=theme.colour("text" if selected else "quiet"))

    # Gestures.

    def lane_at(self, x: float, y: float) -> str | None:
        near = [
            (abs(place.x() - x) + abs(place.y() - y), lane_id)
            for lane_id, place in self.places().items()
            if abs(place.x() - x) <= SEAT and abs(place.y() - y) <= SEAT
        ]
        return min(near)[1] if near else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self.desk.is_open:
            return
        self.setFocus()
        self._held = self.lane_at(event.position().x(), event.position().y())
        if self._held is not None:
            self._start, self._moved_db = event.position(), 0.0
            self._pan = self.desk.session.lane(self._held).pan
            self.desk.select((self._held,))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.desk.is_open:
            return
        if self._held is None:
            self._hover(event.position())
            return
        moved, held, plot = event.position() - self._start, self._held, self.plot()
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        pan = self._pan + fine * moved.x() / (0.45 * plot.width())
        pan = 0.0 if abs(pan) < SNAP else PAN.clamped(round(pan, 2))
        height = (1.0 - DRY_SHARE) * plot.height() - SEAT
        wanted_db = -fine * moved.y() / max(1.0, height) * (NEAR_DB - FAR_DB)
        by_db = round(wanted_db - self._moved_db, 1)
        if pan != self.desk.session.lane(held).pan and abs(moved.x()) > SEAT / 3:
            self.desk.edit(lambda s: edits.change_strips(s, (held,), pan=pan), merge=f"place {held}")
        if by_db and space.space_sends(self.desk.session, self.desk.session.lane(held)):
            self._moved_db += by_db
            self.desk.edit(lambda s: space_edits.further(s, (held,), by_db), merge=f"place {held}")

    def _hover(self, at: QPointF) -> None:
        over = self.lane_at(at.x(), at.y())
        tip = self.accessibleName()
        if over is not None:
            lane, depth = self.desk.session.lane(over), self.shown.depth(over)
            ratio = depth.ratio_db if depth is not None else None
            place = "dry" if ratio is None else f"direct sound {number(ratio)} dB over its room"
            tip = f"{lane.name}: {PAN.text(lane.pan)}, {place}"
        self.setToolTip(texts.tip(tip))
        self.setCursor(Qt.CursorShape.OpenHandCursor if over is not None else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.desk.end_gesture()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        current = self.desk.current_lane if self.desk.is_open else None
        if event is None or current is None:
            super().keyPressEvent(event)
            return
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        key = Qt.Key(event.key())
        sideways = {Qt.Key.Key_Left: -PAN_STEP, Qt.Key.Key_Right: PAN_STEP}.get(key)
        away = {Qt.Key.Key_Up: DEPTH_STEP_DB, Qt.Key.Key_Down: -DEPTH_STEP_DB}.get(key)
        if sideways is not None:
            self.desk.edit(lambda s: edits.nudge_pans(s, (current,), fine * sideways), merge=f"place {current}")
        elif away is not None:
            self.desk.edit(lambda s: space_edits.further(s, (current,), fine * away), merge=f"depth {current}")
        else:
            super().keyPressEvent(event)
