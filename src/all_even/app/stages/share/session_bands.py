"""The session's equalisers on one ruler: lanes as threads, lifts above, cuts below; beside it a table."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen

from all_even import texts
from all_even.app.bench import ruler
from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from all_even.moves.share.bookkeeping import Book, Thread

MOST_DB = 12.0
ROW, LINE, HEAD = 34, 15, 18


class ThreadsDrawing(Handled, Drawing):
    """pointed: the lane whose thread is clicked."""

    pointed = pyqtSignal(str)
    title = ""

    def __init__(self) -> None:
        super().__init__(
            "The session's bands",
            "Every track's equaliser as a thread over one ruler: lifts above, cuts below. The counts are tracks "
            "that are up, or down, by 1 dB or more in a zone. A click on a thread selects its track",
        )
        self._book: Book | None = None
        self._current = ""
        self._note = ""

    def show_book(self, book: "Book | None", current: str, note: str) -> None:
        self._book, self._current, self._note = book, current, note
        if book is not None:
            self.setAccessibleDescription(f"{len(book.threads)} tracks with equalisers")
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(30, 18, self.width() - 38, self.height() - 54)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        from all_even.moves.share.bookkeeping import FREQUENCIES_HZ

        book = self._book
        if book is None or not book.threads:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        for gain in (-6.0, 0.0, 6.0):
            y = ruler.bar_y(plot, gain, MOST_DB)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 1.0 if gain == 0.0 else 0.5))
            text = f"+{gain:.0f}" if gain > 0.0 else number(gain, 0)
            paint.note(painter, QRectF(0, y - 8, plot.left() - 4, 16), text, align=paint.RIGHT)
        ruler.paint_notes(painter, plot, QRectF(plot.left(), plot.bottom() + 2, plot.width(), 15))
        ruler.paint_zones(painter, plot, QRectF(plot.left(), plot.bottom() + 18, plot.width(), 15))
        self._counts(painter, plot, book)
        painter.setClipRect(plot)
        for thread in sorted(book.threads, key=lambda item: item.lane_id == self._current):
            current = thread.lane_id == self._current
            tint = icons.family_colour(thread.family, 1.0 if current or not self._current else 0.55)
            pen = QPen(tint, 3.0 if current else 1.6)
            ruler.paint_curve(painter, plot, FREQUENCIES_HZ, thread.curve_db, MOST_DB, pen)
        painter.setClipping(False)
        self._names(painter, plot, book)

    def _counts(self, painter: QPainter, plot: QRectF, book: "Book") -> None:
        """Lanes that are lifted and cut, zone by zone, above the plot."""
        from all_even.measure.level import zones

        for index, (low, high) in enumerate(zip(zones.EDGES_HZ[:-1], zones.EDGES_HZ[1:], strict=True)):
            left, right = (ruler.x_of(plot, min(ruler.HIGHEST_HZ, hz)) for hz in (low, high))
            up, down = book.lifts[index], book.cuts[index]
            told = f"{up}↑ {down}↓"
            look = theme.colour("look") if up >= 3 else theme.colour("quiet")
            if up or down:
                paint.text(painter, QRectF(left, 1, right - left, 15), told, size=theme.SMALL, colour=look,
                           align=paint.CENTRE)  # fmt: skip

    def _names(self, painter: QPainter, plot: QRectF, book: "Book") -> None:
        """The furthest threads by name, where they are furthest; no two at one place."""
        from all_even.moves.share.bookkeeping import FREQUENCIES_HZ

        taken: list[QRectF] = []
        for thread in sorted(book.threads, key=lambda item: -float(np.abs(item.curve_db[30:190]).max())):
            at = 30 + int(np.argmax(np.abs(thread.curve_db[30:190])))
            gain = float(thread.curve_db[at])
            x, y = ruler.x_of(plot, float(FREQUENCIES_HZ[at])), ruler.bar_y(plot, gain, MOST_DB)
            width = paint.width_of(thread.name, theme.SMALL) + 8
            box = QRectF(min(plot.right() - width, max(plot.left(), x - width / 2)), y - 17 if gain > 0 else y + 2,
                         width, 15)  # fmt: skip
            box.moveTop(min(plot.bottom() - 15, max(plot.top(), box.top())))
            if any(box.intersects(other) for other in taken):
                continue
            taken.append(box)
            painter.fillRect(box, theme.colour("ground", 0.8))
            paint.text(painter, box, thread.name, size=theme.SMALL, align=paint.CENTRE,
                       strong=thread.lane_id == self._current)  # fmt: skip

    def press(self, at: QPointF) -> None:
        from all_even.moves.share.bookkeeping import FREQUENCIES_HZ

        if self._book is None or not self._book.threads:
            return
        plot = self.plot()
        hz = ruler.hz_at(plot, at.x())
        index = int(np.argmin(np.abs(np.log(FREQUENCIES_HZ / max(hz, 1.0)))))
        away = [
            (abs(ruler.bar_y(plot, float(t.curve_db[index]), MOST_DB) - at.y()), t.lane_id) for t in self._book.threads
        ]
        nearest, lane = min(away)
        if nearest <= 10.0:
            self.pointed.emit(lane)


class BandsTable(Handled):
    """A row for each lane: its bands in words; for a simple board: three knobs and what is left."""

    pointed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._book: Book | None = None
        self._current = ""
        self._knobs = False
        self._top = 0
        self.setAccessibleName("The session's bands as a table")
        self.setToolTip(texts.tip(
            "Every track's bands; as three knobs: low shelf 80 Hz, swept mid, high shelf 12 kHz, as near as they come. "
            "Over 3 dB off it does not carry"
        ))  # fmt: skip

    def show_book(self, book: "Book | None", current: str, knobs: bool) -> None:
        self._book, self._current, self._knobs = book, current, knobs
        self._top = 0 if book is None else min(self._top, max(0, len(book.threads) - 1))
        self.update()

    def _rows(self) -> list[tuple[QRectF, "Thread", list[str]]]:
        """What is seen: each lane's box and its lines; as many as there is room for."""
        rows: list[tuple[QRectF, Thread, list[str]]] = []
        y = float(HEAD)
        for thread in self._book.threads[self._top :] if self._book is not None else ():
            lines = self.lines_of(thread, self.width() - 24)
            height = ROW + LINE * (len(lines) - 1)
            if rows and y + height > self.height():
                break
            rows.append((QRectF(0, y, self.width(), height - 3), thread, lines))
            y += height
        return rows

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            if self._book is None:
                return
            rows = self._rows()
            head = QRectF(4, 0, self.width() - 8, 16)
            named = "Shelf 80 Hz, mid, shelf 12 kHz" if self._knobs else "Bands"
            paint.note(painter, head, named)
            if len(rows) < len(self._book.threads):
                paint.note(painter, head, f"{len(rows)} of {len(self._book.threads)}, wheel", align=paint.RIGHT)
            for box, thread, lines in rows:
                painter.fillRect(box, theme.colour("act_soft" if thread.lane_id == self._current else "ground"))
                icons.draw_mark(painter, thread.family, QRectF(6, box.top() + 4, 10, 10))
                name = QRectF(20, box.top() + 1, box.width() - 24, 16)
                paint.text(painter, name, thread.name, size=theme.SMALL, strong=True)
                look = self._knobs and thread.knobs is not None and not thread.knobs.carries
                for line, told in enumerate(lines):
                    below = QRectF(20, box.top() + LINE * (line + 1), box.width() - 24, LINE)
                    paint.text(painter, below, told, size=theme.SMALL, colour=theme.colour("look" if look else "text"))

    def lines_of(self, thread: "Thread", width: float) -> list[str]:
        """The knobs and what is left, or the bands."""
        if not self._knobs:
            return _wrapped(thread.texts, "; ", width)
        if thread.knobs is None:
            return ["flat, or only dynamic bands"]
        settings, _, left = thread.knobs.text.partition("; ")
        return [*_wrapped(settings.split(", "), ", ", width), left]

    def press(self, at: QPointF) -> None:
        for box, thread, _ in self._rows():
            if box.contains(at):
                self.pointed.emit(thread.lane_id)

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        if self._book is not None:
            self._top = max(0, min(self._top - notches, len(self._book.threads) - 1))
            self.update()
        return True


def _wrapped(parts: Sequence[str], between: str, width: float) -> list[str]:
    """Two lines at the most; a part is never broken."""
    lines = [""]
    for part in parts:
        joined = f"{lines[-1]}{between}{part}" if lines[-1] else part
        if len(lines) == 1 and lines[-1] and paint.width_of(joined, theme.SMALL) > width:
            lines.append(part)
        else:
            lines[-1] = joined
    return lines
