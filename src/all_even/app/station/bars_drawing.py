"""The loudest bars through a station: what comes in, what goes out, and the gain between them, on one axis of dB."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QResizeEvent

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number, time_text

if TYPE_CHECKING:
    from all_even.figures.dynamics.loud_bars import Array, LoudBars

LOWEST_DB, STEP_DB = -48.0, 12.0
WAITING = "Being heard …"
LABEL = 28.0


class BarsDrawing(Handled, Drawing):
    """A press plays them. show_bars: None while they are worked out."""

    pressed = pyqtSignal(float)
    """Where they begin, in s of the song."""
    title = "Loudest bars, dB"

    def __init__(self) -> None:
        super().__init__(
            "Loudest bars through the processor",
            "Peaks of 5 ms that come in (grey) and go out (line), and the gain between them, from the top; press to "
            "play them",
        )
        self._bars: LoudBars | None = None
        self._position_s: float | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    @property
    def bars(self) -> "LoudBars | None":
        return self._bars

    def show_bars(self, found: "LoudBars | None") -> None:
        if not self.is_new(found):
            return
        self._bars = found
        self._name_it()
        if found is not None:
            most = float(np.min(found.gain_db)) if found.gain_db is not None and len(found.gain_db) else 0.0
            self.setAccessibleDescription(f"{time_text(found.start_s)}, gain down to {number(most)} dB")
        self.renew()

    def _name_it(self) -> None:
        """As much of the title as there is room for."""
        found = self._bars
        names = ["Loudest bars, dB"]
        if found is not None:
            names.insert(0, f"Loudest bars from {time_text(found.start_s)[:-2]}: in, out, gain; dB")
        self.title = next((name for name in names if paint.width_of(name, theme.SMALL) <= self.width() - 8), names[-1])

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._name_it()

    def set_position(self, position_s: float) -> None:
        """Where the song plays."""
        if position_s != self._position_s:
            self._position_s = position_s
            self.update()

    def plot(self) -> QRectF:
        return super().plot().adjusted(-(40.0 - LABEL), 0, 0, 0)

    def press(self, at: QPointF) -> None:
        if self._bars is not None:
            self.pressed.emit(self._bars.start_s)

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        found, at = self._bars, self._position_s
        if found is not None and at is not None and found.start_s <= at <= found.end_s:
            painter.fillRect(QRectF(_x(plot, found, at) - 1, plot.top(), 2, plot.height()), theme.colour("look"))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self._bars
        theme.colour("quiet")
        if found is None:
            box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
            paint.note(painter, box, WAITING)
            return
        top = STEP_DB * max(0.0, np.ceil(max(found.into_db.max(), found.out_db.max(), 0.0) / STEP_DB))
        for tick in np.arange(LOWEST_DB + STEP_DB, top + 1.0, STEP_DB):
            y = _y(plot, float(tick), top)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            box = QRectF(plot.left() - LABEL, y - 8, LABEL - 4, 16)
            paint.note(painter, box, number(float(tick), 0), align=paint.RIGHT)
        for beat in found.beats_s:
            x = _x(plot, found, beat)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.8))
        painter.save()
        painter.setClipRect(plot)
        self._filled(painter, plot, found.into_db, top)
        self._line(painter, plot, found.out_db, top, QPen(theme.colour("text"), 1.4))
        if found.gain_db is not None:
            self._gain(painter, plot, found.gain_db)
        painter.restore()
        self._beats(painter, plot, found)

    def _beats(self, painter: QPainter, plot: QRectF, found: "LoudBars") -> None:
        theme.colour("quiet")
        below = QRectF(plot.left(), plot.bottom() + 2, plot.width(), 15)
        words = f"{number(found.end_s - found.start_s)} s"
        if len(found.beats_s) > 1:
            words = f"{len(found.beats_s) - 1} beats, {words}"
        paint.note(painter, below, words)
        if found.gain_db is not None and len(found.gain_db) and below.width() > 150:
            most = f"gain to {number(float(found.gain_db.min()))} dB"
            paint.text(painter, below, most, size=theme.SMALL, colour=theme.colour("act"), align=paint.RIGHT)

    def _columns(self, plot: QRectF, levels: "Array") -> "tuple[Array, Array]":
        """One value a pixel: the highest that falls on it."""
        width = max(1, min(len(levels), int(plot.width())))
        edges = np.linspace(0, len(levels), width + 1).astype(int)
        return np.linspace(plot.left(), plot.right(), width), np.maximum.reduceat(levels, edges[:-1])

    def _filled(self, painter: QPainter, plot: QRectF, levels: "Array", top: float) -> None:
        xs, highest = self._columns(plot, levels)
        shape = [QPointF(float(x), _y(plot, float(level), top)) for x, level in zip(xs, highest, strict=True)]
        shape = [QPointF(plot.left(), plot.bottom()), *shape, QPointF(plot.right(), plot.bottom())]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawPolygon(QPolygonF(shape))

    def _line(self, painter: QPainter, plot: QRectF, levels: "Array", top: float, pen: QPen) -> None:
        xs, highest = self._columns(plot, levels)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF([QPointF(float(x), _y(plot, float(level), top)) for x, level in zip(xs, highest, strict=True)])
        )

    def _gain(self, painter: QPainter, plot: QRectF, gain_db: "Array") -> None:
        """Hangs from the top at the scale of the axis."""
        xs, least = self._columns(plot, -gain_db)
        per_db = plot.height() / -LOWEST_DB
        shape = [
            QPointF(float(x), plot.top() + per_db * max(0.0, float(down))) for x, down in zip(xs, least, strict=True)
        ]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("act", 0.55))
        painter.drawPolygon(QPolygonF([QPointF(plot.left(), plot.top()), *shape, QPointF(plot.right(), plot.top())]))


def _x(plot: QRectF, found: "LoudBars", at_s: float) -> float:
    return plot.left() + plot.width() * (at_s - found.start_s) / max(1e-6, found.end_s - found.start_s)


def _y(plot: QRectF, level_db: float, top_db: float) -> float:
    return plot.top() + plot.height() * min(1.0, max(0.0, (top_db - level_db) / (top_db - LOWEST_DB)))
