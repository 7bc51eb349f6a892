"""The lanes: one row per track, the same order and height in every stage, painted by one view.

What is visible is drawn, nothing else. Heads are the same at every stage; what stands right of them is the stage's
body (`app.stages`). The view emits edits and shows the session; it decides nothing.
"""

from collections.abc import Mapping

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, pyqtSignal
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
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QToolTip, QWidget

from all_even import texts
from all_even.app import stages
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.lanes import gestures, heads, layout, scales, tips
from all_even.app.lanes.arrangement import NAME, arranged
from all_even.app.lanes.body import Body
from all_even.app.lanes.filtering import Filter
from all_even.app.lanes.gestures import Gestures
from all_even.app.lanes.laying import Laying
from all_even.app.lanes.over_heads import OverHeads
from all_even.app.lanes.rows import Row, Rows
from all_even.app.style import paint, theme
from all_even.app.style.pictures import Pictures
from all_even.decibels import level_db
from all_even.session.model import routing
from all_even.session.model.strips import Lane

FALL = 0.82
"""Of a meter, per picture."""


class LaneView(QAbstractScrollArea):
    """Rows of tracks for the desk's present stage."""

    row_size_changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.laying = Laying(self)
        self.rows: list[Row] = []
        self._pinned = 0
        """How many of the rows stay at the top."""
        self._lit: set[tuple[str, bool]] = set()
        """The rows that are painted as selected; whether they have the frame of the keys."""
        self._make = Rows(desk)
        self._bodies: dict[str, Body] = {}
        self.peaks: dict[str, float] = {}
        self._playhead: float | None = None
        self._pictures = Pictures()
        self.gestures = Gestures(self)
        self.setObjectName("lanes")
        self.setAccessibleName("Tracks")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.area.setMouseTracking(True)
        belonging.belongs(self, "lanes", self.point_at)
        self._away = 0
        """How many tracks the filter, or the choice of some, keeps away."""
        self.over_heads = OverHeads(self, self.laying.nest_next)
        desk.changed.connect(lambda old, new: self.refresh())
        desk.opened.connect(self._on_opened)
        desk.lane_measured.connect(lambda _lane: self.refresh())
        for signal in (desk.mix_measured, desk.arrivals_changed):
            signal.connect(self.refresh)
        desk.preview_changed.connect(self.area.update)
        desk.stage_changed.connect(self._on_stage)
        desk.selection_changed.connect(self.selection_into_sight)

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
            self.rows, self._pinned = [], 0
            self.area.update()
            return
        session, above = self.desk.session, self.over_heads
        text = above.filter.text()
        every = self._make.make(above.hidden.isChecked())
        wanted = Filter(text, self.desk)
        fitting = [row for row in every if wanted.fits(row)]
        about = [row for row in fitting if self.body.keeps(row)]
        shown = [row for row in fitting if self.body.keeps(row) or row.lane.id in self.desk.selected]
        if text or above.more.isChecked() or not about:
            shown = fitting
        self.rows, self._pinned = arranged(
            session, shown, self.laying.arrangement, self.body.value, self._make.head, opened=bool(text)
        )
        tracks = sum(isinstance(row.lane, Lane) for row in every)
        folded = sum(len(row.members) for row in self.rows if row.folded)
        self._away = tracks - folded - sum(isinstance(row.lane, Lane) for row in self.rows)
        if not text and self.laying.arrangement.only is None:
            self._away = 0  # what the stage is not about is said under the rows
        above.show_more(len(fitting) - len(about) if about else 0, self.body.folded_words)
        hidden = [lane for lane in session.lanes if lane.hidden]
        above.show_hidden(len(hidden), sum(routing.is_sounding(session, lane) for lane in hidden))
        above.show_nesting(self.laying.arrangement.nesting)
        self.body.refresh(self.rows)
        self._update_scroll()
        self.setAccessibleDescription(tips.described(self, self.desk))
        self.area.update()

    def go_to_first(self) -> None:
        if self.rows:
            self.desk.select(self.laying.targets(self.rows[0].lane.id))
            self.setFocus()

    def lane_ids(self) -> list[str]:
        """The visible rows in order."""
        return [row.lane.id for row in self.rows]

    def set_levels(self, peaks: Mapping[str, float], playhead: float | None) -> None:
        """Peaks (linear) per lane and the place in the song (0 to 1) of what is heard now."""
        before, head, stack = self.peaks, self.head_width(), self.stack
        self.peaks = {
            item: max(peaks.get(item, 0.0), before.get(item, 0.0) * FALL) for item in before.keys() | peaks.keys()
        }
        seen = [(self.rows[index], stack.box(index, float(self.area.width()))) for index in stack.seen]
        for row, box in seen:
            old, new = heads.peak_of(row, before), heads.peak_of(row, self.peaks)
            if abs(scales.meter_share(level_db(old)) - scales.meter_share(level_db(new))) > 0.004:
                self.area.update(layout.head_boxes(box, head, row.indent)["meter"].toAlignedRect())
        if playhead != self._playhead:
            columns = self.columns()
            for place in (self._playhead, playhead):
                x = self.body.playhead_x(columns, place) if place is not None else None
                if x is not None:
                    self.area.update(QRect(int(x) - 2, layout.HEADER, 5, self.height()))
            live = columns.boxes.get(self.body.LIVE)
            for row, box in seen if live is not None else ():
                if live is not None and self._is_selected(row):
                    self.area.update(QRectF(live[0], box.top(), live[1], box.height()).toAlignedRect())
            self._playhead = playhead
        self.body.play_at(playhead)

    def _is_selected(self, row: Row) -> bool:
        """Itself, or, a head that is no strip, everything below it."""
        selected = self.desk.selected
        if row.lane.id in selected:
            return True
        return bool(row.members) and set(self.laying.targets(row.lane.id)) <= set(selected)

    def _on_opened(self) -> None:
        self.gestures.stop_renaming()
        self.over_heads.filter.clear()
        self._make.forget()
        self.laying.take_up()
        self.peaks.clear()
        self.scroll_bar.setValue(0)
        self.refresh()

    def _on_stage(self, _stage: str) -> None:
        self.gestures.drop()
        self.laying.unsort()
        self.refresh()
        self.selection_into_sight()

    def selection_into_sight(self) -> None:
        index = self.gestures.index
        if index is not None:
            self.scroll_to(index)
        self.setAccessibleDescription(tips.described(self, self.desk))
        self._light()

    def _light(self) -> None:
        """Paints the rows anew that are selected since, or are no more."""
        before, index = self._lit, self.gestures.index
        self._lit = {(row.lane.id, at == index) for at, row in enumerate(self.rows) if self._is_selected(row)}
        changed = {lane_id for lane_id, _ in before ^ self._lit}
        stack, width = self.stack, float(self.area.width())
        for at, row in enumerate(self.rows if changed else ()):
            if row.lane.id in changed:
                self.area.update(stack.box(at, width).toAlignedRect())

    def set_show_hidden(self, _on: bool) -> None:
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

    @property
    def stack(self) -> layout.Stack:
        """Where the rows lie."""
        height, view = layout.HEIGHTS[self.laying.row_size], float(self.area.height())
        return layout.Stack(len(self.rows), height, self._pinned, float(self.scroll_bar.value()), view)

    def row_box(self, index: int) -> QRectF:
        return self.stack.box(index, float(self.area.width()))

    def _update_scroll(self) -> None:
        stack, bar = self.stack, self.scroll_bar
        room = max(1, int(stack.view - stack.top))
        bar.setRange(0, max(0, stack.beyond + self.over_heads.height))
        bar.setPageStep(room)
        bar.setSingleStep(stack.height)
        self._place()

    def _place(self) -> None:
        self.over_heads.place(self.head_width(), self.stack.row_top(len(self.rows)))

    def scroll_to(self, index: int) -> None:
        """Brings a row into sight."""
        self.scroll_bar.setValue(round(self.stack.scrolled_to(index)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._update_scroll()
        index = self.gestures.index
        lower = event is not None and event.oldSize().height() > event.size().height()
        if event is not None and lower and index is not None and self.row_box(index).top() < event.oldSize().height():
            self.scroll_to(index)  # it was in sight, and stays there

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._place()
        self.area.update()

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if event is None:
            return
        with paint.painting(self.area) as painter:
            region, area = event.region(), event.region().boundingRect()
            columns, stack, width = self.columns(), self.stack, float(self.area.width())
            painter.fillRect(area, theme.colour("panel"))
            for shown, top in ((stack.moving, stack.top), (range(stack.held), layout.HEADER)):
                bottom = stack.top if top < stack.top else stack.view
                painter.setClipRect(QRectF(0, top, self.area.width(), bottom - top))
                for index in shown:
                    box = stack.box(index, width)
                    touched = region.intersected(box.toAlignedRect()).boundingRect()
                    if not touched.isEmpty():
                        self._paint_row(painter, index, self.rows[index], box, columns, touched)
            painter.setClipping(False)
            if stack.held:
                painter.fillRect(QRectF(0, stack.top - 2, self.area.width(), 2), theme.colour("act"))
            self._paint_drop(painter, stack)
            if area.top() < layout.HEADER:
                self._paint_header(painter, columns)

    def _paint_drop(self, painter: QPainter, stack: layout.Stack) -> None:
        """Where what is dragged would go: between two rows, or into a group."""
        into, before = self.gestures.drop_into, self.gestures.drop_index
        ids = self.lane_ids()
        if into in ids:
            painter.setPen(QPen(theme.colour("act"), 3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.row_box(ids.index(into)).adjusted(2, 2, -2, -2))
        elif before is not None:
            painter.fillRect(QRectF(0, stack.row_top(before) - 2, self.area.width(), 3), theme.colour("act"))

    def _paint_header(self, painter: QPainter, columns: layout.Columns) -> None:
        header = QRectF(0, 0, self.area.width(), layout.HEADER)
        painter.fillRect(header, theme.colour("raised"))
        tracks = sum(len(row.members) if row.folded else isinstance(row.lane, Lane) for row in self.rows)
        self.over_heads.paint_count(painter, tracks, self._away)
        if self.desk.is_open:
            self.body.header(painter, header, columns)
            self._paint_sorting(painter, columns)
        paint.line(painter, 0, layout.HEADER - 0.5, header.right(), layout.HEADER - 0.5, theme.colour("line"))

    def _paint_sorting(self, painter: QPainter, columns: layout.Columns) -> None:
        """A bar under the column that the rows are sorted by; its thick end is where the large ones stand."""
        sorting = self.laying.arrangement.sorting
        if sorting is not None:
            boxes = {NAME: (10.0, self.head_width() - 20.0), **columns.boxes}
            left, width = boxes.get(sorting.column, (0.0, 0.0))
            layout.paint_sorted(painter, QRectF(left, layout.HEADER - 6, width, 5), falling=sorting.falling)

    def _paint_row(
        self, painter: QPainter, index: int, row: Row, box: QRectF, columns: layout.Columns, touched: QRect
    ) -> None:
        """touched: the part that is painted anew; 30 times a second no more than the meter."""
        selected, head = self._is_selected(row), self.head_width()
        meter = layout.head_boxes(box, head, row.indent)["meter"]
        if meter.toAlignedRect().contains(touched):
            heads.meter(painter, meter, row, heads.peak_of(row, self.peaks), selected)
            return
        ground = "act_soft" if selected else "raised" if row.members else "panel"
        if ground != "panel":
            painter.fillRect(box, theme.colour(ground))
        if touched.left() < head:
            left = QRectF(box.left(), box.top(), head, box.height())
            self._pictures.paint(
                painter, left, self, heads.look(row), lambda inside: heads.head(inside, row, box, head), ground
            )
            heads.meter(painter, meter, row, heads.peak_of(row, self.peaks), selected)
        if touched.right() >= head:
            held = self.gestures.held == row.lane.id
            look = self.body.look(row, held) if not row.members else None
            if row.members:
                self.body.paint_sum(painter, box, columns, index, row, held)
            elif look is None:
                self.body.paint(painter, box, columns, index, row, held)
            else:
                right = QRectF(head, box.top(), box.right() - head, box.height())
                self._pictures.paint(
                    painter, right, row.report, (self.desk.stage, look),
                    lambda inside: self.body.paint(inside, box, columns, index, row, held), ground,
                )  # fmt: skip
            self.body.paint_over(painter, box, columns, row)
        paint.line(painter, 0, box.bottom() - 0.5, box.right(), box.bottom() - 0.5, theme.colour("line", 0.6))
        if selected and index == self.gestures.index and self.hasFocus():
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -2))

    # Mouse and keys: `gestures` knows what they mean.

    def hit(self, at: QPointF) -> tuple[str, str | None]:
        """What is under a pixel: (part, row id); parts are buttons, `name`, `head`, and those of the body."""
        index = self.stack.at(at.y())
        if index is None:
            return "none", None
        row, head = self.rows[index], self.head_width()
        if at.x() < head:
            boxes = layout.head_boxes(self.row_box(index), head, row.indent)
            if row.members and layout.fold_box(boxes).contains(at):
                return "fold", row.lane.id
            for name in (*layout.HEAD_BUTTONS, "name"):
                if boxes[name].adjusted(-2, -2, 2, 2).contains(at):
                    return name, row.lane.id
            return "head", row.lane.id
        return self.body.part_at(self.columns(), at.x()), row.lane.id

    def header_column(self, at: QPointF) -> str | None:
        """The column over which a pixel of the header lies."""
        if at.y() >= layout.HEADER:
            return None
        return NAME if at.x() < self.head_width() else self.body.part_at(self.columns(), at.x())

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
            self.desk.select(self.laying.targets(row_id))

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
        return tips.tip(self, at) if self.desk.is_open else ""
