"""The toy stage's body."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.style import paint


class ToyBody(Body):
    def columns(self, left: float, width: float) -> Columns:
        return Columns({"name": (left + 12, width - left - 24)}, {})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        paint.text(painter, column_box(box, columns, "name"), "Name")

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        paint.text(painter, column_box(box, columns, "name"), row.lane.name)
