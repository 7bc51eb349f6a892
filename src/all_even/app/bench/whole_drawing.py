"""The mix beside finished ones at equal loudness: its level in six zones of the spectrum, and its width there."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing
from all_even.app.style import paint, theme
from all_even.dsp.parameter import signed
from all_even.measure.level import zones
from all_even.measure.level.third_octave import NOMINAL_HZ

if TYPE_CHECKING:
    from all_even.figures.elsewhere.references import Beside
    from all_even.figures.elsewhere.tonal_balance import Tonal
    from all_even.measure.level.passage import Passage
    from all_even.measure.level.zones import Band, Levels

Bands = tuple[float | None, ...]
ROOMY = 92.0
"""Pixels of a zone beside whose bar there is room for its figure."""
SHORT = ("sub", "bass", "low", "mids", "high", "top")
"""Where there is little room."""
EMPTY = "Add five references to be told what lies outside"


class ZonesDrawing(Drawing):
    title = "Zones of the mix against its loudness, dB"
    name = "Zones of the mix"
    tip = (
        "How strong each part of the spectrum is against the loudness. Points are references, the box is what five and "
        "more of them do (median ± twice their spread), the bar is this mix. Lines: third octaves of this mix, and of "
        "the selected one"
    )
    low_db, high_db = -36.0, 12.0
    ticks: tuple[float, ...] = (-30.0, -20.0, -10.0, 0.0, 10.0)

    def __init__(self) -> None:
        super().__init__(self.name, self.tip)
        self.whole: Tonal | None = None
        self._note, self._marked = "", ""
        self._curves: tuple[Bands, Bands] = ((), ())
        """Third octaves of the mix, and of the one that is told apart."""

    def show_beside(self, found: "Beside | None", marked: str) -> None:
        """The loudest passage of the mix among those of others. marked: the name of one that is told apart."""
        from all_even.figures.elsewhere.tonal_balance import Tonal

        shown = None
        if found is not None and found.mix is not None:
            others = tuple(
                (item.listed.name, self.levels(item.passage)) for item in found.others if item.passage is not None
            )
            references = tuple(item for item in found.others if item.listed.use == "reference")
            shown = Tonal(self.levels(found.mix), others, self.bands(found), len(references))
        other = next((item.passage for item in found.others if item.listed.name == marked), None) if found else None
        mix = found.mix if found is not None else None
        self._curves = (self.curve(mix), self.curve(other))
        self.show_whole(shown, "The mix is being measured …", marked)

    def levels(self, passage: "Passage") -> "Levels":
        """What is drawn of a passage."""
        return passage.zones_db

    def curve(self, passage: "Passage | None") -> Bands:
        """Its third octaves, dB against its loudness; empty where none are drawn."""
        return passage.bands_db if passage is not None else ()

    def bands(self, found: "Beside") -> "tuple[Band | None, ...]":
        """What references do."""
        return found.bands

    def show_whole(self, found: "Tonal | None", note: str, marked: str = "") -> None:
        if not self.is_new(found, note, marked, self._curves):
            return
        self.whole, self._note, self._marked = found, note, marked
        if found is not None:
            told = [f"{zones.NAMES[index]} {signed(beside)} dB outside" for index, beside in found.flags]
            self.setAccessibleDescription(", ".join(told) or "Nothing lies outside what the references do")
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        found = self.whole
        if found is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, self.ticks, self.low_db, self.high_db)
        flagged = dict(found.flags)
        width = plot.width() / len(zones.NAMES)
        for index, name in enumerate(zones.NAMES):
            left = plot.left() + index * width
            self._zone(painter, plot, QRectF(left, plot.top(), width, plot.height()), index, index in flagged)
            box = QRectF(left, plot.bottom() - 17, width, 15)
            if paint.width_of(name, theme.SMALL) > width:
                name = SHORT[index]
            paint.note(painter, box, name, align=paint.CENTRE)
        for curve, colour, width_px in zip(self._curves, (theme.colour("text", 0.45), theme.colour("act")), (1.2, 1.6),
                                           strict=True):  # fmt: skip
            self._curve(painter, plot, curve, QPen(colour, width_px))
        for index, edge in enumerate(zones.EDGES_HZ):
            x = plot.left() + index * width
            paint.line(painter, x, plot.top(), x, plot.bottom() + 3, theme.colour("line", 0.6))
            box = QRectF(min(x - 22, self.width() - 44.0), plot.bottom() + 2, 44, 15)
            paint.note(painter, box, _hertz(edge), align=paint.CENTRE)
        if found.judged_by < zones.FEWEST:
            text = EMPTY if not found.judged_by else f"{found.judged_by} of {zones.FEWEST}: not judged"
            if paint.width_of(text, theme.SMALL) > plot.width() - 16:
                text = "Not judged: under five"
            box = QRectF(plot.left() + 8, plot.top() + 3, plot.width() - 16, 16)
            paint.note(painter, box, text)

    def _curve(self, painter: QPainter, plot: QRectF, levels: Bands, pen: QPen) -> None:
        """A line through third octaves; within a zone straight in octaves."""
        at = range(len(zones.EDGES_HZ))
        places = np.interp(np.log2(NOMINAL_HZ), np.log2(zones.EDGES_HZ), at)
        span = self.high_db - self.low_db
        shape = QPolygonF()
        for place, level in zip(places, levels, strict=False):
            if level is not None and 0.0 < place < len(zones.NAMES):
                held = min(self.high_db, max(self.low_db, level))
                shape.append(QPointF(plot.left() + place * plot.width() / len(zones.NAMES),
                                     plot.bottom() - plot.height() * (held - self.low_db) / span))  # fmt: skip
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(shape)

    def _zone(self, painter: QPainter, plot: QRectF, box: QRectF, index: int, flagged: bool) -> None:
        found = self.whole
        assert found is not None

        def y_of(level: float) -> float:
            share = (min(self.high_db, max(self.low_db, level)) - self.low_db) / (self.high_db - self.low_db)
            return plot.bottom() - plot.height() * share

        centre, band = box.center().x(), found.bands[index]
        if band is not None:
            shape = QRectF(centre - 22, y_of(band.high_db), 44, y_of(band.low_db) - y_of(band.high_db))
            painter.fillRect(shape, theme.colour("act_soft"))
            middle = y_of(band.median_db)
            paint.line(painter, shape.left(), middle, shape.right(), middle, theme.colour("act"), 1.5)
        painter.setPen(Qt.PenStyle.NoPen)
        for name, levels in found.references:
            level, marked = levels[index], name == self._marked
            painter.setBrush(theme.colour("act") if marked else theme.colour("quiet", 0.8))
            if level is not None:
                size = 4.0 if marked else 2.5
                painter.drawEllipse(QPointF(centre - 10, y_of(level)), size, size)
        own = found.mix[index]
        if own is not None:
            colour = theme.colour("look" if flagged else "text")
            painter.setPen(QPen(colour, 3))
            painter.drawLine(QPointF(centre - 2, y_of(own)), QPointF(centre + 22, y_of(own)))
            beside = box.width() >= ROOMY
            place = QPointF(centre + 24, y_of(own) - 8) if beside else QPointF(centre - 8, y_of(own) - 19)
            label = QRectF(place.x(), place.y(), 36, 16)
            paint.text(painter, label, signed(own), size=theme.SMALL, colour=colour)


class WidthDrawing(ZonesDrawing):
    title = "Width: side over mid, dB"
    name = "Width of the mix"
    tip = (
        "How wide the mix is in each zone: 0 is as much at the sides as in the middle, −60 is mono. Points are others, "
        "the box is what five and more of them do, the bar is this mix"
    )
    low_db, high_db = -72.0, 12.0
    ticks = (-60.0, -45.0, -30.0, -15.0, 0.0)

    def levels(self, passage: "Passage") -> "Levels":
        return passage.width_db

    def curve(self, passage: "Passage | None") -> Bands:
        return ()

    def bands(self, found: "Beside") -> "tuple[Band | None, ...]":
        return found.widths


def _hertz(value: float) -> str:
    return f"{value:.0f}" if value < 1000.0 else f"{value / 1000.0:g}k"
