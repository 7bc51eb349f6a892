"""Where everything in the lanes lies: rows, heads and their buttons, and the columns of each stage.

Pure geometry. Hit testing and painting use the same boxes.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from PyQt6.QtCore import QRectF

from all_even.app.lanes.scales import Rail

ROW = 40
HEADER = 36
FOLD = 34
"""The line that stands for lanes that are folded away."""
BUTTON = 24
GAP = 4
HEAD_BUTTONS = ("mute", "solo", "polarity_inverted")


@dataclass(frozen=True, slots=True)
class Columns:
    """Boxes of one row, relative to the row's top left, by name; plus the rails of Balance."""

    boxes: dict[str, tuple[float, float]]  # name: (left, width)
    rails: dict[str, Rail]


def behind_flexible(name: str, left: float, inner: float, widths: Mapping[str, float], gap: float) -> Columns:
    """A column that takes what room there is, and narrow ones right of it. inner: width of all together."""
    wide = inner - sum(widths.values()) - gap * (len(widths) + 1)
    boxes, x = {name: (left, wide)}, left + wide + gap
    for narrow, width in widths.items():
        boxes[narrow] = (x, width)
        x += width + gap
    return Columns(boxes, {})


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
