"""The head of a lane: family mark, name, role, mute, solo, polarity, and the level that is heard now."""

from collections.abc import Hashable, Mapping

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.lanes import layout, scales
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.decibels import level_db
from all_even.session.model.strips import Bus, FolderGroup, Lane
from all_even.session.tracks import naming
from all_even.session.tracks.roles import family_of

Named = Bus | FolderGroup
SHORT_ROLE = {"summing group": "group", "folder group": "folder", "parallel bus": "parallel"}
BUTTON_TEXT = {"mute": "M", "solo": "S", "polarity_inverted": "Ø"}


def head(painter: QPainter, row: Row, box: QRectF, width: float) -> None:
    """A whole head but its meter, `width` wide, in the row's box."""
    lane, boxes = row.lane, layout.head_boxes(box, width, row.indent)
    icons.draw_mark(painter, family_of(lane.role), boxes["mark"])
    small = box.height() < layout.ROW
    if row.members:
        fold_mark(painter, layout.fold_box(boxes), row.folded)
    quiet = theme.colour("quiet")
    ink = theme.colour("text") if row.heard else quiet
    count = f"{len(row.members)} track{'' if len(row.members) == 1 else 's'}" if row.members else ""
    name = boxes["name"]
    if small and count:
        wide = paint.width_of(str(len(row.members)), theme.SMALL) + 6
        paint.note(painter, QRectF(name.right() - wide, name.top(), wide, name.height()), str(len(row.members)),
                   align=paint.RIGHT)  # fmt: skip
        name = name.adjusted(0, 0, -wide, 0)
    paint.text(painter, name, lane.name, strong=not small or bool(count), colour=ink)  # fmt: skip
    if not small:
        role = (
            naming.second_line(lane)
            if isinstance(lane, Lane)
            else SHORT_ROLE.get(lane.role, lane.role)
            if isinstance(lane, Named)
            else ""
        )
        words = [count, role] if row.members else [role]
        words += ["hidden"] if lane.hidden else []
        words += ["anchor"] if row.anchored else []
        paint.note(painter, boxes["role"], " · ".join(word for word in words if word))
    for button_name in layout.HEAD_BUTTONS:
        if hasattr(lane, button_name):
            button(painter, boxes[button_name], button_name, getattr(lane, button_name))


def fold_mark(painter: QPainter, box: QRectF, folded: bool) -> None:
    """Points to what is folded away, or down to what is shown."""
    x, y = box.center().x(), box.center().y()
    across, down = QPointF(x - 2, y - 4), QPointF(x - 2, y + 4)
    tip = QPointF(x + 3, y)
    if not folded:
        across, down, tip = QPointF(x - 4, y - 2), QPointF(x + 4, y - 2), QPointF(x, y + 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("act"))
    painter.drawPolygon(QPolygonF([across, down, tip]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def peak_of(row: Row, peaks: Mapping[str, float]) -> float:
    """The level that is heard now: of the row itself, of a head without sound of its own that of its loudest member."""
    if row.lane.id in peaks or not row.members:
        return peaks.get(row.lane.id, 0.0)
    return max((peaks.get(member.lane.id, 0.0) for member in row.members), default=0.0)


def look(row: Row) -> Hashable:
    """All that a head without its meter is drawn from."""
    lane = row.lane
    return (
        lane.name, lane.role, row.heard, lane.hidden, row.anchored, row.depth, len(row.members), row.folded,
        *(getattr(lane, name, None) for name in layout.HEAD_BUTTONS),
    )  # fmt: skip


def button(painter: QPainter, box: QRectF, name: str, on: bool) -> None:
    """On is told by a filled ground; mute and solo differ by colour and letter."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    tint = theme.colour("look" if name == "mute" else "act")
    painter.setPen(QPen(tint if on else theme.colour("line"), 1))
    painter.setBrush(tint if on else theme.colour("panel"))
    painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    ink = theme.colour("on_act" if on else "quiet")
    paint.text(painter, box, BUTTON_TEXT[name], size=theme.SMALL, colour=ink, align=paint.CENTRE, strong=True)


def meter(painter: QPainter, box: QRectF, row: Row, peak: float, selected: bool) -> None:
    """The level now, -60 to 0 dBFS; over full scale in the colour that says look here."""
    if box.bottom() < layout.HEADER:
        return
    painter.fillRect(box, theme.colour("line" if selected else "raised"))
    level = level_db(peak)
    share = scales.meter_share(level)
    if share > 0.0:
        tint = theme.colour("look") if level > 0.0 else icons.family_colour(family_of(row.lane.role))
        painter.fillRect(QRectF(box.left(), box.top(), box.width() * share, box.height()), tint)
