"""The selected line large: its words over the backing, and the curve of any setting, to be drawn by hand.

Press a point to hold it, drag it, or nudge it with the arrows; a double click makes or removes one. Drag where nothing
is to mark a passage: arrows and wheel then move all of it. Press a word to hear it. Ctrl+wheel goes closer.
"""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QWheelEvent

from all_even.app.bench.drawings import LEFT, TimeDrawing
from all_even.app.bench.handled import Handled
from all_even.app.stages.rides.relation import (
    RANGE_DB,
    paint_curve,
    paint_relation,
    paint_sections,
    paint_units,
)
from all_even.app.style import fields, icons, paint, theme
from all_even.dsp.parameter import FINE, LevelParameter, MuteParameter, PanParameter, Parameter, number, signed
from all_even.session.editing import curves

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from all_even.app.stages.rides.shown import LineShown
    from all_even.session.editing.curves import Curve

REACH, CLICK_PX = 7.0, 3.0
DOT = 3.2
MOST_DOTS = 300
SHORTEST_S = 2.0
ZOOM_STEP = 1.25
LEAD_S = 0.15
"""A word is played from so long before."""


class RideDrawing(Handled, TimeDrawing):
    """curve_changed: other points are wanted. passage_moved: the marked passage by so many
    steps. pointed: play from here, s. ridden: while a ride is recorded, by so many steps. marked: another passage or
    point is chosen."""

    curve_changed = pyqtSignal(object)
    passage_moved = pyqtSignal(float)
    pointed = pyqtSignal(float)
    ridden = pyqtSignal(float)
    marked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(
            "The line over its backing, and what rides it",
            "Bars: words over the backing, off what is usual; hollow: where the open move would put them. Points: "
            "drag, arrow keys (Shift: finer), double click makes or removes one. Drag a passage: arrows or "
            "wheel move all of it. Press a word to hear it. Ctrl+wheel: closer; wheel: along",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.line: LineShown | None = None
        self.curve: Curve = []
        self._arrays: tuple[NDArray[np.float64], NDArray[np.float64]] = (np.zeros(0), np.zeros(0))
        self.rest = 0.0
        self.described: Parameter | None = None
        self.chosen: int | None = None
        """The point that the keyboard moves."""
        self.passage: tuple[float, float] | None = None
        self.recording = False
        self.family = "voices"
        self._proposed: NDArray[np.float64] | None = None
        self._sections: Sequence[tuple[str, float]] = ()
        self._from_s, self._closer = 0.0, 1.0
        self._turned = 0.0

    # What is shown.

    def show_line(
        self, line: "LineShown | None", family: str, proposed: "NDArray[np.float64] | None",
        sections: "Sequence[tuple[str, float]]", song_s: float,
    ) -> None:  # fmt: skip
        """Its words and sections; proposed: dB by unit, of an open move."""
        self.line, self.family, self._proposed, self._sections = line, family, proposed, tuple(sections)
        self.length_s = max(song_s, 0.01)
        self.renew()

    def show_curve(self, curve: "Curve", rest: float, described: Parameter | None, title: str) -> None:
        """The setting that is drawn."""
        if curve is self.curve and (rest, described, title) == (self.rest, self.described, self.title):
            return
        if described is not self.described:
            self.passage, self.chosen = None, None
        self.curve, self.rest, self.described, self.title = curve, rest, described, title
        self._arrays = np.array([at for at, _ in curve]), np.array([value for _, value in curve])
        if self.chosen is not None and self.chosen >= len(curve):
            self.chosen = None
        self.setAccessibleDescription(f"{len(curve)} points" if curve else "no automation")
        self.renew()

    def span(self) -> tuple[float, float]:
        if self.follow and self.length_s > 10.0:
            return super().span()
        wide = self.length_s / self._closer
        start = max(0.0, min(self._from_s, self.length_s - wide))
        return start, start + wide

    def zoom(self, factor: float, at_s: float) -> None:
        """A stretch shorter by `factor` around a moment; 0 shows the whole song."""
        start, end = self.span()
        share = (at_s - start) / (end - start)
        most = max(1.0, self.length_s / SHORTEST_S)
        self._closer = 1.0 if factor == 0.0 else min(most, max(1.0, self._closer * factor))
        self._from_s = max(0.0, at_s - share * self.length_s / self._closer)
        self.renew()

    def is_level(self) -> bool:
        """Whether the curve is in dB, on the scale of the words: its zero line is where it rests."""
        return self.described is not None and self.described.unit == "dB"

    def scale(self) -> tuple[float, float]:
        """The values at the bottom and at the top."""
        if self.described is None:
            return -1.0, 1.0
        if self.is_level():
            middle = self.rest if self.rest > -100.0 else 0.0
            return middle - RANGE_DB, middle + RANGE_DB
        if isinstance(self.described, PanParameter | MuteParameter):
            return self.described.low, self.described.high
        values = np.append(self._arrays[1], self.rest)
        low, high = float(values.min()), float(values.max())
        whole = self.described.high - self.described.low
        room = max(0.25 * (high - low), 0.05 * whole)
        return max(self.described.low, low - room), min(self.described.high, high + room)

    def y_of(self, plot: QRectF, value: float) -> float:
        low, high = self.scale()
        share = (value - low) / (high - low)
        return plot.bottom() - plot.height() * min(1.0, max(0.0, share))

    def value_of(self, plot: QRectF, y: float) -> float:
        low, high = self.scale()
        return low + (plot.bottom() - y) / plot.height() * (high - low)

    def seconds_of(self, plot: QRectF, x: float) -> float:
        start, end = self.span()
        return start + (x - plot.left()) / plot.width() * (end - start)

    # Painting.

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        def x_of(seconds: float) -> float:
            return self.x_of(plot, seconds)

        painter.save()
        painter.setClipRect(plot)
        paint_sections(painter, plot, [start_s for _, start_s in self._sections], x_of)
        self._names(painter, plot)
        if self.passage is not None:
            a, b = (x_of(seconds) for seconds in self.passage)
            painter.fillRect(QRectF(a, plot.top(), b - a, plot.height()), theme.colour("act", 0.16))
        painter.restore()
        self._axis(painter, plot)
        self.time_axis(painter, plot)
        painter.save()
        painter.setClipRect(plot)
        tint = icons.family_colour(self.family, 0.75)
        line = self.line
        paint.line(painter, plot.left(), plot.center().y(), plot.right(), plot.center().y(), theme.colour("quiet"))
        if line is not None and line.off_db is not None:
            paint_units(painter, plot, line, x_of, tint, self._proposed, leads=self.family == "voices")
        elif line is not None:
            paint_relation(painter, plot, line, self.span(), tint)
        painter.restore()
        painter.save()
        painter.setClipRect(plot.adjusted(-DOT - 1, -DOT - 1, DOT + 1, DOT + 1))
        self._curve(painter, plot)
        painter.restore()

    def _names(self, painter: QPainter, plot: QRectF) -> None:
        right = plot.left()
        for name, start_s in self._sections:
            at = QRectF(self.x_of(plot, start_s) + 4, plot.top() + 1, paint.width_of(name, theme.SMALL) + 2, 14)
            if at.left() >= right and at.right() < plot.right():
                paint.note(painter, at, name)
                right = at.right() + 6

    def _axis(self, painter: QPainter, plot: QRectF) -> None:
        """Beside the words in dB; of other settings, at the ends of what is shown."""
        if self.is_level():
            for tick in (-12.0, -6.0, 0.0, 6.0, 12.0):
                y = plot.center().y() - plot.height() * tick / (2.0 * RANGE_DB)
                paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
                box = QRectF(0, y - 8, LEFT - 5, 16)
                paint.note(painter, box, signed(tick, 0), align=paint.RIGHT)
            return
        low, high = self.scale()
        decimals = 0 if high - low >= 20.0 else 1 if high - low >= 2.0 else 2
        for value, y in ((low, plot.bottom()), (0.5 * (low + high), plot.center().y()), (high, plot.top())):
            box = QRectF(0, y - 8, LEFT - 5, 16)
            words = number(value, decimals)
            if isinstance(self.described, PanParameter):
                words = self.described.text(value) if value else "C"
            paint.note(painter, box, words, align=paint.RIGHT)

    def _curve(self, painter: QPainter, plot: QRectF) -> None:
        tint = theme.colour("look" if self.recording else "act")
        span = self.span()
        if not self.curve:
            y = self.y_of(plot, self.rest)
            painter.setPen(QPen(tint, 1.6, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            return
        paint_curve(painter, plot, self._arrays, span, self.scale(), tint, 2.0)
        first, last = np.searchsorted(self._arrays[0], span)
        if last - first <= MOST_DOTS:
            for index in range(int(first), min(len(self.curve), int(last) + 1)):
                at, value = self.curve[index]
                point = QPointF(self.x_of(plot, at), self.y_of(plot, value))
                painter.setPen(QPen(tint, 1.6))
                painter.setBrush(tint if index == self.chosen else theme.colour("panel"))
                size = DOT + 1.5 if index == self.chosen else DOT
                painter.drawEllipse(point, size, size)

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        """The playing position, with the value that is heard there."""
        self.playhead(painter, plot)
        x = self.x_of(plot, self.position_s)
        if self.described is None or not plot.left() <= x <= plot.right() or not self.curve:
            return
        value = curves.value_at(self.curve, self.position_s, self.rest)
        words = self.described.text(value)
        width = paint.width_of(words, theme.SMALL) + 8
        box = QRectF(min(x + 4, plot.right() - width), plot.bottom() - 18, width, 16)
        painter.fillRect(box, theme.colour("panel", 0.9))
        paint.text(painter, box.adjusted(4, 0, 0, 0), words, size=theme.SMALL, colour=theme.colour("look"))

    def set_position(self, position_s: float) -> None:
        before = self.position_s
        super().set_position(position_s)
        if self.curve and position_s != before and not self.follow:
            plot = self.plot()
            for seconds in (before, position_s):
                self.update(int(self.x_of(plot, seconds)) - 100, int(plot.bottom()) - 20, 200, 22)

    # The hand.

    def point_at(self, at: QPointF) -> int | None:
        """The point under the pointer."""
        plot = self.plot()
        times, values = self._arrays
        if not len(times):
            return None
        (start, end), (low, high) = self.span(), self.scale()
        xs = plot.left() + plot.width() * (times - start) / (end - start)
        ys = plot.bottom() - plot.height() * np.clip((values - low) / (high - low), 0.0, 1.0)
        far = np.hypot(xs - at.x(), ys - at.y())
        nearest = int(np.argmin(far))
        return nearest if far[nearest] <= REACH else None

    def unit_at(self, x: float) -> int | None:
        """The word under a place along the song."""
        riding = self.line.riding if self.line is not None else None
        if riding is None:
            return None
        seconds = self.seconds_of(self.plot(), x)
        inside = np.flatnonzero((riding.words.starts_s <= seconds) & (seconds <= riding.words.ends_s))
        return int(inside[0]) if len(inside) else None

    def handle_at(self, at: QPointF) -> int | None:
        return self.point_at(at)

    def press(self, at: QPointF) -> None:
        if self.described is None:
            return
        self.chosen = self.held
        if self.held is None:
            self.held = at  # a passage is marked from there, or a word pressed
        self.marked.emit()
        self.renew()

    def _second(self, x: float) -> float:
        """The time under a pixel, in the song."""
        return min(max(0.0, self.seconds_of(self.plot(), x)), self.length_s)

    def drag(self, at: QPointF, *, fine: bool) -> None:
        if self.described is not None and not isinstance(self.held, QPointF):
            value = self.described.clamped(round(self.value_of(self.plot(), at.y()), 3))
            self.curve_changed.emit(curves.moved(self.curve, self.held, round(self._second(at.x()), 4), value))
        elif isinstance(self.held, QPointF) and not _is_click(self.held, at):
            first, last = sorted((self._second(self.held.x()), self._second(at.x())))
            self.passage = (first, last)
            self.renew()

    def drop(self, held: int | QPointF, at: QPointF) -> None:
        if not isinstance(held, QPointF):
            super().drop(held, at)
        elif _is_click(held, at):
            self.passage = None
            unit = self.unit_at(held.x())
            riding = self.line.riding if self.line is not None else None
            if unit is not None and riding is not None:
                self.pointed.emit(max(0.0, float(riding.words.starts_s[unit]) - LEAD_S))
        self.marked.emit()
        self.renew()

    def double(self, at: QPointF) -> None:
        if self.described is None:
            return
        found = self.point_at(at)
        if found is not None:
            self.remove(found)
            return
        value = self.described.clamped(round(self.value_of(self.plot(), at.y()), 3))
        made, self.chosen = curves.inserted(self.curve, round(self._second(at.x()), 4), value)
        self.curve_changed.emit(made)
        self.released.emit()

    def remove(self, index: int) -> None:
        """Takes a point away."""
        self.chosen = None
        self.curve_changed.emit([point for place, point in enumerate(self.curve) if place != index])
        self.released.emit()

    def step(self) -> float:
        """One nudge, in the setting's unit."""
        assert self.described is not None
        if isinstance(self.described, LevelParameter) or self.described.scale == "linear":
            return self.described.step
        return 0.01 * self.described.step * max(abs(self.rest), 1e-3)

    def nudge(self, steps: float) -> None:
        """The ride that is recorded, the chosen point, or the marked passage, up or down."""
        if self.described is None:
            return
        if self.recording:
            self.ridden.emit(steps * self.step())
        elif self.chosen is not None:
            seconds, value = self.curve[self.chosen]
            wanted = self.described.clamped(round(value + steps * self.step(), 4))
            self.curve_changed.emit(curves.moved(self.curve, self.chosen, seconds, wanted))
        elif self.passage is not None:
            self.passage_moved.emit(steps * self.step())

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        up = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0}.get(key)
        along = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(key)
        if up is not None and (self.recording or self.chosen is not None or self.passage is not None):
            self.nudge(up * (FINE if fine else 1.0))
        elif along is not None and self.curve:
            before = self.chosen if self.chosen is not None else (-1 if along > 0 else len(self.curve))
            self.chosen = min(len(self.curve) - 1, max(0, before + along))
            self.marked.emit()
            self.renew()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen is not None:
            self.remove(self.chosen)
        else:
            return False
        return True

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turned = (event.angleDelta().y() or event.angleDelta().x()) / fields.NOTCH
        plot = self.plot()
        at_s = self.seconds_of(plot, event.position().x())
        fine = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(ZOOM_STEP**turned, at_s)
        elif self.recording or (self.passage is not None and self.passage[0] <= at_s <= self.passage[1]):
            self.nudge(turned * fine)
        else:
            start, end = self.span()
            self._from_s = max(0.0, min(start - 0.1 * turned * (end - start), self.length_s - (end - start)))
            self.renew()
        event.accept()


def _is_click(pressed: QPointF, at: QPointF) -> bool:
    """Whether the hand let go about where it pressed, and marked nothing."""
    return abs(at.x() - pressed.x()) <= CLICK_PX
