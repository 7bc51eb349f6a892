"""The place and amount of a move to drag: what it is worth at each place beside a fader, and a handle.

Across: the place, in octaves. Up and down: the amount. The curve is what the tried amount is worth there; where it is
highest it says so. What is dragged to is measured when it is let go.
"""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import Parameter, number, signed

HEIGHT, HANDLE, NEAR = 132, 6.0, 14.0
TICKS_HZ = (80, 100, 125, 160, 200, 250)
CURVE_SHARE = 0.8
"""Of the height, for the largest worth."""
LEAST_WORTH_DB = 1.0
"""The curve is never drawn larger than this would be."""


class PlaceDrawing(Handled, Drawing):
    """chosen: place and amount, when the hand lets go."""

    chosen = pyqtSignal(float, float)
    title = "Worth over a fader; drag the handle"

    def __init__(self, place: Parameter, amount: Parameter) -> None:
        super().__init__(
            "Place and amount",
            "Drag the handle: across for the place, up and down for the amount; arrow keys too (Shift: finer). The "
            "curve is how much more bass than by turning it up 3 dB give at each place",
        )
        self.place, self.amount = place, amount
        self.place_hz, self.amount_db = place.default, amount.default
        self.nets: dict[float, float] = {}
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(HEIGHT)
        self.setMaximumHeight(HEIGHT)

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT)

    def show_move(self, place_hz: float, amount_db: float, nets: dict[str, float]) -> None:
        self.place_hz, self.amount_db = place_hz, amount_db
        self.nets = dict(sorted((float(hz), value) for hz, value in nets.items()))
        self.setAccessibleDescription(f"{number(place_hz, 0)} Hz, {signed(amount_db)} dB")
        self.renew()

    # Where things lie.

    def x_of(self, hz: float) -> float:
        plot, low, high = self.plot(), math.log(self.place.low), math.log(self.place.high)
        return plot.left() + plot.width() * (math.log(hz) - low) / (high - low)

    def y_of(self, amount_db: float) -> float:
        plot, span = self.plot(), self.amount.high - self.amount.low
        return plot.bottom() - plot.height() * (amount_db - self.amount.low) / span

    def _at(self, at: QPointF) -> tuple[float, float]:
        plot, low, high = self.plot(), math.log(self.place.low), math.log(self.place.high)
        hz = math.exp(low + (high - low) * (at.x() - plot.left()) / max(1.0, plot.width()))
        span = self.amount.high - self.amount.low
        amount_db = self.amount.low + span * (plot.bottom() - at.y()) / max(1.0, plot.height())
        return self.place.clamped(round(hz)), self.amount.clamped(round(2.0 * amount_db) / 2.0)

    # The hand.

    def handle_at(self, at: QPointF) -> object:
        near = math.hypot(at.x() - self.x_of(self.place_hz), at.y() - self.y_of(self.amount_db)) <= NEAR
        return "handle" if near else None

    def drag(self, at: QPointF, *, fine: bool) -> None:
        self.place_hz, self.amount_db = self._at(at)
        self.renew()

    def drop(self, held: object, at: QPointF) -> None:
        super().drop(held, at)
        self.chosen.emit(self.place_hz, self.amount_db)

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        across = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key, 0)
        up = {Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(key, 0)
        if not across and not up:
            return False
        self.place_hz = self.place.clamped(round(self.place_hz * 2.0 ** (across * (1 / 24 if fine else 1 / 6))))
        self.amount_db = self.amount.clamped(self.amount_db + up * (0.5 if fine else 1.0))
        self.renew()
        self.chosen.emit(self.place_hz, self.amount_db)
        return True

    # Painting.

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        for hz in TICKS_HZ:
            x = self.x_of(hz)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.6))
            paint.note(painter, QRectF(x - 18, plot.bottom() + 2, 36, 15), f"{hz}", align=paint.CENTRE)
        for amount_db in (self.amount.low, self.amount.high):
            y = self.y_of(amount_db)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            label = signed(amount_db, 0 if amount_db == round(amount_db) else 1)
            paint.note(painter, QRectF(0, y - 8, plot.left() - 5, 16), label, align=paint.RIGHT)
        self._curve(painter, plot)
        x, y = self.x_of(self.place_hz), self.y_of(self.amount_db)
        paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("act"), 1.2)
        painter.setPen(QPen(theme.colour("act"), 2))
        painter.setBrush(theme.colour("panel"))
        painter.drawEllipse(QPointF(x, y), HANDLE, HANDLE)

    def _curve(self, painter: QPainter, plot: QRectF) -> None:
        if not self.nets:
            return
        most = max(LEAST_WORTH_DB, *(abs(value) for value in self.nets.values()))
        middle, reach = plot.center().y(), 0.5 * CURVE_SHARE * plot.height() / most
        painter.setPen(QPen(theme.colour("text", 0.7), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF([QPointF(self.x_of(hz), middle - reach * value) for hz, value in self.nets.items()])
        )
        best = max(self.nets, key=lambda hz: self.nets[hz])
        text = f"{signed(self.nets[best])} dB"
        width = paint.width_of(text, theme.SMALL) + 6
        left = min(max(plot.left(), self.x_of(best) - 0.5 * width), plot.right() - width)
        box = QRectF(left, max(plot.top(), middle - reach * self.nets[best] - 17), width, 15)
        painter.fillRect(box, theme.colour("ground", 0.85))
        paint.note(painter, box, text, align=paint.CENTRE)
