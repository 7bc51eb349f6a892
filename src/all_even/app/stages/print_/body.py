"""Print in the lanes: how loud each lane is in the mix, and what it is printed with."""

from collections.abc import Hashable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import LEVEL, PAN, decibel_text, number
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of


class PrintBody(Body):
    WIDE, GAP = "bar", 16.0
    COLUMNS = (
        Column("contribution", 84.0, 84.0, ("Share",)),
        Column("setting", 150.0, 150.0, ("Settings",), paint.LEFT),
    )

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        print_header(painter, box, columns)
        super().header(painter, box, columns)

    def look(self, row: Row, held: bool) -> Hashable:
        lane = row.lane
        setting = (lane.pan, lane.polarity_inverted) if isinstance(lane, Lane) else ()
        return (row.contribution_lu, row.heard, lane.role, lane.level_db, setting, self.desk.mix_stale)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        print_row(painter, box, columns, row, self.desk.mix_stale)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        self.paint(painter, box, columns, index, row, held)

    def value(self, row: Row, column: str) -> Value:
        if column == "setting":
            return row.lane.level_db
        return row.contribution_lu if column in ("bar", "contribution") and row.heard else None

    def tip(self, part: str, row: Row) -> str:
        return f"{row.lane.name}: {row.lane.file}" if isinstance(row.lane, Lane) else super().tip(part, row)


CONTRIBUTION_RANGE_LU = (-40.0, 0.0)
CONTRIBUTION_TICKS = (-40.0, -30.0, -20.0, -10.0, 0.0)


def contribution_x(left: float, width: float, lu: float) -> float:
    low, high = CONTRIBUTION_RANGE_LU
    return left + width * (min(high, max(low, lu)) - low) / (high - low)


def print_header(painter: QPainter, header: QRectF, columns: Columns) -> None:
    left, width = columns.boxes["bar"]
    theme.colour("quiet")
    paint.note(painter, QRectF(left, header.top() + 1, width, 16), "Loudness relative to the mix")
    for tick in CONTRIBUTION_TICKS:
        x = contribution_x(left, width, tick)
        align = paint.LEFT if tick == CONTRIBUTION_TICKS[0] else paint.RIGHT if tick == 0 else paint.CENTRE
        box = QRectF(x - 24, header.top() + 18, 48, 16)
        if align == paint.LEFT:
            box.moveLeft(x)
        elif align == paint.RIGHT:
            box.moveRight(x)
        paint.note(painter, box, f"{number(tick, 0)} LU" if tick in (-40.0, 0.0) else number(tick, 0), align=align)


def print_row(painter: QPainter, row: QRectF, columns: Columns, content: Row, stale: bool) -> None:
    left, width = columns.boxes["bar"]
    for tick in CONTRIBUTION_TICKS:
        x = contribution_x(left, width, tick)
        paint.line(painter, x, row.top() + 4, x, row.bottom() - 4, theme.colour("line", 0.45))
    family = family_of(content.lane.role)
    if content.contribution_lu is not None and content.heard:
        x = contribution_x(left, width, content.contribution_lu)
        edge = min(12.0, row.height() / 4.0)
        painter.fillRect(QRectF(left, row.top() + edge, x - left, row.height() - 2 * edge),
                         icons.family_colour(family, 0.4 if stale else 0.85))  # fmt: skip
        shown = decibel_text(content.contribution_lu, "LU")
    else:
        shown = "–"
        paint.note(painter, QRectF(left, row.top(), width, row.height()), "not in the mix" if not content.heard else "")
    paint.figure(painter, column_box(row, columns, "contribution"), *paint.split_figure(shown),
                 colour=theme.colour("quiet" if stale else "text"))  # fmt: skip
    lane = content.lane
    if not isinstance(lane, Lane):
        return
    setting = f"{LEVEL.text(lane.level_db)}, {PAN.text(lane.pan)}"
    if lane.polarity_inverted:
        setting += ", inverted"
    paint.text(painter, column_box(row, columns, "setting"), setting, size=theme.SMALL)
