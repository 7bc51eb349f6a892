"""The lanes: one row per track, the same order and height in every stage, painted by one view.

What is visible is drawn, nothing else. Handles on the drawing set things; every one of them can also
be typed on the bench. The view emits edits and shows the session; it decides nothing.
"""

from typing import Any

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractScrollArea, QLineEdit, QToolButton, QToolTip

from all_even import texts
from all_even.app import paint, theme
from all_even.app.desk import Desk
from all_even.app.lanes import bodies, flow, heads, layout, scales
from all_even.app.lanes.bodies import Row
from all_even.app.lanes.entries import entries, entry
from all_even.decibels import level_db
from all_even.dsp.parameter import LEVEL, PAN, decibel_text
from all_even.engine.rivers import Rivers, rivers
from all_even.session import edits, routing, routing_edits
from all_even.session.model import MIX, Bus, FolderGroup, Lane, Session, Strip

BUTTON_TIP = {
    "mute": "Mute this lane (M)",
    "solo": "Hear this lane alone, or with other soloed lanes (S)",
    "polarity_inverted": "Invert the polarity (P)",
}
HEADERS = {"gather": bodies.gather_header, "balance": bodies.balance_header, "print": bodies.print_header}
NUDGE_FINE = 0.2
DRAG_STARTS_PX = 5


class LaneView(QAbstractScrollArea):
    """Rows of lanes for the desk's present stage."""

    rename_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.show_hidden = False
        self._rows: list[Row] = []
        self._arrivals: dict[str, tuple[Any, Any]] = {}
        self._findings: dict[str, tuple[Any, Any]] = {}
        self._peaks: dict[str, float] = {}
        self._playhead: float | None = None
        self._drag: tuple[str, str, float, float] | None = None  # what, lane id, start x, start value
        self._reorder: tuple[str, float] | None = None  # lane id, start y
        self._drop_index: int | None = None
        self._rivers: Rivers | None = None
        self._routing: str | None = None  # a strip that is being dragged to a bus
        self._drop_column: int | None = None
        self._sums: dict[str, tuple[Any, list[Any]]] = {}
        self.setObjectName("lanes")
        self.setAccessibleName("Lanes")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.viewport().setMouseTracking(True)
        self.hidden_button = QToolButton(self.viewport())
        self.hidden_button.setCheckable(True)
        self.hidden_button.setAccessibleName("Show hidden lanes")
        self.hidden_button.setToolTip("Show or hide the hidden lanes (Ctrl+H)")
        self.hidden_button.toggled.connect(self._set_show_hidden)
        desk.changed.connect(lambda old, new: self.refresh())
        desk.opened.connect(self._on_opened)
        desk.lane_measured.connect(lambda _lane: self.refresh())
        desk.mix_measured.connect(self.refresh)
        desk.stage_changed.connect(self._on_stage)
        desk.selection_changed.connect(self._on_selection)

    # What to show.

    def refresh(self) -> None:
        """Rebuilds the rows from the session; figures that rest on unchanged values are kept."""
        if not self.desk.is_open:
            self._rows = []
            self.viewport().update()
            return
        session = self.desk.session
        mix = self.desk.mix
        self._rows = []
        song_s = self.desk.song_s()
        for lane in entries(session, self.desk.stage):
            if lane.hidden and not self.show_hidden:
                continue
            if not isinstance(lane, Lane):
                sounding = not isinstance(lane, Bus) or routing.is_sounding(session, lane)
                self._rows.append(Row(lane, None, None, (), None, sounding, song_s))
                continue
            report = self.desk.report(lane.id)
            arrival = self._arrival(session, lane, report)
            contribution = None
            if arrival is not None and arrival.integrated_lufs is not None and mix and mix.integrated_lufs is not None:
                contribution = arrival.integrated_lufs - mix.integrated_lufs
            findings = self._finding_list(lane.id, report)
            self._rows.append(
                Row(lane, report, arrival, findings, contribution, routing.is_sounding(session, lane), song_s)
            )
        hidden = [lane for lane in session.lanes if lane.hidden]
        sounding = sum(routing.is_sounding(session, lane) for lane in hidden)
        self.hidden_button.setVisible(bool(hidden))
        self.hidden_button.setText(f"{len(hidden)} hidden" + (f", {sounding} sound" if sounding else ""))
        self._rivers = self._flow() if self.desk.stage == "buses" else None
        self._update_scroll()
        self._describe()
        self.viewport().update()

    def _flow(self) -> Rivers:
        """The rivers of the present session; sums that rest on unchanged values are kept."""
        from all_even.engine.flow import contributions

        session, measured = self.desk.session, self.desk.flow
        opened = routing.hearing(session).open_edges
        arriving: dict[str, list[Any]] = {}
        for edge in routing.edges(session):
            if edge in opened:
                report = id(self.desk.report(edge.source))
                arriving.setdefault(edge.target, []).append((edge, session.strip(edge.source), report))
        measures = {lane.id: found for lane in session.lanes if (found := self.desk.measures(lane.id)) is not None}
        known = {}
        for target, parts in arriving.items():
            key = (parts, session.folder_groups, session.pan_law, id(measured))
            kept = self._sums.get(target)
            if kept is None or kept[0] != key:
                kept = self._sums[target] = (key, contributions(session, target, measures, measured))
            known |= {item.edge: item for item in kept[1]}
        return rivers(session, tuple(self.lane_ids()), known)

    def lane_ids(self) -> list[str]:
        """The visible lanes in order."""
        return [row.lane.id for row in self._rows]

    def set_levels(self, peaks: dict[str, float], playhead: float | None) -> None:
        """Peaks (linear) per lane and the place in the song (0 to 1) of what is heard now."""
        falling = {lane: max(peaks.get(lane, 0.0), self._peaks.get(lane, 0.0) * 0.82) for lane in self.lane_ids()}
        head = self._head()
        for index, row in enumerate(self._rows):
            old, new = self._peaks.get(row.lane.id, 0.0), falling[row.lane.id]
            if abs(scales.meter_share(level_db(old)) - scales.meter_share(level_db(new))) > 0.004:
                box = layout.head_boxes(self._row_box(index), head)["meter"]
                self.viewport().update(box.toAlignedRect())
        self._peaks = falling
        if playhead != self._playhead:
            if self.desk.stage == "gather":
                left, width = self._columns().boxes["wave"]
                for place in (self._playhead, playhead):
                    if place is not None:
                        self.viewport().update(QRect(int(left + width * place) - 2, layout.HEADER, 5, self.height()))
            self._playhead = playhead

    def _arrival(self, session: Session, lane: Lane, report: Any) -> Any:
        if report is None or report.measures is None:
            return None
        measured = id(self.desk.flow) if lane.chain else 0
        key = (lane, session.buses, session.folder_groups, session.mix.trim_db, session.pan_law, id(report), measured)
        known = self._arrivals.get(lane.id)
        if known is None or known[0] != key:
            from all_even.engine.arrival import arrival

            known = self._arrivals[lane.id] = (key, arrival(session, lane, report.measures, self.desk.flow))
        return known[1]

    def _finding_list(self, lane_id: str, report: Any) -> tuple[Any, ...]:
        if report is None:
            return ()
        known = self._findings.get(lane_id)
        if known is None or known[0] is not report:
            from all_even.measure.findings import findings

            known = self._findings[lane_id] = (report, findings(report))
        return known[1]

    def _on_opened(self) -> None:
        self._arrivals.clear()
        self._findings.clear()
        self._peaks.clear()
        self.verticalScrollBar().setValue(0)
        self.refresh()

    def _on_stage(self, _stage: str) -> None:
        self.refresh()
        self._on_selection()

    def _on_selection(self) -> None:
        current = self.desk.current
        ids = self.lane_ids()
        if current in ids:
            self._scroll_to(ids.index(current))
        self._describe()
        self.viewport().update()

    def _describe(self) -> None:
        current = self.desk.current
        ids = self.lane_ids()
        if current in ids:
            lane = entry(self.desk.session, current)
            states = "".join(
                f", {word}" for field, word in (("mute", "muted"), ("solo", "solo")) if getattr(lane, field, False)
            )
            pan = f", pan {PAN.text(lane.pan)}" if isinstance(lane, Strip) else ""
            what = "Lane" if isinstance(lane, Lane) else lane.role.capitalize()
            self.setAccessibleDescription(
                f"{what} {ids.index(current) + 1} of {len(ids)}: {lane.name}, {LEVEL.text(lane.level_db)}{pan}{states}"
            )

    def _set_show_hidden(self, on: bool) -> None:
        self.show_hidden = on
        self.refresh()

    # Geometry.

    def _head(self) -> float:
        return layout.head_width(self.viewport().width())

    def _columns(self) -> layout.Columns:
        return layout.columns(self.desk.stage, self._head(), float(self.viewport().width()))

    def _row_box(self, index: int) -> QRectF:
        return layout.row_box(index, float(self.viewport().width()), float(self.verticalScrollBar().value()))

    def _update_scroll(self) -> None:
        visible = self.viewport().height() - layout.HEADER
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, len(self._rows) * layout.ROW - visible))
        bar.setPageStep(max(1, visible))
        bar.setSingleStep(layout.ROW)

    def _scroll_to(self, index: int) -> None:
        bar, visible = self.verticalScrollBar(), self.viewport().height() - layout.HEADER
        top = index * layout.ROW
        if top < bar.value():
            bar.setValue(top)
        elif top + layout.ROW > bar.value() + visible:
            bar.setValue(top + layout.ROW - visible)

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        self._update_scroll()
        self.hidden_button.move(int(self._head()) - self.hidden_button.sizeHint().width() - 8, 5)
        self.hidden_button.resize(self.hidden_button.sizeHint())

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()

    # Painting.

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        area = event.region().boundingRect()
        head = self._head()
        meters = layout.head_boxes(self._row_box(0), head)["meter"]
        # Only the meters ask for so narrow a column: they are painted 30 times a second, nothing else is.
        if area.left() >= int(meters.left()) and area.right() <= meters.right() + 1:
            for index, row in enumerate(self._rows):
                if self._row_box(index).intersects(QRectF(area)):
                    box = layout.head_boxes(self._row_box(index), head)["meter"]
                    selected = row.lane.id in self.desk.selected
                    heads.meter(painter, box, row, self._peaks.get(row.lane.id, 0.0), selected)
            return
        painter.fillRect(area, theme.colour("panel"))
        columns = self._columns()
        if area.bottom() >= layout.HEADER:
            painter.setClipRect(QRect(0, layout.HEADER, self.viewport().width(), self.viewport().height()))
            for index, row in enumerate(self._rows):
                box = self._row_box(index)
                if box.bottom() >= max(area.top(), layout.HEADER) and box.top() <= area.bottom():
                    self._paint_row(painter, index, row, box, columns, area)
            self._paint_drop(painter)
            painter.setClipping(False)
        if area.top() < layout.HEADER:
            self._paint_header(painter, columns)

    def _paint_header(self, painter: QPainter, columns: layout.Columns) -> None:
        header = QRectF(0, 0, self.viewport().width(), layout.HEADER)
        painter.fillRect(header, theme.colour("raised"))
        count = sum(isinstance(row.lane, Lane) for row in self._rows)
        paint.text(painter, QRectF(12, 0, 120, layout.HEADER), f"{count} lane{'' if count == 1 else 's'}",
                   size=theme.SMALL, colour=theme.colour("quiet"))  # fmt: skip
        if self.desk.stage == "buses" and self._rivers is not None:
            names = [entry(self.desk.session, column).name for column in self._rivers.columns]
            flow.header(painter, header, columns, names, self._drop_column)
        else:
            HEADERS[self.desk.stage](painter, header, columns)
        paint.line(painter, 0, layout.HEADER - 0.5, header.right(), layout.HEADER - 0.5, theme.colour("line"))

    def _paint_row(
        self, painter: QPainter, index: int, row: Row, box: QRectF, columns: layout.Columns, area: QRect
    ) -> None:
        selected = row.lane.id in self.desk.selected
        if selected:
            painter.fillRect(box, theme.colour("act_soft"))
        if area.left() < self._head():
            heads.head(painter, row, box, self._head(), self._peaks.get(row.lane.id, 0.0), selected)
        if area.right() >= self._head():
            dragging = self._drag is not None and self._drag[1] == row.lane.id
            if self.desk.stage == "gather":
                bodies.gather(painter, box, columns, row, self._playhead)
            elif self.desk.stage == "balance":
                bodies.balance(painter, box, columns, row, dragging)
            elif self.desk.stage == "buses":
                self._paint_flow(painter, index, row, box, columns)
            else:
                bodies.print_row(painter, box, columns, row, self.desk.mix_stale)
        paint.line(painter, 0, box.bottom() - 0.5, box.right(), box.bottom() - 0.5, theme.colour("line", 0.6))
        if selected and row.lane.id == self.desk.current and self.hasFocus():
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -2))

    def _paint_flow(self, painter: QPainter, index: int, row: Row, box: QRectF, columns: layout.Columns) -> None:
        if self._rivers is None:
            return
        goes_to = ""
        if isinstance(row.lane, Strip):
            goes_to = self.desk.session.strip_name(row.lane.destination)
        elif isinstance(row.lane, FolderGroup):
            count = sum(item.group == row.lane.id for item in self.desk.session.members)
            goes_to = f"holds {count}"
        flow.body(painter, box, columns, row, index, self._rivers, goes_to, self._drop_column)

    def _paint_drop(self, painter: QPainter) -> None:
        if self._drop_index is not None:
            y = layout.HEADER + self._drop_index * layout.ROW - self.verticalScrollBar().value()
            painter.fillRect(QRectF(0, y - 2, self.viewport().width(), 3), theme.colour("act"))

    # Mouse.

    def hit(self, at: QPointF) -> tuple[str, str | None]:
        """What is under a pixel: (part, lane id); parts are buttons, `name`, `level`, `pan`, `head`, `body`."""
        index = layout.row_at(at.y(), float(self.verticalScrollBar().value()), len(self._rows))
        if index is None:
            return "none", None
        lane = self._rows[index].lane
        row, head = self._row_box(index), self._head()
        if at.x() < head:
            boxes = layout.head_boxes(row, head)
            for name in (*layout.HEAD_BUTTONS, "name"):
                if boxes[name].adjusted(-2, -2, 2, 2).contains(at):
                    return name, lane.id
            return "head", lane.id
        if self.desk.stage == "balance":
            for name, rail in self._columns().rails.items():
                if rail.left - 8 <= at.x() <= rail.left + rail.width + 8:
                    return name, lane.id
        return "body", lane.id

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        part, lane_id = self.hit(event.position())
        if lane_id is None:
            return
        if part in layout.HEAD_BUTTONS:
            self.toggle(part, lane_id)
            return
        self._select_by_mouse(lane_id, event.modifiers())
        lane: Any = entry(self.desk.session, lane_id)
        if part == "level":
            self._drag = ("level", lane_id, event.position().x(), lane.level_db)
        elif part == "pan":
            self._drag = ("pan", lane_id, event.position().x(), lane.pan)
        elif self.desk.stage == "buses" and part == "body" and isinstance(lane, Strip):
            self._routing = lane_id
        elif part in ("head", "name"):
            self._reorder = (lane_id, event.position().y())
        self.viewport().update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag_to(event.position().x(), fine=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif self._routing is not None and self._rivers is not None:
            column = flow.column_at(self._columns(), len(self._rivers.columns), event.position().x())
            if column != self._drop_column:
                self._drop_column = column
                self.viewport().setCursor(Qt.CursorShape.DragMoveCursor)
                self.viewport().update()
        elif self._reorder is not None and abs(event.position().y() - self._reorder[1]) > DRAG_STARTS_PX:
            offset = event.position().y() - layout.HEADER + self.verticalScrollBar().value()
            self._drop_index = min(len(self._rows), max(0, round(offset / layout.ROW)))
            self.viewport().update()
        else:
            part, _ = self.hit(event.position())
            shape = Qt.CursorShape.SizeHorCursor if part in ("level", "pan") else Qt.CursorShape.ArrowCursor
            self.viewport().setCursor(shape)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._reorder is not None and self._drop_index is not None:
            self._move_selected_before(self._drop_index)
        if self._routing is not None and self._drop_column is not None and self._rivers is not None:
            send = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self._drop_on(self._rivers.columns[self._drop_column], send=send)
        self._drag = self._reorder = self._drop_index = self._routing = self._drop_column = None
        self.desk.end_gesture()
        self.viewport().update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        part, lane_id = self.hit(event.position())
        if lane_id is None:
            return
        if part in layout.HEAD_BUTTONS:  # two quick presses are two toggles
            self.toggle(part, lane_id)
        elif part == "name":
            self.start_rename(lane_id)
        elif part == "level":
            self.desk.edit(lambda s: edits.change_strips(s, self._touched(lane_id), level_db=LEVEL.default))
        elif part == "pan":
            self.desk.edit(lambda s: edits.change_strips(s, self._touched(lane_id), pan=PAN.default))
        self._drag = None

    def _drag_to(self, x: float, *, fine: bool) -> None:
        assert self._drag is not None
        what, lane_id, start_x, start = self._drag
        rail = self._columns().rails[what]
        slow = 0.2 if fine else 1.0
        if what == "pan":
            value = rail.pan_at(rail.pan_x(start) + (x - start_x) * slow)
            self.desk.edit(lambda s: edits.change_strips(s, self._touched(lane_id), pan=value), merge=f"pan {lane_id}")
            return
        level = rail.level_at(rail.level_x(start) + (x - start_x) * slow)
        change = level - entry(self.desk.session, lane_id).level_db
        touched = self._touched(lane_id)
        if len(touched) == 1:
            edit = lambda s: edits.change_strips(s, touched, level_db=round(level, 1))  # noqa: E731
        else:
            edit = lambda s: edits.nudge_levels(s, touched, change)  # noqa: E731
        self.desk.edit(edit, merge=f"level {lane_id}")

    def _touched(self, lane_id: str) -> tuple[str, ...]:
        wanted = self._changeable() if lane_id in self.desk.selected else (lane_id,)
        return tuple(item for item in wanted if item != MIX)

    def _select_by_mouse(self, lane_id: str, modifiers: Qt.KeyboardModifier) -> None:
        ids, selected = self.lane_ids(), self.desk.selected
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            rest = tuple(i for i in selected if i != lane_id)
            self.desk.select(rest if lane_id in selected and rest else (*rest, lane_id))
        elif modifiers & Qt.KeyboardModifier.ShiftModifier and selected and selected[0] in ids:
            a, b = sorted((ids.index(selected[0]), ids.index(lane_id)))
            span = ids[a : b + 1]
            self.desk.select(tuple(i for i in span if i != lane_id) + (lane_id,))
        elif lane_id not in selected:
            self.desk.select((lane_id,))

    def _drop_on(self, bus: str, *, send: bool) -> None:
        """Routes what was dragged to a bus or the mix, or sends a copy there."""
        assert self._routing is not None
        wanted = [item for item in self._touched(self._routing) if item in {s.id for s in self.desk.session.strips}]
        wanted = [item for item in wanted if item != bus]
        if wanted and send and bus != MIX:
            self.desk.try_edit(lambda s: routing_edits.set_send(s, wanted, bus))
        elif wanted:
            self.desk.try_edit(lambda s: routing_edits.route(s, wanted, bus))

    # Commands, by mouse or key.

    def toggle(self, field: str, lane_id: str | None = None) -> None:
        """Turns mute, solo, polarity or hidden of a lane (or of the selected ones) over."""
        wanted = self._changeable() if lane_id in (None, MIX) else self._touched(lane_id)
        wanted = tuple(item for item in wanted if item != MIX)
        if wanted:
            known = lane_id if lane_id in wanted else wanted[-1]
            value = not getattr(entry(self.desk.session, known), field, False)
            self.desk.edit(lambda s: edits.change_strips(s, wanted, **{field: value}))

    def nudge(self, direction: int, *, fine: bool, pan: bool = False) -> None:
        """One step of level or pan on the selected lanes."""
        step = (PAN.step if pan else LEVEL.step) * (NUDGE_FINE if fine else 1.0) * direction
        wanted = self._changeable()
        if not wanted:
            return
        if pan:
            value = round(getattr(entry(self.desk.session, wanted[-1]), "pan", 0.0) + step, 3)
            self.desk.edit(lambda s: edits.change_strips(s, wanted, pan=value), merge="nudge pan" + "".join(wanted))
        else:
            self.desk.edit(lambda s: edits.nudge_levels(s, wanted, step), merge="nudge level" + "".join(wanted))

    def _changeable(self) -> tuple[str, ...]:
        """The selected rows that have a fader of their own."""
        return tuple(item for item in self.desk.selected if item != MIX)

    def start_rename(self, lane_id: str) -> None:
        """A field over the lane's name; Enter keeps, Escape leaves it."""
        ids = self.lane_ids()
        if lane_id not in ids or lane_id == MIX:
            return
        self._scroll_to(ids.index(lane_id))
        box = layout.head_boxes(self._row_box(ids.index(lane_id)), self._head())["name"]
        field = QLineEdit(entry(self.desk.session, lane_id).name, self.viewport())
        field.setAccessibleName("Name of the lane")
        field.setGeometry(box.adjusted(-6, -4, 4, 8).toAlignedRect())
        field.selectAll()
        field.show()
        field.setFocus()

        def done() -> None:
            if field.isVisible():
                field.hide()
                if self.desk.is_open and lane_id in {item.id for item in self.desk.session.members}:
                    self.desk.edit(lambda s: edits.change_strips(s, (lane_id,), name=field.text()))
                field.deleteLater()
                self.setFocus()

        field.editingFinished.connect(done)

    def step_selection(self, by: int, *, extend: bool = False) -> None:
        ids = self.lane_ids()
        if not ids:
            return
        current = self.desk.current
        index = ids.index(current) if current in ids else -1
        target = ids[min(len(ids) - 1, max(0, index + by))]
        if extend:
            self.desk.select((*(i for i in self.desk.selected if i != target), target))
        else:
            self.desk.select((target,))

    def move_selected(self, by: int) -> None:
        """Moves the selected lanes one row up or down."""
        ids = self.lane_ids()
        rows = [ids.index(i) for i in self.desk.selected if i in ids]
        if rows:
            self._move_selected_before(min(rows) - 1 if by < 0 else max(rows) + 2)

    def _move_selected_before(self, row: int) -> None:
        """`row` counts visible lanes; the session's order counts all."""
        if row < 0 or row > len(self._rows):
            return
        order = [lane.id for lane in self.desk.session.lanes]
        target = self._rows[row].lane.id if row < len(self._rows) else ""
        index = order.index(target) if target in order else len(order)
        self.desk.edit(lambda s: edits.move_lanes(s, self.desk.selected, index))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        sideways = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        updown = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        key = Qt.Key(event.key())
        if key in updown and control:
            self.move_selected(updown[key])
        elif key in updown:
            self.step_selection(updown[key], extend=shift)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.step_selection(10**6 if key == Qt.Key.Key_End else -(10**6))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.step_selection(8 if key == Qt.Key.Key_PageDown else -8)
        elif key in sideways and self.desk.stage == "balance":
            self.nudge(sideways[key], fine=shift, pan=alt)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_F2) and self.desk.current:
            self.start_rename(self.desk.current)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: Any) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: Any) -> None:
        super().focusOutEvent(event)
        self.desk.end_gesture()
        self.viewport().update()

    # Hover.

    def viewportEvent(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), texts.tip(self.tip(QPointF(event.pos()))), self.viewport())
            return True
        return super().viewportEvent(event)

    def tip(self, at: QPointF) -> str:
        """What is under a pixel and its value, as plain text."""
        if self._rivers is not None and self.desk.stage == "buses" and at.y() < layout.HEADER:
            column = flow.column_at(self._columns(), len(self._rivers.columns), at.x())
            return entry(self.desk.session, self._rivers.columns[column]).name if column is not None else ""
        part, lane_id = self.hit(at)
        if lane_id is None:
            return ""
        lane: Any = entry(self.desk.session, lane_id)
        row = next(row for row in self._rows if row.lane.id == lane_id)
        if part in BUTTON_TIP:
            return f"{BUTTON_TIP[part]}: {'on' if getattr(lane, part, False) else 'off'}"
        if part == "level":
            arrives = decibel_text(row.arrival.integrated_lufs if row.arrival else None, "LUFS")
            return (
                f"Level {LEVEL.text(lane.level_db)}; arrives at {arrives}. Drag, or arrow keys (Shift: finer); "
                "double click: 0 dB. The ridge shows how long the lane is how loud."
            )
        if part == "pan":
            return f"Pan {PAN.text(lane.pan)}. Drag, or Alt+arrow keys; double click: centre."
        if self.desk.stage == "buses" and part == "body":
            return self._flow_tip(lane)
        if part in ("name", "head") and not isinstance(lane, Lane):
            return f"{lane.name}: {lane.role}. Double click or Enter: rename."
        if part in ("name", "head"):
            return f"{lane.name}: {lane.role}, {lane.file}. Double click or Enter: rename. Drag: reorder."
        if row.findings:
            return "\n".join(finding.text for finding in row.findings)
        return f"{lane.name}: {lane.file}"

    def _flow_tip(self, lane: Any) -> str:
        """Where a strip goes, in words."""
        session = self.desk.session
        if not isinstance(lane, Strip):
            return f"{lane.name}: {lane.role}."
        lines = [f"{lane.name} goes to {session.strip_name(lane.destination)}."]
        lines += [
            f"Sends to {session.strip_name(send.to)} at {LEVEL.text(send.level_db)}"
            f"{', before the fader' if send.pre_fader else ''}."
            for send in lane.sends
        ]
        for station in lane.chain:
            key = getattr(station, "key", None)
            if key is not None:
                lines.append(f"Its {station.LABEL.lower()} is keyed by {session.strip_name(key.source)}.")
        lines.append("Drag to a bus' column: route it there. With Ctrl: send a copy.")
        return "\n".join(lines)
