"""Share in the lanes: each track's spectrum as a ridge as it arrives; owned parts solid, hidden ones hatched."""

import math
from collections.abc import Hashable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.bench import ruler
from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.stages.share.ridges import paint_moment, paint_ridge
from all_even.app.stages.share.shown import Shown
from all_even.app.style import paint, theme
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.importance import WORDS, weight_of
from all_even.session.tracks.roles import family_of

LOW_HZ, HIGH_HZ = 30.0, 16_000.0


class ShareBody(Body):
    WIDE, GAP = "ridge", 10.0
    LIVE = "ridge"
    COLUMNS = (Column("hidden", 56.0, 52.0), Column("ear", 56.0, 52.0), Column("counts", 78.0))
    folded_words = "more that are not heard"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)

    def refresh(self, rows: list[Row]) -> None:
        self.shown.refresh()

    def keeps(self, row: Row) -> bool:
        """Whether a lane is one of the sources that share."""
        known = self.shown.measured
        if not isinstance(row.lane, Lane) or row.lane.destination == NOWHERE:
            return False
        return known is None or known.found.place(row.lane.id) is not None

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        left, width = columns.boxes["ridge"]
        plot = QRectF(left, box.top(), width, box.height())
        ruler.paint_zones(painter, plot, QRectF(left, box.top() + 1, width, 16), LOW_HZ, HIGH_HZ)
        ruler.paint_notes(painter, QRectF(left, box.top() + 34, width, 2),
                          QRectF(left, box.top() + 18, width, 16), LOW_HZ, HIGH_HZ)  # fmt: skip
        known, mean = self.shown.measured, self.shown.mean
        theme.colour("quiet")
        whole = "Masked" if known is None or known.stretch_s is None else "In loop"
        for name, label in (("hidden", whole), ("ear", "Better ear"), ("counts", "Priority")):
            if name in columns.boxes:
                head = column_box(box, columns, name)
                top = QRectF(head.left() - 8, head.top() + 1, head.width() + 8, 16)
                paint.note(painter, top, label, align=paint.RIGHT)
                value = mean if name == "hidden" else known.apart.ear_mean if known and known.apart else None
                if name != "counts" and value is not None:
                    below = QRectF(head.left() - 8, head.top() + 17, head.width() + 8, 16)
                    paint.figure(painter, below, f"{100.0 * value:.1f}", "%")

    def _place(self, lane: Lane) -> int | None:
        known = self.shown.measured
        return known.found.place(lane.id) if known is not None else None

    def look(self, row: Row, held: bool) -> Hashable:
        known, shares = self.shown.measured, self.shown.shares
        if not isinstance(row.lane, Lane):
            return (row.lane.id,)
        place = self._place(row.lane)
        share = float(shares[place]) if shares is not None and place is not None else None
        counts = weight_of(row.lane)
        return (id(known), share, row.lane.role, row.heard, counts, self.shown.predicted is None)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        left, width = columns.boxes["ridge"]
        ruler.paint_notes(painter, QRectF(left, box.top(), width, box.height()), None, LOW_HZ, HIGH_HZ)
        lane, known, shares = row.lane, self.shown.measured, self.shown.shares
        if not isinstance(lane, Lane):
            return
        tone = theme.colour("text" if row.heard else "quiet")
        if "counts" in columns.boxes:
            words = WORDS[weight_of(lane)]
            told = words if lane.importance is None else f"{words} *"
            paint.text(painter, column_box(box, columns, "counts"), told, colour=tone, align=paint.RIGHT)
        place = self._place(lane)
        if known is None or shares is None or place is None:
            return
        unit = known.found.units[place]
        inner = QRectF(left, box.top() + 3, width, box.height() - 6)
        if unit.id != lane.id:
            paint.note(painter, inner, f"summed with {unit.head.name}")
            return
        paint_ridge(painter, inner, known.ridges[place], family_of(lane.role), heard=row.heard,
                    low_hz=LOW_HZ, high_hz=HIGH_HZ)  # fmt: skip
        figures = [("hidden", float(shares[place]))]
        figures.append(("ear", float(known.apart.ear[place]) if known.apart is not None else math.nan))
        for name, value in figures:
            predicted = name == "hidden" and self.shown.predicted is not None
            text = "–" if math.isnan(value) else f"{100.0 * value:.0f}"
            paint.figure(painter, column_box(box, columns, name), text, "" if text == "–" else "%",
                         colour=theme.colour("quiet") if predicted else tone)  # fmt: skip

    def paint_over(self, painter: QPainter, box: QRectF, columns: Columns, row: Row) -> None:
        """The selected source as it sounds just now, and the sum."""
        at, known = self.position_s, self.shown.measured
        if at is None or known is None or row.lane.id not in self.desk.selected:
            return
        moment, place = self.shown.moment(row.lane.id, at), known.found.place(row.lane.id)
        if moment is not None and place is not None and known.found.units[place].id == row.lane.id:
            left, width = columns.boxes["ridge"]
            paint_moment(painter, QRectF(left, box.top() + 3, width, box.height() - 6), moment,
                         float(known.ridges[place].level_db.max()), low_hz=LOW_HZ, high_hz=HIGH_HZ)  # fmt: skip

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        shares = [
            (share, member) for member in row.members if (share := self.shown.share_of(member.lane.id)) is not None
        ]
        together = self.shown.share_together([member.lane.id for member in row.members])
        if shares:
            worst, member = max(shares, key=lambda item: item[0])
            words = f"most masked: {member.lane.name}, {100.0 * worst:.0f} %"
            paint.note(painter, column_box(box, columns, "ridge"), words)
        if together is not None:
            paint.figure(painter, column_box(box, columns, "hidden"), f"{100.0 * together:.0f}", "%")

    def value(self, row: Row, column: str) -> Value:
        if row.members:
            return self.shown.share_together([member.lane.id for member in row.members]) if column == "hidden" else None
        if column == "counts":
            return -float(list(WORDS).index(weight_of(row.lane))) if isinstance(row.lane, Lane) else None
        if column == "ear":
            known, place = self.shown.measured, self._place(row.lane) if isinstance(row.lane, Lane) else None
            value = math.nan if known is None or known.apart is None or place is None else float(known.apart.ear[place])
            return None if math.isnan(value) else value
        return self.shown.share_of(row.lane.id) if column in ("hidden", "ridge") else None

    def tip(self, part: str, row: Row) -> str:
        return (
            f"{row.lane.name}: its spectrum in the mix. Solid is heard, hatched is masked by the others. "
            "Masked: how much of it in all; better ear: in the ear where less of it is masked, panned as it is. "
            "Microphones of one source count as one. With a loop, of the loop."
        )

    def header_tip(self, columns: Columns, x: float) -> str:
        return (
            "All that counts, weighted by importance: masked in all, and in the better ear. Six zones over note names."
        )
