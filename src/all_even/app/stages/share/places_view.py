"""Places to look at on one lane: a list and the lane's ridge with a mark at each; each can be heard and made a band."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from all_even import texts
from all_even.app.bench import ruler
from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.stages.share.ridges import paint_ridge
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from all_even.moves.share.lane_places import Place
    from all_even.moves.share.pair_view import Half

ROW = 36


class PlacesList(Handled):
    """chosen: the number of a place."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._places: Sequence[Place] = ()
        self._note = ""
        self._top = 0
        self.current = 0
        self.setAccessibleName("Places to look at")
        self.setToolTip(texts.tip(
            "Where this track sticks out, rings, stands out for the ear or lies on another, the furthest first. "
            "None is a fault by itself: hear it by holding Sweep, then make it a band or leave it"
        ))  # fmt: skip
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_places(self, places: "Sequence[Place]", note: str) -> None:
        self._places, self._note = places, note
        self.current = min(self.current, max(0, len(places) - 1))
        self.setAccessibleDescription("; ".join(place.text for place in places))
        self.update()

    def _room(self) -> int:
        return max(1, self.height() // ROW)

    def box_of(self, index: int) -> QRectF:
        return QRectF(0, (index - self._top) * ROW, self.width(), ROW - 3)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            if not self._places:
                words = self._note.split(". ")
                for index, sentence in enumerate(words):
                    box = QRectF(4, 4 + 18 * index, self.width() - 8, 16)
                    paint.note(painter, box, sentence)
                return
            for index in range(self._top, min(len(self._places), self._top + self._room())):
                box, place = self.box_of(index), self._places[index]
                painter.fillRect(box, theme.colour("act_soft" if index == self.current else "ground"))
                head, rest = headline(place)
                paint.text(painter, QRectF(6, box.top() + 1, box.width() - 10, 16), head, size=theme.SMALL, strong=True)
                paint.note(painter, QRectF(6, box.top() + 16, box.width() - 10, 15), rest)
                if index == self.current and self.hasFocus():
                    painter.setPen(QPen(theme.colour("act"), 2))
                    painter.drawRect(box.adjusted(1, 1, -1, -1))

    def press(self, at: QPointF) -> None:
        index = self._top + int(at.y() // ROW)
        if 0 <= index < len(self._places):
            self._choose(index)

    def _choose(self, index: int) -> None:
        self.current = index
        self._top = max(min(self._top, index), index - self._room() + 1)
        self.update()
        self.chosen.emit(index)

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        self._top = max(0, min(self._top - notches, len(self._places) - self._room()))
        self.update()
        return True

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(key)
        if by is None or not self._places:
            return False
        self._choose(max(0, min(len(self._places) - 1, self.current + by)))
        return True


def headline(place: "Place") -> tuple[str, str]:
    """What it is, and the rest, for two lines."""
    if place.sort in ("sticks out", "resonance"):
        head, _, rest = place.text.partition(", ") if place.sort == "resonance" else place.text.partition(": ")
        return head, rest
    if place.sort == "lies on":
        head, _, rest = place.text.partition(" (")
        return head, f"({rest}"
    head, _, rest = place.text.partition("? ")
    return f"{head}?", rest


class PlacesDrawing(Handled, Drawing):
    """swept: the frequency under the held pointer."""

    swept = pyqtSignal(float)
    title = ""

    def __init__(self) -> None:
        super().__init__(
            "Places on the ruler",
            "The track's ridge with a mark at each place. Hold and move to sweep a narrow lift over it: it starts "
            "quietly and never gets louder than the track itself by more than 3 dB",
        )
        self._half: Half | None = None
        self._places: Sequence[Place] = ()
        self._current = 0
        self.sweeping_hz: float | None = None

    def show_places(self, half: "Half | None", places: "Sequence[Place]", current: int) -> None:
        self._half, self._places, self._current = half, places, current
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(8, 18, self.width() - 16, self.height() - 54)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        ruler.paint_notes(painter, plot, QRectF(plot.left(), plot.bottom() + 2, plot.width(), 15))
        ruler.paint_zones(painter, plot, QRectF(plot.left(), plot.bottom() + 18, plot.width(), 15))
        half = self._half
        if half is None or half.ridge is None:
            return
        paint_ridge(painter, plot, half.ridge, half.family)
        for index, place in enumerate(self._places):
            x, current = ruler.x_of(plot, place.hz), index == self._current
            tint = theme.colour("look" if current else "quiet")
            paint.line(painter, x, plot.top(), x, plot.bottom(), tint, 2.0 if current else 1.0)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tint)
            painter.drawPolygon(QPolygonF([QPointF(x - 5, plot.top() - 6), QPointF(x + 5, plot.top() - 6),
                                           QPointF(x, plot.top() + 2)]))  # fmt: skip
            if current:
                told = f"{place.word or place.sort} {number(place.hz, 0)} Hz"
                width = paint.width_of(told, theme.SMALL) + 10
                left = x + 6 if x + 6 + width < plot.right() else x - 6 - width
                box = QRectF(left, plot.top() + 4, width, 16)
                painter.fillRect(box, theme.colour("look_soft"))
                paint.text(painter, box, told, size=theme.SMALL, align=paint.CENTRE)
        if self.sweeping_hz is not None:
            x = ruler.x_of(plot, self.sweeping_hz)
            painter.fillRect(QRectF(x - 8, plot.top(), 16, plot.height()), theme.colour("act", 0.35))
            box = QRectF(min(plot.right() - 90, x + 10), plot.bottom() - 18, 90, 16)
            paint.text(painter, box, f"{number(self.sweeping_hz, 0)} Hz", size=theme.SMALL, colour=theme.colour("act"))

    def handle_at(self, at: QPointF) -> bool | None:
        return True if self._half is not None else None

    def press(self, at: QPointF) -> None:
        if self.held:
            self._sweep(at.x())

    def drag(self, at: QPointF, *, fine: bool) -> None:
        self._sweep(at.x())

    def drop(self, held: bool, at: QPointF) -> None:
        self.stop()
        super().drop(held, at)

    def _sweep(self, x: float) -> None:
        self.sweeping_hz = max(40.0, min(14_000.0, ruler.hz_at(self.plot(), x)))
        self.renew()
        self.swept.emit(self.sweeping_hz)

    def stop(self) -> None:
        self.sweeping_hz = None
        self.renew()
