"""Check in the lanes: what is left of each on every system fills its own mark in part; what vanishes is empty."""

from collections.abc import Hashable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body, Drag
from all_even.app.lanes.layout import Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.stages.check.shown import Shown
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number
from all_even.figures.elsewhere.systems import REFERENCE, SYSTEMS
from all_even.measure.sharing.translation import VANISHES
from all_even.session.tracks.roles import family_of

COLUMNS = tuple(system for system in SYSTEMS if system.key != REFERENCE)
MARK = 18.0
ROOMY = 62.0
"""Pixels of a column in which the figure stands beside the mark."""
SHORT = {"small": "Small"}


class CheckBody(Body):
    folded_words = "more that are not heard"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)

    def refresh(self, rows: list[Row]) -> None:
        self.shown.refresh()

    def keeps(self, row: Row) -> bool:
        """Sources that are heard."""
        found = self.shown.translation
        return found is None or found.place(row.lane.id) is not None

    def columns(self, left: float, width: float) -> Columns:
        start, inner = left + 12, width - left - 20
        each = inner // len(COLUMNS)
        return Columns({item.key: (start + index * each, each) for index, item in enumerate(COLUMNS)})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        words = "What is left of each there, against here: full is all of it, empty is half as loud or less"
        first = columns.boxes[COLUMNS[0].key][0]
        room = QRectF(first, box.top() + 1, box.right() - first - 8, 16)
        if paint.width_of(words, theme.SMALL) > room.width():
            words = "What is left there, against here"
        paint.note(painter, room, words)
        for item in COLUMNS:
            head = column_box(box, columns, item.key)
            at = QRectF(head.left(), head.top() + 18, head.width() - 2, 16)
            name = item.name if paint.width_of(item.name, theme.SMALL) <= at.width() else SHORT.get(item.key, item.name)
            tint = theme.colour("act" if item.key == self.shown.key else "text")
            paint.text(painter, at, name, size=theme.SMALL, colour=tint)

    def look(self, row: Row, held: bool) -> Hashable:
        found = self.shown.translation
        return (id(found), row.heard, row.lane.role, self.shown.is_stale())

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        found = self.shown.translation
        if found is None:
            first = column_box(box, columns, COLUMNS[0].key).adjusted(0, 0, 200, 0)
            paint.note(painter, first, "being measured …")
            return
        place = found.place(row.lane.id)
        if place is not None and found.units[place].id != row.lane.id:
            first = column_box(box, columns, COLUMNS[0].key).adjusted(0, 0, 240, 0)
            words = f"summed with {found.units[place].head.name}"
            paint.note(painter, first, words)
            return
        for item in COLUMNS:
            value = found.of(row.lane.id, item.key)
            if value is not None:
                self._cell(painter, column_box(box, columns, item.key), row, value)

    def _cell(self, painter: QPainter, cell: QRectF, row: Row, value: float) -> None:
        """The family's mark as an outline, filled from below by what is left."""
        family = family_of(row.lane.role)
        mark = QRectF(cell.left(), cell.center().y() - MARK / 2, MARK, MARK)
        vanishes = value <= VANISHES
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        tint = theme.colour("look") if vanishes else icons.family_colour(family, 0.7 if row.heard else 0.3)
        painter.setPen(QPen(tint, 1.4))
        painter.drawPath(icons.mark_path(family, mark))
        if not vanishes:
            shape = icons.mark_path(family, mark).boundingRect()
            part = min(1.0, 2.0 ** (value / 10.0)) * shape.height()
            painter.save()
            painter.setClipRect(QRectF(shape.left() - 1, shape.bottom() - part, shape.width() + 2, part + 1))
            icons.draw_mark(painter, family, mark)
            painter.restore()
        if cell.width() >= ROOMY:
            at = QRectF(mark.right() + 5, cell.center().y() - 9, cell.width() - MARK - 8, 18)
            text = number(value, 0) if value > -99.5 else "gone"
            tone = theme.colour("look" if vanishes else "quiet" if self.shown.is_stale() else "text")
            paint.text(painter, at, text, size=theme.SMALL, colour=tone)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        """How many of its tracks vanish on each system."""
        for item in COLUMNS:
            values = [value for member in row.members if isinstance(value := self.value(member, item.key), float)]
            gone = sum(value <= VANISHES for value in values)
            cell = column_box(box, columns, item.key)
            words = f"{gone} of {len(values)} gone" if gone else ""
            paint.text(painter, cell, words, size=theme.SMALL, colour=theme.colour("look"))

    def value(self, row: Row, column: str) -> Value:
        found = self.shown.translation
        return found.of(row.lane.id, column) if found is not None and column in {item.key for item in COLUMNS} else None

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        """A press on a cell chooses its system; nothing is dragged."""
        if part in columns.boxes:
            self.shown.choose(part)
        return None

    def tip(self, part: str, row: Row) -> str:
        found = self.shown.translation
        value = found.of(row.lane.id, part) if found is not None and part != "body" else None
        if value is None:
            return f"{row.lane.name}: what is left of it on other systems, against here."
        name = next(item.name for item in COLUMNS if item.key == part).lower()
        said = (
            "vanishes" if value <= VANISHES else f"{100.0 * min(9.9, 2.0 ** (value / 10.0)):.0f} % of its loudness here"
        )
        return f"{row.lane.name}, {name}: {number(value)} ({said}). −10 is half as loud among the others."

    def header_tip(self, columns: Columns, x: float) -> str:
        part = self.part_at(columns, x)
        item = next((item for item in COLUMNS if item.key == part), None)
        return "" if item is None else f"{item.name}: {item.assumes}. An assumption of ours, not a measured device."
