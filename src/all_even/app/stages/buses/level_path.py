"""The level path: stations in signal order on a dB axis, the line showing the level after each.

The thick line is the RMS level while playing, the thin marks are peaks. What a dynamic station takes
away hangs from the top edge. A station is opened by a click or Enter, moved by dragging or Ctrl+arrows,
bypassed with B, removed with Delete.
"""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import decibel_text, number
from all_even.measure.level.levels import Level

LOW_DB, HIGH_DB = -60.0, 0.0
TICKS = (-60.0, -48.0, -36.0, -24.0, -18.0, -12.0, -6.0, 0.0)
NAME_HEIGHT = 34.0
STAGGERED_UNDER = 44.0
"""Stops closer than this have their names on two lines."""


@dataclass(frozen=True, slots=True)
class Stop:
    """One place on the path. station_id: empty for the entrance and the fader. gain_db: strongest, if dynamic."""

    name: str
    level: Level | None
    station_id: str = ""
    bypass: bool = False
    keyed_by: str = ""
    gain_db: float | None = None
    short: str = ""


class LevelPath(Handled, Drawing):
    """Shows stops; tells what is asked of them."""

    opened = pyqtSignal(str)
    moved = pyqtSignal(str, int)
    bypassed = pyqtSignal(str)
    removed = pyqtSignal(str)
    title = "Level after each processor, dBFS"

    def __init__(self) -> None:
        super().__init__(
            "Signal chain",
            "The line is the RMS level while playing, marks are peaks. Click opens a processor; drag or Ctrl+arrows "
            "move it; B bypasses, Delete removes",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumWidth(220)
        self.stops: tuple[Stop, ...] = ()
        self._open = ""
        self._note = ""
        self._playing: dict[str, float] = {}

    def show_stops(self, stops: tuple[Stop, ...], open_id: str, note: str) -> None:
        """note: said in the drawing where levels are not known."""
        if (stops, open_id, note) != (self.stops, self._open, self._note):
            self.stops, self._open, self._note = stops, open_id, note
            names = ", ".join(
                f"{stop.name} {decibel_text(stop.level.rms_dbfs if stop.level else None, 'dBFS')}"
                + (" bypassed" if stop.bypass else "")
                for stop in stops
            )
            self.setAccessibleDescription(names)
            self.renew()

    def show_playing(self, reductions: dict[tuple[str, str], float]) -> None:
        """Gains in dB that dynamic stations apply now."""
        mine = {stop.station_id for stop in self.stops}
        playing = {station: gain for (_, station), gain in reductions.items() if station in mine}
        if playing != self._playing:
            self._playing = playing
            self.update()

    def plot(self) -> QRectF:
        whole = super().plot()
        return whole.adjusted(0, 0, 0, -(NAME_HEIGHT - 18.0))

    def x_of(self, index: int) -> float:
        plot = self.plot()
        return plot.left() + plot.width() * (index + 0.5) / max(1, len(self.stops))

    def y_of(self, level_db: float) -> float:
        plot = self.plot()
        share = (min(HIGH_DB + 6.0, max(LOW_DB, level_db)) - LOW_DB) / (HIGH_DB + 6.0 - LOW_DB)
        return plot.bottom() - plot.height() * share

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(
            painter,
            plot,
            TICKS if plot.height() > 150 else (-60.0, -48.0, -36.0, -24.0, -12.0, 0.0),
            LOW_DB,
            HIGH_DB + 6.0,
        )
        width = plot.width() / max(1, len(self.stops))
        for index, stop in enumerate(self.stops):
            self._station(painter, plot, index, stop, width)
        self._line(painter)
        if self._note:
            box = QRectF(plot.left() + 8, plot.bottom() - 20, plot.width() - 16, 16)
            paint.note(painter, box, self._note)

    def _station(self, painter: QPainter, plot: QRectF, index: int, stop: Stop, width: float) -> None:
        x = self.x_of(index)
        cell = QRectF(x - width / 2 + 2, plot.top(), width - 4, plot.height() + NAME_HEIGHT)
        if stop.station_id and stop.station_id == self._open:
            painter.fillRect(cell, theme.colour("act_soft"))
        if stop.station_id:
            style = Qt.PenStyle.DashLine if stop.bypass else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.colour("act"), 1.5, style))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        if stop.gain_db is not None and not stop.bypass and abs(stop.gain_db) > 0.05:
            height = plot.height() * min(1.0, abs(stop.gain_db) / (HIGH_DB + 6.0 - LOW_DB))
            bar = QRectF(x - 5, plot.top(), 10, height)
            painter.fillRect(bar, theme.colour("look"))
            shown, beside = number(stop.gain_db), QRectF(x + 8, plot.top() + 1, width / 2 - 8, 15)
            if paint.width_of(shown, theme.SMALL) <= beside.width():
                paint.text(painter, beside, shown, size=theme.SMALL, colour=theme.colour("look"))
        quiet = theme.colour("quiet")
        strong = theme.colour("text") if stop.station_id else quiet
        colour = quiet if stop.bypass else strong
        if width < STAGGERED_UNDER:
            # Names on two lines in turn, each twice as wide; the level is read off the axis.
            box = QRectF(x - width, plot.bottom() + 2 + 14 * (index % 2), 2 * width, 15)
            paint.text(painter, box, stop.short or stop.name, size=theme.SMALL, colour=colour, align=paint.CENTRE)
            return
        name = QRectF(cell.left(), plot.bottom() + 2, cell.width(), 15)
        fits = paint.width_of(stop.name, theme.SMALL) <= cell.width()
        label = stop.name if fits else stop.short or stop.name
        paint.text(painter, name, label, size=theme.SMALL, colour=colour, align=paint.CENTRE)
        under = QRectF(cell.left(), plot.bottom() + 16, cell.width(), 15)
        paint.note(painter, under, self._below(stop, cell.width()), align=paint.CENTRE)

    @staticmethod
    def _below(stop: Stop, width: float) -> str:
        """The second line under a stop: what matters most of it."""
        if stop.bypass:
            return "bypassed"
        if stop.keyed_by:
            return f"key: {stop.keyed_by}"
        if stop.level is None or stop.level.rms_dbfs is None:
            return "–"
        exact = decibel_text(stop.level.rms_dbfs, "").strip()
        return exact if paint.width_of(exact, theme.SMALL) <= width else number(stop.level.rms_dbfs, 0)

    def _line(self, painter: QPainter) -> None:
        points = []
        for index, stop in enumerate(self.stops):
            if stop.level is not None and stop.level.rms_dbfs is not None:
                points.append(QPointF(self.x_of(index), self.y_of(stop.level.rms_dbfs)))
        painter.setPen(QPen(theme.colour("text"), 2.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(theme.colour("panel"))
        for point in points:
            painter.drawRect(QRectF(point.x() - 4, point.y() - 4, 8, 8))
        painter.setPen(QPen(theme.colour("quiet"), 1.5))
        for index, stop in enumerate(self.stops):
            if stop.level is not None and stop.level.peak_dbfs is not None:
                y = self.y_of(stop.level.peak_dbfs)
                painter.drawLine(QPointF(self.x_of(index) - 7, y), QPointF(self.x_of(index) + 7, y))

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        for index, stop in enumerate(self.stops):
            gain = self._playing.get(stop.station_id)
            if gain is not None and abs(gain) > 0.05:
                height = plot.height() * min(1.0, abs(gain) / (HIGH_DB + 6.0 - LOW_DB))
                painter.fillRect(QRectF(self.x_of(index) - 12, plot.top(), 4, height), theme.colour("act"))
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.drawRect(plot.adjusted(1, 1, -1, -1))

    # Mouse and keys.

    def stop_at(self, x: float) -> Stop | None:
        plot = self.plot()
        if not self.stops or not plot.left() <= x <= plot.right():
            return None
        return self.stops[min(len(self.stops) - 1, int((x - plot.left()) / plot.width() * len(self.stops)))]

    def handle_at(self, at: QPointF) -> tuple[str, float] | None:
        """(station, where it was taken hold of)"""
        stop = self.stop_at(at.x())
        return (stop.station_id, at.x()) if stop is not None and stop.station_id else None

    def drop(self, held: tuple[str, float], at: QPointF) -> None:
        station, start = held
        by = round((at.x() - start) / (self.plot().width() / max(1, len(self.stops))))
        if by:
            self.moved.emit(station, by)
        else:
            self.opened.emit(station)

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        stations = [stop.station_id for stop in self.stops if stop.station_id]
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        if by is not None and stations and control and self._open:
            self.moved.emit(self._open, by)
        elif by is not None and stations:
            at = stations.index(self._open) + by if self._open in stations else 0
            self.opened.emit(stations[max(0, min(len(stations) - 1, at))])
        elif key == Qt.Key.Key_B and self._open:
            self.bypassed.emit(self._open)
        elif key == Qt.Key.Key_Delete and self._open:
            self.removed.emit(self._open)
        else:
            return False
        return True
