"""What stations that make room do with one hit: fall of a reverb or a room, repeats of an echo, moving voices."""

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import BOTTOM
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.doubling import RIGHT_RATE, Doubling
from all_even.dsp.space.echo import Echo
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.reverb_times import EARLY_FALL_DB, early_taps
from all_even.dsp.space.room import Room
from all_even.dsp.space.widener import Widener

FLOOR_DB = -60.0
KINDS = (Reverb, Room, Convolution, Echo, Doubling, Widener)
BANDS_HZ = ((250.0, "250 Hz"), (1000.0, "1 kHz"), (4000.0, "4 kHz"))


def title(station: Any) -> str:
    """What the drawing shows."""
    if isinstance(station, Reverb | Room):
        return "After a hit: fall at 250 Hz, 1 and 4 kHz, dB over s"
    if isinstance(station, Convolution):
        return "The response, dB over s"
    if isinstance(station, Echo):
        return "Repeats, left up and right down, dB over ms"
    if isinstance(station, Doubling):
        return "How late the voices are, ms over s"
    return "Left up, right down, over ms"


def paint_inside(painter: QPainter, plot: QRectF, station: Any, envelope_db: Any, note: str) -> None:
    """envelope_db: of a response, (hops of 10 ms,); None where it is none or unknown, which `note` says."""
    if isinstance(station, Reverb):
        _fall(painter, plot, station, station.predelay_ms / 1000.0, station.decay_s)
        _early(painter, plot, station)
    elif isinstance(station, Room):
        _fall(painter, plot, station, 0.0, station.decay_s)
    elif isinstance(station, Convolution):
        _response(painter, plot, station, envelope_db, note)
    elif isinstance(station, Echo):
        _repeats(painter, plot, station)
    elif isinstance(station, Doubling):
        _voices(painter, plot, station)
    else:
        _late_side(painter, plot, station)


def _span_s(station: Any) -> float:
    late = getattr(station, "predelay_ms", 0.0) / 1000.0
    longest = float(max(station.decay_at(hz) for hz, _ in BANDS_HZ))
    return float(max(0.2, late + longest))


def _axis(painter: QPainter, plot: QRectF, end: float, unit: str) -> None:
    """Five ticks over time."""
    for index in range(5):
        x = plot.left() + plot.width() * index / 4.0
        value = end * index / 4.0
        text = number(value, 2 if end < 2.0 else 1) if unit == "s" else number(value, 0)
        paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.5))
        box = QRectF(x - 24, plot.bottom() + 2, 48, BOTTOM - 3)
        align = paint.CENTRE
        if index == 0:
            box, align = QRectF(x, box.top(), 48, box.height()), paint.LEFT
        elif index == 4:
            box, align = QRectF(x - 48, box.top(), 48, box.height()), paint.RIGHT
            text = f"{text} {unit}"
        paint.note(painter, box, text, align=align)


def _levels(painter: QPainter, plot: QRectF) -> None:
    for tick in (0.0, -20.0, -40.0):
        y = plot.top() + plot.height() * tick / FLOOR_DB
        paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
        box = QRectF(0, y - 8, plot.left() - 5, 16)
        paint.note(painter, box, number(tick, 0), align=paint.RIGHT)


def _fall(painter: QPainter, plot: QRectF, station: Any, late_s: float, decay_s: float) -> None:
    end = _span_s(station)
    _axis(painter, plot, end, "s")
    _levels(painter, plot)
    for index, (hz, words) in enumerate(BANDS_HZ):
        time_s = float(station.decay_at(hz))
        stop_s = min(end, late_s + time_s)
        x0, x1 = (plot.left() + plot.width() * value / end for value in (late_s, stop_s))
        y1 = plot.top() + plot.height() * min(1.0, (stop_s - late_s) / time_s)
        painter.setPen(QPen(theme.colour("text", 1.0 if hz == 1000.0 else 0.55), 2.0 if hz == 1000.0 else 1.4))
        painter.drawLine(QPointF(x0, plot.top()), QPointF(x1, y1))
        box = QRectF(plot.right() - 118, plot.top() + 3 + 15 * index, 114, 15)
        tone = theme.colour("text" if hz == 1000.0 else "quiet")
        paint.text(painter, box, f"{words}  {number(time_s, 2)} s", size=theme.SMALL, colour=tone, align=paint.RIGHT)
    if late_s:
        x = plot.left() + plot.width() * late_s / end
        paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("act"), 1.5)


def _early(painter: QPainter, plot: QRectF, station: Reverb) -> None:
    """Early reflections as sticks, both sides."""
    if station.early_db <= -39.0:
        return
    end = _span_s(station)
    for side in range(2):
        times, gains = early_taps(side, 1000)
        for time, gain in zip(times, gains, strict=True):
            at_s = (station.predelay_ms + station.early_ms * time / 1000.0) / 1000.0
            level = station.early_db + 20.0 * np.log10(max(1e-3, abs(float(gain)) / float(np.abs(gains).max())))
            x = plot.left() + plot.width() * at_s / end
            y = plot.top() + plot.height() * min(1.0, max(0.0, level / FLOOR_DB))
            paint.line(painter, x, plot.bottom(), x, y, theme.colour("act", 0.5), 1.0)
    assert EARLY_FALL_DB > 0.0


def _response(painter: QPainter, plot: QRectF, station: Convolution, envelope_db: Any, note: str) -> None:
    if envelope_db is None or not len(envelope_db):
        paint.note(painter, plot, note, align=paint.CENTRE)
        return
    end = max(0.05, station.length_s)
    _axis(painter, plot, end, "s")
    _levels(painter, plot)
    shape = QPolygonF([QPointF(plot.left(), plot.bottom())])
    for index, level in enumerate(envelope_db):
        x = plot.left() + plot.width() * min(1.0, 0.01 * index / end)
        shape.append(QPointF(x, plot.top() + plot.height() * min(1.0, max(0.0, float(level) / FLOOR_DB))))
    shape.append(QPointF(shape.last().x(), plot.bottom()))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("act", 0.4))
    painter.drawPolygon(shape)


def _repeats(painter: QPainter, plot: QRectF, station: Echo) -> None:
    share = station.feedback_percent / 100.0
    end = 4.2 * max(station.left_ms, station.right_ms)
    _axis(painter, plot, end, "ms")
    middle = plot.center().y()
    paint.line(painter, plot.left(), middle, plot.right(), middle, theme.colour("line"), 1.5)
    half = 0.5 * plot.height() - 2.0
    both = station.left_ms + station.right_ms
    for side in range(2):
        own = (station.left_ms, station.right_ms)[side]
        in_turn = station.order == "in turn"
        first, period = (own if not in_turn else station.left_ms if side == 0 else both), both if in_turn else own
        at, level = first, 1.0
        while at < end and level > 1e-3:
            db = 20.0 * np.log10(level)
            height = half * max(0.0, 1.0 - db / FLOOR_DB)
            x = plot.left() + plot.width() * at / end
            y = middle - height if side == 0 else middle + height
            paint.line(painter, x, middle, x, y, theme.colour("act"), 3.0)
            at, level = at + period, level * share
    for side, name in enumerate(("left", "right")):
        box = QRectF(plot.left() + 4, plot.top() + 2 if side == 0 else plot.bottom() - 17, 60, 15)
        paint.note(painter, box, name)


def _voices(painter: QPainter, plot: QRectF, station: Doubling) -> None:
    end = 2.0 / max(0.05, station.rate_hz)
    _axis(painter, plot, end, "s")
    low = min(station.left_ms, station.right_ms) - station.depth_ms - 2.0
    high = max(station.left_ms, station.right_ms) + station.depth_ms + 2.0
    time_s = np.linspace(0.0, end, 160)
    for side, (name, late) in enumerate((("left", station.left_ms), ("right", station.right_ms))):
        rate = station.rate_hz * (1.0 if side == 0 else RIGHT_RATE)
        ms = late + station.depth_ms * np.sin(2.0 * np.pi * rate * time_s + 1.7 * side)
        ys = plot.bottom() - plot.height() * (ms - low) / (high - low)
        xs = plot.left() + plot.width() * time_s / end
        painter.setPen(QPen(theme.colour("act" if side == 0 else "text"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs, ys, strict=True)]))
        y = plot.bottom() - plot.height() * (late - low) / (high - low)
        words = f"{name} {number(late)} ms"
        box = QRectF(plot.left() + 4, y - 22, 90, 15)
        paint.note(painter, box, words)


def _late_side(painter: QPainter, plot: QRectF, station: Widener) -> None:
    end = 1.4 * station.late_ms
    _axis(painter, plot, end, "ms")
    middle, half = plot.center().y(), 0.5 * plot.height() - 2.0
    paint.line(painter, plot.left(), middle, plot.right(), middle, theme.colour("line"), 1.5)
    right_late = station.side == "right"
    late = half * 10.0 ** (station.late_db / 20.0)
    for is_left in (True, False):
        is_late = is_left is not right_late
        x = plot.left() + 2.0 + (plot.width() * station.late_ms / end if is_late else 0.0)
        height = late if is_late else half
        paint.line(painter, x, middle, x, middle - height if is_left else middle + height, theme.colour("act"), 3.0)
