"""Beside the pictures of a bench: whom it is about, one large figure, a sentence, and lines of figures."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, pyqtSignal
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QWidget

from all_even import texts
from all_even.app.bench.handled import Handled
from all_even.app.style import fields, layouts, paint, theme

if TYPE_CHECKING:
    from collections.abc import Sequence

LINE = 20.0


class SidePanel(QWidget):
    """Name, one large figure, a sentence, and lines of figures. pressed: a line, by its number."""

    pressed = pyqtSignal(int)

    def __init__(self, figure: str, tip: str) -> None:
        """figure, tip: what the large one is."""
        super().__init__()
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        self.name = fields.label("", "title")
        self.figure = fields.Figure(figure, tip, large=True)
        self.said = fields.wrapped("", "quiet")
        self.lines = _Lines()
        self.lines.pressed.connect(self.pressed)
        for widget in (self.name, self.figure, self.said):
            column.addWidget(widget)
        column.addWidget(self.lines, 1)

    def show_all(
        self, name: str, figure: str, said: str, lines: "Sequence[tuple[str, str, bool]]", *, look: bool, stale: bool
    ) -> None:
        """lines: (what, figure with unit, whether it is over its limit)."""
        self.name.setText(fields.elided(self.name, name, self.width() - 8))
        self.name.setToolTip(texts.tip(name))
        self.figure.show_value(figure, look=look, stale=stale)
        self.said.setText(said)
        self.lines.show_lines(lines, stale=stale)


class _Lines(Handled):
    pressed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._lines: Sequence[tuple[str, str, bool]] = ()
        self._stale = False
        self.setAccessibleName("Figures of what is selected")
        self.setMinimumHeight(int(3 * LINE))

    def show_lines(self, lines: "Sequence[tuple[str, str, bool]]", *, stale: bool) -> None:
        self._lines, self._stale = lines, stale
        self.setAccessibleDescription("; ".join(f"{what} {text}" for what, text, _ in lines))
        self.update()

    def press(self, at: QPointF) -> None:
        index = int(at.y() // LINE)
        if 0 <= index < len(self._lines):
            self.pressed.emit(index)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            for index, (what, text, over) in enumerate(self._lines):
                box = QRectF(0, index * LINE, float(self.width()), LINE)
                if box.bottom() > self.height() + 1:
                    break
                value, unit = paint.split_figure(text)
                room = box.adjusted(0, 0, -paint.width_of(text) - 12, 0)
                paint.text(painter, room, what, colour=theme.colour("quiet"))
                tint = theme.colour("look" if over else "quiet" if self._stale else "text")
                paint.figure(painter, box, value, unit, colour=tint)
