"""The low end's other close looks: spectra of kick and bass with what clears them, and the notes of a bass as dots."""

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPainterPath, QPen, QPolygonF

from all_even.app.bench import ruler
from all_even.app.bench.drawings import BOTTOM, Drawing
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from all_even.moves.low_end.views import Clearings, Notes

LOW_HZ, HIGH_HZ = 24.0, 288.0
FLOOR_DB = -36.0
OWNED_HZ = 80.0
EQ_DB = 9.0
TICKS = ((30.0, "30", "B0"), (50.0, "50", "G1"), (70.0, "70", "C#2"), (100.0, "100", "G2"), (150.0, "150", "D3"),
         (200.0, "200", "G3"))  # fmt: skip


class ClearingsDrawing(Drawing):
    """Spectra filled; the owner's zone tinted; equalisers as lines about the middle, keyed bands hatched down from
    it."""

    title = (
        "Kick in its hits and bass, dB relative to the louder; lines: equalisers; hatched: what gives way to the kick"
    )

    def __init__(self) -> None:
        super().__init__(
            "Spectra and EQ cuts",
            "Where kick and bass have their low sound. The tint is the zone of what leads the low end; solid line: "
            "equalisers on the bass, dotted: on the kick; hatched: a band that gives way while the kick sounds",
        )
        self.found: Clearings | None = None
        self._note = ""

    def show_clearings(self, found: "Clearings | None", note: str) -> None:
        self.found, self._note = found, note
        if found is not None:
            self.setAccessibleDescription(f"Kick strongest at {found.kick_hz:.0f} Hz, bass at {found.bass_hz:.0f} Hz")
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self.found
        if found is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, (-30.0, -20.0, -10.0, 0.0), FLOOR_DB, 0.0)
        if found.owner:
            zone = QRectF(plot.left(), plot.top(), self._x(plot, OWNED_HZ) - plot.left(), plot.height())
            painter.fillRect(zone, theme.colour("act_soft", 0.7))
        labels = QRectF(plot.left(), plot.bottom() + 1, plot.width(), BOTTOM - 3)
        for hz, label, note in TICKS:
            x = self._x(plot, hz)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.5))
            ruler.paint_tick(painter, x, labels, label, note)
        xs = np.array([self._x(plot, float(hz)) for hz in found.centres_hz])
        for levels, family in ((found.bass_db, "bass"), (found.kick_db, "drums")):
            path = QPainterPath(QPointF(float(xs[0]), plot.bottom()))
            for x, level in zip(xs, levels, strict=True):
                path.lineTo(float(x), plot.bottom() - plot.height() * max(0.0, 1.0 + float(level) / -FLOOR_DB))
            path.lineTo(float(xs[-1]), plot.bottom())
            painter.fillPath(path, icons.family_colour(family, 0.45))
        if found.owner:
            told = f"{found.owner} leads here"
            width = paint.width_of(told, theme.SMALL) + 8
            box = QRectF(self._x(plot, OWNED_HZ) - width - 4, plot.top() + 3, width, 15)
            painter.fillRect(box, theme.colour("ground", 0.85))
            paint.text(painter, box, told, size=theme.SMALL, colour=theme.colour("act"), align=paint.CENTRE)
        self._peaks(painter, plot, found)
        self._equalisers(painter, plot, xs, found)

    def _x(self, plot: QRectF, hz: float) -> float:
        return plot.left() + plot.width() * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)

    def _peaks(self, painter: QPainter, plot: QRectF, found: "Clearings") -> None:
        for line, (hz, family, name) in enumerate(((found.kick_hz, "drums", "kick"), (found.bass_hz, "bass", "bass"))):
            x = self._x(plot, hz)
            painter.setPen(QPen(icons.family_colour(family, 1.0), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, plot.top() + 20), QPointF(x, plot.bottom()))
            label = f"{name} {number(hz, 0)} Hz"
            width = paint.width_of(label, theme.SMALL) + 6
            box = QRectF(x + 4, plot.top() + 20 + 15 * line, width, 15)
            painter.fillRect(box, theme.colour("ground", 0.85))
            paint.text(painter, box.adjusted(2, 0, 0, 0), label, size=theme.SMALL)

    def _equalisers(self, painter: QPainter, plot: QRectF, xs: np.ndarray, found: "Clearings") -> None:
        middle = plot.top() + 0.5 * plot.height()

        def y_of(gain: float) -> float:
            return middle - 0.5 * plot.height() * max(-1.0, min(1.0, gain / EQ_DB))

        def points(gains: np.ndarray) -> list[QPointF]:
            return [QPointF(float(x), y_of(float(g))) for x, g in zip(xs, gains, strict=True)]

        if float(np.abs(found.keyed_db).max()) > 0.1:
            painter.setPen(QPen(theme.colour("act"), 1.2))
            painter.setBrush(QBrush(theme.colour("act", 0.8), Qt.BrushStyle.BDiagPattern))
            painter.drawPolygon(QPolygonF([*points(found.keyed_db), QPointF(float(xs[-1]), middle),
                                           QPointF(float(xs[0]), middle)]))  # fmt: skip
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for gains, style in ((found.bass_eq_db, Qt.PenStyle.SolidLine), (found.kick_eq_db, Qt.PenStyle.DotLine)):
            if float(np.abs(gains).max()) > 0.1:
                painter.setPen(QPen(theme.colour("text"), 2.0, style))
                painter.drawPolyline(QPolygonF(points(gains)))
        any_moves = max(float(np.abs(x).max()) for x in (found.keyed_db, found.bass_eq_db, found.kick_eq_db)) > 0.1
        if any_moves:
            for gain in (-6.0, 0.0, 6.0):
                label = QRectF(plot.right() - 40, y_of(gain) - 8, 36, 16)
                text = f"+{gain:.0f}" if gain > 0 else number(gain, 0)
                paint.text(painter, label, text, size=theme.SMALL, colour=theme.colour("act"), align=paint.RIGHT)
            paint.line(painter, plot.left(), middle, plot.right(), middle, theme.colour("act", 0.4))


class NotesDrawing(Drawing):
    """Every note as a dot over its pitch: hollow before the chain, filled behind it; the bar is the middle of a
    pitch, the band what lies between soft and loud."""

    def __init__(self) -> None:
        super().__init__(
            "Notes of the bass",
            "Level of each note under 100 Hz by its pitch: hollow before the track's chain, filled behind it. The "
            "band holds four of five notes; its height is the spread",
        )
        self.found: Notes | None = None
        self._note = ""

    def show_notes(self, found: "Notes | None", note: str) -> None:
        self.found, self._note = found, note
        if found is not None:
            self.title = f"{found.name}: notes under 85 Hz, level under 100 Hz, dB; hollow before its chain"
            self.setAccessibleDescription(
                f"Spread {found.now.spread_db:.1f} dB, before {found.before.spread_db:.1f} dB"
            )
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self.found
        if found is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        from all_even.moves.low_end.bass.even_notes import named_midi

        both = np.concatenate((found.before.levels_db, found.now.levels_db))
        low, high = float(np.floor(both.min() / 5.0) * 5.0), float(np.ceil(both.max() / 5.0) * 5.0) + 2.0

        def y_of(level: float) -> float:
            return plot.bottom() - plot.height() * (level - low) / (high - low)

        self.level_axis(painter, plot, tuple(np.arange(low, high, 5.0)), low, high)
        p10, p90 = np.percentile(found.now.levels_db, (10, 90))
        band = QRectF(plot.left(), y_of(float(p90)), plot.width(), y_of(float(p10)) - y_of(float(p90)))
        painter.fillRect(band, theme.colour("act_soft"))
        told = f"spread {number(found.now.spread_db)} dB"
        if abs(found.now.spread_db - found.before.spread_db) > 0.05:
            told += f", before {number(found.before.spread_db)}"
        paint.text(
            painter, QRectF(plot.right() - 204, plot.top() + 3, 200, 15), told, size=theme.SMALL, align=paint.RIGHT
        )
        pitches = sorted(found.now.by_pitch)
        step = plot.width() / max(1, len(pitches))
        colour = icons.family_colour("bass", 0.9)
        for index, midi in enumerate(pitches):
            x = plot.left() + (index + 0.5) * step
            for levels, side, filled in (
                (found.before.by_pitch.get(midi), -0.16, False), (found.now.by_pitch[midi], 0.16, True),
            ):  # fmt: skip
                if levels is None:
                    continue
                painter.setPen(QPen(colour, 1.2))
                painter.setBrush(colour if filled else Qt.BrushStyle.NoBrush)
                for level in levels[:80]:
                    painter.drawEllipse(QPointF(x + side * step, y_of(float(level))), 3.0, 3.0)
            middle = y_of(float(np.median(found.now.by_pitch[midi])))
            paint.line(painter, x, middle, x + 0.32 * step, middle, theme.colour("text"), 2)
            box = QRectF(x - 24, plot.bottom() + 1, 48, BOTTOM - 3)
            paint.note(painter, box, named_midi(midi), align=paint.CENTRE)
