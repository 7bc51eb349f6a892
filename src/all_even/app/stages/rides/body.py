"""Rides in the lanes: each line over its backing along the song, its words as bars from the zero line, and its ride."""

from collections.abc import Hashable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box, line_box
from all_even.app.lanes.rows import Row
from all_even.app.stages.rides.relation import (
    HIDDEN,
    RANGE_DB,
    arrays,
    leads,
    paint_curve,
    paint_relation,
    paint_sections,
    paint_units,
)
from all_even.app.stages.rides.shown import LineShown, Shown
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number
from all_even.session.editing import ride_edits
from all_even.session.model.strips import Bus, FolderGroup, Lane
from all_even.session.tracks.roles import family_of


class RidesBody(Body):
    WIDE = "time"
    COLUMNS = (Column("apart", 58.0, 52.0, ("Spread", "dB")), Column("worst", 58.0, None, ("Worst", "masked")))
    folded_words = "more that are not heard"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        self._seen: dict[str, tuple[tuple[object, ...], int]] = {}
        """By strip: what its picture is drawn from, and how often that was another."""

    def refresh(self, rows: list[Row]) -> None:
        self.shown.refresh()

    def keeps(self, row: Row) -> bool:
        """What is heard; and buses and folders that are ridden."""
        if isinstance(row.lane, Bus | FolderGroup):
            return bool(row.lane.automation)
        return row.lane.id not in self.shown.lines or self.shown.of(row.lane.id) is not None

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        first = column_box(box, columns, "time")
        names = [(item.section.letter, item.section.start_s) for item in self.shown.sections]
        song_s = max(0.01, self.desk.song_s())
        words = "Words over the backing, off what is usual; the line is the ride"
        above = line_box(first, 0)
        if paint.width_of(words, theme.SMALL) > above.width():
            words = "Words over the backing"
        paint.note(painter, above, words)
        right = first.left()
        for name, start_s in names:
            x = first.left() + first.width() * start_s / song_s
            at = QRectF(x + 3, first.top() + 18, paint.width_of(name, theme.SMALL) + 2, 16)
            if at.left() >= right and at.right() <= first.right():
                paint.text(painter, at, name, size=theme.SMALL, colour=theme.colour("text"))
                right = at.right() + 4
        super().header(painter, box, columns)

    def look(self, row: Row, held: bool) -> Hashable:
        strip = row.lane
        automation = strip.automation if isinstance(strip, Lane | Bus | FolderGroup) else ()
        seen = (self.shown.of(strip.id), automation, self.shown.sections)
        known, version = self._seen.get(strip.id, ((), 0))
        if len(known) != len(seen) or any(a is not b for a, b in zip(known, seen, strict=True)):
            version += 1  # what was seen is held, so that no other object can pass for it
            self._seen[strip.id] = (seen, version)
        level = getattr(strip, "level_db", 0.0)
        return (version, strip.id in self.shown.lines, row.heard, row.song_s, level, row.lane.role)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        plot = column_box(box, columns, "time").adjusted(0, 2, 0, -2)
        song_s = max(row.song_s, 0.01)

        def x_of(seconds: float) -> float:
            return plot.left() + plot.width() * seconds / song_s

        paint_sections(painter, plot, [item.section.start_s for item in self.shown.sections], x_of)
        found = self.shown.of(row.lane.id)
        if isinstance(row.lane, Lane) and found is None:
            words = "being measured …"
            if row.lane.id in self.shown.lines:
                words = self.desk.figures.why_nothing(row.lane.id, row.heard)
            paint.note(painter, plot.adjusted(4, 0, 0, 0), words)
            return
        paint.line(painter, plot.left(), plot.center().y(), plot.right(), plot.center().y(), theme.colour("line"))
        if found is not None:
            self._line(painter, plot, row, found, x_of, song_s)
            self._figures(painter, box, columns, found, leads(row.lane.role))
        painter.save()
        painter.setClipRect(plot.adjusted(0, -1, 0, 1))
        self._ride(painter, plot, row, song_s)
        painter.restore()

    def _line(self, painter: QPainter, plot: QRectF, row: Row, found: LineShown, x_of, song_s: float) -> None:  # type: ignore[no-untyped-def]
        tint = icons.family_colour(family_of(row.lane.role), 0.8 if row.heard else 0.3)
        if found.off_db is not None:
            paint_units(painter, plot, found, x_of, tint, leads=leads(row.lane.role))
        else:
            paint_relation(painter, plot, found, (0.0, song_s), tint)

    def _figures(self, painter: QPainter, box: QRectF, columns: Columns, found: LineShown, lead: bool) -> None:
        spread, worst = found.spread_db, found.worst_hidden
        for name, text, look in (("apart", "–" if spread is None else number(spread), False),
                                 ("worst", "–" if worst is None else f"{100.0 * worst:.0f} %",
                                  lead and worst is not None and worst > HIDDEN)):  # fmt: skip
            if name in columns.boxes:
                tint = theme.colour("look" if look else "quiet" if text == "–" or self.shown.is_stale() else "text")
                paint.text(painter, column_box(box, columns, name), text, colour=tint, align=paint.RIGHT)

    def _ride(self, painter: QPainter, plot: QRectF, row: Row, song_s: float) -> None:
        """The fader's or the region's curve, off where it rests."""
        strip = row.lane
        if not isinstance(strip, Lane | Bus | FolderGroup):
            return
        session = self.desk.session
        for parameter, style in (("level_db", 1.8), ("clip_gain_db", 1.2)):
            item = next((one for one in strip.automation if one.parameter == parameter), None)
            if item is None:
                continue
            rest = ride_edits.rest_of(session, strip.id, parameter)
            scale = (rest - RANGE_DB, rest + RANGE_DB)
            paint_curve(painter, plot, arrays(item), (0.0, song_s), scale, theme.colour("act"), style)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        if isinstance(row.lane, Bus | FolderGroup) and row.lane.automation:
            self.paint(painter, box, columns, index, row, held)
            return
        ridden = sum(bool(getattr(member.lane, "automation", ())) for member in row.members)
        paint.note(
            painter, column_box(box, columns, "time"), f"{ridden} of {len(row.members)} ridden" if ridden else ""
        )

    def value(self, row: Row, column: str) -> Value:
        found = self.shown.of(row.lane.id)
        if found is None:
            return None
        return found.worst_hidden if column == "worst" else found.spread_db if column in ("apart", "time") else None

    def tip(self, part: str, row: Row) -> str:
        found = self.shown.of(row.lane.id)
        riding = found.riding if found is not None else None
        if riding is None or riding.usual_db is None:
            return f"{row.lane.name}: its level over all else along the song; it has too few words for a usual one."
        spread = riding.spread_db
        told = "" if spread is None else f" They lie {number(spread)} dB apart (10th to 90th percentile, by section)."
        worst = float(riding.hidden.max())
        return (
            f"{row.lane.name}: {len(riding)} words, usually at {number(riding.usual_db)} dB over all else.{told} "
            f"Of the worst {100.0 * worst:.0f} % is masked."
        )
