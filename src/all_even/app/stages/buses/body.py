"""Buses in the lanes: the rivers of the session. A lane is routed by dragging it to a bus' column."""

from collections.abc import Hashable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body, Drag, touched
from all_even.app.lanes.entries import entry
from all_even.app.lanes.layout import Column, Columns
from all_even.app.lanes.rows import Row
from all_even.app.stages.buses import rivers as drawn
from all_even.app.style import paint
from all_even.dsp.parameter import LEVEL
from all_even.dsp.processor import key_of
from all_even.figures.arriving.flow_shapes import Rivers, rivers
from all_even.session.editing import routing_edits
from all_even.session.model.routing import Edge
from all_even.session.model.strips import MIX, FolderGroup, Strip


class BusesBody(Body):
    WIDE = "rivers"
    COLUMNS = (
        Column("goes", 108.0, 84.0, ("Output",), paint.LEFT),
        Column("share", 72.0, 66.0, ("Level in bus",)),
    )

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.rivers: Rivers | None = None
        """What is drawn; None before anything was."""
        self._version = 0
        """How often what is drawn was another."""
        self.over: int | None = None
        """The column that a drag would drop on."""

    def refresh(self, rows: list[Row]) -> None:
        known = self.desk.figures.arrivals.by_edge()
        made = rivers(self.desk.session, tuple(row.lane.id for row in rows), known)
        if made != self.rivers:
            self.rivers, self._version = made, self._version + 1

    def look(self, row: Row, held: bool) -> Hashable | None:
        """A row is drawn from all that flows past it."""
        lane = row.lane
        own = (lane.role, self.desk.session.strip_name(lane.destination)) if isinstance(lane, Strip) else None
        return None if self.over is not None or own is None else (self._version, lane.id, row.heard, own)

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        if self.rivers is not None:
            names = [entry(self.desk.session, column).name for column in self.rivers.columns]
            drawn.header(painter, box, columns, names, self.over)
            super().header(painter, box, columns)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        if self.rivers is None:
            return
        lane = row.lane
        goes_to = ""
        if isinstance(lane, Strip):
            goes_to = self.desk.session.strip_name(lane.destination)
        elif isinstance(lane, FolderGroup):
            goes_to = f"holds {sum(item.group == lane.id for item in self.desk.session.members)}"
        drawn.body(painter, box, columns, row, index, self.rivers, goes_to, self.over)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        self.paint(painter, box, columns, index, row, held)

    def value(self, row: Row, column: str) -> Value:
        lane = row.lane
        if column == "goes" and isinstance(lane, Strip):
            return self.desk.session.strip_name(lane.destination).casefold()
        if column in ("share", "rivers") and self.rivers is not None and isinstance(lane, Strip):
            known = self.desk.figures.arrivals.by_edge().get(Edge(lane.id, lane.destination, "destination"))
            return known.share_lu if known is not None else None
        return None

    def column_at(self, columns: Columns, x: float) -> int | None:
        return drawn.column_at(columns, len(self.rivers.columns), x) if self.rivers is not None else None

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        is_strip = isinstance(entry(self.desk.session, row_id), Strip)
        return _RouteDrag(self, row_id, columns) if is_strip else None

    def drop(self, row_id: str, *, send: bool) -> None:
        """Routes what was dragged to a bus or the mix, or sends a copy there."""
        if self.over is None or self.rivers is None:
            return
        bus = self.rivers.columns[self.over]
        strips = {strip.id for strip in self.desk.session.strips}
        wanted = [item for item in touched(self.desk, row_id) if item in strips and item != bus]
        if wanted and send and bus != MIX:
            self.desk.try_edit(lambda s: routing_edits.set_send(s, wanted, bus))
        elif wanted:
            self.desk.try_edit(lambda s: routing_edits.route(s, wanted, bus))

    def header_tip(self, columns: Columns, x: float) -> str:
        column = self.column_at(columns, x)
        if column is None or self.rivers is None:
            return ""
        return entry(self.desk.session, self.rivers.columns[column]).name

    def tip(self, part: str, row: Row) -> str:
        """Where a strip goes, in words."""
        session, lane = self.desk.session, row.lane
        if not isinstance(lane, Strip):
            return super().tip(part, row)
        lines = [f"{lane.name} goes to {session.strip_name(lane.destination)}."]
        lines += [
            f"Sends to {session.strip_name(send.to)} at {LEVEL.text(send.level_db)}"
            f"{', before the fader' if send.pre_fader else ''}."
            for send in lane.sends
        ]
        for station in lane.chain:
            key = key_of(station)
            if key is not None:
                lines.append(f"Its {station.LABEL.lower()} is sidechained from {session.strip_name(key.source)}.")
        lines.append("Drag to a bus' column: route it there. With Ctrl: send a copy.")
        return "\n".join(lines)


class _RouteDrag(Drag):
    def __init__(self, body: BusesBody, row_id: str, columns: Columns) -> None:
        super().__init__(row_id)
        self._body, self._columns = body, columns

    def move(self, x: float, *, fine: bool) -> bool:
        column = self._body.column_at(self._columns, x)
        moved = column != self._body.over
        self._body.over = column
        return moved

    def end(self, *, control: bool) -> None:
        self._body.drop(self.grabbed, send=control)
        self._body.over = None
