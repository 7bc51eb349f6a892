"""Where everything in the lanes lies: rows, heads and their buttons, and the columns of each stage.

Pure geometry. Hit testing and painting use the same boxes.
"""

from dataclasses import dataclass

from PyQt6.QtCore import QRectF

from all_even.app.lanes.scales import Rail

ROW = 40
HEADER = 36
BUTTON = 24
GAP = 4
HEAD_BUTTONS = ("mute", "solo", "polarity_inverted")


@dataclass(frozen=True, slots=True)
class Columns:
    """Boxes of one row, relative to the row's top left, by name; plus the rails of Balance."""

    boxes: dict[str, tuple[float, float]]  # name: (left, width)
    rails: dict[str, Rail]


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


def columns(stage: str, left: float, width: float) -> Columns:
    """The columns of a stage's bodies between `left` and the view's right edge."""
    inner = width - left - 12
    start = left + 12
    if stage == "gather":
        fixed = {"length": 58.0, "rate": 66.0, "loudness": 78.0, "findings": 156.0}
        wave = max(60.0, inner - sum(fixed.values()) - 4 * 10)
        boxes = {"wave": (start, wave)}
        x = start + wave + 10
        for name, size in fixed.items():
            boxes[name] = (x, size)
            x += size + 10
        return Columns(boxes, {})
    if stage == "balance":
        narrow = inner < 560
        level_value, arrives, pan_value = (58.0, 72.0, 44.0) if narrow else (64.0, 76.0, 48.0)
        pan = 56.0 if narrow else min(116.0, inner * 0.16)
        rail = inner - level_value - arrives - pan - pan_value - 4 * 12
        boxes = {
            "rail": (start, rail),
            "level": (start + rail + 6, level_value),
            "arrives": (start + rail + level_value + 12, arrives),
            "pan": (start + rail + level_value + arrives + 30, pan),
            "pan_value": (start + rail + level_value + arrives + pan + 42, pan_value),
        }
        return Columns(boxes, {"level": Rail(start + 6, rail - 12), "pan": Rail(boxes["pan"][0] + 6, pan - 12)})
    if stage == "buses":
        goes, share = (84.0, 66.0) if inner < 560 else (108.0, 72.0)
        river = inner - goes - share - 20
        return Columns(
            {
                "rivers": (start - 6, river),
                "goes": (start + river + 4, goes),
                "share": (start + river + goes + 8, share),
            },
            {},
        )
    setting, contribution = 150.0, 84.0
    bar = inner - setting - contribution - 24
    return Columns(
        {
            "bar": (start, bar),
            "contribution": (start + bar + 8, contribution),
            "setting": (start + bar + contribution + 24, setting),
        },
        {},
    )
