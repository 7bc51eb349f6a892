"""The close look at one lane on one system: its spectrum here, what of it is left there, and the system's response."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from all_even.app.bench.drawings import Drawing
from all_even.app.style import icons, paint, theme
from all_even.figures.elsewhere.systems import System

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from all_even.figures.elsewhere.translation import Translation

LOW_HZ, HIGH_HZ = 30.0, 16_000.0
RANGE_DB, ABOVE_DB = 60.0, 14.0
TICKS_HZ = (50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10_000.0)


class SystemDrawing(Drawing):
    title = "Spectrum here (line) and there (filled), dB; above, the system's response"

    def __init__(self) -> None:
        super().__init__(
            "The track on that system",
            "The line is the track's spectrum here, A-weighted; what is filled is left of it there, the mix as loud as "
            "here; the dashed curve is the system's response",
        )
        self._curves: tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]] | None = None
        self._family, self._note = "other", ""

    def show_lane(self, found: "Translation | None", place: int | None, system: System, family: str, note: str) -> None:
        """place: of the lane's source; None for none. note: what is said where there is nothing to draw."""
        self._family, self._note = family, note
        self._curves = None
        if found is not None and place is not None:
            self._curves = found.curves(place, system.key)
            self.setAccessibleDescription(f"{found.units[place].name} on {system.name}")
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        import numpy as np

        from all_even.figures.elsewhere.translation import bands_hz

        quiet = theme.colour("quiet")
        for hertz in TICKS_HZ:
            x = x_of(plot, hertz)
            paint.line(painter, x, plot.top(), x, plot.bottom() + 3, theme.colour("line", 0.6))
            label = f"{hertz:.0f}" if hertz < 1000 else f"{hertz / 1000:g}k"
            box = QRectF(x - 20, plot.bottom() + 2, 40, 15)
            paint.note(painter, box, label, align=paint.CENTRE)
        if self._curves is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        here, there, response = self._curves
        xs = [x_of(plot, float(hertz)) for hertz in bands_hz()]
        top = float(np.max(here))

        def y_of(level: float) -> float:
            share = (level - top + RANGE_DB) / (RANGE_DB + ABOVE_DB)
            return plot.bottom() - plot.height() * min(1.0, max(0.0, share))

        self.level_axis(painter, plot, (-40.0, -20.0, 0.0), -RANGE_DB, ABOVE_DB)
        painter.save()
        painter.setClipRect(plot)
        filled = QPainterPath(QPointF(xs[0], plot.bottom()))
        for x, level in zip(xs, there, strict=True):
            filled.lineTo(x, y_of(float(level)))
        filled.lineTo(xs[-1], plot.bottom())
        painter.fillPath(filled, icons.family_colour(self._family, 0.55))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(icons.family_colour(self._family), 1.6))
        painter.drawPath(_path(xs, [y_of(float(level)) for level in here]))
        painter.setPen(QPen(quiet, 1.2, Qt.PenStyle.DashLine))
        middle, each = plot.top() + 0.3 * plot.height(), plot.height() / (RANGE_DB + ABOVE_DB)
        painter.drawPath(_path(xs, [middle - each * max(-RANGE_DB, float(db)) for db in response]))
        painter.restore()


def x_of(plot: QRectF, hertz: float) -> float:
    import math

    return plot.left() + plot.width() * math.log(hertz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)


def _path(xs: list[float], ys: list[float]) -> QPainterPath:
    path = QPainterPath(QPointF(xs[0], ys[0]))
    for x, y in zip(xs[1:], ys[1:], strict=True):
        path.lineTo(x, y)
    return path
