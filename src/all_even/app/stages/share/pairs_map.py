"""The map of pairs: who hides whom, two small ridges leaning on each other with the contested zone between."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen

from all_even import texts
from all_even.app.bench.handled import Handled
from all_even.app.stages.share.pair_drawing import paint_small_pair
from all_even.app.style import icons, paint, theme

if TYPE_CHECKING:
    from all_even.moves.share.pair_view import Half

ROW, HEAD = 42, 18
MOST = 40


@dataclass(frozen=True, slots=True, eq=False)
class PairLine:
    """One pair. cost, weighted, together: 0 to 1; zone: where most of it lies."""

    victim: int
    masker: int
    upper: "Half"
    lower: "Half"
    cost: float
    weighted: float
    together: float
    zone: str
    low_hz: float
    high_hz: float


class PairsMap(Handled):
    """chosen: (victim, masker) by their places."""

    chosen = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[PairLine] = []
        self._note = ""
        self._top = 0
        self.current = 0
        self.setAccessibleName("Masking")
        self.setToolTip(texts.tip(
            "Every pair in which one hides the other, what costs most for its importance first. Hides: so much less of "
            "it would be hidden without the other. A click shows both face to face"
        ))  # fmt: skip
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_lines(self, lines: list[PairLine], note: str) -> None:
        self.lines, self._note = lines[:MOST], note
        self.current = min(self.current, max(0, len(self.lines) - 1))
        self._top = min(self._top, max(0, len(self.lines) - self._room()))
        self.setAccessibleDescription("; ".join(f"{x.lower.name} masks {x.upper.name}" for x in self.lines[:5]))
        self.update()

    def _columns(self) -> int:
        return 2 if self.width() > 700 else 1

    def _room(self) -> int:
        """Rows that are seen at once."""
        return max(1, (self.height() - HEAD) // ROW) * self._columns()

    def box_of(self, index: int) -> QRectF:
        columns = self._columns()
        rows = max(1, (self.height() - HEAD) // ROW)
        at = index - self._top
        width = self.width() / columns
        return QRectF((at // rows) * width, HEAD + (at % rows) * ROW, width - 8, ROW - 3)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            if not self.lines:
                paint.note(painter, QRectF(self.rect()), self._note, align=paint.CENTRE)
                return
            shown = range(self._top, min(len(self.lines), self._top + self._room()))
            more = f", {len(shown)} of {len(self.lines)} shown" if len(shown) < len(self.lines) else ""
            told = f"Upper: what is masked; lower: what masks it; tinted: where. What costs most first{more}"
            paint.note(painter, QRectF(0, 0, self.width(), 16), told)
            for index in shown:
                self._row(painter, self.box_of(index), self.lines[index], index == self.current)

    def _row(self, painter: QPainter, box: QRectF, line: PairLine, current: bool) -> None:
        painter.fillRect(box, theme.colour("act_soft" if current else "ground"))
        names = QRectF(box.left() + 4, box.top(), min(150.0, 0.36 * box.width()), box.height())
        for offset, half in ((0.0, line.upper), (0.5, line.lower)):
            row = QRectF(names.left(), names.top() + offset * box.height(), names.width(), 0.5 * box.height())
            icons.draw_mark(painter, half.family, QRectF(row.left(), row.center().y() - 5, 10, 10))
            paint.text(painter, row.adjusted(15, 0, 0, 0), half.name, size=theme.SMALL, strong=offset == 0.0)
        figures = QRectF(box.right() - 152, box.top(), 148, box.height())
        ridges = QRectF(names.right() + 8, box.top() + 2, figures.left() - names.right() - 18, box.height() - 4)
        paint_small_pair(painter, ridges, line.upper, line.lower, line.low_hz, line.high_hz)
        upper = QRectF(figures.left(), figures.top() + 1, figures.width(), 0.5 * box.height())
        paint.figure(painter, upper, f"{100.0 * line.cost:.0f}", "% masked by it")
        lower = upper.translated(0, 0.5 * box.height() - 2)
        told = f"{line.zone}, {100.0 * line.together:.0f} % at once"
        paint.note(painter, lower, told, align=paint.RIGHT)
        if current and self.hasFocus():
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.drawRect(box.adjusted(1, 1, -1, -1))

    def _at(self, at: QPointF) -> int | None:
        shown = range(self._top, min(len(self.lines), self._top + self._room()))
        return next((index for index in shown if self.box_of(index).contains(at)), None)

    def press(self, at: QPointF) -> None:
        index = self._at(at)
        if index is not None:
            self._choose(index)

    def _choose(self, index: int) -> None:
        self.current = index
        self.update()
        self.chosen.emit(self.lines[index].victim, self.lines[index].masker)

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        self._top = max(0, min(self._top - notches, len(self.lines) - self._room()))
        self.update()
        return True

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(key)
        if by is not None and self.lines:
            self.current = max(0, min(len(self.lines) - 1, self.current + by))
            if self.current >= self._top + self._room():
                self._top = self.current - self._room() + 1
            self._top = min(self._top, self.current)
            self.update()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.lines:
            self._choose(self.current)
            return True
        return False
