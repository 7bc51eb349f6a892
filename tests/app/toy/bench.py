"""The toy stage's bench."""

from PyQt6.QtWidgets import QHBoxLayout

from all_even.app.bench.bench import Bench
from all_even.app.desk import Desk
from all_even.app.style import fields


class ToyBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = QHBoxLayout(self)
        self.shown = fields.label("")
        self.shown.setAccessibleName("Toy")
        row.addWidget(self.shown)

    def refresh(self) -> None:
        self.shown.setText(f"{len(self.desk.session.lanes)} toys")
