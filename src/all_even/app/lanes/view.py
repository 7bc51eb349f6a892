"""The lanes: one row per track, the same order and height in every stage, painted by one view.

What is visible is drawn, nothing else. Heads are the same at every stage; what stands right of them is the stage's
body (`app.stages`). The view emits edits and shows the session; it decides nothing.
"""

from collections.abc import Mapping

from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import (
    QFocusEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QLineEdit, QScrollBar, QToolButton, QToolTip, QWidget

from all_even import texts
from all_even.app import stages
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.lanes import gestures, heads, layout, scales
from all_even.app.lanes.body import Body
from all_even.app.lanes.entries import entry
from all_even.app.lanes.filtering import fits
from all_even.app.lanes.gestures import Gestures
from all_even.app.lanes.rows import Row, Rows
from all_even.app.style import paint, theme
from all_even.app.style.pictures import Pictures
from all_even.decibels import level_db
from all_even.dsp.parameter import LEVEL, PAN
from all_even.session.model import routing
from all_even.session.model.strips import Lane, Strip

BUTTON_TIP = {
    "mute": "Mute this lane (M)",
    "solo": "Hear this lane alone, or with other soloed lanes (S)",
    "polarity_inverted": "Invert the polarity (P)",
}
FALL = 0.82
"""Of a meter, per picture."""


class LaneView(QAbstractScrollArea):
    """Rows of lanes for the desk's present stage."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.show_hidden = False
        self.rows: list[Row] = []
        self._make = Rows(desk)
        self._bodies: dict[str, Body] = {}
        self.peaks: dict[str, float] = {}
        self._playhead: float | None = None
        self._pictures = Pictures()
        self.gestures = Gestures(self)
        self.setObjectName("lanes")
        self.setAccessibleName("Lanes")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.area.setMouseTracking(True)
        belonging.belongs(self, "lanes", self.point_at)
        self._filtered = 0
        """Rows that the filter keeps away."""
        self.filter = QLineEdit(self.area)
        self.filter.setAccessibleName("Filter the lanes")
        self.filter.setPlaceholderText("Filter (Ctrl+K)")
        self.filter.setToolTip(
            "Shows lanes by name, role, family, finding or state (muted, soloed, hidden, unknown) (Ctrl+K); Escape: all"
        )
        self.filter.setClearButtonEnabled(True)
        # Keys mean the lanes until somebody asks for the filter.
        self.filter.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.filter.setGeometry(66, 5, 150, layout.HEADER - 10)
        self.filter.textChanged.connect(lambda _text: self.refresh())
        self.filter.installEventFilter(self)
        self.hidden_button = QToolButton(self.area)
        self.hidden_button.setCheckable(True)
        self.hidden_button.setAccessibleName("Show hidden lanes")
        self.hidden_button.setToolTip("Show or hide the hidden lanes (Ctrl+H)")
        self.hidden_button.toggled.connect(self._set_show_hidden)
        self.fold_button = QToolButton(self.area)
        self.fold_button.setCheckable(True)
        self.fold_button.setAccessibleName("Show folded lanes")
        self.fold_button.setToolTip("Lanes that this stage is not about: show them, or fold them to this line")
        self.fold_button.toggled.connect(lambda _on: self.refresh())
        self.fold_button.hide()
        desk.changed.connect(lambda old, new: self.refresh())
        desk.opened.connect(self._on_opened)
        desk.lane_measured.connect(lambda _lane: self.refresh())
        for signal in (desk.mix_measured, desk.arrivals_changed):
            signal.connect(self.refresh)
        desk.preview_changed.connect(self.area.update)
        desk.stage_changed.connect(self._on_stage)
        desk.selection_changed.connect(self._on_selection)

    @property
    def area(self) -> QWidget:
        """What is painted on."""
        found = self.viewport()
        assert found is not None
        return found

    @property
    def body(self) -> Body:
        """The body of the present stage; made when its stage is first shown."""
        key = self.desk.stage
        if key not in self._bodies:
            self._bodies[key] = stages.VIEWS[key].make_body(self.desk)
        return self._bodies[key]

    # What to show.

    def forget_pictures(self) -> None:
        """Every row is painted anew."""
        self._pictures = Pictures()
        self.area.update()

    def refresh(self) -> None:
        """Makes the rows anew from the session and what is measured."""
        if not self.desk.is_open:
            self.rows = []
            self.area.update()
            return
        every = self._make.make(self.show_hidden)
        fitting = [row for row in every if fits(row, self.filter.text())]
        self._filtered = len(every) - len(fitting)
        folding = not self.filter.text() and not self.fold_button.isChecked()
        about = [row for row in fitting if self.body.keeps(row)]
        self.rows = [row for row in fitting if self.body.keeps(row) or row.lane.id in self.desk.selected]
        folded = len(fitting) - len(about)
        if not folding or not about:
            self.rows = fitting
        self.fold_button.setText(f"{folded} {self.body.folded_words}: {'show' if folding else 'fold'}")
        self.fold_button.setVisible(bool(folded) and bool(about) and not self.filter.text())
        session = self.desk.session
        hidden = [lane for lane in session.lanes if lane.hidden]
        sounding = sum(routing.is_sounding(session, lane) for lane in hidden)
        self.hidden_button.setVisible(bool(hidden))
        self.hidden_button.setText(f"{len(hidden)} hidden" + (f", {sounding} sound" if sounding else ""))
        self.body.refresh(self.rows)
        self._update_scroll()
        self._describe()
        self.area.update()

    def lane_ids(self) -> list[str]:
        """The visible rows in order."""
        return [row.lane.id for row in self.rows]

    def set_levels(self, peaks: Mapping[str, float], playhead: float | None) -> None:
        """Peaks (linear) per lane and the place in the song (0 to 1) of what is heard now."""
        falling = {lane: max(peaks.get(lane, 0.0), self.peaks.get(lane, 0.0) * FALL) for lane in self.lane_ids()}
        head = self.head_width()
        for index, row in enumerate(self.rows):
            old, new = self.peaks.get(row.lane.id, 0.0), falling[row.lane.id]
            if abs(scales.meter_share(level_db(old)) - scales.meter_share(level_db(new))) > 0.004:
                self.area.update(layout.head_boxes(self.row_box(index), head)["meter"].toAlignedRect())
        self.peaks = falling
        if playhead != self._playhead:
            columns = self.columns()
            for place in (self._playhead, playhead):
                x = self.body.playhead_x(columns, place) if place is not None else None
                if x is not None:
                    self.area.update(QRect(int(x) - 2, layout.HEADER, 5, self.height()))
            self._playhead = playhead
        if hasattr(self.body, "playhead"):
            self.body.playhead = playhead

    def _on_opened(self) -> None:
        self.gestures.stop_renaming()
        self.filter.clear()
        self._make.forget()
        self.peaks.clear()
        self.scroll_bar.setValue(0)
        self.refresh()

    def _on_stage(self, _stage: str) -> None:
        self.gestures.drop()
        self.refresh()
        self._on_selection()

    def _on_selection(self) -> None:
        current = self.desk.current
        ids = self.lane_ids()
        if current in ids:
            self.scroll_to(ids.index(current))
        self._describe()
        self.area.update()

    def _describe(self) -> None:
        current = self.desk.current
        ids = self.lane_ids()
        if current is not None and current in ids:
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

    @property
    def scroll_bar(self) -> QScrollBar:
        found = self.verticalScrollBar()
        assert found is not None
        return found

    def head_width(self) -> float:
        return layout.head_width(self.area.width())

    def columns(self) -> layout.Columns:
        return self.body.columns(self.head_width(), float(self.area.width()))

    def row_box(self, index: int) -> QRectF:
        return layout.row_box(index, float(self.area.width()), float(self.scroll_bar.value()))

    def _update_scroll(self) -> None:
        visible = self.area.height() - layout.HEADER
        bar = self.scroll_bar
        fold = self.fold_button.isVisibleTo(self.area)
        bar.setRange(0, max(0, len(self.rows) * layout.ROW + (layout.FOLD if fold else 0) - visible))
        bar.setPageStep(max(1, visible))
        bar.setSingleStep(layout.ROW)
        self._place_fold()

    def _place_fold(self) -> None:
        """Under the last row."""
        top = layout.HEADER + len(self.rows) * layout.ROW - self.scroll_bar.value()
        self.fold_button.setGeometry(32, top + 4, self.fold_button.sizeHint().width() + 8, layout.FOLD - 8)

    def scroll_to(self, index: int) -> None:
        """Brings a row into sight."""
        bar, visible = self.scroll_bar, self.area.height() - layout.HEADER
        top = index * layout.ROW
        if top < bar.value():
            bar.setValue(top)
        elif top + layout.ROW > bar.value() + visible:
            bar.setValue(top + layout.ROW - visible)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._update_scroll()
        ids, current = self.lane_ids(), self.desk.current
        if event is not None and event.oldSize().height() > event.size().height() and current in ids:
            row = self.row_box(ids.index(current))
            if row.top() < event.oldSize().height():  # it was in sight, and stays there
                self.scroll_to(ids.index(current))
        self.hidden_button.move(int(self.head_width()) - self.hidden_button.sizeHint().width() - 8, 5)
        self.hidden_button.resize(self.hidden_button.sizeHint())

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._place_fold()
        self.area.update()

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if event is None:
            return
        with paint.painting(self.area) as painter:
            area = event.region().boundingRect()
            head = self.head_width()
            meters = layout.head_boxes(self.row_box(0), head)["meter"]
            # Only the meters ask for so narrow a column: they are painted 30 times a second, nothing else is.
            if area.left() >= int(meters.left()) and area.right() <= meters.right() + 1:
                for index, row in enumerate(self.rows):
                    if self.row_box(index).intersects(QRectF(area)):
                        box = layout.head_boxes(self.row_box(index), head)["meter"]
                        selected = row.lane.id in self.desk.selected
                        heads.meter(painter, box, row, self.peaks.get(row.lane.id, 0.0), selected)
                return
            painter.fillRect(area, theme.colour("panel"))
            columns = self.columns()
            if area.bottom() >= layout.HEADER:
                painter.setClipRect(QRect(0, layout.HEADER, self.area.width(), self.area.height()))
                for index, row in enumerate(self.rows):
                    box = self.row_box(index)
                    if box.bottom() >= max(area.top(), layout.HEADER) and box.top() <= area.bottom():
                        self._paint_row(painter, index, row, box, columns, area)
                if self.gestures.drop_index is not None:
                    y = layout.HEADER + self.gestures.drop_index * layout.ROW - self.scroll_bar.value()
                    painter.fillRect(QRectF(0, y - 2, self.area.width(), 3), theme.colour("act"))
                painter.setClipping(False)
            if area.top() < layout.HEADER:
                self._paint_header(painter, columns)

    def _paint_header(self, painter: QPainter, columns: layout.Columns) -> None:
        header = QRectF(0, 0, self.area.width(), layout.HEADER)
        painter.fillRect(header, theme.colour("raised"))
        count = sum(isinstance(row.lane, Lane) for row in self.rows)
        shown = f"{count} of {count + self._filtered}" if self._filtered else f"{count} lane{'' if count == 1 else 's'}"
        paint.note(painter, QRectF(12, 0, 54, layout.HEADER), shown)
        if self.desk.is_open:
            self.body.header(painter, header, columns)
        paint.line(painter, 0, layout.HEADER - 0.5, header.right(), layout.HEADER - 0.5, theme.colour("line"))

    def _paint_row(
        self, painter: QPainter, index: int, row: Row, box: QRectF, columns: layout.Columns, area: QRect
    ) -> None:
        selected = row.lane.id in self.desk.selected
        head = self.head_width()
        ground = "act_soft" if selected else "panel"
        if selected:
            painter.fillRect(box, theme.colour(ground))
        if area.left() < head:
            left = QRectF(box.left(), box.top(), head, box.height())
            self._pictures.paint(
                painter, left, self, heads.look(row), lambda inside: heads.head(inside, row, box, head), ground
            )
            meter = layout.head_boxes(box, head)["meter"]
            heads.meter(painter, meter, row, self.peaks.get(row.lane.id, 0.0), selected)
        if area.right() >= head:
            held = self.gestures.held == row.lane.id
            look = self.body.look(row, held)
            if look is None:
                self.body.paint(painter, box, columns, index, row, held)
            else:
                right = QRectF(head, box.top(), box.right() - head, box.height())
                self._pictures.paint(
                    painter, right, row.report, (self.desk.stage, look),
                    lambda inside: self.body.paint(inside, box, columns, index, row, held), ground,
                )  # fmt: skip
            self.body.paint_over(painter, box, columns)
        paint.line(painter, 0, box.bottom() - 0.5, box.right(), box.bottom() - 0.5, theme.colour("line", 0.6))
        if selected and row.lane.id == self.desk.current and self.hasFocus():
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -2))

    # Mouse and keys: `gestures` knows what they mean.

    def hit(self, at: QPointF) -> tuple[str, str | None]:
        """What is under a pixel: (part, row id); parts are buttons, `name`, `head`, and those of the body."""
        index = layout.row_at(at.y(), float(self.scroll_bar.value()), len(self.rows))
        if index is None:
            return "none", None
        row_id, head = self.rows[index].lane.id, self.head_width()
        if at.x() < head:
            boxes = layout.head_boxes(self.row_box(index), head)
            for name in (*layout.HEAD_BUTTONS, "name"):
                if boxes[name].adjusted(-2, -2, 2, 2).contains(at):
                    return name, row_id
            return "head", row_id
        return self.body.part_at(self.columns(), at.x()), row_id

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Escape in the filter shows all lanes again; Enter goes to the first one that fits."""
        if watched is not self.filter or not isinstance(event, QKeyEvent):
            return super().eventFilter(watched, event)
        if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape:
            event.accept()  # it is the field's, not the window's
            return True
        if event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self.filter.clear()
                self.setFocus()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.rows:
                self.desk.select((self.rows[0].lane.id,))
                self.setFocus()
                return True
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.gestures.press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.gestures.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.gestures.release(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.gestures.double_click(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scrolls; with Ctrl over a rail it moves what the rail sets."""
        if event is not None and not self.gestures.wheel(event):
            super().wheelEvent(event)

    def point_at(self, at: QPoint) -> None:
        """Selects the row that a context menu is asked for on, where it is not selected."""
        _, row_id = self.hit(QPointF(at))
        if row_id is not None and row_id not in self.desk.selected:
            self.desk.select((row_id,))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and not self.gestures.key(event):
            super().keyPressEvent(event)

    def toggle(self, field: str, row_id: str | None = None) -> None:
        """Turns mute, solo, polarity or hidden of a row (or of the selected ones) over."""
        gestures.toggle(self.desk, field, row_id)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.area.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.desk.end_gesture()
        self.area.update()

    # Hover.

    def viewportEvent(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            QToolTip.showText(event.globalPos(), texts.tip(self.tip(QPointF(event.pos()))), self.area)
            return True
        return super().viewportEvent(event)

    def tip(self, at: QPointF) -> str:
        """What is under a pixel and its value, as plain text."""
        if not self.desk.is_open:
            return ""
        if at.y() < layout.HEADER:
            return self.body.header_tip(self.columns(), at.x())
        part, row_id = self.hit(at)
        row = next((row for row in self.rows if row.lane.id == row_id), None)
        if row is None:
            return ""
        lane = row.lane
        if part in BUTTON_TIP:
            return f"{BUTTON_TIP[part]}: {'on' if getattr(lane, part, False) else 'off'}"
        if part in ("name", "head"):
            file = f", {lane.file}" if isinstance(lane, Lane) else ""
            order = " Drag: reorder." if isinstance(lane, Lane) else ""
            return f"{lane.name}: {lane.role}{file}. Double click or Enter: rename.{order}"
        return self.body.tip(part, row)
