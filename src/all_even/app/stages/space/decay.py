"""A return after a snare hit, over the song's beats, with the next kick as a wall; and how long each octave lasts.

The handle stands where the fall reaches 20 dB, which should be before the wall; dragged, it sets the decay time.
"""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import BOTTOM, Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import FINE, number

if TYPE_CHECKING:
    from all_even.figures.space.space_view import Beat, ReturnView

FLOOR_DB = -60.0
DROP_DB = -20.0
REACH = 12.0
SMOOTH = 10
"""Milliseconds over which the drawn fall is averaged."""
LONGEST_S, SHORTEST_S = 6.0, 0.6


class DecayDrawing(Handled, Drawing):
    """decay_moved: the decay time in s, while the handle is dragged."""

    OVER = Qt.CursorShape.SizeHorCursor
    title = "After a snare hit, dB; the next kick is a wall"
    decay_moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(
            "Decay over the beats",
            "What the return makes of a hit; beats as lines, the next kick as a wall, the next snare dashed. Drag the "
            "handle at 20 dB under, or arrow keys: the decay time",
        )
        self._view: ReturnView | None = None
        self._beat: Beat | None = None
        self._decay_s: float | None = None
        self._note = ""
        self._span_s = 2.0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_decay(self, view: "ReturnView | None", beat: "Beat | None", decay_s: float | None, note: str) -> None:
        """decay_s: of its reverb, None where it has none that can be set."""
        if not self.is_new(view, beat, decay_s if decay_s is not None else "none", note):
            return
        self._view, self._beat, self._decay_s, self._note = view, beat, decay_s, note
        if self.held is None:
            self._span_s = self._wanted_span_s()
        drop = view.drop_db if view is not None else None
        self.setAccessibleDescription(
            note if view is None else "no snare in it" if drop is None
            else f"The snare's room has fallen by {drop:.0f} dB when the next kick comes."
        )  # fmt: skip
        self.renew()

    def _wanted_span_s(self) -> float:
        whole = self._view.response.whole if self._view is not None else None
        beat = self._beat
        ends = [1.05 * whole.decay_s if whole is not None else 1.0]
        if beat is not None:
            ends += [1.4 * beat.kick_s if beat.kick_s is not None else 0.0, 2.2 * (beat.beat_s or 0.0)]
        return float(min(LONGEST_S, max(SHORTEST_S, *ends)))

    def _x(self, plot: QRectF, seconds: float) -> float:
        return plot.left() + plot.width() * min(1.0, seconds / self._span_s)

    @staticmethod
    def _y(plot: QRectF, level_db: float) -> float:
        return plot.top() + plot.height() * min(1.0, max(0.0, level_db / FLOOR_DB))

    def _levels(self) -> "np.ndarray":
        """(ms,) of the fall, averaged, dB re its loudest."""
        assert self._view is not None
        power = 10.0 ** (self._view.response.fall_db / 10.0)
        mean = np.convolve(power, np.ones(SMOOTH) / SMOOTH, mode="same")
        return 10.0 * np.log10(np.maximum(mean / max(float(mean.max(initial=0.0)), 1e-30), 1e-9))

    def handle(self) -> QPointF | None:
        """Where the fall reaches 20 dB; None where there is nothing to set."""
        if self._view is None or self._decay_s is None:
            return None
        levels = self._levels()
        above = np.flatnonzero(levels > DROP_DB)
        if not len(above):
            return None
        plot = self.plot()
        return QPointF(self._x(plot, 0.001 * float(above[-1] + 1)), self._y(plot, DROP_DB))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        quiet = theme.colour("quiet")
        if self._view is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, (-40.0, -20.0, 0.0), FLOOR_DB, 0.0)
        self._beats(painter, plot)
        levels = self._levels()
        step = max(1, int(len(levels) / max(1.0, plot.width())))
        xs = [self._x(plot, 0.001 * at) for at in range(0, len(levels), step) if 0.001 * at <= self._span_s]
        ys = [self._y(plot, float(levels[at * step])) for at in range(len(xs))]
        shape = QPolygonF([QPointF(plot.left(), plot.bottom())])
        for x, y in zip(xs, ys, strict=True):
            shape.append(QPointF(x, y))
        shape.append(QPointF(xs[-1] if xs else plot.left(), plot.bottom()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("act", 0.35))
        painter.drawPolygon(shape)
        at = self.handle()
        paint.line(painter, plot.left(), self._y(plot, DROP_DB), plot.right(), self._y(plot, DROP_DB), quiet)
        self._wall(painter, plot)
        if at is not None:
            painter.setPen(QPen(theme.colour("panel"), 1.5))
            painter.setBrush(theme.colour("act"))
            painter.drawRoundedRect(QRectF(at.x() - 6, at.y() - 7, 12, 14), 3, 3)
            right = at.x() + 110 < plot.right()
            box = QRectF(at.x() + 10 if right else at.x() - 110, at.y() - 20, 100, 16)
            paint.text(painter, box, f"{number(self._decay_s or 0.0, 2)} s for 60 dB", size=theme.SMALL,
                       align=paint.LEFT if right else paint.RIGHT)  # fmt: skip

    def _beats(self, painter: QPainter, plot: QRectF) -> None:
        beat_s = self._beat.beat_s if self._beat is not None else None
        step = beat_s if beat_s is not None else 0.5
        count = 0
        while count * step <= self._span_s:
            x = self._x(plot, count * step)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.8))
            words = "hit" if count == 0 else f"{count}" if beat_s is not None else f"{number(count * step)} s"
            if beat_s is not None and count == 1:
                words = "1 beat"
            box = QRectF(x - 30, plot.bottom() + 1, 60, BOTTOM - 3)
            if count == 0:
                box.moveLeft(plot.left())
            align = paint.LEFT if count == 0 else paint.CENTRE
            if box.right() <= self.width():
                paint.note(painter, box, words, align=align)
            count += 1

    def _wall(self, painter: QPainter, plot: QRectF) -> None:
        beat = self._beat
        if beat is None:
            return
        if beat.snare_s is not None and beat.snare_s < self._span_s:
            x = self._x(plot, beat.snare_s)
            painter.setPen(QPen(theme.colour("quiet"), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
            box = QRectF(x - 84, plot.top() + 2, 80, 15)
            paint.note(painter, box, "next snare", align=paint.RIGHT)
        if beat.kick_s is None or beat.kick_s >= self._span_s:
            return
        x = self._x(plot, beat.kick_s)
        painter.fillRect(QRectF(x, plot.top(), 6, plot.height()), theme.colour("text", 0.75))
        drop = self._view.drop_db if self._view is not None else None
        words = "next kick" if drop is None else f"next kick: snare's room {number(-drop, 0)} dB"
        width = paint.width_of(words, theme.SMALL) + 4
        box = QRectF(x + 10, plot.top() + 18, width, 15)
        if box.right() > plot.right():
            box.moveRight(x - 4)
        paint.text(painter, box, words, size=theme.SMALL)

    # The handle.

    def handle_at(self, at: QPointF) -> tuple[float, float] | None:
        """(where it was taken hold of, the decay time then)"""
        place, reach = self.handle(), QPointF(REACH, REACH)
        if place is None or self._decay_s is None or not QRectF(place - reach, place + reach).contains(at):
            return None
        return at.x(), self._decay_s

    def drag(self, at: QPointF, *, fine: bool) -> None:
        start, decay_s = self.held
        # A third of the decay time falls by 20 dB.
        moved_s = (FINE if fine else 1.0) * (at.x() - start) / max(1.0, self.plot().width()) * self._span_s
        self.decay_moved.emit(round(decay_s + 3.0 * moved_s, 2))

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        sideways = {Qt.Key.Key_Left: 1.0 / 1.03, Qt.Key.Key_Right: 1.03}.get(key)
        if sideways is None or self._decay_s is None:
            return False
        self.decay_moved.emit(round(self._decay_s * (1.0 + (sideways - 1.0) * (FINE if fine else 1.0)), 3))
        return True


class TimesDrawing(Drawing):
    """How long each octave lasts, as bars."""

    title = "Decay time by octave, s"

    def __init__(self) -> None:
        super().__init__("Decay time by octave", "Seconds for 60 dB in each octave, measured on the return's response")
        self._view: ReturnView | None = None

    def show_times(self, view: "ReturnView | None") -> None:
        if self.is_new(view):
            self._view = view
            self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        times = self._view.response.decay if self._view is not None else {}
        if not times:
            words = "nothing that decays" if self._view is not None else ""
            paint.note(painter, plot, words, align=paint.CENTRE)
            return
        top = max(one.decay_s for one in times.values())
        top = next(t for t in (0.5, 1.0, 2.0, 3.0, 5.0, 8.0, 13.0, 30.0, 1e6) if t >= top)
        for tick in (0.0, 0.5 * top, top):
            y = plot.bottom() - plot.height() * tick / top
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.6))
            box = QRectF(0, y - 8, plot.left() - 5, 16)
            paint.note(painter, box, number(tick, 2 if top < 2.0 else 1), align=paint.RIGHT)
        octaves = (63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
        wide = plot.width() / len(octaves)
        every = 1 if wide >= paint.width_of("500", theme.SMALL) + 4 else 2
        for index, hz in enumerate(octaves):
            left = plot.left() + index * wide
            label = number(hz / 1000.0, 0) + "k" if hz >= 1000.0 else number(hz, 0)
            box = QRectF(left - 0.5 * wide * (every - 1), plot.bottom() + 2, wide * every, 15)
            if index % every == 0:
                paint.note(painter, box, label, align=paint.CENTRE)
            if hz in times:
                height = plot.height() * min(1.0, times[hz].decay_s / top)
                bar = QRectF(left + 3, plot.bottom() - height, wide - 6, height)
                painter.fillRect(bar, theme.colour("act", 0.6))
