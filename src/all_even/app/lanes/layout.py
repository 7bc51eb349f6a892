"""Where everything in the lanes lies: rows, heads and their buttons, and the columns of each stage with their titles.

Hit testing and painting use the same boxes.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from all_even.app.lanes.scales import Rail
from all_even.app.style import paint, theme

HEIGHTS = {"small": 20, "middle": 40, "tall": 80}
"""Of a row, in pixels, by its name."""
ROW = HEIGHTS["middle"]
HEADER = 36
FOLD = 34
"""The line that stands for lanes that are folded away."""
BUTTON, SMALL_BUTTON = 24, 22
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


@dataclass(frozen=True, slots=True)
class Stack:
    """Where rows lie over each other: the first `pinned` stay under the header, the others scroll below them.

    height: of a row. view: of what is painted on, header included. All in pixels.
    """

    count: int
    height: int = ROW
    pinned: int = 0
    scroll: float = 0.0
    view: float = 0.0

    @property
    def held(self) -> int:
        """How many rows stay: of very many pinned ones as many as half of the view takes."""
        return min(self.pinned, max(1, int((self.view - HEADER) / 2) // self.height)) if self.pinned else 0

    @property
    def top(self) -> float:
        """Where the rows that scroll begin."""
        return HEADER + float(self.held * self.height)

    @property
    def beyond(self) -> int:
        """How far the rows can be scrolled."""
        return max(0, HEADER + self.count * self.height - int(self.view))

    def row_top(self, index: int) -> float:
        return HEADER + float(index * self.height) - (0.0 if index < self.held else self.scroll)

    def box(self, index: int, width: float) -> QRectF:
        return QRectF(0, self.row_top(index), width, self.height)

    @property
    def moving(self) -> range:
        """The rows in sight of those that scroll."""
        first = int((self.top - HEADER + self.scroll) // self.height)
        last = int((self.view - HEADER + self.scroll) // self.height)
        return range(min(self.count, max(self.held, first)), min(self.count, max(self.held, last + 1)))

    @property
    def seen(self) -> tuple[int, ...]:
        """All rows in sight, whole or in part."""
        return (*range(self.held), *self.moving)

    def at(self, y: float) -> int | None:
        """The row under a pixel, None above the first and below the last."""
        if y < HEADER:
            return None
        index = int((y - HEADER + (0.0 if y < self.top else self.scroll)) // self.height)
        return index if 0 <= index < self.count else None

    def gap_at(self, y: float) -> int:
        """Before which row something would be put that is let go of there."""
        return min(self.count, max(0, round((y - HEADER + self.scroll) / self.height)))

    def scrolled_to(self, index: int) -> float:
        """The scroll at which a row is in sight; as it is where it is already."""
        if index < self.held:
            return self.scroll
        first = float((index - self.held) * self.height)
        room = max(float(self.height), self.view - self.top)
        if first < self.scroll:
            return first
        return max(self.scroll, first + self.height - room)


STEP = 12.0
"""By how much the head of a row in a group stands further in."""


def head_boxes(row: QRectF, head: float, indent: float = 0.0) -> dict[str, QRectF]:
    """Mark, name, role, buttons and meter of a head. indent: in steps.

    On a small row there is one line: the role has no place, the meter lies along the bottom.
    """
    left, height = row.left() + round(STEP * indent), row.height()
    if height < ROW:
        size = height - 4.0
        buttons_left = row.left() + head - GAP - len(HEAD_BUTTONS) * (SMALL_BUTTON + 2)
        boxes = {
            "mark": QRectF(left + 12, row.top() + (height - 10) / 2, 10, 10),
            "name": QRectF(left + 32, row.top(), buttons_left - left - 36, height - 2),
            "role": QRectF(),
            "meter": QRectF(left + 32, row.bottom() - 3, buttons_left - left - 38, 2),
        }
        for index, name in enumerate(HEAD_BUTTONS):
            at = buttons_left + index * (SMALL_BUTTON + 2)
            boxes[name] = QRectF(at, row.top() + (height - size) / 2, SMALL_BUTTON, size)
        return boxes
    buttons_left = row.left() + head - GAP - len(HEAD_BUTTONS) * (BUTTON + GAP)
    down = (height - ROW) / 2
    boxes = {
        "mark": QRectF(left + 10, row.top() + down + 10, 14, 14),
        "name": QRectF(left + 34, row.top() + down + 2, buttons_left - left - 40, 18),
        "role": QRectF(left + 34, row.top() + down + 18, buttons_left - left - 40, 15),
        "meter": QRectF(left + 34, row.top() + down + 34, buttons_left - left - 42, 4),
    }
    for index, name in enumerate(HEAD_BUTTONS):
        boxes[name] = QRectF(buttons_left + index * (BUTTON + GAP), row.top() + down + 7, BUTTON, BUTTON)
    return boxes


def fold_box(boxes: Mapping[str, QRectF]) -> QRectF:
    """Where a head is pressed to fold it: its triangle, and a little around it."""
    mark = boxes["mark"]
    return QRectF(mark.left() - 14, mark.top() - 5, 14, mark.height() + 10)


def paint_sorted(painter: QPainter, box: QRectF, *, falling: bool) -> None:
    """A wedge under the title of the column that rows are sorted by; it points where the small ones stand."""
    middle = box.center().x()
    near, far = (box.top(), box.bottom()) if falling else (box.bottom(), box.top())
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("act"))
    painter.drawPolygon(QPolygonF([QPointF(middle - 5, near), QPointF(middle + 5, near), QPointF(middle, far)]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
