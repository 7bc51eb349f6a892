"""Clip gain section by section: a bar a section, dragged up and down."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from all_even.app.bench.drawings import Drawing
from all_even.app.style import paint, theme
from all_even.dsp.parameter import CLIP_GAIN, signed

if TYPE_CHECKING:
    from all_even.measure.time.sections import Section

RANGE_DB = 12.0
"""What is shown; larger gains stand at the edge."""
STEP_DB, FINE_DB = 0.5, 0.1


class SectionGains(Drawing):
    """chosen: the section that keys change."""

    title = "Clip gain in each section, dB: drag; double click: 0"
    dragged = pyqtSignal(int, float)
    let_go = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(
            "Clip gain in each section",
            "The lane's own level before its chain, section by section. Drag a bar, or Left, Right and Up, Down "
            "(Shift: finer); double click: 0 dB",
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._sections: tuple[Section, ...] = ()
        self._gains: tuple[float, ...] = ()
        self._grabbed: tuple[int, float, float] | None = None
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
        quiet = theme.colour("quiet")
        if not self._sections:
            text = "Mark sections on the song strip."
            paint.text(painter, plot, text, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, (-12.0, -6.0, 0.0, 6.0, 12.0), -RANGE_DB, RANGE_DB)
        for index, (section, gain) in enumerate(zip(self._sections, self._gains, strict=True)):
            box = self.box_of(index, plot).adjusted(1, 0, -1, 0)
            y = self._y(plot, gain)
            middle = self._y(plot, 0.0)
            bar = QRectF(box.left(), min(y, middle), box.width(), max(2.0, abs(y - middle)))
            painter.fillRect(bar, theme.colour("act", 0.55 if gain else 0.9))
            painter.fillRect(QRectF(box.left(), y - 2, box.width(), 4), theme.colour("act"))
            if index == self.chosen and self.hasFocus():
                painter.setPen(QPen(theme.colour("act"), 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(box)
            if box.width() > 22:
                label = QRectF(box.left(), plot.bottom() + 2, box.width(), 15)
                paint.text(painter, label, section.letter, size=theme.SMALL, colour=quiet, align=paint.CENTRE)
            if gain and box.width() > 34:
                value = QRectF(box.left(), y - 18 if gain > 0 else y + 3, box.width(), 15)
                paint.text(painter, value, signed(gain), size=theme.SMALL, align=paint.CENTRE)

    @staticmethod
    def _y(plot: QRectF, gain_db: float) -> float:
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

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        index = self.section_at(event.position().x()) if event is not None else -1
        if event is not None and index >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self.chosen = index
            self._grabbed = (index, event.position().y(), self._gains[index])
            self.renew()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._grabbed is None:
            return
        index, y, gain = self._grabbed
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        by = (y - event.position().y()) / self.plot().height() * 2.0 * RANGE_DB * fine
        self.dragged.emit(index, CLIP_GAIN.clamped(round(gain + by, 1)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._grabbed = None
        self.let_go.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        index = self.section_at(event.position().x()) if event is not None else -1
        if index >= 0:
            self.dragged.emit(index, 0.0)
            self.let_go.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self._sections:
            return
        key, fine = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self.chosen = min(len(self._sections) - 1, max(0, self.chosen + step))
            self.renew()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            by = (FINE_DB if fine else STEP_DB) * (1.0 if key == Qt.Key.Key_Up else -1.0)
            self.dragged.emit(self.chosen, CLIP_GAIN.clamped(round(self._gains[self.chosen] + by, 1)))
        else:
            super().keyPressEvent(event)
