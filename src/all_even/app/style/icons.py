"""The icon set, tinted with the palette, and the marks that tell families apart without colour."""

from functools import lru_cache

from PyQt6.QtCore import QByteArray, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPixmap, QPolygonF
from PyQt6.QtSvg import QSvgRenderer

from all_even.app.style import paint, theme
from all_even.session.tracks.roles import FAMILIES

RENDERED_PX = 48


def icon(name: str, tint: str = "text") -> QIcon:
    """An icon in a colour of the present palette."""
    return _tinted(name, theme.colour(tint).name(), theme.colour("on_act").name(), theme.colour("quiet").name())


@lru_cache(maxsize=256)
def _tinted(name: str, tint: str, checked: str, disabled: str) -> QIcon:
    result = QIcon()
    result.addPixmap(_pixmap(name, tint))
    result.addPixmap(_pixmap(name, checked), QIcon.Mode.Normal, QIcon.State.On)
    result.addPixmap(_pixmap(name, disabled), QIcon.Mode.Disabled)
    return result


def _pixmap(name: str, tint: str) -> QPixmap:
    svg = (theme.ASSETS / "icons" / f"{name}.svg").read_text().replace("currentColor", tint)
    result = QPixmap(RENDERED_PX, RENDERED_PX)
    result.fill(Qt.GlobalColor.transparent)
    with paint.painting(result) as painter:
        QSvgRenderer(QByteArray(svg.encode())).render(painter)
    return result


def family_colour(family: str, alpha: float = 1.0) -> QColor:
    result = QColor(theme.current().family[FAMILIES.index(family)])
    result.setAlphaF(alpha)
    return result


def draw_mark(painter: QPainter, family: str, box: QRectF) -> None:
    """The family's mark, filling `box`: a form of its own for each, in the family's colour."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(family_colour(family))
    painter.drawPath(mark_path(family, box))
    painter.restore()


def mark_path(family: str, box: QRectF) -> QPainterPath:
    """The outline of a family's mark."""
    path = QPainterPath()
    x, y, w, h = box.x(), box.y(), box.width(), box.height()

    def polygon(*points: tuple[float, float]) -> None:
        path.addPolygon(QPolygonF([QPointF(x + a * w, y + b * h) for a, b in points]))
        path.closeSubpath()

    match family:
        case "drums":
            path.addEllipse(box)
        case "percussion":
            polygon((0.5, 0), (1, 0.5), (0.5, 1), (0, 0.5))
        case "bass":
            path.addRoundedRect(QRectF(x, y + 0.28 * h, w, 0.44 * h), 2, 2)
        case "guitars":
            polygon((0.5, 0.02), (1, 0.95), (0, 0.95))
        case "keys":
            path.addRect(box.adjusted(1, 1, -1, -1))
        case "winds & brass":
            polygon((0, 0.4), (0.35, 0.4), (1, 0), (1, 1), (0.35, 0.6), (0, 0.6))
        case "strings":
            for left in (0.05, 0.41, 0.77):
                path.addRect(QRectF(x + left * w, y, 0.18 * w, h))
        case "voices":
            path.moveTo(x, y + 0.5 * h)
            path.quadTo(x + 0.5 * w, y - 0.35 * h, x + w, y + 0.5 * h)
            path.quadTo(x + 0.5 * w, y + 1.35 * h, x, y + 0.5 * h)
        case "buses":
            polygon((0.25, 0.05), (0.75, 0.05), (1, 0.5), (0.75, 0.95), (0.25, 0.95), (0, 0.5))
        case _:
            ring = QPainterPath()
            ring.addEllipse(box.adjusted(1, 1, -1, -1))
            hole = QPainterPath()
            hole.addEllipse(box.adjusted(4, 4, -4, -4))
            path = ring.subtracted(hole)
    return path
