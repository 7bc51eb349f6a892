"""Space in the lanes: a depth rail, near at the left and far at the right, and what each lane sends to each return.

The handle is the lane's place by its direct against its returned sound; dragged, all its sends follow. A lane without
room stands at the rail's dry end.
"""

from dataclasses import replace

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPen

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body, Drag, changeable, touched
from all_even.app.lanes.layout import Columns, behind_wide, column_box, line_box
from all_even.app.lanes.rows import Row
from all_even.app.lanes.scales import Rail
from all_even.app.stages.space.lines import lines_of
from all_even.app.stages.space.shown import Shown
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import FINE, LEVEL, number
from all_even.session.editing import space_edits
from all_even.session.model import space
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus, Lane
from all_even.session.tracks.roles import family_of

NEAR_DB, FAR_DB = 30.0, 0.0
"""Direct over returned sound at both ends of the rail."""
TICKS_DB = (25.0, 20.0, 15.0, 10.0, 5.0)
DRY = 30.0
"""Pixels of the rail's dry end."""
TITLES = ("Dry over reverb, dB", "Dry over reverb, dB", "dB")
"""The longest that fits."""
MOST_RETURNS = 4
COLUMN, NARROW_COLUMN = 84.0, 66.0
STEP_DB = 0.5


def depth_x(left: float, width: float, ratio_db: float | None) -> float:
    """Where a figure lies on a rail; None at its dry end."""
    if ratio_db is None:
        return left + DRY / 2.0
    share = min(1.0, max(0.0, (NEAR_DB - ratio_db) / (NEAR_DB - FAR_DB)))
    return left + DRY + (width - DRY - 8.0) * share


def shown_returns(session: Session) -> tuple[Bus, ...]:
    """The returns that have a column."""
    return space.returns(session)[:MOST_RETURNS]


class SpaceBody(Body):
    WIDE = "depth"
    folded_words = "more that are groups, or not heard"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)

    def refresh(self, rows: list[Row]) -> None:
        self.shown.refresh()

    def keeps(self, row: Row) -> bool:
        """What is heard and may have a room, and the returns."""
        return row.heard and (isinstance(row.lane, Lane) or (isinstance(row.lane, Bus) and space.makes_space(row.lane)))

    def columns(self, left: float, width: float) -> Columns:
        start, inner = left + 12, width - left - 12
        wide = COLUMN if inner > 620 else NARROW_COLUMN
        returns = {bus.id: wide for bus in shown_returns(self.desk.session)} if self.desk.is_open else {}
        found = behind_wide(self.WIDE, start, inner, {"ratio": 62.0, **returns}, self.GAP)
        left, width = found.boxes[self.WIDE]
        return replace(found, rails={self.WIDE: Rail(left + DRY, width - DRY - 8.0)})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        quiet = theme.colour("quiet")
        rail = column_box(box, columns, "depth")
        paint.note(painter, QRectF(rail.left(), rail.top() + 1, 60, 16), "near")
        middle = QRectF(rail.left() + 60, rail.top() + 1, rail.width() - 120, 16)
        words = next(
            (text for text in TITLES if paint.width_of(text, theme.SMALL) <= middle.width()), TITLES[-1]
        )  # fmt: skip
        paint.note(painter, middle, words, align=paint.CENTRE)
        far = QRectF(rail.right() - 60, rail.top() + 1, 60, 16)
        paint.note(painter, far, "far", align=paint.RIGHT)
        dry = QRectF(rail.left(), rail.top() + 18, DRY, 16)
        paint.note(painter, dry, "dry", align=paint.CENTRE)
        for tick in TICKS_DB:
            x = depth_x(rail.left(), rail.width(), tick)
            at = QRectF(x - 16, rail.top() + 18, 32, 16)
            paint.note(painter, at, number(tick, 0), align=paint.CENTRE)
        ratio = column_box(box, columns, "ratio")
        for line, words in enumerate(("Depth", "dB")):
            paint.note(painter, line_box(ratio, line), words, align=paint.RIGHT)
        for bus in shown_returns(self.desk.session):
            if bus.id in columns.boxes:
                head = column_box(box, columns, bus.id)
                for line, (words, tint) in enumerate(((bus.name, theme.colour("text")), ("send, dB", quiet))):
                    paint.text(painter, line_box(head, line), words, size=theme.SMALL, colour=tint, align=paint.RIGHT)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        if isinstance(row.lane, Bus):
            self._return(painter, box, columns, row.lane)
        elif isinstance(row.lane, Lane):
            self._lane(painter, box, columns, row, row.lane, held)

    def _lane(self, painter: QPainter, box: QRectF, columns: Columns, row: Row, lane: Lane, held: bool) -> None:
        rail = column_box(box, columns, "depth")
        y = box.center().y()
        for tick in TICKS_DB:
            x = depth_x(rail.left(), rail.width(), tick)
            paint.line(painter, x, box.top() + 6, x, box.bottom() - 6, theme.colour("line", 0.45))
        paint.line(painter, rail.left() + DRY, y, rail.right(), y, theme.colour("line"), 2)
        found = self.shown.depth(lane.id)
        ratio = found.ratio_db if found is not None else None
        known = self.shown.view is not None
        x = depth_x(rail.left(), rail.width(), ratio)
        family = icons.family_colour(family_of(lane.role), 1.0 if row.heard else 0.4)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if ratio is not None:
            self._threads(painter, columns, box, lane, x, y)
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.setBrush(theme.colour("act") if held else family)
            painter.drawRoundedRect(QRectF(x - 6, y - 7, 12, 14), 3, 3)
        elif known:
            painter.setPen(QPen(theme.colour("quiet"), 1.5))
            painter.setBrush(theme.colour("panel"))
            painter.drawRoundedRect(QRectF(x - 5, y - 6, 10, 12), 3, 3)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        told = number(ratio) if ratio is not None else "dry" if known else "…"
        tint = theme.colour("quiet" if ratio is None or self.shown.is_stale() else "text")
        paint.text(painter, column_box(box, columns, "ratio"), told, colour=tint, align=paint.RIGHT)
        for bus in shown_returns(self.desk.session):
            if bus.id in columns.boxes:
                send = space.send_to(lane, bus.id)
                text = "–" if send is None else LEVEL.text(send.level_db).removesuffix(" dB")
                tone = theme.colour("quiet" if send is None else "text")
                paint.text(painter, column_box(box, columns, bus.id), text, colour=tone, align=paint.RIGHT)

    def _threads(self, painter: QPainter, columns: Columns, box: QRectF, lane: Lane, x: float, y: float) -> None:
        """From the handle to each return it sends to, under its figure; the stronger the louder."""
        lower = y + min(14.0, box.height() / 2.0 - 4.0)
        for bus in shown_returns(self.desk.session):
            send = space.send_to(lane, bus.id)
            if send is None or bus.id not in columns.boxes:
                continue
            left, column_width = columns.boxes[bus.id]
            end = left + column_width - 4.0
            tint, width = theme.colour("act", 0.45), min(3.0, max(0.8, 2.4 + send.level_db / 10.0))
            paint.line(painter, x, y + 7.0, x, lower, tint, width)
            paint.line(painter, x, lower, end, lower, tint, width)
            painter.setBrush(theme.colour("act"))
            painter.setPen(QPen(theme.colour("act"), 1))
            painter.drawEllipse(QRectF(end - 3, lower - 3, 6, 6))

    def _return(self, painter: QPainter, box: QRectF, columns: Columns, bus: Bus) -> None:
        """What a return adds, in words and figures; what is over its limit stands out."""
        area = column_box(box, columns, "depth")
        view = self.shown.of(bus.id)
        if view is None:
            words = "being measured …" if self.shown.view is None or self.shown.is_stale() else "nothing is heard of it"
            paint.note(painter, area, words)
            return
        x = area.left()
        for line in sorted(lines_of(view), key=lambda line: not line.over):
            width = paint.width_of(line.text, theme.SMALL) + 2
            if x + width > area.right():
                break
            tint = theme.colour("look" if line.over else "quiet")
            paint.text(painter, QRectF(x, area.top(), width, area.height()), line.text, size=theme.SMALL, colour=tint)
            x += width + 10
        paint.text(painter, column_box(box, columns, "ratio"), LEVEL.text(bus.level_db).removesuffix(" dB"),
                   align=paint.RIGHT)  # fmt: skip

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        ratios = [ratio for member in row.members if isinstance(ratio := self.value(member, "ratio"), float)]
        dry = len(row.members) - len(ratios)
        words = f"{number(min(ratios))} to {number(max(ratios))} dB" if ratios else ""
        told = [words, f"{dry} dry" if dry else ""]
        paint.note(painter, column_box(box, columns, "depth"), ", ".join(part for part in told if part))

    def value(self, row: Row, column: str) -> Value:
        lane = row.lane
        if column in ("ratio", "depth"):
            found = self.shown.depth(lane.id) if isinstance(lane, Lane) else None
            return found.ratio_db if found is not None else None
        send = space.send_to(lane, column) if isinstance(lane, Lane) else None
        return send.level_db if send is not None else None

    # Handles.

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        lane_ids = {lane.id for lane in self.desk.session.lanes}
        if row_id not in lane_ids or not space.space_sends(self.desk.session, self.desk.session.lane(row_id)):
            return None
        if part not in ("depth", *(bus.id for bus in shown_returns(self.desk.session))):
            return None
        return _DepthDrag(self, part, row_id, x, columns.rails["depth"].width)

    def turn(self, part: str, row_id: str, notches: int, *, fine: bool) -> None:
        self.move(touched(self.desk, row_id), notches * STEP_DB * (FINE if fine else 1.0), part)

    def nudge(self, direction: int, *, fine: bool = False, other: bool = False) -> bool:
        self.move(changeable(self.desk), direction * STEP_DB * (FINE if fine else 1.0), "depth")
        return True

    def move(self, wanted: tuple[str, ...], by_db: float, part: str) -> None:
        """All sends of these lanes, or those to one return, by so much; further away is up."""
        lanes = [item for item in wanted if self.desk.session.is_lane(item)]
        only = None if part == "depth" else part
        if lanes:
            self.desk.edit(
                lambda s: space_edits.further(s, lanes, by_db, only=only), merge=f"depth {part} {' '.join(lanes)}"
            )

    def tip(self, part: str, row: Row) -> str:
        lane = row.lane
        if isinstance(lane, Bus):
            view = self.shown.of(lane.id)
            lines = [f"{line.name}: {line.figure}" for line in lines_of(view)] if view is not None else []
            return "\n".join([f"{lane.name}: fader {LEVEL.text(lane.level_db)}", *lines])
        if not isinstance(lane, Lane):
            return super().tip(part, row)
        found = self.shown.depth(lane.id)
        ratio = found.ratio_db if found is not None else None
        if ratio is None:
            return f"{lane.name}: dry. Send it to a return, or press a move, to give it a place."
        sends = [
            f"{self.desk.session.strip_name(send.to)} at {LEVEL.text(send.level_db)}"
            for send in space.space_sends(self.desk.session, lane)
        ]
        return (
            f"{lane.name}: dry sound {number(ratio)} dB over its reverb; sends to {' and '.join(sends)}. "
            "Drag: further is louder sends. Arrow keys, Shift: finer; on a send's figure only that send."
        )


class _DepthDrag(Drag):
    """A lane's place, or one of its sends, and those of the selection it belongs to. span: of the scale, pixels."""

    def __init__(self, body: SpaceBody, part: str, row_id: str, x: float, span: float) -> None:
        super().__init__(row_id)
        self._body, self._part, self._x, self._span = body, part, x, max(1.0, span)
        self._moved_db = 0.0

    def move(self, x: float, *, fine: bool) -> bool:
        wanted_db = (x - self._x) / self._span * (NEAR_DB - FAR_DB) * (FINE if fine else 1.0)
        by_db = round(wanted_db - self._moved_db, 1)
        if by_db:
            self._moved_db += by_db
            self._body.move(touched(self._body.desk, self.grabbed), by_db, self._part)
        return False
