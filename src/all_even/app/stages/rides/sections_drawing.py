"""Sections side by side as they are heard: loudness as a bar, width as a span over it, and how many sources play."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from collections.abc import Sequence

    from all_even.figures.rides.sections_heard import SectionHeard

LOWEST_LU, WIDEST_DB = 12.0, 20.0
"""Bars show this much under the loudest section; a span is as wide as the section where side is as loud as mid."""
NARROWEST = 34.0


class SectionsDrawing(Handled, Drawing):
    """chosen: a section was pressed, by its number."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__(
            "Sections as they are heard",
            "Bar: loudness of the mix there, LUFS. Span above it: width, side over mid. Below: how many sources play. "
            "Press one to go there and to work on it (Left, Right)",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.title = "Sections: loudness LUFS, width (side over mid) dB, sources"
        self.heard: Sequence[SectionHeard] = ()
        self.index = 0

    def show_sections(self, heard: "Sequence[SectionHeard]", index: int) -> None:
        if not self.is_new(heard, index):
            return
        self.heard, self.index = heard, index
        told = "; ".join(f"{item.section.letter} {_lufs(item)}" for item in heard)
        self.setAccessibleDescription(told or "being measured")
        self.renew()

    def plot(self) -> QRectF:
        return super().plot().adjusted(0, 0, 0, -16)

    def box_of(self, index: int, plot: QRectF) -> QRectF:
        """Where a section stands: by its length, none so narrow that it can't be read."""
        lengths = [max(0.1, item.section.end_s - item.section.start_s) for item in self.heard]
        least = min(NARROWEST, plot.width() / max(1, len(lengths)))
        room = plot.width() - least * len(lengths)
        left = plot.left() + sum(least + room * length / sum(lengths) for length in lengths[:index])
        return QRectF(left, plot.top(), least + room * lengths[index] / sum(lengths), plot.height())

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        known = [item.lufs for item in self.heard if item.lufs is not None]
        if not known:
            text = "being measured …" if not self.heard else "nothing is heard"
            paint.note(painter, plot.adjusted(6, 0, 0, 0), text)
            return
        top = max(known) + 2.0
        for index, item in enumerate(self.heard):
            box = self.box_of(index, plot).adjusted(1, 0, -1, 0)
            if index == self.index:
                painter.fillRect(box, theme.colour("act_soft"))
            if item.lufs is not None:
                share = min(1.0, max(0.05, (item.lufs - top + LOWEST_LU) / LOWEST_LU))
                height = 0.72 * plot.height() * share
                bar = QRectF(box.left() + 2, plot.bottom() - height, box.width() - 4, height)
                painter.fillRect(bar, theme.colour("quiet", 0.5))
                if item.width_db is not None:
                    wide = box.width() * min(1.0, max(0.04, 1.0 + item.width_db / WIDEST_DB))
                    span = QRectF(box.center().x() - 0.5 * wide, bar.top() - 6, wide, 3)
                    painter.fillRect(span, theme.colour("act"))
            lines = [(_lufs(item), plot.top() + 2, "text"), (_width(item), plot.top() + 17, "quiet")]
            for words, y, tint in lines:
                if paint.width_of(words, theme.SMALL) <= box.width():
                    at = QRectF(box.left(), y, box.width(), 15)
                    paint.text(painter, at, words, size=theme.SMALL, colour=theme.colour(tint), align=paint.CENTRE)
            for words, y in ((item.section.letter, plot.bottom() + 2), (f"{item.playing}", plot.bottom() + 17)):
                if paint.width_of(words, theme.SMALL) <= box.width():
                    at = QRectF(box.left(), y, box.width(), 15)
                    paint.note(painter, at, words, align=paint.CENTRE)
        if self.hasFocus() and self.index < len(self.heard):
            painter.setPen(QPen(theme.colour("act"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.box_of(self.index, plot))

    def press(self, at: QPointF) -> None:
        for index in range(len(self.heard)):
            box = self.box_of(index, self.plot())
            if box.left() <= at.x() < box.right():
                self.chosen.emit(index)

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        if step is None or not self.heard:
            return False
        self.chosen.emit(min(len(self.heard) - 1, max(0, self.index + step)))
        return True


def _lufs(item: "SectionHeard") -> str:
    return "–" if item.lufs is None else number(item.lufs)


def _width(item: "SectionHeard") -> str:
    return "–" if item.width_db is None else number(item.width_db)
