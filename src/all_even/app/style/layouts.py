"""Rows and columns of widgets, with the margins and spaces that are designed once."""

from typing import TypeVar

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

Margins = tuple[int, int, int, int]
"""Left, top, right, bottom, in pixels."""
NONE: Margins = (0, 0, 0, 0)
BENCH: Margins = (12, 8, 12, 8)
"""Of what lies on the bench."""
AnyLayout = TypeVar("AnyLayout", QHBoxLayout, QVBoxLayout)


def row(into: QWidget | None = None, *, margins: Margins | None = None, spacing: int | None = None) -> QHBoxLayout:
    """Side by side. into: the widget that holds it, None for a part of another layout. None leaves the style's own."""
    return _spaced(QHBoxLayout(into), margins, spacing)


def column(into: QWidget | None = None, *, margins: Margins | None = None, spacing: int | None = None) -> QVBoxLayout:
    """Over each other, as `row`."""
    return _spaced(QVBoxLayout(into), margins, spacing)


def _spaced(layout: AnyLayout, margins: Margins | None, spacing: int | None) -> AnyLayout:
    if margins is not None:
        layout.setContentsMargins(*margins)
    if spacing is not None:
        layout.setSpacing(spacing)
    return layout
