"""Gather's drawings: the waveform close up, and third-octave levels."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import LEFT, Drawing, TimeDrawing
from all_even.app.bench.handled import Handled
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number
from all_even.session.song.hits import is_struck
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.measure.recording.track import TrackMeasures


@dataclass(frozen=True, slots=True)
class HitMark:
    """A hit in seconds of the file. unsure: it may be another drum. by_hand: it was put there. double: closer to the
    one before than a sixteenth usually is."""

    time_s: float
    unsure: bool = False
    by_hand: bool = False
    double: bool = False


GRAB_PX, MARKS = 5.0, 14.0
"""So near to a mark it is taken hold of, in the strip of marks along the top."""


class WaveDrawing(Handled, TimeDrawing):
    """The selected file's waveform, on a scale of full scale; of a struck one its hits, to be put right by hand."""

    hit_added = pyqtSignal(float)
    hit_removed = pyqtSignal(float)
    hit_moved = pyqtSignal(float, float)
    title = "Waveform; full scale at the edges"

    def __init__(self) -> None:
        super().__init__(
            "Waveform",
            "Lowest and highest sample per 10 ms. Hits along the top: filled are sure, hollow may be another drum; "
            "a bar marks doubles. Drag moves one, a double click adds or removes one (follow shows them close)",
        )
        self.measures: TrackMeasures | None = None
        self.role = "unknown"
        self.hits: tuple[HitMark, ...] = ()

    def show_hits(self, hits: tuple[HitMark, ...]) -> None:
        if hits != self.hits:
            self.hits = hits
            unsure = sum(hit.unsure for hit in hits)
            self.setAccessibleDescription(f"{len(hits)} hits, {unsure} of them unsure" if hits else "")
            self.renew()

    def hit_at(self, x: float) -> HitMark | None:
        """The hit whose mark is under a pixel."""
        plot = self.plot()
        near = [(abs(self.x_of(plot, hit.time_s) - x), index) for index, hit in enumerate(self.hits)]
        return self.hits[min(near)[1]] if near and min(near)[0] <= GRAB_PX else None

    def time_at(self, x: float) -> float:
        plot, (start, end) = self.plot(), self.span()
        return start + (end - start) * min(1.0, max(0.0, (x - plot.left()) / max(1.0, plot.width())))

    def handle_at(self, at: QPointF) -> HitMark | None:
        return self.hit_at(at.x()) if at.y() <= self.plot().top() + MARKS else None

    def drop(self, held: HitMark, at: QPointF) -> None:
        there, plot = self.time_at(at.x()), self.plot()
        if abs(self.x_of(plot, there) - self.x_of(plot, held.time_s)) > 2.0:
            self.hit_moved.emit(held.time_s, there)

    def double(self, at: QPointF) -> None:
        if not is_struck(self.role):
            return
        found = self.handle_at(at)
        if found is not None:
            self.hit_removed.emit(found.time_s)
        else:
            self.hit_added.emit(self.time_at(at.x()))

    def _paint_hits(self, painter: QPainter, plot: QRectF) -> None:
        start, end = self.span()
        act, look = theme.colour("act"), theme.colour("look")
        for hit in self.hits:
            if not start <= hit.time_s <= end:
                continue
            x = self.x_of(plot, hit.time_s)
            tint = look if hit.unsure else act
            painter.setPen(QPen(tint, 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush if hit.unsure else tint)
            painter.drawPolygon(
                QPolygonF([QPointF(x - 3, plot.top()), QPointF(x + 3, plot.top()), QPointF(x, plot.top() + 7)])
            )
            if hit.double:
                paint.line(painter, x - 3, plot.top() + 9, x + 3, plot.top() + 9, tint, 1.5)
            if hit.by_hand:
                paint.line(painter, x, plot.top() + 7, x, plot.top() + MARKS, tint, 1.5)

    def show_track(self, measures: "TrackMeasures | None", role: str) -> None:
        if not self.is_new(measures, role):
            return
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
            paint.note(
                painter,
                QRectF(0, middle - offset - 8 + (6 if level_db == 0 else 0), LEFT - 5, 16),
                number(level_db, 0),
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
        self._paint_hits(painter, plot)


class BandsDrawing(Drawing):
    """Third-octave levels of the active parts over a frequency axis."""

    title = "Third octaves while it plays, dBFS"

    def __init__(self) -> None:
        super().__init__("Third octaves", "Level per third octave (IEC 61260-1) of the parts where the track plays")
        self._levels: tuple[float | None, ...] = ()
        self._role = "unknown"

    def show_track(self, measures: "TrackMeasures | None", role: str) -> None:
        if not self.is_new(measures, role):
            return
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
            paint.note(painter, QRectF(x - 18, plot.bottom() + 2, 36, 15), name, align=paint.CENTRE)
