"""Where everything in the lanes lies: rows, heads and their buttons, and the columns of each stage with their titles.

Hit testing and painting use the same boxes.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from all_even.app.lanes.scales import Rail
from all_even.app.style import paint

ROW = 40
HEADER = 36
FOLD = 34
"""The line that stands for lanes that are folded away."""
BUTTON = 24
GAP = 4
LINE = 17
GRIP = 8.0
"""A rail is taken hold of also so many pixels beside it."""
HEAD_BUTTONS = ("mute", "solo", "polarity_inverted")


@dataclass(frozen=True, slots=True)
class Column:
    """One of the columns right of the wide one. width: in pixels. narrow: its width in a narrow view, None where it has
    no place there. titles: over it, one in the middle or two lines."""

    name: str
    width: float
    narrow: float | None = None
    titles: tuple[str, ...] = ()
    align: Qt.AlignmentFlag = paint.RIGHT


@dataclass(frozen=True, slots=True)
class Columns:
    """Boxes of one row, relative to the row's top left, by name; and rails with a handle."""

    boxes: dict[str, tuple[float, float]]  # name: (left, width)
    rails: dict[str, Rail] = field(default_factory=dict)

    def under(self, x: float) -> str | None:
        """The rail under a pixel, else the column."""
        grips = {name: (rail.left - GRIP, rail.width + 2 * GRIP) for name, rail in self.rails.items()}
        places = [*grips.items(), *self.boxes.items()]
        return next((name for name, (left, width) in places if left <= x <= left + width), None)


def behind_wide(name: str, left: float, inner: float, widths: Mapping[str, float], gap: float) -> Columns:
    """A column that takes what room there is, and narrow ones right of it. inner: width of all together."""
    wide = inner - sum(widths.values()) - gap * (len(widths) + 1)
    boxes, x = {name: (left, wide)}, left + wide + gap
    for narrow, width in widths.items():
        boxes[narrow] = (x, width)
        x += width + gap
    return Columns(boxes)


def column_box(row: QRectF, columns: Columns, name: str) -> QRectF:
    left, width = columns.boxes[name]
    return QRectF(left, row.top(), width, row.height())


def line_box(head: QRectF, line: int) -> QRectF:
    """The first or second line of text over a column."""
    return QRectF(head.left(), head.top() + 1 + LINE * line, head.width(), 16)


def paint_titles(painter: QPainter, box: QRectF, columns: Columns, wanted: Iterable[Column]) -> None:
    """What is said over columns."""
    for column in wanted:
        if column.name in columns.boxes:
            head = column_box(box, columns, column.name)
            for line, words in enumerate(column.titles):
                at = head if len(column.titles) == 1 else line_box(head, line)
                paint.note(painter, at, words, align=column.align)


def head_width(width: float) -> float:
    """Lane heads take about a third of a narrow view, 264 px of a wide one."""
    return 264.0 if width > 820 else 228.0


def row_box(index: int, width: float, scroll: float) -> QRectF:
    return QRectF(0, HEADER + index * ROW - scroll, width, ROW)


def row_at(y: float, scroll: float, count: int) -> int | None:
    """The row under a pixel, None above the first and below the last."""
    index = int((y - HEADER + scroll) // ROW)
    return index if y >= HEADER and 0 <= index < count else None


def head_boxes(row: QRectF, head: float) -> dict[str, QRectF]:
    """Mark, name, role, buttons and meter of a lane head."""
    buttons_left = row.left() + head - GAP - len(HEAD_BUTTONS) * (BUTTON + GAP)
    boxes = {
        "mark": QRectF(row.left() + 10, row.top() + 10, 14, 14),
        "name": QRectF(row.left() + 34, row.top() + 2, buttons_left - row.left() - 40, 18),
        "role": QRectF(row.left() + 34, row.top() + 18, buttons_left - row.left() - 40, 15),
        "meter": QRectF(row.left() + 34, row.top() + 34, buttons_left - row.left() - 42, 4),
    }
    for index, name in enumerate(HEAD_BUTTONS):
        boxes[name] = QRectF(buttons_left + index * (BUTTON + GAP), row.top() + 7, BUTTON, BUTTON)
    return boxes
