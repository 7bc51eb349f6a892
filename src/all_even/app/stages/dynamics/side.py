"""Beside the pictures: the selected strip's figures, before and now, and its side effects, always in view."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from all_even import texts
from all_even.app.stages.dynamics.body import figures, paint_change
from all_even.app.stages.dynamics.marks import GAP, SIDE, Mark, marks, sentences
from all_even.app.style import fields, layouts, paint, theme

if TYPE_CHECKING:
    from all_even.measure.dynamics.movement import Movement

LINE = 19.0
MARKS = len(marks(None))
NAMES = {"spread": "Spread", "punch": "Punch", "crest": "Crest"}


class DynamicsSide(QWidget):
    """Name, a sentence, figures and marks."""

    def __init__(self) -> None:
        super().__init__()
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        self.name = fields.label("", "title")
        self.told = fields.wrapped("", "quiet")
        self.figures = _Figures()
        column.addWidget(self.name)
        column.addWidget(self.told)
        column.addWidget(self.figures, 1)

    def show_strip(self, name: str, found: "Movement | None", works: str, *, stale: bool) -> None:
        """works: what moves its level, in words; empty where nothing does."""
        self.name.setText(fields.elided(self.name, name, self.width() - 8))
        self.name.setToolTip(texts.tip(name))
        self.told.setText(sentence(found, works))
        self.figures.show_figures(found, stale)


def sentence(found: "Movement | None", works: str) -> str:
    """What is to be said of a strip in one line."""
    if found is None:
        return "Being measured …"
    if not works:
        return "Nothing works on its level." if found.is_sum else f"{len(found.units)} notes, words or hits."
    over = [mark.name.lower() for mark in marks(found.side) if mark.over]
    return f"{works}{': look at ' + ', '.join(over) if over else ', no side effect over its limit'}."


class _Figures(QWidget):
    """Three figures before and now, then the marks with their figures; painted."""

    def __init__(self) -> None:
        super().__init__()
        self._found: Movement | None = None
        self._stale = False
        self.setAccessibleName("Figures and side effects of the selected track")
        self.setMinimumHeight(int((len(NAMES) + (MARKS + 1) // 2) * LINE + 6))

    def show_figures(self, found: "Movement | None", stale: bool) -> None:
        self._found, self._stale = found, stale
        told = sentences(marks(found.side if found is not None and found.moved else None))
        self.setAccessibleDescription("; ".join(told))
        self.setToolTip(texts.tip("\n".join(told) or "Side effects stand here once something works on the level"))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            quiet, found = theme.colour("quiet"), self._found
            width, y = float(self.width()), 0.0
            shown = figures(found) if found is not None else {}
            for key, name in NAMES.items():
                box = QRectF(0, y, width, LINE)
                paint.text(painter, box, name, colour=quiet)
                before, now = shown.get(key, (None, None))
                unit = QRectF(0, y, width - 24, LINE)
                paint_change(painter, unit, before, now, moved=found is not None and found.moved)
                if now is not None:
                    paint.text(painter, box, "dB", size=theme.SMALL, colour=quiet, align=paint.RIGHT)
                y += LINE
            y += 6
            paint.line(painter, 0, y - 3, width, y - 3, theme.colour("line"))
            columns = 1 if y + MARKS * LINE <= self.height() else 2
            lines = -(-MARKS // columns)
            for index, mark in enumerate(marks(found.side if found is not None and found.moved else None)):
                column, line = divmod(index, lines)
                half = width / columns
                box = QRectF(column * half + 6.0 * column, y + line * LINE, half - 6.0 * (columns - 1), LINE)
                self._mark(painter, box, mark, named=columns == 1)

    def _mark(self, painter: QPainter, box: QRectF, mark: Mark, *, named: bool) -> None:
        """named: with its whole name, where there is room for it."""
        at = QRectF(box.left(), box.center().y() - SIDE / 2, SIDE, SIDE)
        tint = theme.colour("look" if mark.over else "quiet")
        painter.setPen(tint if mark.text else theme.colour("line"))
        painter.setBrush(theme.colour("look") if mark.over else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at.adjusted(0.5, 0.5, -0.5, -0.5))
        words = box.adjusted(SIDE + GAP, 0, 0, 0)
        name, size = (mark.name, theme.BODY) if named else (mark.short, theme.SMALL)
        paint.text(painter, words, name, size=size, colour=theme.colour("look" if mark.over else "quiet"))
        value, unit = paint.split_figure(mark.text or "–")
        paint.figure(painter, words, value, unit, colour=tint if mark.over else theme.colour("text"))
