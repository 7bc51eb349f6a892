"""What a cabinet lets through, and the tone that a hit gets: drawings of an opened processor."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench import ruler
from all_even.app.bench.drawings import BOTTOM, LEFT
from all_even.app.style import paint, theme
from all_even.dsp.ducking.hit_tone import BENDS_MS, RISES_MS, HitTone
from all_even.dsp.parameter import number
from all_even.dsp.tone.cabinet import Cabinet, magnitude_db

KINDS = (Cabinet, HitTone)
TICKS_DB, LOWEST_DB, HIGHEST_DB = (-36.0, -24.0, -12.0, 0.0), -40.0, 12.0
POINTS = 400


def title(station: Cabinet | HitTone) -> str:
    return "What the box lets through, dB" if isinstance(station, Cabinet) else "The tone at a hit, over ms"


def paint_inside(painter: QPainter, plot: QRectF, station: Cabinet | HitTone) -> None:
    if isinstance(station, Cabinet):
        _box(painter, plot, station)
    else:
        _tone(painter, plot, station)


def _box(painter: QPainter, plot: QRectF, station: Cabinet) -> None:
    for tick in TICKS_DB:
        y = plot.bottom() - plot.height() * (tick - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB)
        paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
        paint.note(painter, QRectF(0, y - 8, LEFT - 5, 16), number(tick, 0), align=paint.RIGHT)
    ruler.paint_notes(painter, plot, QRectF(plot.left(), plot.bottom() + 2, plot.width(), BOTTOM - 3))
    at = np.geomspace(ruler.LOWEST_HZ, ruler.HIGHEST_HZ, POINTS)
    middle = 0.5 * (LOWEST_DB + HIGHEST_DB)
    level = np.maximum(magnitude_db(station.box, at), LOWEST_DB) - middle
    ruler.paint_curve(painter, plot, at, level, HIGHEST_DB - middle, QPen(theme.colour("text"), 2))


def _tone(painter: QPainter, plot: QRectF, station: HitTone) -> None:
    length_ms = station.length_ms
    for share in (0.25, 0.5, 0.75, 1.0):
        x = plot.left() + share * plot.width()
        paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.6))
        box = QRectF(min(x, plot.right() - 20.0) - 20, plot.bottom() + 2, 40, 15)
        paint.note(painter, box, number(share * length_ms, 0), align=paint.CENTRE)
    ms = np.linspace(0.0, length_ms, POINTS)
    bend = (2.0 ** (station.bend_semitones / 12.0) - 1.0) * BENDS_MS * (1.0 - np.exp(-ms / BENDS_MS))
    wave = np.sin(2.0 * math.pi * station.frequency_hz * 0.001 * (ms + bend))
    wave *= np.minimum(1.0, ms / RISES_MS) * np.exp(-math.log(1000.0) * ms / length_ms)
    middle, reach = plot.center().y(), 0.45 * plot.height()
    paint.line(painter, plot.left(), middle, plot.right(), middle, theme.colour("line"))
    painter.setPen(QPen(theme.colour("text"), 1.5))
    painter.drawPolyline(QPolygonF([
        QPointF(plot.left() + plot.width() * at / length_ms, middle - reach * value)
        for at, value in zip(ms.tolist(), wave.tolist(), strict=True)
    ]))  # fmt: skip
