"""Balance in the lanes: the spread of each lane's loudness as it arrives, and rails for level and pan."""

from collections.abc import Hashable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from all_even.app.desk import Desk
from all_even.app.lanes import scales
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body, Drag, changeable, touched
from all_even.app.lanes.entries import entry
from all_even.app.lanes.layout import ROW, Columns, column_box, line_box
from all_even.app.lanes.rows import Row
from all_even.app.lanes.scales import Rail
from all_even.app.style import icons, paint, theme
from all_even.app.style.pictures import Pictures
from all_even.dsp.parameter import FINE, LEVEL, PAN, decibel_text, number
from all_even.session.editing import edits
from all_even.session.model.strips import Strip
from all_even.session.tracks.roles import family_of

RAIL_ROOM = 16.0
"""Of a row's height, for the fader's rail under the ridge."""


class BalanceBody(Body):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._pictures = Pictures()
        self._seen: dict[str, tuple[object, int]] = {}
        """By row: what its picture is drawn from, and how often that was another."""

    def columns(self, left: float, width: float) -> Columns:
        start, inner = left + 12, width - left - 12
        narrow = inner < 560
        level_value, arrives, pan_value = (58.0, 72.0, 44.0) if narrow else (64.0, 76.0, 48.0)
        pan = 56.0 if narrow else min(116.0, inner * 0.16)
        rail = inner - level_value - arrives - pan - pan_value - 4 * 12
        boxes = {
            "rail": (start, rail),
            "level_value": (start + rail + 6, level_value),
            "arrives": (start + rail + level_value + 12, arrives),
            "pan": (start + rail + level_value + arrives + 30, pan),
            "pan_value": (start + rail + level_value + arrives + pan + 42, pan_value),
        }
        return Columns(boxes, {"level": Rail(start + 6, rail - 12), "pan": Rail(boxes["pan"][0] + 6, pan - 12)})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        balance_header(painter, box, columns)

    def value(self, row: Row, column: str) -> Value:
        if column in ("level", "rail", "level_value"):
            return row.lane.level_db
        if column == "arrives":
            return row.arrival.integrated_lufs if row.arrival is not None else None
        return row.lane.pan if column in ("pan", "pan_value") and isinstance(row.lane, Strip) else None

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        self.paint(painter, box, columns, index, row, held)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        balance(painter, box, columns, row, held, self._pictures)
        self._ghosts(painter, box, columns, row)

    def _ghosts(self, painter: QPainter, box: QRectF, columns: Columns, row: Row) -> None:
        """Where the move that is looked at would put the handles."""
        moves, lane_id = self.desk.moves, row.lane.id
        level, pan = moves.previewed("levels_db").get(lane_id), moves.previewed("pans").get(lane_id)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("look"), 1.6, Qt.PenStyle.DotLine))
        if level is not None:
            x, y = columns.rails["level"].level_x(level), rail_y(box)
            painter.drawRoundedRect(QRectF(x - 5, y - 6, 10, 12), 3, 3)
        if pan is not None:
            x, y = columns.rails["pan"].pan_x(pan), box.top() + box.height() / 2
            painter.drawPolygon(QPolygonF([QPointF(x, y - 7), QPointF(x + 6, y), QPointF(x, y + 7), QPointF(x - 6, y)]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def look(self, row: Row, held: bool) -> Hashable | None:
        lane = row.lane
        if self.desk.moves.preview is not None:
            return None  # ghosts are over it
        known, version = self._seen.get(lane.id, (None, 0))
        if known is not row.arrival:
            version += 1  # what was seen is held, so that no other object can pass for it
            self._seen[lane.id] = (row.arrival, version)
        pan = lane.pan if isinstance(lane, Strip) else None
        return version, lane.id, lane.role, row.heard, held, lane.level_db, pan

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        if part not in columns.rails:
            return None
        return _RailDrag(self.desk, part, row_id, x, columns.rails[part])

    def reset(self, part: str, row_id: str) -> None:
        """Back to the default."""
        wanted = touched(self.desk, row_id)
        if part == "level":
            self.desk.edit(lambda s: edits.change_strips(s, wanted, level_db=LEVEL.default))
        elif part == "pan":
            self.desk.edit(lambda s: edits.change_strips(s, wanted, pan=PAN.default))

    def turn(self, part: str, row_id: str, notches: int, *, fine: bool) -> None:
        wanted = touched(self.desk, row_id)
        if wanted:
            self._nudge(wanted, notches, fine=fine, pan=part == "pan")

    def nudge(self, direction: int, *, fine: bool = False, other: bool = False) -> bool:
        """One step of the selected lanes' level. other: of their pan."""
        wanted = changeable(self.desk)
        if wanted:
            self._nudge(wanted, direction, fine=fine, pan=other)
        return True

    def _nudge(self, wanted: tuple[str, ...], direction: int, *, fine: bool, pan: bool) -> None:
        """Each lane from where it is."""
        step = (PAN.step if pan else LEVEL.step) * (FINE if fine else 1.0) * direction
        if pan:
            self.desk.edit(lambda s: edits.nudge_pans(s, wanted, step), merge="nudge pan" + "".join(wanted))
        else:
            self.desk.edit(lambda s: edits.nudge_levels(s, wanted, step), merge="nudge level" + "".join(wanted))

    def tip(self, part: str, row: Row) -> str:
        lane = row.lane
        if part == "level":
            arrives = decibel_text(row.arrival.integrated_lufs if row.arrival else None, "LUFS")
            return (
                f"Level {LEVEL.text(lane.level_db)}; loudness in the mix {arrives}. Drag, or arrow keys "
                "(Shift: finer); double click: 0 dB. The ridge shows how long the track is how loud."
            )
        if part == "pan" and isinstance(lane, Strip):
            return f"Pan {PAN.text(lane.pan)}. Drag, or Alt+arrow keys; double click: centre."
        return super().tip(part, row)


class _RailDrag(Drag):
    """A handle on a rail: level or pan of a row, and of the selection it belongs to."""

    def __init__(self, desk: Desk, part: str, row_id: str, x: float, rail: Rail) -> None:
        super().__init__(row_id)
        self._desk, self._part, self._rail, self._x = desk, part, rail, x
        lane = entry(desk.session, row_id)
        self._start = lane.level_db if part == "level" else getattr(lane, "pan", 0.0)

    def move(self, x: float, *, fine: bool) -> bool:
        by, rail = (x - self._x) * (FINE if fine else 1.0), self._rail
        wanted = touched(self._desk, self.grabbed)
        merge = f"{self._part} {self.grabbed}"
        if self._part == "pan":
            pan = rail.pan_at(rail.pan_x(self._start) + by)
            if len(wanted) == 1:
                self._desk.edit(lambda s: edits.change_strips(s, wanted, pan=pan), merge=merge)
            else:
                further = pan - getattr(entry(self._desk.session, self.grabbed), "pan", 0.0)
                self._desk.edit(lambda s: edits.nudge_pans(s, wanted, further), merge=merge)
            return False
        level_db = rail.level_at(rail.level_x(self._start) + by)
        if len(wanted) == 1:
            self._desk.edit(lambda s: edits.change_strips(s, wanted, level_db=round(level_db, 1)), merge=merge)
        else:
            change = level_db - entry(self._desk.session, self.grabbed).level_db
            self._desk.edit(lambda s: edits.nudge_levels(s, wanted, change), merge=merge)
        return False


def balance_header(painter: QPainter, header: QRectF, columns: Columns) -> None:
    rail = columns.rails["level"]
    theme.colour("quiet")
    left, width = columns.boxes["rail"]
    upper = QRectF(left, header.top() + 1, width, 16)
    lower = QRectF(left, header.top() + 18, width, 16)
    wide = width > 300
    for tick in scales.LEVEL_TICKS if wide else (-40.0, -20.0, -10.0, 0.0, 12.0):
        x = rail.level_x(tick)
        label = number(tick, 0) if tick <= 0 else f"+{tick:.0f}"
        paint.text(painter, QRectF(x - 18, upper.top(), 36, 16), label, size=theme.SMALL, colour=theme.colour("act"),
                   align=paint.CENTRE)  # fmt: skip
    paint.text(painter, QRectF(left, upper.top(), 26, 16), "dB", size=theme.SMALL, colour=theme.colour("act"))
    paint.note(painter, QRectF(left, lower.top(), 40, 16), "LUFS")
    for tick in scales.LOUDNESS_TICKS if wide else (-40.0, -20.0):
        x = rail.loudness_x(tick)
        paint.note(painter, QRectF(x - 18, lower.top(), 36, 16), number(tick, 0), align=paint.CENTRE)
    for name, label, align in (
        ("level_value", "Level", paint.RIGHT),
        ("pan", "Pan", paint.CENTRE),
    ):
        paint.note(painter, column_box(header, columns, name), label, align=align)
    for line, words in enumerate(("Loudness", "in mix")):
        paint.note(painter, line_box(column_box(header, columns, "arrives"), line), words, align=paint.RIGHT)


def balance(painter: QPainter, row: QRectF, columns: Columns, content: Row, dragging: bool, pictures: Pictures) -> None:
    lane, rail = content.lane, columns.rails["level"]
    half = (row.height() - (RAIL_ROOM if row.height() >= ROW else 6.0)) / 2.0
    middle = row.top() + 4.0 + half if row.height() >= ROW else row.top() + 1.0 + half
    for tick in scales.LOUDNESS_TICKS:
        x = rail.loudness_x(tick)
        paint.line(painter, x, row.top() + 2, x, middle + half + 2, theme.colour("line", 0.45))
    if content.arrival is not None:
        arrival, left = content.arrival, float(round(rail.left)) - 4.0
        around = QRectF(left, middle - half - 2.0, float(round(rail.width)) + 8.0, 2.0 * half + 4.0)
        pictures.paint(
            painter, around, arrival, (lane.role, content.heard, round(rail.left % 1.0, 3)),
            lambda inside: ridge(inside, rail, middle, half, content, lane.role),
        )  # fmt: skip
    level_rail(painter, rail, rail_y(row), lane.level_db, content.heard, dragging)
    paint.figure(painter, column_box(row, columns, "level_value"), *paint.split_figure(LEVEL.text(lane.level_db)))
    arrives = content.arrival.integrated_lufs if content.arrival is not None else None
    paint.figure(
        painter, column_box(row, columns, "arrives"), *paint.split_figure(decibel_text(arrives, "LUFS")),
        colour=theme.colour("text" if content.heard else "quiet"),
    )  # fmt: skip
    if isinstance(lane, Strip):  # a folder group has no sound of its own, and no place
        pan_rail(painter, columns.rails["pan"], row, lane.pan, content.heard)
        pan = PAN.text(lane.pan)
        paint.text(painter, column_box(row, columns, "pan_value"), pan, size=theme.SMALL, align=paint.RIGHT)


def rail_y(row: QRectF) -> float:
    """Where the fader's rail lies in a row; in a small one it runs through the foot of the ridge."""
    return row.bottom() - (7.0 if row.height() >= ROW else 6.5)


def ridge(painter: QPainter, rail: Rail, middle: float, half: float, content: Row, role: str) -> None:
    """The loudness distribution mirrored around the row's middle, with its gated mean as a bar."""
    from all_even.figures.arriving.arrival import BIN_LU, QUIETEST_LUFS

    if content.arrival is None:
        return

    spread = np.convolve(content.arrival.spread, (0.25, 0.5, 0.25), mode="same")
    top = spread.max(initial=0.0)
    if top <= 0.0:
        return
    heights = half * np.sqrt(spread / top)
    xs = [rail.loudness_x(QUIETEST_LUFS + (i + 0.5) * BIN_LU) for i in range(len(heights))]
    path = QPainterPath(QPointF(xs[0], middle))
    for x, height in zip(xs, heights, strict=True):
        path.lineTo(x, middle - height)
    for x, height in zip(reversed(xs), heights[::-1], strict=True):
        path.lineTo(x, middle + height)
    path.closeSubpath()
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    family = family_of(role)
    if content.heard:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour(family, 0.75))
    else:  # not heard: only the outline, told by form as well as by strength
        painter.setPen(QPen(icons.family_colour(family, 0.8), 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
    painter.restore()
    lufs = content.arrival.integrated_lufs
    if lufs is not None:
        x = rail.loudness_x(lufs)
        paint.line(painter, x, middle - half - 1, x, middle + half + 1, theme.colour("text"), 2)


def level_rail(painter: QPainter, rail: Rail, y: float, level_db: float, heard: bool, dragging: bool) -> None:
    paint.line(painter, rail.left, y, rail.left + rail.width, y, theme.colour("line"), 2)
    zero = rail.level_x(0.0)
    paint.line(painter, zero, y - 4, zero, y + 4, theme.colour("quiet"), 1)
    x = rail.level_x(level_db)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("act"), 2))
    painter.setBrush(theme.colour("act") if heard or dragging else theme.colour("panel"))
    painter.drawRoundedRect(QRectF(x - 5, y - 6, 10, 12), 3, 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def pan_rail(painter: QPainter, rail: Rail, row: QRectF, pan: float, heard: bool) -> None:
    y = row.top() + row.height() / 2
    paint.line(painter, rail.left, y, rail.left + rail.width, y, theme.colour("line"), 2)
    centre, x = rail.pan_x(0.0), rail.pan_x(pan)
    paint.line(painter, centre, y - 6, centre, y + 6, theme.colour("quiet"), 1)
    if abs(x - centre) > 1:
        paint.line(painter, centre, y, x, y, theme.colour("act"), 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("act"), 2))
    painter.setBrush(theme.colour("act") if heard else theme.colour("panel"))
    painter.drawPolygon(QPolygonF([QPointF(x, y - 7), QPointF(x + 6, y), QPointF(x, y + 7), QPointF(x - 6, y)]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
