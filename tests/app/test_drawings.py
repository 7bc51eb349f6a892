"""Drawings that stumble."""

import gc

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter
from pytestqt.exceptions import capture_exceptions

from all_even.app.bench.drawings import Drawing


class Stumbling(Drawing):
    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        raise ValueError("nothing to draw")


def test_a_drawing_that_stumbles_ends_neither_the_window_nor_the_next_drawing(qapp):
    drawing = Stumbling("Stumbling", "It stumbles")
    drawing.resize(200, 100)
    with capture_exceptions() as met:
        for _ in range(3):  # what the last one left behind goes with the next
            drawing.grab()
            gc.collect()
    assert len(met) >= 3
    assert all(kind is ValueError for kind, _, _ in met)
    drawing.deleteLater()
