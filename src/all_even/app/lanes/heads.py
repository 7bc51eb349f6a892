"""The head of a lane: family mark, name, role, mute, solo, polarity, and the level that is heard now."""

from collections.abc import Hashable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPen

from all_even.app.lanes import layout, scales
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.decibels import level_db
from all_even.session.model.strips import Lane
from all_even.session.tracks import naming
from all_even.session.tracks.roles import family_of

BUTTON_TEXT = {"mute": "M", "solo": "S", "polarity_inverted": "Ø"}


def head(painter: QPainter, row: Row, box: QRectF, width: float) -> None:
    """A whole head but its meter, `width` wide, in the row's box."""
    lane, boxes = row.lane, layout.head_boxes(box, width)
    icons.draw_mark(painter, family_of(lane.role), boxes["mark"])
    quiet = theme.colour("quiet")
    paint.text(painter, boxes["name"], lane.name, strong=True, colour=theme.colour("text") if row.heard else quiet)
    role = naming.second_line(lane) if isinstance(lane, Lane) else lane.role
    state = (" · hidden" if lane.hidden else "") + (" · anchor" if row.anchored else "")
    paint.note(painter, boxes["role"], role + state)
    for name in layout.HEAD_BUTTONS:
        if hasattr(lane, name):
            button(painter, boxes[name], name, getattr(lane, name))


def look(row: Row) -> Hashable:
    """All that a head without its meter is drawn from."""
    lane = row.lane
    return (
        lane.name, lane.role, row.heard, lane.hidden, row.anchored,
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
