"""The ruler: frequency in Hz with notes beside, and in zones, bars that set an equaliser, and the resulting curve,
which is shown.

Wherever an equaliser is drawn it is drawn with this: a bar stands at its frequency on the zero line, up where it
lifts and down where it cuts. Sideways is frequency, up and down gain; Shift moves finer, the wheel sets Q, a double
click on a bar takes it back to 0 dB.
"""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.style import paint, theme
from all_even.dsp.parameter import FINE
from all_even.dsp.tone.equaliser import GAINLESS

LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0
TICKS = (
    (20.0, "20", "E0"), (50.0, "50", "G1"), (100.0, "100", "G2"), (200.0, "200", "G3"), (500.0, "500", "B4"),
    (1000.0, "1k", "B5"), (2000.0, "2k", "B6"), (5000.0, "5k", "D#8"), (10_000.0, "10k", ""), (20_000.0, "20k", ""),
)  # fmt: skip
"""Hz, how it is written, and the note nearest to it (equal temperament at A4 = 440 Hz) as far as a piano reaches."""
NOTE_ROOM = 44.0
"""Pixels of an octave from which on notes stand beside frequencies."""
REACH = 12.0
"""So near the pointer has to be to take hold of a bar, px."""
Array = NDArray[np.float64]


def x_of(plot: QRectF, hz: float, low_hz: float = LOWEST_HZ, high_hz: float = HIGHEST_HZ) -> float:
    return plot.left() + plot.width() * math.log(max(hz, 1.0) / low_hz) / math.log(high_hz / low_hz)


def hz_at(plot: QRectF, x: float, low_hz: float = LOWEST_HZ, high_hz: float = HIGHEST_HZ) -> float:
    return float(low_hz * (high_hz / low_hz) ** ((x - plot.left()) / plot.width()))


def paint_notes(
    painter: QPainter, plot: QRectF, labels: QRectF | None, low_hz: float = LOWEST_HZ, high_hz: float = HIGHEST_HZ
) -> None:
    """Lines through the plot at round frequencies; what they are called in `labels`, where there is such a box: Hz, and
    beside it the nearest note where there is room."""
    room = plot.width() * math.log(2.0) / math.log(high_hz / low_hz)
    for hz, name, note in TICKS:
        if not low_hz <= hz <= high_hz:
            continue
        x = x_of(plot, hz, low_hz, high_hz)
        paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.5))
        if labels is not None:
            paint_tick(painter, x, labels, name, note if room >= NOTE_ROOM else "")


def paint_tick(painter: QPainter, x: float, labels: QRectF, name: str, note: str = "") -> None:
    """A frequency centred at x, with its note behind it in a quieter tone; both inside the box."""
    width, beside = paint.width_of(name, theme.SMALL) + 2, paint.width_of(note, theme.SMALL) + 2 if note else 0.0
    left = min(labels.right() - width - beside, max(labels.left(), x - width / 2))
    tick = QRectF(left, labels.top(), width, labels.height())
    paint.text(painter, tick, name, size=theme.SMALL, colour=theme.colour("text"))
    if note:
        paint.note(painter, QRectF(tick.right(), labels.top(), beside, labels.height()), note)


def paint_zones(
    painter: QPainter, plot: QRectF, labels: QRectF, low_hz: float = LOWEST_HZ, high_hz: float = HIGHEST_HZ
) -> None:
    """The six zones: a tick at each edge, their names between."""
    from all_even.measure.level import zones

    theme.colour("quiet")
    for low, high, name in zip(zones.EDGES_HZ[:-1], zones.EDGES_HZ[1:], zones.NAMES, strict=True):
        left, right = (x_of(plot, max(low_hz, min(high_hz, hz)), low_hz, high_hz) for hz in (low, high))
        paint.line(painter, right, labels.top() + 3, right, labels.bottom() - 3, theme.colour("line"))
        if right - left >= paint.width_of(name, theme.SMALL) + 4:
            box = QRectF(left, labels.top(), right - left, labels.height())
            paint.note(painter, box, name, align=paint.CENTRE)


def bar_y(plot: QRectF, gain_db: float, most_db: float) -> float:
    """Where a gain lies between the plot's edges, 0 dB in its middle."""
    return plot.center().y() - 0.5 * plot.height() * max(-1.0, min(1.0, gain_db / most_db))


def paint_bars(painter: QPainter, plot: QRectF, bands: Sequence[Any], chosen: int | None, most_db: float) -> None:
    """A bar for each band from the zero line; a pass or a notch is a short mark."""
    paint.line(painter, plot.left(), plot.center().y(), plot.right(), plot.center().y(), theme.colour("line"))
    for index, band in enumerate(bands):
        x = x_of(plot, band.frequency_hz)
        gain = 0.0 if band.shape in GAINLESS else band.gain_db
        y, middle = bar_y(plot, gain, most_db), plot.center().y()
        half = 4.0 if index == chosen else 2.5
        bar = QRectF(x - half, min(y, middle), 2 * half, abs(middle - y)).adjusted(0, -2, 0, 2)
        painter.fillRect(bar, theme.colour("act" if band.on else "line"))
        painter.fillRect(QRectF(x - half - 3, y - 2, 2 * half + 6, 4), theme.colour("act" if band.on else "line"))


def bar_at(plot: QRectF, bands: Sequence[Any], at: QPointF) -> int | None:
    """The bar under a point."""
    if not bands or not plot.adjusted(0, -4, 0, 4).contains(at):
        return None
    away = [abs(x_of(plot, band.frequency_hz) - at.x()) for band in bands]
    index = int(np.argmin(away))
    return index if away[index] <= REACH else None


def dragged(plot: QRectF, band: Any, moved: QPointF, most_db: float, *, fine: bool) -> tuple[float, float]:
    """(Hz, dB) of a bar that was moved by so many pixels."""
    step = moved * (FINE if fine else 1.0)
    hz = band.frequency_hz * (HIGHEST_HZ / LOWEST_HZ) ** (step.x() / plot.width())
    gain = 0.0 if band.shape in GAINLESS else band.gain_db - 2.0 * most_db * step.y() / plot.height()
    return round(hz, 1), round(gain, 1)


def paint_curve(
    painter: QPainter, plot: QRectF, frequencies_hz: Array, level_db: Array, most_db: float, pen: QPen
) -> None:
    """A response between the plot's edges."""
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    points = [QPointF(x_of(plot, float(hz)), bar_y(plot, float(db), most_db))
              for hz, db in zip(frequencies_hz, level_db, strict=True)]  # fmt: skip
    painter.drawPolyline(QPolygonF(points))
