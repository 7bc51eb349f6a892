"""Kick, bass and their real sum as waves, locked to the hit, all hits laid over each other; under it what the phases do
to each hit."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import BOTTOM, LEFT, TOP, Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number, signed, time_text

if TYPE_CHECKING:
    from all_even.measure.sharing.meeting import Meeting

HITS_HEIGHT, GAP = 62.0, 20.0
RANGE_DB = 3.0
LOST_DB = -1.0
"""Less than this a hit is told as cancelled (a setting of ours: 1 dB of low end is heard)."""
FAINT = 40
"""So many other hits are shown behind the chosen one."""


class WavesDrawing(Handled, Drawing):
    """chosen: emitted with the time of a hit, to hear it."""

    chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(
            "Kick and bass as waves",
            "Under 150 Hz: kick filled, bass as a line, their real sum strong; other hits faint behind. Below, "
            "a bar for each hit: the real sum over the sum of powers. Up: the waves help each other; down: they "
            "cancel. Press a bar to see that hit, double click or Enter to hear it, arrow keys: the next one",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.found: Meeting | None = None
        self.hit = 0
        self._note = ""

    def show_waves(self, found: "Meeting | None", note: str) -> None:
        """The hit that loses most is shown first."""
        if found is not self.found:
            self.hit = int(np.argmin(found.gains_db)) if found is not None else 0
        self.found, self._note = found, note
        self._tell()
        self.renew()

    def _tell(self) -> None:
        found = self.found
        if found is None:
            self.title = "Kick, bass and their sum as waves"
            self.setAccessibleDescription(self._note)
            return
        gains = found.gains_db
        at = f"hit at {time_text(float(found.hits_s[self.hit]))}: {signed(float(gains[self.hit]))} dB by phase"
        worst = float(found.worst_db[self.hit])
        if not np.isnan(worst):
            at += f", worst 20 ms {signed(worst)}"
        self.title = f"{at}; all {len(gains)} hits {signed(float(gains.min()))} to {signed(float(gains.max()))} dB"
        self.title = self.title[:1].upper() + self.title[1:]
        self.setAccessibleDescription(self.title)

    # Where things are.

    def plot(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - 8, self.height() - TOP - BOTTOM - HITS_HEIGHT - GAP)

    def hits_box(self) -> QRectF:
        return QRectF(LEFT, self.height() - HITS_HEIGHT - 4, self.width() - LEFT - 8, HITS_HEIGHT)

    def bar_box(self, hit: int) -> QRectF:
        """The whole height over one hit."""
        assert self.found is not None
        box, width = self.hits_box(), self.hits_box().width() / len(self.found.hits_s)
        return QRectF(box.left() + hit * width, box.top(), width, box.height())

    def handle_at(self, at: QPointF) -> int | None:
        if self.found is None or not self.hits_box().contains(at):
            return None
        place = (at.x() - self.hits_box().left()) / self.hits_box().width() * len(self.found.hits_s)
        return min(len(self.found.hits_s) - 1, int(place))

    # What is drawn.

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self.found
        if found is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        top = float(np.abs(found.waves).max()) or 1.0
        xs = plot.left() + plot.width() * (found.times_s - found.times_s[0]) / (found.times_s[-1] - found.times_s[0])
        middle, half = plot.center().y(), 0.48 * plot.height()

        def ys(wave: np.ndarray) -> np.ndarray:
            return np.asarray(middle - half * np.clip(wave / top, -2.0, 2.0))

        paint.line(painter, plot.left(), middle, plot.right(), middle, theme.colour("line"))
        self._times(painter, plot, found)
        painter.setClipRect(plot)
        kick, bass = icons.family_colour("drums"), icons.family_colour("bass")
        for wave in found.waves[:: max(1, len(found.waves) // FAINT)]:
            for part, colour in zip(wave, (kick, bass), strict=True):
                self._wave(painter, xs, ys(part), QPen(_faint(colour), 1.0))
        one = found.waves[self.hit]
        shape = [QPointF(float(x), float(y)) for x, y in zip(xs, ys(one[0]), strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour("drums", 0.45))
        painter.drawPolygon(QPolygonF([QPointF(float(xs[0]), middle), *shape, QPointF(float(xs[-1]), middle)]))
        self._wave(painter, xs, ys(one[1]), QPen(bass, 1.8))
        self._wave(painter, xs, ys(one.sum(axis=0)), QPen(theme.colour("text"), 2.2))
        painter.setClipping(False)
        self._legend(painter, plot)
        self._hits(painter, found)

    def _times(self, painter: QPainter, plot: QRectF, found: "Meeting") -> None:
        for tick in range(0, int(1000 * found.times_s[-1]) + 1, 50):
            x = plot.left() + plot.width() * (tick / 1000.0 - found.times_s[0]) / (found.times_s[-1] - found.times_s[0])
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.9 if tick == 0 else 0.5))
            label = QRectF(x - 24, plot.bottom() + 1, 48, BOTTOM - 3)
            paint.note(painter, label, "hit" if tick == 0 else f"{tick} ms", align=paint.CENTRE)

    def _legend(self, painter: QPainter, plot: QRectF) -> None:
        x = plot.left() + 8
        for word, colour in (("kick", icons.family_colour("drums")), ("bass", icons.family_colour("bass")),
                             ("their sum", theme.colour("text"))):  # fmt: skip
            width = paint.width_of(word, theme.SMALL) + 4
            painter.fillRect(QRectF(x, plot.top() + 9, 14, 3), colour)
            paint.text(painter, QRectF(x + 18, plot.top() + 3, width, 15), word, size=theme.SMALL)
            x += width + 30

    def _hits(self, painter: QPainter, found: "Meeting") -> None:
        box = self.hits_box()
        painter.fillRect(box, theme.colour("ground"))
        middle = box.center().y()
        for tick in (-RANGE_DB, 0.0, RANGE_DB):
            y = middle - 0.5 * box.height() * tick / RANGE_DB
            label = QRectF(0, min(box.bottom() - 14, max(box.top() - 2, y - 8)), LEFT - 5, 16)
            paint.note(painter, label, number(tick, 0) if tick <= 0 else f"+{tick:.0f}", align=paint.RIGHT)
        paint.line(painter, box.left(), middle, box.right(), middle, theme.colour("line"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for index, gain in enumerate(found.gains_db):
            column = self.bar_box(index)
            y = middle - 0.5 * box.height() * float(np.clip(gain / RANGE_DB, -1.0, 1.0))
            inset = min(2.0, column.width() / 5)
            bar = QRectF(
                column.left() + inset, min(y, middle), max(1.0, column.width() - 2 * inset), max(1.0, abs(y - middle))
            )
            if index == self.hit:
                painter.fillRect(column, theme.colour("act_soft"))
            painter.fillRect(bar, theme.colour("look" if gain < LOST_DB else "act"))

    @staticmethod
    def _wave(painter: QPainter, xs: np.ndarray, ys: np.ndarray, pen: QPen) -> None:
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs[::2], ys[::2], strict=True)]))

    # Hands.

    def press(self, at: QPointF) -> None:
        if self.held is not None:
            self.choose(self.held)

    def double(self, at: QPointF) -> None:
        hit = self.handle_at(at)
        if hit is not None and self.found is not None:
            self.chosen.emit(float(self.found.hits_s[hit]))

    def choose(self, hit: int) -> None:
        """Shows another hit."""
        if self.found is not None:
            self.hit = max(0, min(len(self.found.hits_s) - 1, hit))
            self._tell()
            self.renew()

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        if self.found is None:
            return False
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.choose(self.hit + (1 if key == Qt.Key.Key_Right else -1))
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(float(self.found.hits_s[self.hit]))
            return True
        return False


def _faint(colour: QColor) -> QColor:
    found = QColor(colour)
    found.setAlphaF(0.10)
    return found
