"""Drawings that stumble."""

import gc

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QComboBox
from pytestqt.exceptions import capture_exceptions

from all_even.app.bench.drawings import Drawing
from all_even.app.style import paint, pictures


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


def test_pictures_of_all_views_together_stay_within_their_room(rig):
    one, other, ground = pictures.Pictures(), pictures.Pictures(), QPixmap(1200, 60)
    made = []
    with paint.painting(ground) as painter:
        for number in range(400):
            view = (one, other)[number % 2]
            view.paint(painter, QRectF(0, 0, 1200, 60), object(), number, lambda _p: made.append(1))
        assert len(made) == 400
        assert pictures.SHELF.bytes <= pictures.MOST_BYTES
        kept = object()
        for _ in range(3):
            one.paint(painter, QRectF(0, 0, 1200, 60), kept, "kept", lambda _p: made.append(1))
    assert len(made) == 401


def test_a_theme_is_put_on_what_is_seen_at_once_and_on_the_rest_soon(rig):
    window = rig.window
    window.switch_theme()
    assert window.wearing.busy
    rig.wait(lambda: not window.wearing.busy)
    night = {box.property("night") for box in window.findChildren(QComboBox)}
    assert night == {True}
    window.extra_pages.pop("outside", None)
    window.show_page("outside")  # made at night
    assert {box.property("night") for box in window.extra_pages["outside"].findChildren(QComboBox)} == {True}
    window.leave_page()
    window.switch_theme()
    window.desk.set_stage("gain")  # whoever goes elsewhere meanwhile sees it whole
    assert not window.wearing.busy
