"""Rivers: what flows where, painted row by row, and the columns of the buses."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from all_even.app.lanes.layout import Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import decibel_text
from all_even.figures.arriving.flow_shapes import Branch, Rivers
from all_even.session.tracks.roles import family_of

WIDEST = 22.0
KEYS = 30.0
"""Left of the columns, where the threads of the keys run."""
KEY_STEP = 8.0


def column_x(columns: Columns, count: int, index: int) -> float:
    """The middle of a bus' column."""
    left, width = columns.boxes["rivers"]
    step = (width - KEYS) / count
    return left + KEYS + step * (index + 0.5)


def column_at(columns: Columns, count: int, x: float) -> int | None:
    """The column under a pixel."""
    left, width = columns.boxes["rivers"]
    if not left + KEYS <= x <= left + width:
        return None
    return min(count - 1, int((x - left - KEYS) / ((width - KEYS) / count)))


def header(painter: QPainter, box: QRectF, columns: Columns, names: list[str], over: int | None) -> None:
    """Names over their columns, in two lines where one is too short; `over` is where a drag would drop."""
    step = (columns.boxes["rivers"][1] - KEYS) / max(1, len(names))
    for index, name in enumerate(names):
        x = column_x(columns, len(names), index)
        cell = QRectF(x - step / 2 + 2, box.top(), step - 4, box.height())
        if over == index:
            painter.fillRect(cell, theme.colour("act_soft"))
        first, second = two_lines(name, step - 4)
        colour = theme.colour("act" if over == index else "quiet")
        if second:
            for text, top in ((first, 3), (second, 17)):
                line = QRectF(cell.left(), box.top() + top, cell.width(), 15)
                paint.text(painter, line, text, size=theme.SMALL, colour=colour, align=paint.CENTRE)
        else:
            paint.text(painter, cell, first, size=theme.SMALL, colour=colour, align=paint.CENTRE)


def two_lines(name: str, width: float) -> tuple[str, str]:
    """A name cut at a space where it does not fit into one line."""
    if paint.width_of(name, theme.SMALL) <= width or " " not in name:
        return name, ""
    words = name.split(" ")
    cuts = [(" ".join(words[:i]), " ".join(words[i:])) for i in range(1, len(words))]
    return min(cuts, key=lambda cut: max(paint.width_of(part, theme.SMALL) for part in cut))


def body(
    painter: QPainter, box: QRectF, columns: Columns, row: Row, index: int, flow: Rivers, goes_to: str, over: int | None
) -> None:
    """One row: streams that pass, branches that leave, threads of keys, and the figures."""
    count = len(flow.columns)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for column in range(count):
        x = column_x(columns, count, column)
        if over == column:
            painter.fillRect(QRectF(x - WIDEST, box.top(), 2 * WIDEST, box.height()), theme.colour("act_soft", 0.6))
        _stream(painter, box, x, *flow.width(column, index), goal=flow.target_rows[column] == index)
    own = flow.of_row(index)
    for branch in own:
        _branch(painter, box, columns, count, branch, row)
    for thread in flow.threads:
        _thread(painter, box, columns, index, thread.source_row, thread.target_row, thread.place)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    quiet = theme.colour("quiet")
    main = next((branch for branch in own if branch.kind == "destination"), None)
    paint.text(
        painter,
        column_box(box, columns, "goes"),
        goes_to,
        size=theme.SMALL,
        colour=theme.colour("text") if row.heard else quiet,
    )
    if main is None:
        return
    shown = decibel_text(main.share_lu, "LU")
    paint.figure(
        painter, column_box(box, columns, "share"), *paint.split_figure(shown), colour=None if row.heard else quiet
    )


def _stream(painter: QPainter, box: QRectF, x: float, top: float, bottom: float, *, goal: bool) -> None:
    middle = box.center().y()
    paint.line(painter, x, box.top(), x, box.bottom(), theme.colour("line", 0.5))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_water())
    end = middle if goal else box.bottom()
    if top > 0.0:
        after = top if goal else bottom
        painter.drawPolygon(
            QPolygonF([
                QPointF(x - top * WIDEST / 2, box.top()), QPointF(x + top * WIDEST / 2, box.top()),
                QPointF(x + after * WIDEST / 2, end), QPointF(x - after * WIDEST / 2, end),
            ])
        )  # fmt: skip
    elif bottom > 0.0 and not goal:
        painter.drawRect(QRectF(x - bottom * WIDEST / 2, middle, bottom * WIDEST, box.bottom() - middle))
    if goal and bottom > 0.0:
        painter.drawRect(QRectF(x - bottom * WIDEST / 2, middle, bottom * WIDEST, box.bottom() - middle))
    if goal:
        size = min(16.0, box.height() - 4.0)
        icons.draw_mark(painter, "buses", QRectF(x - size / 2, middle - size / 2, size, size))


def aside(box: QRectF) -> float:
    """How far from the middle of a row sends and keys run, in pixels."""
    return min(9.0, box.height() / 4.0)


def _water() -> QColor:
    return icons.family_colour("buses", 0.45)


def _branch(painter: QPainter, box: QRectF, columns: Columns, count: int, branch: Branch, row: Row) -> None:
    start = columns.boxes["rivers"][0] if branch.from_column is None else column_x(columns, count, branch.from_column)
    end = column_x(columns, count, branch.column)
    y = box.center().y() + (0.0 if branch.kind == "destination" else aside(box))
    family = family_of(row.lane.role)
    if not branch.open:
        painter.setPen(QPen(theme.colour("line"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(start, y), QPointF(end, y))
        return
    height = min(max(1.5, branch.share * WIDEST), box.height() - 4.0)
    shape = QRectF(min(start, end), y - height / 2, abs(end - start), height)
    if branch.kind == "destination":
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour(family, 0.85))
        painter.drawRect(shape)
    else:  # a send is a copy: only its banks are drawn
        painter.setPen(QPen(icons.family_colour(family, 0.95), 1.2))
        painter.setBrush(QBrush(icons.family_colour(family, 0.18)))
        painter.drawRect(shape.adjusted(0, -0.8, 0, 0.8))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(icons.family_colour(family))
    forward = 5.0 if end > start else -5.0
    painter.drawPolygon(
        QPolygonF(
            [QPointF(end - forward, y - height / 2 - 2), QPointF(end, y), QPointF(end - forward, y + height / 2 + 2)]
        )
    )


def _thread(painter: QPainter, box: QRectF, columns: Columns, index: int, source: int, target: int, place: int) -> None:
    first, last = min(source, target), max(source, target)
    if not first <= index <= last:
        return
    left = columns.boxes["rivers"][0]
    x = left + 6.0 + KEY_STEP * (place % 3)
    y = box.center().y() - aside(box)
    top = y if index == first else box.top()
    bottom = y if index == last else box.bottom()
    painter.setPen(QPen(theme.colour("text"), 1.6, Qt.PenStyle.DotLine))
    painter.drawLine(QPointF(x, top), QPointF(x, bottom))
    painter.setPen(QPen(theme.colour("text"), 1.6))
    if index == source:
        painter.setBrush(theme.colour("panel"))
        painter.drawEllipse(QPointF(x, y), 3.5, 3.5)
    if index == target:
        painter.setBrush(theme.colour("text"))
        painter.drawPolygon(QPolygonF([QPointF(x - 4, y - 3), QPointF(x + 4, y - 3), QPointF(x, y + 4)]))
