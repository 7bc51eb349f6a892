"""Painting a ridge: what is owned solid, what is hidden hatched over it, up or mirrored down from a base line."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPainterPath, QPen

from all_even.app.bench import ruler
from all_even.app.style import icons

if TYPE_CHECKING:
    from all_even.figures.sharing.sharing import Ridge

RANGE_DB = 42.0
"""A ridge shows so much under its own top."""


def paint_ridge(
    painter: QPainter,
    box: QRectF,
    ridge: "Ridge",
    family: str,
    *,
    heard: bool = True,
    down: bool = False,
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
    xs = [ruler.x_of(box, float(hz), low_hz, high_hz) for hz in centres_hz()]
    base, sign = (box.top(), 1.0) if down else (box.bottom(), -1.0)

    def outline(values: np.ndarray) -> QPainterPath:
        path = QPainterPath(QPointF(xs[0], base))
        for x, value in zip(xs, values, strict=True):
            path.lineTo(x, base + sign * float(value))
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
