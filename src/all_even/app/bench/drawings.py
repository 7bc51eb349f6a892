"""The bench's drawings: waveform, loudness along the song, third-octave levels; with labelled axes."""

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QPixmap, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from all_even.app import icons, paint, theme
from all_even.dsp.parameter import number, time_text
from all_even.session.roles import family_of

LEFT, BOTTOM, TOP = 40.0, 18.0, 20.0
CLOSE_S = 5.0
FOLLOW_PER_S = 10
"""Following shows this much either side of the playing position."""


class Drawing(QWidget):
    """A panel with a title and axes; subclasses paint inside `plot`."""

    title = ""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self._picture: QPixmap | None = None
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setMinimumSize(120, 96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def plot(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - 8, self.height() - TOP - BOTTOM)

    def renew(self) -> None:
        """What is shown has changed; the picture is drawn again."""
        self._picture = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._picture = None

    def paintEvent(self, event: QPaintEvent) -> None:
        """The picture is kept: while playing only the playhead moves over it."""
        if self._picture is None:
            self._picture = self._draw()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._picture)
        self.paint_over(painter, self.plot())

    def _draw(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(int(self.width() * ratio), int(self.height() * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        title = QRectF(0, 0, self.width() - 8, 16)
        paint.text(painter, title, self.title, size=theme.SMALL, colour=theme.colour("quiet"))
        painter.fillRect(self.plot(), theme.colour("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_inside(painter, self.plot())
        painter.end()
        return picture

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        """What moves; nothing by default."""

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        raise NotImplementedError

    def level_axis(self, painter: QPainter, plot: QRectF, ticks: tuple[float, ...], low: float, high: float) -> None:
        for tick in ticks:
            y = plot.bottom() - plot.height() * (tick - low) / (high - low)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            box = QRectF(0, y - 8, LEFT - 5, 16)
            paint.text(painter, box, number(tick, 0), size=theme.SMALL, colour=theme.colour("quiet"), align=paint.RIGHT)


class TimeDrawing(Drawing):
    """A drawing over time: the whole song, or a few seconds around the playing position."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__(name, tip)
        self.length_s = 1.0
        self.position_s = 0.0
        self.follow = False

    def set_position(self, position_s: float) -> None:
        if self.follow:
            position_s = round(position_s * FOLLOW_PER_S) / FOLLOW_PER_S
        if position_s == self.position_s:
            return
        plot, before = self.plot(), self.position_s
        self.position_s = position_s
        if self.follow:
            self.renew()
            return
        for seconds in (before, position_s):
            self.update(int(self.x(plot, seconds)) - 3, 0, 7, self.height())

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        self.playhead(painter, plot)

    def span(self) -> tuple[float, float]:
        """The stretch of time that is shown, in seconds."""
        if self.follow and self.length_s > 2 * CLOSE_S:
            start = min(max(0.0, self.position_s - CLOSE_S), self.length_s - 2 * CLOSE_S)
            return start, start + 2 * CLOSE_S
        return 0.0, self.length_s

    def x(self, plot: QRectF, seconds: float) -> float:
        start, end = self.span()
        return plot.left() + plot.width() * (seconds - start) / (end - start)

    def time_axis(self, painter: QPainter, plot: QRectF) -> None:
        start, end = self.span()
        step = next((s for s in (1, 2, 5, 10, 20, 30, 60, 120, 300) if (end - start) / s <= plot.width() / 52), 600)
        tick = int(-(-start // step)) * step
        while tick <= end:
            x = self.x(plot, tick)
            box = QRectF(x - 22, plot.bottom() + 2, 44, 15)
            if box.right() <= self.width() and box.left() >= 0:
                label = time_text(tick)[:-2]
                paint.text(painter, box, label, size=theme.SMALL, colour=theme.colour("quiet"), align=paint.CENTRE)
            paint.line(painter, x, plot.bottom(), x, plot.bottom() + 3, theme.colour("quiet"))
            tick += step

    def playhead(self, painter: QPainter, plot: QRectF) -> None:
        x = self.x(plot, self.position_s)
        if plot.left() <= x <= plot.right():
            painter.fillRect(QRectF(x - 1, plot.top(), 2, plot.height()), theme.colour("look"))


class WaveDrawing(TimeDrawing):
    """The selected file's waveform, on a scale of full scale."""

    title = "Waveform; full scale at the edges"

    def __init__(self) -> None:
        super().__init__("Waveform", "Lowest and highest sample per 10 ms")
        self.measures: Any = None
        self.role = "unknown"

    def show_track(self, measures: Any, role: str) -> None:
        self.measures, self.role = measures, role
        if measures is not None:
            self.length_s = max(0.01, measures.duration_s)
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        middle, half = plot.center().y(), plot.height() / 2
        for level_db in (0.0, -6.0):
            offset = half * 10 ** (level_db / 20)
            for sign in (-1, 1):
                paint.line(
                    painter,
                    plot.left(),
                    middle + sign * offset,
                    plot.right(),
                    middle + sign * offset,
                    theme.colour("line", 0.6),
                )
            paint.text(
                painter,
                QRectF(0, middle - offset - 8 + (6 if level_db == 0 else 0), LEFT - 5, 16),
                number(level_db, 0),
                size=theme.SMALL,
                colour=theme.colour("quiet"),
                align=paint.RIGHT,
            )
        self.time_axis(painter, plot)
        if self.measures is None:
            return
        hops = self.measures.hops
        start, end = self.span()
        first, last = int(start * 100), max(int(start * 100) + 2, int(end * 100))
        low, high = hops.low[first:last].min(axis=1), hops.high[first:last].max(axis=1)
        if len(low) < 2:
            return
        columns = min(len(low), max(2, int(plot.width())))
        at = np.linspace(0, len(low), columns, endpoint=False).astype(int)
        low, high = np.minimum.reduceat(low, at), np.maximum.reduceat(high, at)
        xs = np.linspace(plot.left(), plot.left() + plot.width() * min(1.0, len(hops) / max(1, last)), columns)
        points = [QPointF(x, middle - half * min(1.0, y)) for x, y in zip(xs, high, strict=True)]
        points += [QPointF(x, middle - half * max(-1.0, y)) for x, y in zip(xs[::-1], low[::-1], strict=True)]
        painter.setPen(QPen(icons.family_colour(family_of(self.role)), 1))
        painter.setBrush(icons.family_colour(family_of(self.role)))
        painter.drawPolygon(QPolygonF(points))


class CourseDrawing(TimeDrawing):
    """Momentary loudness along the song: the lane as it arrives, in front of the mix."""

    title = "Momentary loudness along the song, LUFS: this lane before the mix"
    LOW, HIGH = -55.0, -5.0

    def __init__(self) -> None:
        super().__init__("Loudness along the song", "Momentary loudness (400 ms): the lane as it arrives, and the mix")
        self._mix: Any = None
        self._lane: Any = None
        self._role = "unknown"
        self._start_s = 0.0
        self._mean: float | None = None

    def show_lane(self, arrival: Any, role: str, start_s: float, mix: Any) -> None:
        from all_even.measure.loudness import momentary_lufs

        self._lane = arrival.momentary_lufs if arrival is not None else None
        self._mean = arrival.integrated_lufs if arrival is not None else None
        self._role, self._start_s = role, start_s
        self._mix = momentary_lufs(mix.hops.weighted) if mix is not None else None
        if mix is not None:
            self.length_s = max(0.1, mix.duration_s)
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-50.0, -40.0, -30.0, -20.0, -10.0), self.LOW, self.HIGH)
        self.time_axis(painter, plot)
        painter.setClipRect(plot)
        if self._mix is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("line", 0.7))
            self._area(painter, plot, self._mix, 0.0)
        if self._lane is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(icons.family_colour(family_of(self._role), 0.85))
            self._area(painter, plot, self._lane, self._start_s)
        if self._mean is not None:
            y = self._y(plot, self._mean)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("text"), 1.5)
        painter.setClipping(False)

    def _y(self, plot: QRectF, lufs: float) -> float:
        share = (min(self.HIGH, max(self.LOW, lufs)) - self.LOW) / (self.HIGH - self.LOW)
        return plot.bottom() - plot.height() * share

    def _area(self, painter: QPainter, plot: QRectF, course: Any, start_s: float) -> None:
        path = QPainterPath(QPointF(self.x(plot, start_s), plot.bottom()))
        step = max(1, len(course) // 1500) if not self.follow else 1
        for index in range(0, len(course), step):
            path.lineTo(self.x(plot, start_s + 0.2 + index * 0.1), self._y(plot, float(course[index])))
        path.lineTo(self.x(plot, start_s + 0.2 + len(course) * 0.1), plot.bottom())
        painter.drawPath(path)


class BandsDrawing(Drawing):
    """Third-octave levels of the active parts over a frequency axis."""

    title = "Third octaves while it plays, dBFS"

    def __init__(self) -> None:
        super().__init__("Third octaves", "Level per third octave (IEC 61260-1) of the parts where the track plays")
        self._levels: tuple[float | None, ...] = ()
        self._role = "unknown"

    def show_track(self, measures: Any, role: str) -> None:
        self._levels = measures.third_octave_db if measures is not None else ()
        self._role = role
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        known = [level for level in self._levels if level is not None]
        high = 10.0 * np.ceil((max(known, default=-20.0) + 3.0) / 10.0)
        low = high - 60.0
        self.level_axis(painter, plot, tuple(float(t) for t in np.arange(low + 20, high + 1, 20)), low, high)
        count = max(1, len(self._levels) or 30)
        step = plot.width() / count
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for index, level in enumerate(self._levels):
            if level is not None and level > low:
                size = plot.height() * (level - low) / (high - low)
                painter.fillRect(
                    QRectF(plot.left() + index * step + 0.5, plot.bottom() - size, max(1.0, step - 1), size),
                    icons.family_colour(family_of(self._role), 0.85),
                )
        # Decades and their halves: 31.5 Hz is band 1, then every third band an octave.
        names = {3: "50", 6: "100", 9: "200", 13: "500", 16: "1k", 19: "2k", 23: "5k", 26: "10k"}
        wanted = names if step >= 7 else {6: "100", 16: "1k", 26: "10k"}
        for index, name in wanted.items():
            x = plot.left() + (index + 0.5) * step
            paint.text(
                painter,
                QRectF(x - 18, plot.bottom() + 2, 36, 15),
                name,
                size=theme.SMALL,
                colour=theme.colour("quiet"),
                align=paint.CENTRE,
            )


class PeakWindow(Drawing):
    """The mix's sample and true peak on a scale, against the window from -6 to -3 dBFS."""

    title = "Peak of the mix, dBFS"
    LOW, HIGH = -24.0, 6.0

    def __init__(self) -> None:
        super().__init__(
            "Peak of the mix", "Sample peak (bar) and true peak (line) of the whole mix; window −6 to −3 dBFS"
        )
        self._sample: float | None = None
        self._true: float | None = None
        self._stale = False
        self.setMinimumHeight(64)
        self.setMaximumHeight(72)

    def show_peaks(self, sample_dbfs: float | None, true_dbtp: float | None, stale: bool) -> None:
        self._sample, self._true, self._stale = sample_dbfs, true_dbtp, stale
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(4, TOP, self.width() - 8, self.height() - TOP - BOTTOM)

    def _x(self, plot: QRectF, level: float) -> float:
        share = (min(self.HIGH, max(self.LOW, level)) - self.LOW) / (self.HIGH - self.LOW)
        return plot.left() + plot.width() * share

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        window = QRectF(self._x(plot, -6.0), plot.top(), self._x(plot, -3.0) - self._x(plot, -6.0), plot.height())
        painter.fillRect(window, theme.colour("act_soft"))
        if self._sample is not None:
            inside = -6.0 <= self._sample <= -3.0
            tint = theme.colour("act" if inside else "look", 0.5 if self._stale else 1.0)
            painter.fillRect(
                QRectF(plot.left(), plot.top() + 5, self._x(plot, self._sample) - plot.left(), plot.height() - 10), tint
            )
        if self._true is not None:
            x = self._x(plot, self._true)
            painter.fillRect(QRectF(x - 1, plot.top(), 2, plot.height()), theme.colour("text"))
        paint.line(painter, window.left(), plot.top(), window.left(), plot.bottom(), theme.colour("act"))
        paint.line(painter, window.right(), plot.top(), window.right(), plot.bottom(), theme.colour("act"))
        for tick in (-24.0, -12.0, -6.0, -3.0, 0.0, 6.0):
            x = self._x(plot, tick)
            box = QRectF(x - 16, plot.bottom() + 2, 32, 15)
            box.moveLeft(min(self.width() - 32.0, max(0.0, box.left())))
            align = paint.LEFT if tick == self.LOW else paint.RIGHT if tick == self.HIGH else paint.CENTRE
            label = number(tick, 0) if tick <= 0 else f"+{tick:.0f}"
            paint.text(painter, box, label, size=theme.SMALL, colour=theme.colour("quiet"), align=align)
