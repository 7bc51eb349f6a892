"""Drawings that cost more to make than to copy, kept as pictures as long as what they show stays.

A lane's outline is painted anew with every move of a handle beside it; as a picture it is copied.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from all_even.app.style import paint, theme

MOST = 400


class Pictures:
    """The pictures of one view; those not asked for longest go."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, tuple[object, QPixmap]] = OrderedDict()

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
        key = (id(of), look, box.width(), box.height(), ratio, ground, theme.current().name)
        _, kept = self._kept.get(key, (None, None))
        if kept is None:
            kept = QPixmap(max(1, round(box.width() * ratio)), max(1, round(box.height() * ratio)))
            kept.setDevicePixelRatio(ratio)
            kept.fill(theme.colour(ground) if ground else Qt.GlobalColor.transparent)
            with paint.painting(kept) as inside:
                inside.translate(-box.topLeft())
                draw(inside)
            self._kept[key] = of, kept  # as long as it is kept, its number is nobody else's
            while len(self._kept) > MOST:
                self._kept.popitem(last=False)
        self._kept.move_to_end(key)
        painter.drawPixmap(box.topLeft(), kept)
