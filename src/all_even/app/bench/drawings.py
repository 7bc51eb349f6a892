"""The bench's drawings: waveform, loudness along the song, third-octave levels; with labelled axes."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QHideEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from all_even import texts
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number, time_text
from all_even.session.model.settings import WorkSettings

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
        self._shown: tuple[object, ...] = ()
        self.setAccessibleName(name)
        self.setToolTip(texts.tip(tip))
        self.setMinimumSize(120, 96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def plot(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - 8, self.height() - TOP - BOTTOM)

    def is_new(self, *shown: object) -> bool:
        """Whether what is to be shown is something else than before; measured things are known by identity."""
        before, self._shown = self._shown, shown
        return len(before) != len(shown) or not all(
            a is b or (isinstance(a, str | float) and a == b) for a, b in zip(before, shown, strict=True)
        )

    def renew(self) -> None:
        """What is shown has changed; the picture is drawn again."""
        self._picture = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._picture = None

    def hideEvent(self, event: QHideEvent | None) -> None:
        """The picture of what nobody looks at is let go: it takes more memory than time."""
        self._picture = None
        super().hideEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The picture is kept: while playing only the playhead moves over it."""
        if self._picture is None:
            self._picture = self._draw()
        with paint.painting(self) as painter:
            painter.drawPixmap(0, 0, self._picture)
            self.paint_over(painter, self.plot())

    def _draw(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(int(self.width() * ratio), int(self.height() * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        with paint.painting(picture) as painter:
            title = QRectF(0, 0, self.width() - 8, 16)
            paint.note(painter, title, self.title)
            painter.fillRect(self.plot(), theme.colour("ground"))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.paint_inside(painter, self.plot())
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
            paint.note(painter, box, number(tick, 0), align=paint.RIGHT)


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
            self.update(int(self.x_of(plot, seconds)) - 3, 0, 7, self.height())

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        self.playhead(painter, plot)

    def span(self) -> tuple[float, float]:
        """The stretch of time that is shown, in seconds."""
        if self.follow and self.length_s > 2 * CLOSE_S:
            start = min(max(0.0, self.position_s - CLOSE_S), self.length_s - 2 * CLOSE_S)
            return start, start + 2 * CLOSE_S
        return 0.0, self.length_s

    def x_of(self, plot: QRectF, seconds: float) -> float:
        start, end = self.span()
        return plot.left() + plot.width() * (seconds - start) / (end - start)

    def time_axis(self, painter: QPainter, plot: QRectF) -> None:
        start, end = self.span()
        step = next((s for s in (1, 2, 5, 10, 20, 30, 60, 120, 300) if (end - start) / s <= plot.width() / 52), 600)
        tick = int(-(-start // step)) * step
        while tick <= end:
            x = self.x_of(plot, tick)
            box = QRectF(x - 22, plot.bottom() + 2, 44, 15)
            if box.right() <= self.width() and box.left() >= 0:
                label = time_text(tick)[:-2]
                paint.note(painter, box, label, align=paint.CENTRE)
            paint.line(painter, x, plot.bottom(), x, plot.bottom() + 3, theme.colour("quiet"))
            tick += step

    def playhead(self, painter: QPainter, plot: QRectF) -> None:
        x = self.x_of(plot, self.position_s)
        if plot.left() <= x <= plot.right():
            painter.fillRect(QRectF(x - 1, plot.top(), 2, plot.height()), theme.colour("look"))


class PeakWindow(Drawing):
    """The mix's sample and true peak on a scale, against the window it should be in."""

    title = "Peak of the mix, dBFS"
    LOW, HIGH = -24.0, 6.0

    def __init__(self) -> None:
        super().__init__(
            "Peak of the mix", "Sample peak (bar) and true peak (line) of the whole mix; the window is a setting"
        )
        self._sample: float | None = None
        self._true: float | None = None
        self._stale = False
        self._window = WorkSettings().peak_window_dbfs
        self.setMinimumHeight(64)
        self.setMaximumHeight(72)

    def show_peaks(
        self, sample_dbfs: float | None, true_dbtp: float | None, stale: bool, window_dbfs: tuple[float, float]
    ) -> None:
        self._sample, self._true, self._stale, self._window = sample_dbfs, true_dbtp, stale, window_dbfs
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(4, TOP, self.width() - 8, self.height() - TOP - BOTTOM)

    def _x(self, plot: QRectF, level: float) -> float:
        share = (min(self.HIGH, max(self.LOW, level)) - self.LOW) / (self.HIGH - self.LOW)
        return plot.left() + plot.width() * share

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        low, high = self._window
        window = QRectF(self._x(plot, low), plot.top(), self._x(plot, high) - self._x(plot, low), plot.height())
        painter.fillRect(window, theme.colour("act_soft"))
        if self._sample is not None:
            inside = low <= self._sample <= high
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
            paint.note(painter, box, label, align=align)
