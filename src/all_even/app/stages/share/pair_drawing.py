"""Two tracks face to face over one note ruler: ridges mirrored, the bars of both equalisers as handles."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen

from all_even.app.bench import ruler
from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.stages.share.ridges import paint_moment, paint_ridge
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import FINE, number
from all_even.dsp.tone.equaliser import GAINLESS

if TYPE_CHECKING:
    from all_even.moves.share.pair_view import Half

Moment = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Levels of a track and of the sum, dB."""
MIDDLE = 34.0
MOST_DB = 12.0
FLAT_DB = 0.05
Bar = tuple[int, int]
"""Half (0 above, 1 below) and the number of a band."""


class PairDrawing(Handled, Drawing):
    """bar_moved: (half, band, Hz, dB). bar_added: (half, Hz, dB). bar_turned: (half, band, steps of Q). bar_dropped."""

    bar_moved = pyqtSignal(int, int, float, float)
    bar_added = pyqtSignal(int, float, float)
    bar_turned = pyqtSignal(int, int, int)
    bar_dropped = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__(
            "Two ridges",
            "Two tracks over one ruler: solid is heard, hatched is masked. Bars are bands: drag one; double "
            "click where there is none to add one; on a bar: back to 0 dB; the wheel sets Q, Delete takes it away. "
            "The thin line along the ruler is the instrument's usual range, the ticks are its notes in this song",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.halves: tuple[Half | None, Half | None] = (None, None)
        self._note = ""
        self._moments: tuple[Moment | None, Moment | None] = (None, None)
        self.chosen: Bar | None = None

    def show_pair(self, upper: "Half | None", lower: "Half | None", note: str) -> None:
        self.halves, self._note = (upper, lower), note
        bars = [len(half.bands) if half is not None else 0 for half in self.halves]
        if self.chosen is not None and self.chosen[1] >= bars[self.chosen[0]]:
            self.chosen = None
        told = [f"{half.name}: {len(half.bands)} bands" for half in self.halves if half is not None]
        self.setAccessibleDescription("; ".join(told))
        self.renew()

    def show_moment(self, moments: "tuple[Moment | None, Moment | None]") -> None:
        """What plays just now: of each track itself and the sum of all; None where nothing is heard."""
        if moments != (None, None) or self._moments != (None, None):
            self._moments = moments
            self.update()

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        tops = [float(half.ridge.level_db.max()) for half in self.halves if half is not None and half.ridge is not None]
        for index, moment in enumerate(self._moments):
            if moment is not None and tops and self.halves[index] is not None:
                paint_moment(painter, self.half_box(index), moment, max(tops))

    # Where things are.

    def plot(self) -> QRectF:
        return QRectF(26, 4, self.width() - 34, self.height() - 8)

    def half_box(self, half: int) -> QRectF:
        plot = self.plot()
        height = (plot.height() - MIDDLE) / 2.0
        top = plot.top() if half == 0 else plot.bottom() - height
        return QRectF(plot.left(), top, plot.width(), height)

    def bar_place(self, half: int, band: int) -> QPointF:
        """Where the head of a bar is."""
        shown = self.halves[half]
        assert shown is not None
        box, item = self.half_box(half), shown.bands[band]
        gain = 0.0 if item.shape in GAINLESS else item.gain_db
        return QPointF(ruler.x_of(box, item.frequency_hz), ruler.bar_y(box, gain, MOST_DB))

    def _half_at(self, at: QPointF) -> int | None:
        return next((half for half in range(2) if self.half_box(half).adjusted(0, -3, 0, 3).contains(at)), None)

    def bar_at(self, at: QPointF) -> Bar | None:
        half = self._half_at(at)
        shown = self.halves[half] if half is not None else None
        if half is None or shown is None:
            return None
        band = ruler.bar_at(self.half_box(half), shown.bands, at)
        return (half, band) if band is not None else None

    # What is drawn.

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        upper, lower = self.halves
        if upper is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        boxes = self.half_box(0), self.half_box(1)
        strip = QRectF(plot.left(), boxes[0].bottom(), plot.width(), MIDDLE)
        painter.fillRect(strip, theme.colour("panel"))
        for box in boxes:
            ruler.paint_notes(painter, box, None)
        ruler.paint_notes(painter, QRectF(strip.left(), strip.top(), strip.width(), 1),
                          QRectF(strip.left(), strip.top() + 3, strip.width(), 14))  # fmt: skip
        ruler.paint_zones(painter, strip, QRectF(strip.left(), strip.top() + 17, strip.width(), 14))
        tops = [float(half.ridge.level_db.max()) for half in self.halves if half is not None and half.ridge is not None]
        for index, half in enumerate(self.halves):
            if half is not None:
                self._half(painter, boxes[index], half, index, max(tops, default=0.0))
        if lower is None:
            paint.note(painter, boxes[1], "Nothing masks it, and it masks nothing", align=paint.CENTRE)

    def _half(self, painter: QPainter, box: QRectF, half: "Half", index: int, top_db: float) -> None:
        if half.ridge is not None:
            paint_ridge(painter, box, half.ridge, half.family, top_db=top_db)
        for gain in (-6.0, 6.0):
            y = ruler.bar_y(box, gain, MOST_DB)
            paint.line(painter, box.left(), y, box.right(), y, theme.colour("line", 0.35))
            label = QRectF(0, y - 8, box.left() - 4, 16)
            text = f"+{gain:.0f}" if gain > 0.0 else number(gain, 0)
            paint.note(painter, label, text, align=paint.RIGHT)
        self._instrument(painter, box, half, index)
        from all_even.moves.share.pair_view import FREQUENCIES_HZ

        chosen = self.chosen[1] if self.chosen is not None and self.chosen[0] == index else None
        ruler.paint_bars(painter, box, half.bands, chosen, MOST_DB)
        painter.setClipRect(box)
        if float(abs(half.curve_db).max()) > FLAT_DB:
            ruler.paint_curve(painter, box, FREQUENCIES_HZ, half.curve_db, MOST_DB, QPen(theme.colour("text"), 2.0))
        painter.setClipping(False)
        name = (
            half.name
            if not half.bands
            else f"{half.name}, {len(half.bands)} {'band' if len(half.bands) == 1 else 'bands'}"
        )
        width = min(box.width() - 8, paint.width_of(name, theme.SMALL, strong=True) + 10)
        tag = QRectF(box.left() + 4, box.top() + 3, width, 16)
        painter.fillRect(tag, theme.colour("ground", 0.85))
        paint.text(painter, tag.adjusted(4, 0, 0, 0), name, size=theme.SMALL, strong=True)
        if chosen is not None:
            self._told(painter, box, half, chosen, index)

    def _told(self, painter: QPainter, box: QRectF, half: "Half", chosen: int, index: int) -> None:
        """The chosen band in figures."""
        band = half.bands[chosen]
        gain = "" if band.shape in GAINLESS else f"{number(band.gain_db)} dB at "
        told = f"{band.shape}: {gain}{number(band.frequency_hz, 0)} Hz, Q {number(band.q, 2)}"
        width = paint.width_of(told, theme.SMALL) + 12
        tag = QRectF(box.right() - width - 4, box.top() + 3 if index == 0 else box.bottom() - 19, width, 16)
        painter.fillRect(tag, theme.colour("act_soft"))
        paint.text(painter, tag, told, size=theme.SMALL, align=paint.CENTRE)

    def _instrument(self, painter: QPainter, box: QRectF, half: "Half", index: int) -> None:
        """Usual range and notes of this song, along the ruler."""
        from all_even.moves.share.pair_view import HARMONICS

        edge = box.bottom() if index == 0 else box.top()
        inward = -1.0 if index == 0 else 1.0
        tint = theme.colour("text", 0.75)
        if half.written_hz is not None:
            left, right = (ruler.x_of(box, hz) for hz in half.written_hz)
            paint.line(painter, left, edge + 2 * inward, right, edge + 2 * inward, tint, 2.0)
            for x in (left, right):
                paint.line(painter, x, edge, x, edge + 6 * inward, tint, 2.0)
        most = max((share for _, share in half.fundamentals), default=0.0)
        for hz, share in half.fundamentals:
            for n in range(1, HARMONICS + 1):
                if hz * n < ruler.HIGHEST_HZ:
                    x = ruler.x_of(box, hz * n)
                    length = (12.0 if n == 1 else 5.0) * share / most
                    tone = theme.colour("text", 0.9 if n == 1 else 0.35)
                    paint.line(painter, x, edge + 4 * inward, x, edge + (4 + length) * inward, tone)

    # Handles.

    def handle_at(self, at: QPointF) -> tuple[Bar, QPointF, object] | None:
        """(bar, where it was taken hold of, its band as it was)"""
        bar = self.bar_at(at)
        half = self.halves[bar[0]] if bar is not None else None
        return (bar, at, half.bands[bar[1]]) if bar is not None and half is not None else None

    def press(self, at: QPointF) -> None:
        self.chosen = self.held[0] if self.held is not None else None
        self.renew()

    def drag(self, at: QPointF, *, fine: bool) -> None:
        (half, band), start, item = self.held
        self.bar_moved.emit(half, band, *ruler.dragged(self.half_box(half), item, at - start, MOST_DB, fine=fine))

    def double(self, at: QPointF) -> None:
        bar, half = self.bar_at(at), self._half_at(at)
        if bar is not None:
            shown = self.halves[bar[0]]
            assert shown is not None
            self.bar_moved.emit(*bar, shown.bands[bar[1]].frequency_hz, 0.0)
            self.released.emit()
        elif half is not None and self.halves[half] is not None:
            box = self.half_box(half)
            self.add_at(half, ruler.hz_at(box, at.x()), -2.0 * MOST_DB * (at.y() - box.center().y()) / box.height())

    def add_at(self, half: int, hz: float, gain_db: float) -> None:
        """A new bar, chosen."""
        shown = self.halves[half]
        if shown is not None:
            self.chosen = (half, len(shown.bands))
            self.bar_added.emit(half, round(hz, 1), round(gain_db, 1))
            self.released.emit()

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        bar = self.bar_at(at)
        if bar is None:
            return False
        self.chosen = bar
        self.bar_turned.emit(*bar, notches)
        return True

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        """Arrows move the chosen bar, Shift finer; Page up and down its Q; Delete takes it away; Home, End go on."""
        chosen = self.chosen
        bars = [(half, band) for half, shown in enumerate(self.halves) if shown for band in range(len(shown.bands))]
        if key in (Qt.Key.Key_Home, Qt.Key.Key_End) and bars:
            at = bars.index(chosen) if chosen in bars else -1
            self.chosen = bars[(at + (1 if key == Qt.Key.Key_End else -1)) % len(bars)]
            self.renew()
            return True
        shown = self.halves[chosen[0]] if chosen is not None else None
        if chosen is None or shown is None or chosen[1] >= len(shown.bands):
            return False
        band, step = shown.bands[chosen[1]], FINE if fine else 1.0
        sideways = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}.get(key, 0.0)
        upward = {Qt.Key.Key_Up: step, Qt.Key.Key_Down: -step}.get(key, 0.0)
        if sideways or upward:
            hz = band.frequency_hz * 2.0 ** (sideways / 12.0)
            self.bar_moved.emit(*chosen, round(hz, 1), round(band.gain_db + 0.5 * upward, 1))
            self.released.emit()
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.bar_turned.emit(*chosen, 1 if key == Qt.Key.Key_PageUp else -1)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.bar_dropped.emit(*chosen)
        else:
            return False
        return True


def paint_small_pair(
    painter: QPainter, box: QRectF, upper: "Half", lower: "Half", low_hz: float, high_hz: float
) -> None:
    """Two small ridges, one under the other; the zone they contest is tinted."""
    zone = QRectF(ruler.x_of(box, low_hz), box.top(), 0, box.height())
    zone.setRight(ruler.x_of(box, high_hz))
    painter.fillRect(zone, theme.colour("look_soft"))
    half = box.height() / 2.0
    for index, item in enumerate((upper, lower)):
        part = QRectF(box.left(), box.top() + half * index, box.width(), half)
        if item.ridge is not None:
            paint_ridge(painter, part, item.ridge, item.family)
    paint.line(painter, box.left(), box.center().y(), box.right(), box.center().y(), icons.family_colour("other", 0.6))
