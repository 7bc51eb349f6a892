"""Clip gain section by section: a bar a section, dragged up and down."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import paint, theme
from all_even.dsp.parameter import CLIP_GAIN, FINE, signed

if TYPE_CHECKING:
    from all_even.measure.time.sections import Section

RANGE_DB = 12.0
"""What is shown; larger gains stand at the edge."""
STEP_DB = 0.5


class SectionGains(Handled, Drawing):
    """chosen: the section that keys change."""

    title = "Clip gain in each section, dB: drag; double click: 0"
    dragged = pyqtSignal(int, float)

    def __init__(self) -> None:
        super().__init__(
            "Clip gain in each section",
            "The track's own level before its chain, section by section. Drag a bar, or Left, Right and Up, Down "
            "(Shift: finer); double click: 0 dB",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._sections: tuple[Section, ...] = ()
        self._gains: tuple[float, ...] = ()
        self.chosen = 0

    def show_gains(self, sections: "tuple[Section, ...]", gains_db: tuple[float, ...]) -> None:
        self._sections, self._gains = sections, gains_db
        self.chosen = min(self.chosen, max(0, len(sections) - 1))
        told = [f"{section.letter} {signed(gain)}" for section, gain in zip(sections, gains_db, strict=True)]
        self.setAccessibleDescription(", ".join(told))
        self.renew()

    def box_of(self, index: int, plot: QRectF) -> QRectF:
        """The column of a section, as wide as it is long."""
        start, end = self._sections[0].start_s, max(self._sections[-1].end_s, self._sections[0].start_s + 0.1)
        scale = plot.width() / (end - start)
        section = self._sections[index]
        left = plot.left() + (section.start_s - start) * scale
        return QRectF(left, plot.top(), max(2.0, (section.end_s - section.start_s) * scale), plot.height())

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        if not self._sections:
            text = "Mark sections on the song strip."
            paint.note(painter, plot, text, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, (-12.0, -6.0, 0.0, 6.0, 12.0), -RANGE_DB, RANGE_DB)
        for index, (section, gain) in enumerate(zip(self._sections, self._gains, strict=True)):
            box = self.box_of(index, plot).adjusted(1, 0, -1, 0)
            y = self.y_of(plot, gain)
            middle = self.y_of(plot, 0.0)
            bar = QRectF(box.left(), min(y, middle), box.width(), max(2.0, abs(y - middle)))
            painter.fillRect(bar, theme.colour("act", 0.55 if gain else 0.9))
            painter.fillRect(QRectF(box.left(), y - 2, box.width(), 4), theme.colour("act"))
            if index == self.chosen and self.hasFocus():
                painter.setPen(QPen(theme.colour("act"), 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(box)
            if box.width() > 22:
                label = QRectF(box.left(), plot.bottom() + 2, box.width(), 15)
                paint.note(painter, label, section.letter, align=paint.CENTRE)
            if gain and box.width() > 34:
                value = QRectF(box.left(), y - 18 if gain > 0 else y + 3, box.width(), 15)
                paint.text(painter, value, signed(gain), size=theme.SMALL, align=paint.CENTRE)

    @staticmethod
    def y_of(plot: QRectF, gain_db: float) -> float:
        held = min(RANGE_DB, max(-RANGE_DB, gain_db))
        return plot.bottom() - plot.height() * (held + RANGE_DB) / (2.0 * RANGE_DB)

    def section_at(self, x: float) -> int:
        """The section under a place; -1 for none."""
        plot = self.plot()
        for index in range(len(self._sections)):
            box = self.box_of(index, plot)
            if box.left() <= x < box.right():
                return index
        return -1

    def handle_at(self, at: QPointF) -> tuple[int, float, float] | None:
        """(section, where it was taken hold of, its gain then)"""
        index = self.section_at(at.x())
        return (index, at.y(), self._gains[index]) if index >= 0 else None

    def press(self, at: QPointF) -> None:
        if self.held is not None:
            self.chosen = self.held[0]
            self.renew()

    def drag(self, at: QPointF, *, fine: bool) -> None:
        index, y, gain = self.held
        by = (y - at.y()) / self.plot().height() * 2.0 * RANGE_DB * (FINE if fine else 1.0)
        self.dragged.emit(index, CLIP_GAIN.clamped(round(gain + by, 1)))

    def double(self, at: QPointF) -> None:
        index = self.section_at(at.x())
        if index >= 0:
            self.dragged.emit(index, 0.0)
            self.released.emit()

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        along = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(key)
        up = {Qt.Key.Key_Up: STEP_DB, Qt.Key.Key_Down: -STEP_DB}.get(key)
        if along is not None and self._sections:
            self.chosen = min(len(self._sections) - 1, max(0, self.chosen + along))
            self.renew()
        elif up is not None and self._sections:
            by = up * (FINE if fine else 1.0)
            self.dragged.emit(self.chosen, CLIP_GAIN.clamped(round(self._gains[self.chosen] + by, 1)))
        else:
            return False
        return True
