"""Painting text and bars the same way everywhere, and knowing when a text did not fit."""

import contextlib
from collections.abc import Iterator
from functools import lru_cache

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPaintDevice, QPainter, QPen

from all_even.app.style import theme

LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter

shortened: list[str] = []
"""Texts that were shortened since a test last looked; user's own long names may be among them."""


@contextlib.contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that ends with the block, also where what is drawn stumbles: one that is left behind on a picture that
    is gone ends the program."""
    painter = QPainter(device)
    try:
        yield painter
    finally:
        painter.end()


def text(
    painter: QPainter,
    box: QRectF,
    value: str,
    *,
    size: int = theme.BODY,
    colour: QColor | None = None,
    align: Qt.AlignmentFlag = LEFT,
    strong: bool = False,
) -> None:
    """One line of text in a box, shortened with an ellipsis where it does not fit."""
    font, metrics = theme.font(size, strong=strong), _metrics(size, strong)
    shown = value
    if metrics.horizontalAdvance(value) > box.width() + 0.5:
        shown = metrics.elidedText(value, Qt.TextElideMode.ElideRight, box.width())
        shortened.append(value)
    painter.setFont(font)
    painter.setPen(colour or theme.colour("text"))
    painter.drawText(box, int(align) if isinstance(align, int) else align, shown)


def note(painter: QPainter, box: QRectF, value: str, *, align: Qt.AlignmentFlag = LEFT) -> None:
    """What is said small and quietly beside what matters: titles, units, what is waited for."""
    text(painter, box, value, size=theme.SMALL, colour=theme.colour("quiet"), align=align)


def figure(
    painter: QPainter, box: QRectF, number: str, unit: str, *, size: int = theme.BODY, colour: QColor | None = None
) -> None:
    """A number right-aligned with its unit in a quieter tone."""
    unit_width = width_of(unit, theme.SMALL) + 3 if unit else 0.0
    text(painter, box.adjusted(0, 0, -unit_width, 0), number, size=size, colour=colour, align=RIGHT)
    if unit:
        note(painter, box, unit, align=RIGHT)


def line(painter: QPainter, x1: float, y1: float, x2: float, y2: float, colour: QColor, width: float = 1.0) -> None:
    painter.setPen(QPen(colour, width))
    painter.drawLine(QRectF(x1, y1, x2 - x1, y2 - y1).topLeft(), QRectF(x1, y1, x2 - x1, y2 - y1).bottomRight())


def width_of(value: str, size: int = theme.BODY, *, strong: bool = False) -> float:
    return _metrics(size, strong).horizontalAdvance(value)


@lru_cache(maxsize=16)
def _metrics(size: int, strong: bool) -> QFontMetricsF:
    return QFontMetricsF(theme.font(size, strong=strong))


def split_figure(text_value: str) -> tuple[str, str]:
    """`−23.4 LUFS` into number and unit."""
    number, _, unit = text_value.partition(" ")
    return number, unit
