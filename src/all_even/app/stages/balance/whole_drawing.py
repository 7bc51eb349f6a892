"""The mix beside finished ones: its level in six zones of the spectrum at equal loudness."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from all_even.app import paint, theme
from all_even.app.bench.drawings import Drawing
from all_even.dsp.parameter import signed
from all_even.measure.level import zones

if TYPE_CHECKING:
    from all_even.engine.whole import Whole

LOW_DB, HIGH_DB = -36.0, 12.0
ROOMY = 92.0
"""Pixels of a zone beside whose bar there is room for its figure."""
TICKS = (-30.0, -20.0, -10.0, 0.0, 10.0)
EMPTY = "Add five references to be told what lies outside"


class WholeDrawing(Drawing):
    title = "Zones of the mix against its loudness, dB"

    def __init__(self) -> None:
        super().__init__(
            "Zones of the mix",
            "How strong each part of the spectrum is against the loudness. Points are references, the box is what five "
            "and more of them do (median ± twice their spread), the bar is this mix",
        )
        self._whole: Whole | None = None
        self._note = ""

    def show_whole(self, found: "Whole | None", note: str) -> None:
        self._whole, self._note = found, note
        if found is not None:
            told = [f"{zones.NAMES[index]} {signed(beside)} dB outside" for index, beside in found.flags]
            self.setAccessibleDescription(", ".join(told) or "Nothing lies outside what the references do")
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        quiet = theme.colour("quiet")
        found = self._whole
        if found is None:
            paint.text(painter, plot, self._note, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, TICKS, LOW_DB, HIGH_DB)
        flagged = dict(found.flags)
        width = plot.width() / len(zones.NAMES)
        for index, name in enumerate(zones.NAMES):
            left = plot.left() + index * width
            self._zone(painter, plot, QRectF(left, plot.top(), width, plot.height()), index, index in flagged)
            box = QRectF(left, plot.bottom() - 17, width, 15)
            paint.text(painter, box, name, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
        for index, edge in enumerate(zones.EDGES_HZ):
            x = plot.left() + index * width
            paint.line(painter, x, plot.top(), x, plot.bottom() + 3, theme.colour("line", 0.6))
            box = QRectF(min(x - 22, self.width() - 44.0), plot.bottom() + 2, 44, 15)
            paint.text(painter, box, _hertz(edge), size=theme.SMALL, colour=quiet, align=paint.CENTRE)
        if len(found.references) < zones.FEWEST:
            text = EMPTY if not found.references else f"{len(found.references)} of {zones.FEWEST}: not judged"
            box = QRectF(plot.left() + 8, plot.top() + 3, plot.width() - 16, 16)
            paint.text(painter, box, text, size=theme.SMALL, colour=quiet)

    def _zone(self, painter: QPainter, plot: QRectF, box: QRectF, index: int, flagged: bool) -> None:
        found = self._whole
        assert found is not None

        def y_of(level: float) -> float:
            return plot.bottom() - plot.height() * (min(HIGH_DB, max(LOW_DB, level)) - LOW_DB) / (HIGH_DB - LOW_DB)

        centre, band = box.center().x(), found.bands[index]
        if band is not None:
            shape = QRectF(centre - 22, y_of(band.high_db), 44, y_of(band.low_db) - y_of(band.high_db))
            painter.fillRect(shape, theme.colour("act_soft"))
            middle = y_of(band.median_db)
            paint.line(painter, shape.left(), middle, shape.right(), middle, theme.colour("act"), 1.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("quiet", 0.8))
        for _name, levels in found.references:
            level = levels[index]
            if level is not None:
                painter.drawEllipse(QPointF(centre - 10, y_of(level)), 2.5, 2.5)
        own = found.mix[index]
        if own is not None:
            colour = theme.colour("look" if flagged else "text")
            painter.setPen(QPen(colour, 3))
            painter.drawLine(QPointF(centre - 2, y_of(own)), QPointF(centre + 22, y_of(own)))
            beside = box.width() >= ROOMY
            place = QPointF(centre + 24, y_of(own) - 8) if beside else QPointF(centre - 8, y_of(own) - 19)
            label = QRectF(place.x(), place.y(), 36, 16)
            paint.text(painter, label, signed(own), size=theme.SMALL, colour=colour)


def _hertz(value: float) -> str:
    return f"{value:.0f}" if value < 1000.0 else f"{value / 1000.0:g}k"
