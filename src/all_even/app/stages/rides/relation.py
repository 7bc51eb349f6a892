"""How a line over its backing is painted, in a lane and large: units as bars from the zero line, where they should be,
and the ride as the line that brings them back.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from all_even.app.style import theme
from all_even.session.editing import curves
from all_even.session.model.strips import Automation, Point
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

    from all_even.app.stages.rides.shown import LineShown

RANGE_DB = 12.0
"""Either side of the zero line."""
HIDDEN = 0.75
"""A unit of which more than this is hidden stands out."""


def y_of(plot: QRectF, off_db: float) -> float:
    """Where so much beside the zero line lies."""
    return plot.center().y() - 0.5 * plot.height() * min(1.0, max(-1.0, off_db / RANGE_DB))


def leads(role: str) -> bool:
    """Whether what is hidden of a part is a loss: of voices."""
    return family_of(role) == "voices"


def paint_sections(
    painter: QPainter, plot: QRectF, starts_s: "Sequence[float]", x_of: "Callable[[float], float]"
) -> None:
    """Every second section tinted, a fine line where each begins."""
    edges = [*starts_s, np.inf]
    for index, start_s in enumerate(starts_s):
        left = max(plot.left(), min(plot.right(), x_of(start_s)))
        end = edges[index + 1]
        right = plot.right() if end == np.inf else max(plot.left(), min(plot.right(), x_of(end)))
        if index % 2 and right > left:
            painter.fillRect(QRectF(left, plot.top(), right - left, plot.height()), theme.colour("line", 0.28))
        if plot.left() < left < plot.right():
            painter.fillRect(QRectF(left, plot.top(), 1, plot.height()), theme.colour("line"))


def paint_units(
    painter: QPainter, plot: QRectF, line: "LineShown", x_of: "Callable[[float], float]", tint: QColor,
    proposed_db: "NDArray[np.float64] | None" = None, *, leads: bool,
) -> None:  # fmt: skip
    """Bars from the zero line; what a proposal would leave of each as a hollow one. Of what leads, hidden
    ones stand out."""
    painter.setPen(Qt.PenStyle.NoPen)
    middle = plot.center().y()
    riding, off = line.riding, line.off_db
    if riding is None or off is None:
        return
    left_s, right_s = riding.words.starts_s, riding.words.ends_s
    for index in range(len(riding)):
        x, end = x_of(float(left_s[index])), x_of(float(right_s[index]))
        if end < plot.left() or x > plot.right() or not np.isfinite(off[index]):
            continue
        y = y_of(plot, float(off[index]))
        box = QRectF(x, min(y, middle), max(1.5, end - x - 1.0), max(1.5, abs(y - middle)))
        painter.fillRect(box, theme.colour("look", 0.85) if leads and riding.hidden[index] > HIDDEN else tint)
        if proposed_db is not None and index < len(proposed_db) and proposed_db[index]:
            there = y_of(plot, float(off[index] + proposed_db[index]))
            painter.setPen(QPen(theme.colour("act"), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(x, min(there, middle), max(1.5, end - x - 1.0), max(2.0, abs(there - middle))))
            painter.setPen(Qt.PenStyle.NoPen)


def paint_relation(
    painter: QPainter, plot: QRectF, line: "LineShown", span: tuple[float, float], tint: QColor
) -> None:  # fmt: skip
    """A part without words: its distance from its own usual one, filled from the zero line."""
    if line.usual_db is None:
        return
    size = plot.width(), plot.height()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(tint)
    painter.translate(plot.topLeft())
    for shape in _SHAPES.of(line.relation_db, ("relation", span, size, line.usual_db),
                            lambda: _areas(line, span, *size)):  # fmt: skip
        painter.drawPolygon(shape)
    painter.translate(-plot.topLeft())


def _areas(line: "LineShown", span: tuple[float, float], width: float, height: float) -> list[QPolygonF]:
    """Filled from the zero line, as far as it is known."""
    columns = max(2, int(width / 2))
    times = np.linspace(*span, columns)
    at = np.clip(np.round(times / line.frame_s).astype(int), 0, len(line.relation_db) - 1)
    values = line.relation_db[at] - (line.usual_db or 0.0)
    heights = 0.5 * height * (1.0 - np.clip(values / RANGE_DB, -1.0, 1.0))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], np.isfinite(values).astype(np.int8), [0]))))
    found = []
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        xs = width * np.arange(first, last) / (columns - 1)
        points = [QPointF(x, y) for x, y in zip(xs.tolist(), heights[first:last].tolist(), strict=True)]
        ends = [QPointF(points[-1].x(), 0.5 * height), QPointF(points[0].x(), 0.5 * height)]
        found.append(QPolygonF([*points, *ends]))
    return found


Arrays: TypeAlias = "tuple[NDArray[np.float64], NDArray[np.float64]]"
_known: "dict[int, tuple[tuple[Point, ...], Arrays]]" = {}
MOST_KNOWN = 512


def arrays(item: Automation) -> "Arrays":
    """(seconds, values) of an automation, made once: rows are painted often, curves change seldom."""
    known = _known.get(id(item.points))
    if known is None or known[0] is not item.points:
        if len(_known) >= MOST_KNOWN:
            _known.clear()
        made = (np.array([point.time_s for point in item.points]), np.array([point.value for point in item.points]))
        known = _known[id(item.points)] = (item.points, made)
    return known[1]


class _Shapes:
    """Shapes that were made of curves, for as long as these stay: rows are painted often, curves change seldom."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, tuple[object, list[Any]]] = OrderedDict()

    def of(self, curve: object, look: Hashable, make: "Callable[[], list[Any]]") -> list[Any]:
        """curve: the same as long as it is the same object. look: all else that they are made of."""
        key = (id(curve), look)
        if key not in self._kept:
            self._kept[key] = (curve, make())
            if len(self._kept) > MOST_KNOWN:
                self._kept.popitem(last=False)
        return self._kept[key][1]


_SHAPES = _Shapes()


def paint_curve(
    painter: QPainter, plot: QRectF, curve: "Arrays", span: tuple[float, float], scale: tuple[float, float],
    tint: QColor, width: float,
) -> None:  # fmt: skip
    """A curve on a scale (values at the bottom and at the top); denser than pixels it is a stroke for each."""
    size = plot.width(), plot.height()
    shapes = _SHAPES.of(curve[1], (span, scale, size), lambda: _strokes(curve, span, scale, *size))
    painter.translate(plot.topLeft())
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if isinstance(shapes[0], QPolygonF):
        painter.setPen(QPen(tint, width))
        painter.drawPolyline(shapes[0])
    else:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(QPen(tint, 1.0))
        painter.drawLines(*shapes)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(-plot.topLeft())


def _strokes(
    curve: "Arrays", span: tuple[float, float], scale: tuple[float, float], width: float, height: float
) -> list[Any]:
    """One line through its points, or a stroke for each pixel."""
    times, values, dense = line_points(*curve, span, width)
    xs = width * (times - span[0]) / (span[1] - span[0])
    ys = height * (1.0 - np.clip((values - scale[0]) / (scale[1] - scale[0]), 0.0, 1.0))
    if dense:
        strokes = zip(xs[::2].tolist(), ys[::2].tolist(), ys[1::2].tolist(), strict=True)
        return [QLineF(x, low, x, high - 1.0) for x, low, high in strokes]
    return [QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])]


def line_points(times: "NDArray[np.float64]", values: "NDArray[np.float64]", span: tuple[float, float],
                width: float) -> "tuple[NDArray[np.float64], NDArray[np.float64], bool]":  # fmt: skip
    """(seconds, values, dense) that draw a curve over a stretch: its own points; where these are denser than pixels,
    the lowest and the highest of each pixel, in turn (dense). times, values: of its points, one at least."""
    start_s, end_s = span
    first, last = np.searchsorted(times, (start_s, end_s), side="left")
    ends = curves.between(times, values, np.array(span))
    if last - first <= 2 * width:
        inside = slice(first, last)
        return (np.concatenate(([start_s], times[inside], [end_s])),
                np.concatenate((ends[:1], values[inside], ends[1:])), False)  # fmt: skip
    begin = np.searchsorted(times[first:last], np.linspace(start_s, end_s, int(width), endpoint=False))
    begin = begin[np.diff(begin, append=last - first) > 0]
    low, high = (np.minimum.reduceat(values[first:last], begin), np.maximum.reduceat(values[first:last], begin))
    at = times[first:last][begin]
    return np.repeat(at, 2), np.stack((low, high), axis=1).ravel(), True
