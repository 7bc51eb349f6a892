"""What hovering over the rows says: what a thing is, and its value."""

from collections.abc import Sequence
from typing import Protocol

from PyQt6.QtCore import QPointF

from all_even.app.desk import Desk
from all_even.app.lanes import layout
from all_even.app.lanes.arrangement import NAME
from all_even.app.lanes.body import Body
from all_even.app.lanes.entries import entry
from all_even.app.lanes.laying import Laying
from all_even.app.lanes.rows import Row
from all_even.dsp.parameter import LEVEL, PAN
from all_even.session.model.strips import Lane, Strip

BUTTON_TIP = {
    "mute": "Mute this track (M)",
    "solo": "Hear this track alone, or with other soloed tracks (S)",
    "polarity_inverted": "Invert the polarity (P)",
}
SORT = "Press: sort by it for the moment, the largest first; again: the smallest; again: as the session has them."


class Hovered(Protocol):
    """What it needs of the view."""

    @property
    def body(self) -> Body: ...
    @property
    def laying(self) -> Laying: ...
    @property
    def rows(self) -> Sequence[Row]: ...
    def columns(self) -> layout.Columns: ...
    def hit(self, at: QPointF) -> tuple[str, str | None]: ...
    def header_column(self, at: QPointF) -> str | None: ...


def described(view: Hovered, desk: Desk) -> str:
    """The selected row in words, for those who hear the screen; empty where none is in the list."""
    current, ids = desk.current, [row.lane.id for row in view.rows]
    if current is None or current not in ids:
        return ""
    lane = entry(desk.session, current)
    states = "".join(f", {word}" for on, word in (("mute", "muted"), ("solo", "solo")) if getattr(lane, on, False))
    pan = f", pan {PAN.text(lane.pan)}" if isinstance(lane, Strip) else ""
    what = "Track" if isinstance(lane, Lane) else lane.role.capitalize()
    return f"{what} {ids.index(current) + 1} of {len(ids)}: {lane.name}, {LEVEL.text(lane.level_db)}{pan}{states}"


def tip(view: Hovered, at: QPointF) -> str:
    """Plain text; empty where there is nothing to say."""
    column = view.header_column(at)
    if column is not None:
        own = view.body.header_tip(view.columns(), at.x()) if column != NAME else ""
        return " ".join(part for part in (own, SORT if view.laying.sorts(column) else "") if part)
    part, row_id = view.hit(at)
    row = next((row for row in view.rows if row.lane.id == row_id), None)
    if row is None:
        return ""
    lane = row.lane
    if part == "fold":
        return f"{lane.name}: {'show its tracks' if row.folded else 'fold its tracks into this row'} (C)"
    if part in BUTTON_TIP:
        return f"{BUTTON_TIP[part]}: {'on' if getattr(lane, part, False) else 'off'}"
    if part in ("name", "head"):
        file = f", {lane.file}" if isinstance(lane, Lane) else ""
        order = " Drag: reorder, or onto a group: into it." if isinstance(lane, Lane) else ""
        count = f", {len(row.members)} tracks" if row.members else ""
        return f"{lane.name}: {lane.role}{file}{count}. Double click or Enter: rename.{order}"
    return view.body.tip(part, row)
