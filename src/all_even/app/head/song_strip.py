"""The song strip: the loudness of the whole mix along the song; click to go there, drag to mark a loop."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPixmap,
    QPolygonF,
    QShortcut,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLineEdit, QWidget

from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.style import fields, paint, theme
from all_even.dsp.parameter import time_text
from all_even.session.editing import edits
from all_even.session.model.on_time_line import Loop
from all_even.session.model.session import Session
from all_even.session.song import song_map

if TYPE_CHECKING:
    from all_even.measure.recording.track import TrackMeasures

RANGE_LU = 24.0
"""The strip shows what lies within this much of the loudest moment."""
CLICK_PX = 4
EDGE_PX = 4.0
"""So near to where a section begins, that is taken hold of."""
SHORTEST_S = 4.0
"""No stretch is shorter."""
ZOOM_STEP = 1.25
"""A notch of the wheel."""
AXIS = 16


class SongStrip(QWidget):
    located = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(56)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Song strip")
        self.setToolTip(
            "Momentary loudness of the mix, 24 LU up to its loudest, from the last measuring. "
            "Click: go there (Left, Right). "
            "Drag: mark a section to repeat (L). Ctrl+wheel: closer (Ctrl+=, Ctrl+-, Ctrl+0); wheel: along the song."
        )
        belonging.belongs(self, "song strip")
        self.length_s = 1.0
        self._position_s = 0.0
        self._from_s, self._closer = 0.0, 1.0
        """Where the shown stretch begins, and how many of it the song is long."""
        self._drag: tuple[float, float] | None = None
        self._section: int | None = None
        """The section whose beginning is in the hand."""
        self.field: QLineEdit | None = None
        self._course: QPixmap | None = None
        desk.mix_measured.connect(self.renew)
        desk.opened.connect(self.renew)
        desk.opened.connect(self._leave_field)
        desk.song_changed.connect(self.renew)
        desk.changed.connect(self._on_changed)

    def _on_changed(self, old: Session, new: Session) -> None:
        if old.loop != new.loop or old.notes != new.notes or old.song != new.song:
            self.renew()

    def set_length(self, seconds: float) -> None:
        if seconds > 0 and seconds != self.length_s:
            self.length_s = seconds
            self.zoom(1.0)

    def set_position(self, seconds: float) -> None:
        """Where it plays; a stretch that is left is turned like a page."""
        if not self._is_shown(seconds) and seconds != self._position_s and self._drag is None:
            self._position_s = seconds
            self._scroll_to(seconds - 0.05 * self._span_s)
        if abs(self.x_of(seconds) - self.x_of(self._position_s)) >= 0.5:
            for place in (self._position_s, seconds):
                self.update(int(self.x_of(place)) - 4, 0, 9, self.height())
            self._position_s = seconds

    def renew(self) -> None:
        self._course = None
        self.update()

    # The stretch that is shown.

    @property
    def shown(self) -> tuple[float, float]:
        """Beginning and end of the stretch that is shown, in seconds."""
        return self._from_s, self._from_s + self._span_s

    @property
    def _span_s(self) -> float:
        return self.length_s / self._closer

    def zoom(self, factor: float, at_s: float | None = None) -> None:
        """A stretch shorter by `factor` around a place (the playing position); 0 shows the whole song."""
        middle = self._position_s if at_s is None else at_s
        share = (middle - self._from_s) / self._span_s
        closest = max(1.0, self.length_s / SHORTEST_S)
        self._closer = 1.0 if factor == 0.0 else min(closest, max(1.0, self._closer * factor))
        if not 0.0 <= share <= 1.0:
            share = 0.5
        self._scroll_to(middle - share * self._span_s)

    def _scroll_to(self, from_s: float) -> None:
        self._from_s = max(0.0, min(self.length_s - self._span_s, from_s))
        start, end = self.shown
        shown = "the whole song" if self._closer == 1.0 else f"{time_text(start)} to {time_text(end)}"
        self.setAccessibleDescription(f"Shows {shown}")
        self.renew()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Along the song; with Ctrl closer or further, around what is under the pointer."""
        if event is None:
            return
        turned = (event.angleDelta().y() or event.angleDelta().x()) / fields.NOTCH
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(ZOOM_STEP**turned, self.seconds_at(event.position().x()))
        else:
            self._scroll_to(self._from_s - 0.1 * turned * self._span_s)
        event.accept()

    def x_of(self, seconds: float) -> float:
        return 12 + (self.width() - 24) * min(1.0, max(0.0, (seconds - self._from_s) / self._span_s))

    def seconds_at(self, x: float) -> float:
        return self._from_s + min(1.0, max(0.0, (x - 12) / (self.width() - 24))) * self._span_s

    def _is_shown(self, seconds: float) -> bool:
        return self._from_s <= seconds <= self._from_s + self._span_s

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            if self._course is None or self._course.width() != int(self.width() * self.devicePixelRatioF()):
                self._course = self._draw_course()
            painter.drawPixmap(0, 0, self._course)
            if self._drag is not None:
                a, b = sorted((self.x_of(self._drag[0]), self.x_of(self._drag[1])))
                painter.fillRect(QRectF(a, 0, b - a, self.height() - AXIS), theme.colour("act", 0.25))
            if self._is_shown(self._position_s):
                x = self.x_of(self._position_s)
                painter.fillRect(QRectF(x - 1, 0, 2, self.height() - AXIS + 3), theme.colour("look"))
            if self._closer > 1.0:  # which part of the song this is
                width = self.width() - 24
                left = 12 + width * self._from_s / self.length_s
                painter.fillRect(QRectF(12, self.height() - 2, width, 2), theme.colour("line"))
                painter.fillRect(
                    QRectF(left, self.height() - 2, max(4.0, width / self._closer), 2), theme.colour("act")
                )
            if self.hasFocus():
                painter.setPen(theme.colour("act"))
                painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _draw_course(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        pixmap = QPixmap(int(self.width() * ratio), int(self.height() * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(theme.colour("ground"))
        with paint.painting(pixmap) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            bottom = self.height() - AXIS
            painter.fillRect(QRectF(12, 0, self.width() - 24, bottom), theme.colour("panel"))
            mix = self.desk.mix
            if mix is not None and len(mix.hops) > 40:
                self._paint_course(painter, mix, bottom)
            else:
                paint.note(painter, QRectF(20, 0, 400, bottom), "The course of the mix appears when it is measured.")
            self._paint_sections(painter, bottom)
            loop = self.desk.session.loop if self.desk.is_open else None
            if loop is not None:
                a, b = self.x_of(loop.start_s), self.x_of(loop.end_s)
                painter.fillRect(QRectF(a, 0, b - a, bottom), theme.colour("act", 0.22 if loop.active else 0.08))
                for seconds in (loop.start_s, loop.end_s):
                    if self._is_shown(seconds):
                        painter.fillRect(QRectF(self.x_of(seconds) - 1, 0, 2, bottom), theme.colour("act"))
            for note in self.desk.session.notes if self.desk.is_open else ():
                if not self._is_shown(note.position_s):
                    continue
                x = self.x_of(note.position_s)
                path = QPainterPath(QPointF(x - 4, 0))
                path.lineTo(x + 4, 0)
                path.lineTo(x, 7)
                painter.fillPath(path, theme.colour("look"))
            self._paint_axis(painter, bottom)
        return pixmap

    def _paint_sections(self, painter: QPainter, bottom: float) -> None:
        """Where bars begin, and each section with its name."""
        song = self.desk.figures.song if self.desk.is_open else None
        if song is None:
            return
        bars = song.tempo.downbeats_s if song.tempo is not None else ()
        if len(bars) > 1 and self.x_of(bars[1]) - self.x_of(bars[0]) >= 5.0:
            for bar in bars:
                if self._is_shown(bar):
                    painter.fillRect(QRectF(self.x_of(bar), bottom - 4, 1, 4), theme.colour("quiet", 0.8))
        for mark in song_map.marks_of(self.desk.session, song):
            x = self.x_of(mark.start_s)
            if self._is_shown(mark.start_s):
                painter.fillRect(QRectF(x, 0, 1, bottom), theme.colour("text", 0.55))
            box = QRectF(x + 4, 0, min(90.0, paint.width_of(mark.name, theme.SMALL) + 2), 14)
            if self._is_shown(mark.start_s) and box.right() < self.width() - 12:
                painter.fillRect(box, theme.colour("panel", 0.8))
                paint.text(painter, box, mark.name, size=theme.SMALL, colour=theme.colour("text"))

    def section_edge(self, x: float) -> int | None:
        """The section that begins under a pixel; the first one's beginning stays."""
        song = self.desk.figures.song if self.desk.is_open else None
        if song is None:
            return None
        marks = song_map.marks_of(self.desk.session, song)
        near = [(abs(self.x_of(mark.start_s) - x), index) for index, mark in enumerate(marks) if index]
        return min(near)[1] if near and min(near)[0] <= EDGE_PX else None

    def ask(self, what: str, text: str, done: "Callable[[str], None]") -> None:
        """A field over the strip; Enter takes what was typed, Escape leaves it."""
        self._leave_field()
        field = self.field = QLineEdit(text, self)
        field.setAccessibleName(what)
        field.setPlaceholderText(what)
        field.setToolTip(f"{what}; Enter takes it, Escape leaves it")
        field.setGeometry(int(min(self.width() - 180.0, max(12.0, self.x_of(self._position_s)))), 6, 168, theme.TARGET)
        field.selectAll()
        field.show()
        field.setFocus()

        def take() -> None:
            typed = field.text().strip()
            self._leave_field()
            if typed and self.desk.is_open:
                done(typed)

        field.returnPressed.connect(take)
        escape = QShortcut(QKeySequence("Esc"), field)
        escape.setContext(Qt.ShortcutContext.WidgetShortcut)
        escape.activated.connect(self._leave_field)

    def _leave_field(self) -> None:
        """Takes the field away with what was typed: also when another session is opened, which nobody asked about."""
        field, self.field = self.field, None
        if field is not None:
            if field.hasFocus():
                self.setFocus()
            field.hide()
            field.deleteLater()

    def _paint_course(self, painter: QPainter, mix: "TrackMeasures", bottom: float) -> None:
        from all_even.measure.level.loudness import momentary_lufs

        course = momentary_lufs(mix.hops.weighted)
        loudest = float(course.max(initial=-70.0))
        share = np.clip(1.0 + (course - loudest) / RANGE_LU, 0.0, 1.0)
        half = (bottom - 6) / 2
        middle = bottom / 2
        start, end = self.shown
        first, last = max(0, int((start - 0.3) / 0.1)), min(len(share), int((end + 0.1) / 0.1) + 1)
        if last - first < 2:
            return
        share = share[first:last]
        columns = max(2, min(len(share), self.width()))
        starts = np.linspace(0, len(share), columns, endpoint=False).astype(int)
        loudest_there = np.maximum.reduceat(share, starts)
        xs = [self.x_of((first + index) * 0.1 + 0.2) for index in starts.tolist()]
        edge = [middle - half * value for value in loudest_there.tolist()]
        points = [QPointF(x, y) for x, y in zip(xs, edge, strict=True)]
        points += [QPointF(x, 2.0 * middle - y) for x, y in zip(xs[::-1], edge[::-1], strict=True)]
        path = QPainterPath()
        path.addPolygon(QPolygonF(points))
        painter.fillPath(path, theme.colour("quiet", 0.55))

    def _paint_axis(self, painter: QPainter, bottom: float) -> None:
        step = next((s for s in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600) if self._span_s / s <= 14), 1200)
        start, end = self.shown
        for index in range(int(np.ceil(start / step)), int(end / step) + 1):
            x = self.x_of(index * step)
            painter.fillRect(QRectF(x, bottom, 1, 4), theme.colour("quiet"))
            box = QRectF(x + 4, bottom + 1, 40, 13)
            if box.right() < self.width():
                paint.note(painter, box, time_text(index * step)[:-2])

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = self.seconds_at(event.position().x())
        self._section = self.section_edge(event.position().x())
        if self._section is None:
            self._drag = (at, at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        song = self.desk.figures.song if self.desk.is_open else None
        if self._section is not None and song is not None:
            index, at = self._section, song_map.on_bar(song, self.seconds_at(event.position().x()))
            self.desk.edit(lambda s: song_map.move_section(s, song, index, at), merge=f"section {index}")
        elif self._drag is not None:
            self._drag = (self._drag[0], self.seconds_at(event.position().x()))
            self.update()
        else:
            edge = self.section_edge(event.position().x()) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._section is not None:
            self._section = None
            self.desk.end_gesture()
        if self._drag is None:
            return
        start, end = sorted(self._drag)
        self._drag = None
        if self.x_of(end) - self.x_of(start) <= CLICK_PX:
            self.located.emit(end)
        else:
            self.desk.edit(lambda s: edits.set_loop(s, Loop(start_s=start, end_s=end, active=True)))
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 2.0
        self.located.emit(max(0.0, self._position_s + step * fine))
