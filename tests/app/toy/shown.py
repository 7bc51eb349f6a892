"""The window's part of the toy stage: its body and its bench."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout

from all_even.app.bench.bench import Bench
from all_even.app.desk import Desk
from all_even.app.lanes.body import Body, column_box
from all_even.app.lanes.layout import Columns
from all_even.app.lanes.rows import Row
from all_even.app.stages.view import StageView
from all_even.app.style import fields, paint


class ToyBody(Body):
    def columns(self, left: float, width: float) -> Columns:
        return Columns({"name": (left + 12, width - left - 24)}, {})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        paint.text(painter, column_box(box, columns, "name"), "Name")

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        paint.text(painter, column_box(box, columns, "name"), row.lane.name)


class ToyBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = QHBoxLayout(self)
        self.shown = fields.label("")
        self.shown.setAccessibleName("Toy")
        row.addWidget(self.shown)

    def refresh(self) -> None:
        self.shown.setText(f"{len(self.desk.session.lanes)} toys")


VIEW = StageView(ToyBody, ToyBench)
