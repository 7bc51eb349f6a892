"""What mouse and keys mean in the lanes: selecting, dragging handles, reordering, renaming, toggling."""

from collections.abc import Sequence
from typing import Protocol

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QLineEdit, QScrollBar, QWidget

from all_even.app.desk import Desk
from all_even.app.lanes import layout
from all_even.app.lanes.body import Body, Drag, changeable, touched
from all_even.app.lanes.entries import FAMILY, entry
from all_even.app.lanes.laying import Laying
from all_even.app.lanes.rows import Row
from all_even.app.style import fields
from all_even.session.editing import edits, routing_edits
from all_even.session.model.strips import MIX, Bus, FolderGroup

DRAG_STARTS_PX = 5
PAGE_ROWS = 8
ALL = 10**6


class Rows(Protocol):
    """What gestures need of the view that they are made on. area: what is painted on."""

    @property
    def desk(self) -> Desk: ...
    @property
    def area(self) -> QWidget: ...
    @property
    def body(self) -> Body: ...
    @property
    def rows(self) -> Sequence[Row]: ...
    @property
    def scroll_bar(self) -> QScrollBar: ...
    @property
    def stack(self) -> layout.Stack: ...
    @property
    def laying(self) -> Laying: ...
    def hit(self, at: QPointF) -> tuple[str, str | None]: ...
    def header_column(self, at: QPointF) -> str | None: ...
    def columns(self) -> layout.Columns: ...
    def lane_ids(self) -> list[str]: ...
    def head_width(self) -> float: ...
    def row_box(self, index: int) -> QRectF: ...
    def scroll_to(self, index: int) -> None: ...
    def setFocus(self) -> None: ...


class Gestures:
    """drop_index: the row that lanes would be put before, drop_into: the group they would be put into; None while none
    are moved."""

    def __init__(self, view: Rows) -> None:
        self._view, self._desk = view, view.desk
        self._drag: Drag | None = None
        self._reorder: tuple[str, float] | None = None  # row id, start y
        self.drop_index: int | None = None
        self.drop_into: str | None = None
        self._at: str | None = None
        """The row that was gone to last: of a head that is no strip it is not what is selected."""
        self._renaming: QLineEdit | None = None
        self._turned = 0
        """What the wheel has turned and that made no step yet."""

    @property
    def held(self) -> str | None:
        """The row whose handle is in the hand."""
        return self._drag.grabbed if self._drag is not None else None

    @property
    def index(self) -> int | None:
        """The row that is meant by what is selected last: itself, or the folded head over it."""
        view, desk = self._view, self._desk
        ids, current = view.lane_ids(), desk.current
        if self._at in ids and set(view.laying.targets(self._at)) == set(desk.selected):
            return ids.index(self._at)
        if current in ids:
            return ids.index(current)
        for index, row in enumerate(view.rows):
            if row.folded and any(member.lane.id == current for member in row.members):
                return index
        return None

    def press(self, event: QMouseEvent) -> None:
        view, at = self._view, event.position()
        column = view.header_column(at)
        if column is not None:
            view.laying.sort_by(column)
            return
        part, row_id = view.hit(at)
        if row_id is None:
            return
        if part == "fold":
            view.laying.turn_fold(row_id)
            return
        if part in layout.HEAD_BUTTONS:
            toggle(self._desk, part, row_id)
            return
        self._select(row_id, event.modifiers())
        if part in ("head", "name"):
            self._reorder = (row_id, at.y())
        else:
            self._drag = view.body.grab(part, row_id, at.x(), view.columns())
        view.area.update()

    def move(self, event: QMouseEvent) -> None:
        view, at = self._view, event.position()
        if self._drag is not None:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if self._drag.move(at.x(), fine=fine):
                view.area.setCursor(Qt.CursorShape.DragMoveCursor)
                view.area.update()
        elif self._reorder is not None and abs(at.y() - self._reorder[1]) > DRAG_STARTS_PX:
            self._drag_over(at.y())
            view.area.update()
        else:
            part, _ = view.hit(at)
            on_rail = part in view.columns().rails
            view.area.setCursor(Qt.CursorShape.SizeHorCursor if on_rail else Qt.CursorShape.ArrowCursor)

    def _drag_over(self, y: float) -> None:
        """The middle of a group's row is that group; elsewhere the nearest gap between two rows."""
        view = self._view
        stack = view.stack
        index, self.drop_into = stack.at(y), None
        self.drop_index = max(stack.gap_at(y), stack.held)
        if index is None:
            return
        row = view.rows[index]
        inside = abs(y - stack.row_top(index) - stack.height / 2) < stack.height / 4
        is_group = isinstance(row.lane, FolderGroup | Bus)
        if is_group and inside and row.lane.id not in self._desk.selected:
            self.drop_into, self.drop_index = row.lane.id, None

    def release(self, event: QMouseEvent) -> None:
        if self._reorder is not None and self.drop_into is not None:
            put_into(self._desk, self.drop_into)
        elif self._reorder is not None and self.drop_index is not None:
            self._drop_at(self.drop_index)
        drag = self._drag
        self.drop()
        if drag is not None:
            drag.end(control=bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
        self._desk.end_gesture()
        self._view.area.update()

    def drop(self) -> None:
        """Lets go of everything without doing it."""
        self._drag = self._reorder = self.drop_index = self.drop_into = None

    def double_click(self, event: QMouseEvent) -> None:
        part, row_id = self._view.hit(event.position())
        if row_id is None:
            return
        if part == "fold":
            self._view.laying.turn_fold(row_id)
        elif part in layout.HEAD_BUTTONS:  # two quick presses are two toggles
            toggle(self._desk, part, row_id)
        elif part == "name":
            self.start_rename(row_id)
        elif part != "head":
            self._view.body.reset(part, row_id)
        self._drag = None

    def wheel(self, event: QWheelEvent) -> bool:
        """Whether the wheel meant a rail: with Ctrl, one step a notch, for the selection where the row is in it."""
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        part, row_id = self._view.hit(event.position())
        if row_id is None or part not in self._view.columns().rails:
            return False
        self._turned += event.angleDelta().y() or event.angleDelta().x()
        notches = int(self._turned / fields.NOTCH)
        self._turned -= notches * fields.NOTCH
        if notches:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._view.body.turn(part, row_id, notches, fine=fine)
        event.accept()
        return True

    def _select(self, row_id: str, modifiers: Qt.KeyboardModifier) -> None:
        ids, selected, own = self._view.lane_ids(), self._desk.selected, self._view.laying.targets(row_id)
        self._at = row_id
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            rest = tuple(i for i in selected if i not in own)
            self._desk.select(rest if set(own) <= set(selected) and rest else (*rest, *own))
        elif modifiers & Qt.KeyboardModifier.ShiftModifier and selected and selected[0] in ids:
            a, b = sorted((ids.index(selected[0]), ids.index(row_id)))
            self._desk.select((*(i for i in self._all(ids[a : b + 1]) if i not in own), *own))
        elif not set(own) <= set(selected):
            self._desk.select(own)

    def _all(self, rows: Sequence[str]) -> list[str]:
        """What rows stand for, each once."""
        return list(dict.fromkeys(item for row in rows for item in self._view.laying.targets(row)))

    def key(self, event: QKeyEvent) -> bool:
        """Whether the key meant something."""
        modifiers = event.modifiers()
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        control = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        updown = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        far = {
            Qt.Key.Key_Home: -ALL, Qt.Key.Key_End: ALL, Qt.Key.Key_PageUp: -PAGE_ROWS, Qt.Key.Key_PageDown: PAGE_ROWS,
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in updown and control:
            self._move_selected(updown[key])
        elif key in updown:
            self._step(updown[key], extend=shift)
        elif key in far:
            self._step(far[key])
        elif self._desk.is_open and self._view.body.key(event):
            return True
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_F2) and self._desk.current:
            self.start_rename(self._desk.current)
        else:
            return False
        return True

    def start_rename(self, row_id: str) -> None:
        """A field over the row's name; Enter keeps, Escape leaves it."""
        view, desk = self._view, self._desk
        ids = view.lane_ids()
        if row_id not in ids or row_id == MIX or row_id.startswith(FAMILY):
            return
        view.scroll_to(ids.index(row_id))
        self.stop_renaming()
        row = view.rows[ids.index(row_id)]
        box = layout.head_boxes(view.row_box(ids.index(row_id)), view.head_width(), row.indent)["name"]
        field = self._renaming = QLineEdit(entry(desk.session, row_id).name, view.area)
        field.setAccessibleName("Name of the track")
        field.setGeometry(box.adjusted(-6, -4, 4, 8).toAlignedRect())
        field.selectAll()
        field.show()
        field.setFocus()

        def done() -> None:
            if field is self._renaming:
                self.stop_renaming()
                if desk.is_open and row_id in {item.id for item in desk.session.members}:
                    desk.edit(lambda s: edits.change_strips(s, (row_id,), name=field.text()))
                view.setFocus()

        field.editingFinished.connect(done)

    def stop_renaming(self) -> None:
        """Takes the field away, whatever was typed."""
        field, self._renaming = self._renaming, None
        if field is not None:
            field.hide()
            field.setParent(None)
            field.deleteLater()

    def _step(self, by: int, *, extend: bool = False) -> None:
        """Moves the selection some rows on."""
        ids, desk = self._view.lane_ids(), self._desk
        if not ids:
            return
        index = self.index
        target = ids[min(len(ids) - 1, max(0, (-1 if index is None else index) + by))]
        own = self._view.laying.targets(target)
        self._at = target
        desk.select((*(i for i in desk.selected if i not in own), *own) if extend else own)

    def _move_selected(self, by: int) -> None:
        """Moves the selected lanes one row up or down."""
        ids = self._view.lane_ids()
        rows = [ids.index(i) for i in self._desk.selected if i in ids]
        if rows:
            self._move_selected_before(min(rows) - 1 if by < 0 else max(rows) + 2)

    def _move_selected_before(self, row: int) -> None:
        """`row` counts visible rows; the session's order counts all lanes."""
        rows, desk = self._view.rows, self._desk
        if not 0 <= row <= len(rows):
            return
        if self._view.laying.arrangement.sorting is not None:
            desk.said.emit("Rows are sorted for the moment: press the column’s title again, then move them.")
            return
        order = [lane.id for lane in desk.session.lanes]
        after = [item for entry in rows[row:] for item in self._view.laying.targets(entry.lane.id) if item in order]
        index = order.index(after[0]) if after else len(order)
        desk.edit(lambda s: edits.move_lanes(s, desk.selected, index))

    def _drop_at(self, row: int) -> None:
        """Between two rows: there in the order; and, where rows are nested in groups, in the folder or out of it."""
        desk, rows = self._desk, self._view.rows
        self._move_selected_before(row)
        if self._view.laying.arrangement.nesting != "groups" or self._view.laying.arrangement.sorting is not None:
            return
        folder = None
        for above in reversed(rows[:row]):
            if isinstance(above.lane, FolderGroup) and above.members and not above.folded:
                depth_here = rows[row].depth if row < len(rows) else 0
                if above is rows[row - 1] or max(depth_here, rows[row - 1].depth) > above.depth:
                    folder = above.lane.id
                    break
        moved = [desk.session.member(item) for item in desk.selected if item != MIX]
        if any(getattr(item, "group", None) != folder for item in moved):
            put_into(desk, folder)


def put_into(desk: Desk, group: str | None) -> None:
    """Puts what is selected into a folder, as loud as it was, or through a bus; None: out of every folder."""
    wanted = [item for item in changeable(desk) if item != group]
    if not wanted:
        return
    if group is not None and not isinstance(desk.session.member(group), FolderGroup):
        strips = {strip.id for strip in desk.session.strips}
        desk.try_edit(lambda s: routing_edits.route(s, [item for item in wanted if item in strips], group))
    else:
        desk.try_edit(lambda s: routing_edits.into_folder(s, wanted, group))


def toggle(desk: Desk, field: str, row_id: str | None = None) -> None:
    """Turns a switch of a row (or of the selected ones) over."""
    wanted = changeable(desk) if row_id is None or row_id == MIX else touched(desk, row_id)
    if wanted:
        known = row_id if row_id in wanted else wanted[-1]
        assert known is not None
        value = not getattr(entry(desk.session, known), field, False)
        desk.edit(lambda s: edits.change_strips(s, wanted, **{field: value}))
