"""The plan from front to back: across is the pan, up is further away; lanes are set by dragging them, sends follow."""

from collections import defaultdict

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from all_even.app.bench.seats import SEAT, SeatsDrawing
from all_even.app.desk import Desk
from all_even.app.stages.space.body import FAR_DB, NEAR_DB
from all_even.app.stages.space.shown import Shown
from all_even.app.style import paint, theme
from all_even.dsp.parameter import FINE, PAN, number
from all_even.session.editing import edits, space_edits
from all_even.session.model import routing, space
from all_even.session.model.strips import Lane

SNAP, PAN_STEP, DEPTH_STEP_DB = 0.04, 0.05, 0.5
DRY_SHARE = 0.12
"""Of the height, at the front, for lanes without room."""
TICKS_DB = (20.0, 15.0, 10.0, 5.0)


class DepthPlan(SeatsDrawing):
    def __init__(self, desk: Desk, shown: Shown) -> None:
        super().__init__(
            desk,
            "Plan from front to back",
            "Who stands where: across by pan, up the further away. Drag up or down: all sends of a track follow; "
            "sideways: its pan. Arrow keys move the selected, Shift finer",
        )
        self.shown = shown
        self._start, self._pan, self._moved_db = QPointF(), 0.0, 0.0

    def plot(self) -> QRectF:
        return QRectF(50, 18, self.width() - 58, self.height() - 24)

    def lanes(self) -> list[Lane]:
        """Those that are in sight and heard."""
        session = self.desk.session
        return [lane for lane in session.lanes if not lane.hidden and routing.is_sounding(session, lane)]

    def basis(self) -> tuple[object, ...]:
        return self.desk.session, self.shown.view

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
        rows: dict[int, list[QPointF]] = defaultdict(list)  # by height, so that only neighbours are asked
        for lane in self.lanes():
            depth = self.shown.depth(lane.id)
            y, x = self._y(depth.ratio_db if depth is not None else None), self._x(lane.pan)
            tried = [QPointF(x + 15.0 * shift, y) for shift in (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6)]
            near = [q for row in range(-1, 2) for q in rows[int(y // SEAT) + row] if abs(q.y() - y) <= SEAT]
            found[lane.id] = next((p for p in tried if all(abs(p.x() - q.x()) > SEAT + 1 for q in near)), tried[0])
            rows[int(y // SEAT)].append(found[lane.id])
        return found

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        if not self.desk.is_open:
            return
        theme.colour("quiet")
        for text, share in (("left", 0.05), ("centre", 0.5), ("right", 0.95)):
            box = QRectF(plot.left() + plot.width() * share - 40, 0, 80, 16)
            paint.note(painter, box, text, align=paint.CENTRE)
        for tick in TICKS_DB:
            y = self._y(tick)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            at = QRectF(0, y - 8, 44, 16)
            paint.note(painter, at, f"{number(tick, 0)} dB", align=paint.RIGHT)
        edge = plot.bottom() - DRY_SHARE * plot.height()
        paint.line(painter, plot.left(), edge, plot.right(), edge, theme.colour("line"))
        for text, y in (("far", self._y(FAR_DB)), ("dry", self._y(None))):
            paint.note(painter, QRectF(0, y - 8, 44, 16), text, align=paint.RIGHT)
        paint.line(painter, self._x(0.0), plot.top(), self._x(0.0), plot.bottom(), theme.colour("line"))
        self.paint_seats(painter, plot)

    # The hand.

    def seat_tip(self, lane: Lane) -> str:
        depth = self.shown.depth(lane.id)
        ratio = depth.ratio_db if depth is not None else None
        place = "dry" if ratio is None else f"dry sound {number(ratio)} dB over its reverb"
        return f"{lane.name}: {PAN.text(lane.pan)}, {place}"

    def taken(self, lane: Lane, at: QPointF) -> None:
        self._start, self._pan, self._moved_db = at, lane.pan, 0.0

    def dragged(self, lane: Lane, at: QPointF, *, fine: bool) -> None:
        moved, plot, share = at - self._start, self.plot(), FINE if fine else 1.0
        pan = self._pan + share * moved.x() / (0.45 * plot.width())
        pan = 0.0 if abs(pan) < SNAP else PAN.clamped(round(pan, 2))
        height = (1.0 - DRY_SHARE) * plot.height() - SEAT
        wanted_db = -share * moved.y() / max(1.0, height) * (NEAR_DB - FAR_DB)
        by_db = round(wanted_db - self._moved_db, 1)
        if pan != lane.pan and abs(moved.x()) > SEAT / 3:
            self.desk.edit(lambda s: edits.change_strips(s, (lane.id,), pan=pan), merge=f"place {lane.id}")
        if by_db and space.space_sends(self.desk.session, lane):
            self._moved_db += by_db
            self.desk.edit(lambda s: space_edits.further(s, (lane.id,), by_db), merge=f"place {lane.id}")

    def nudged(self, lane: Lane, across: float, up: float) -> None:
        if across:
            self.desk.edit(lambda s: edits.nudge_pans(s, (lane.id,), PAN_STEP * across), merge=f"place {lane.id}")
        else:
            self.desk.edit(lambda s: space_edits.further(s, (lane.id,), DEPTH_STEP_DB * up), merge=f"depth {lane.id}")
