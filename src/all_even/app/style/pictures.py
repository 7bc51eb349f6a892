"""Drawings that cost more to make than to copy, kept as pictures as long as what they show stays.

A lane's outline is painted anew with every move of a handle beside it; as a picture it is copied.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from all_even.app.style import paint, theme

MOST_BYTES = 64 << 20
"""Of the pictures of all views together."""
PIXEL_BYTES = 4


class _Shelf:
    """Where they are kept; those not asked for longest go."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, tuple[object, QPixmap]] = OrderedDict()
        self.bytes = 0

    def get(self, key: Hashable) -> QPixmap | None:
        found = self._kept.get(key)
        if found is None:
            return None
        self._kept.move_to_end(key)
        return found[1]

    def put(self, key: Hashable, of: object, picture: QPixmap) -> None:
        """of: what it shows; as long as that is kept, its number is nobody else's."""
        self._kept[key] = of, picture
        self.bytes += _size(picture)
        while self.bytes > MOST_BYTES and len(self._kept) > 1:
            self.bytes -= _size(self._kept.popitem(last=False)[1][1])

    def clear(self) -> None:
        self._kept.clear()
        self.bytes = 0


def _size(picture: QPixmap) -> int:
    return picture.width() * picture.height() * PIXEL_BYTES


SHELF = _Shelf()


class Pictures:
    """The pictures of one view."""

    def paint(
        self,
        painter: QPainter,
        box: QRectF,
        of: object,
        look: Hashable,
        draw: Callable[[QPainter], object],
        ground: str = "",
    ) -> None:
        """Puts a picture into the box; `draw` makes it, at the place where the box is.

        of: what it shows, the same as long as it is the same object. look: all else that it is drawn from but its
        size and the colours. ground: the colour it stands on, where that is one. The corners of the box lie on whole
        pixels; a picture scrolled by whole pixels is the same one.
        """
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        key = (id(self), id(of), look, box.width(), box.height(), ratio, ground, theme.current().name)
        kept = SHELF.get(key)
        if kept is None:
            kept = QPixmap(max(1, round(box.width() * ratio)), max(1, round(box.height() * ratio)))
            kept.setDevicePixelRatio(ratio)
            kept.fill(theme.colour(ground) if ground else Qt.GlobalColor.transparent)
            with paint.painting(kept) as inside:
                inside.translate(-box.topLeft())
                draw(inside)
            SHELF.put(key, (self, of), kept)
        painter.drawPixmap(box.topLeft(), kept)
