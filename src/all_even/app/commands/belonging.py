"""Which place of the window a widget is, for its context menu."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QWidget

from all_even.app.commands.command import Place

PLACE, POINT = "place", "point_at"


def belongs(widget: QWidget, place: Place, point_at: Callable[[QPoint], None] | None = None) -> None:
    """Says which place a widget is. point_at: told where in the widget the menu is asked for, before it opens."""
    widget.setProperty(PLACE, place)
    if point_at is not None:
        widget.setProperty(POINT, point_at)


def place_of(widget: QWidget | None) -> tuple[Place | None, QWidget | None]:
    """The place that a widget belongs to, and the widget that said so."""
    while widget is not None:
        place = widget.property(PLACE)
        if place:
            return place, widget
        widget = widget.parentWidget()
    return None, None
