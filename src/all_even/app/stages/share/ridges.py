"""Painting a ridge: what is heard solid, what is masked hatched over it; and a moment of it as a line."""

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPainterPath, QPen, QPolygonF

from all_even.app.bench import ruler
from all_even.app.style import icons, theme

if TYPE_CHECKING:
    from all_even.figures.sharing.sharing import Ridge

RANGE_DB = 42.0
"""A ridge shows so much under its own top."""


def paint_moment(
    painter: QPainter,
    box: QRectF,
    levels_db: "tuple[np.ndarray, np.ndarray]",
    top_db: float,
    *,
    low_hz: float = ruler.LOWEST_HZ,
    high_hz: float = ruler.HIGHEST_HZ,
) -> None:
    """What plays just now over a ridge: the source as a strong line, the sum of all as a quiet one behind it.
    levels_db: (own, sum) in the bands of a ridge; top_db: as of the ridge."""
    from all_even.measure.sharing.masking import centres_hz

    xs = box.left() + box.width() * np.log(centres_hz() / low_hz) / math.log(high_hz / low_hz)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setClipRect(box)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for levels, tint, width in ((levels_db[1], "quiet", 1.0), (levels_db[0], "text", 1.8)):
        ys = box.bottom() - box.height() * np.clip(1.0 + (levels - top_db) / RANGE_DB, -0.5, 1.0)
        painter.setPen(QPen(theme.colour(tint), width))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))
    painter.restore()


def paint_ridge(
    painter: QPainter,
    box: QRectF,
    ridge: "Ridge",
    family: str,
    *,
    heard: bool = True,
    top_db: float | None = None,
    low_hz: float = ruler.LOWEST_HZ,
    high_hz: float = ruler.HIGHEST_HZ,
) -> None:
    """top_db: the level at the ridge's full height; its own top where nothing is said."""
    from all_even.measure.sharing.masking import centres_hz

    top = float(ridge.level_db.max()) if top_db is None else top_db
    if top < -170.0 or ridge.playing <= 0.0:
        return
    height = box.height() * np.clip(1.0 + (ridge.level_db.astype(float) - top) / RANGE_DB, 0.0, 1.0)
    owned = height * (1.0 - ridge.hidden.astype(float))
    xs = box.left() + box.width() * np.log(centres_hz() / low_hz) / math.log(high_hz / low_hz)
    base = box.bottom()

    def outline(values: np.ndarray) -> QPainterPath:
        path = QPainterPath(QPointF(xs[0], base))
        for x, value in zip(xs, values, strict=True):
            path.lineTo(x, base - float(value))
        path.lineTo(xs[-1], base)
        path.closeSubpath()
        return path

    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setClipRect(box)
    alpha = 1.0 if heard else 0.4
    whole = outline(height)
    painter.fillPath(whole, icons.family_colour(family, 0.12 * alpha))
    painter.fillPath(whole, QBrush(icons.family_colour(family, 0.7 * alpha), Qt.BrushStyle.BDiagPattern))
    painter.fillPath(outline(owned), icons.family_colour(family, 0.9 * alpha))
    painter.setPen(QPen(icons.family_colour(family, 0.8 * alpha), 1.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(whole)
    painter.restore()
