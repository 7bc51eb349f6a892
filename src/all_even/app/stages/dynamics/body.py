"""Dynamics in the lanes: notes, words or hits as dots by time, hollow before, filled now; gain hangs from the top."""

from collections.abc import Hashable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box, line_box
from all_even.app.lanes.rows import Row
from all_even.app.stages.dynamics.marks import WIDTH, marks, paint_marks, sentences
from all_even.app.stages.dynamics.shown import Shown
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from all_even.measure.dynamics.movement import Movement

RIBBON, RIBBON_DB = 13.0, 12.0
"""The ribbon's height in pixels, and the gain it stands for."""
DOT, MARGIN = 2.4, 4.0
MOST_DOTS = 400
LEAST_RANGE_DB = 12.0
NOW = "before → now"


class DynamicsBody(Body):
    WIDE = "time"
    COLUMNS = (
        Column("spread", 76.0, 76.0, ("Spread, dB", NOW)),
        Column("punch", 76.0, None, ("Punch, dB", NOW)),
        Column("crest", 76.0, None, ("Crest, dB", NOW)),
        Column("side", WIDTH, WIDTH, ("Side effects", "over their limit"), paint.CENTRE),
    )
    NARROW = 600.0
    folded_words = "more that are not heard"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)

    def refresh(self, rows: list[Row]) -> None:
        self.shown.refresh()

    def keeps(self, row: Row) -> bool:
        """What is heard, and what is not measured yet."""
        if isinstance(row.lane, Lane) and row.lane.destination == NOWHERE:
            return False
        return row.lane.id not in self.shown.movements or self.shown.of(row.lane.id) is not None

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        first = column_box(box, columns, "time")
        words = "Notes, words, hits along the song"
        paint.note(painter, line_box(first, 0), words)
        self._legend(painter, line_box(first, 1))
        super().header(painter, box, columns)

    def _legend(self, painter: QPainter, box: QRectF) -> None:
        theme.colour("quiet")
        x = box.left() + 4
        for filled, word in ((False, "before"), (True, "now")):
            _dots(painter, np.array([x]), np.array([box.center().y()]), "quiet", filled=filled)
            width = paint.width_of(word, theme.SMALL)
            paint.note(painter, QRectF(x + 7, box.top(), width + 4, 16), word)
            x += width + 24
        ribbon = QRectF(x, box.top() + 3, 14, 7)
        painter.fillRect(ribbon, theme.colour("act", 0.55))
        words = "gain, from the top"
        paint.note(painter, QRectF(x + 19, box.top(), paint.width_of(words, theme.SMALL) + 4, 16), words)

    def look(self, row: Row, held: bool) -> Hashable:
        return (id(self.shown.of(row.lane.id)), row.lane.id in self.shown.movements, row.heard, row.song_s,
                row.lane.role if isinstance(row.lane, Lane) else "")  # fmt: skip

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        plot = column_box(box, columns, "time").adjusted(0, 2, 0, -2)
        found = self.shown.of(row.lane.id)
        if found is None:
            words = "being measured …"
            if row.lane.id in self.shown.movements:
                words = (
                    "nothing passes here"
                    if not isinstance(row.lane, Lane)
                    else self.desk.figures.why_nothing(row.lane.id, row.heard)
                )
            paint.note(painter, plot, words)
            return
        song_s = max(row.song_s, 0.01)
        family = family_of(row.lane.role) if isinstance(row.lane, Lane) else "buses"
        paint_ribbon(painter, plot, found.gain_db, song_s)
        if isinstance(row.lane, Lane) and len(found.units):
            paint_units(painter, plot, found, song_s, family, heard=row.heard)
        else:
            paint_moments(painter, plot, found, song_s)
        for name, (before, now) in figures(found).items():
            if name in columns.boxes:
                paint_change(painter, column_box(box, columns, name), before, now, moved=found.moved)
        if "side" in columns.boxes:
            paint_marks(painter, column_box(box, columns, "side"), marks(found.side if found.moved else None))

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        if row.lane.id in self.shown.movements:
            self.paint(painter, box, columns, index, row, held)
            return
        over = [member.lane.name for member in row.members if self._over(member)]
        words = f"side effects over their limit: {', '.join(over)}" if over else ""
        paint.text(painter, column_box(box, columns, "time"), words, size=theme.SMALL, colour=theme.colour("look"))

    def _over(self, row: Row) -> int:
        """How many of its side effects pass their limit."""
        found = self.shown.of(row.lane.id)
        return sum(mark.over for mark in marks(found.side)) if found is not None and found.moved else 0

    def value(self, row: Row, column: str) -> Value:
        found = self.shown.of(row.lane.id)
        if found is None:
            return None
        if column == "side":
            return self._over(row) + (0.5 if found.moved else 0.0)
        return figures(found).get("spread" if column == "time" else column, (None, None))[1]

    def tip(self, part: str, row: Row) -> str:
        found = self.shown.of(row.lane.id)
        if found is None:
            return super().tip(part, row)
        if part == "side":
            lines = sentences(marks(found.side)) if found.moved else []
            return "\n".join(lines) or f"{row.lane.name}: nothing works on its level, so there are no side effects."
        if found.is_sum:
            apart = found.moments_now_db
            told = "too short to tell" if apart is None else f"{number(apart)} dB apart (10th to 90th percentile)"
            return f"{row.lane.name}: its loud and soft moments of 0.4 s are {told}."
        spread = found.spread_now_db
        told = (
            "too few notes for a spread" if spread is None else f"{number(spread)} dB apart (10th to 90th percentile)"
        )
        return f"{row.lane.name}: {len(found.units)} notes, words or hits, {told}."


def figures(found: "Movement") -> "dict[str, tuple[float | None, float | None]]":
    """What the columns show, (before, now). A sum has moments instead of notes, and no punch of its own."""
    if found.is_sum:
        moments = (found.moments_before_db, found.moments_now_db)
        return {"spread": moments, "punch": (None, None), "crest": (found.crest_before_db, found.crest_now_db)}
    return {
        "spread": (found.spread_before_db, found.spread_now_db),
        "punch": (found.punch_before_db, found.punch_now_db),
        "crest": (found.crest_before_db, found.crest_now_db),
    }


def paint_change(painter: QPainter, box: QRectF, before: float | None, now: float | None, *, moved: bool) -> None:
    """`7.7 → 4.6`, or one figure where nothing moves it."""
    if now is None:
        paint.text(painter, box, "–", colour=theme.colour("quiet"), align=paint.RIGHT)
        return
    paint.text(painter, box, number(now), align=paint.RIGHT)
    if moved and before is not None:
        width = paint.width_of(number(now)) + 6
        was = QRectF(box.left(), box.top(), box.width() - width, box.height())
        paint.note(painter, was, f"{number(before)} →", align=paint.RIGHT)


def paint_ribbon(
    painter: QPainter, plot: QRectF, gain_db: "NDArray[np.float64]", song_s: float, height: float = RIBBON
) -> None:
    """Gain that is taken, hanging from the top; a pixel column shows its most. height: of 12 dB."""
    if not len(gain_db) or not np.any(gain_db):
        return
    width = max(1, int(plot.width() * min(1.0, len(gain_db) * 0.01 / song_s)))
    edges = np.linspace(0, len(gain_db), width + 1).astype(int)
    most = np.maximum.reduceat(-gain_db, edges[:-1])
    depth = height * np.clip(most / RIBBON_DB, 0.0, 1.0)
    shape = QPolygonF([QPointF(plot.left(), plot.top())])
    for x, y in enumerate(depth):
        shape.append(QPointF(plot.left() + x, plot.top() + float(y)))
    shape.append(QPointF(plot.left() + width, plot.top()))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("act", 0.55))
    painter.drawPolygon(shape)


def paint_units(painter: QPainter, plot: QRectF, found: "Movement", song_s: float, family: str, *, heard: bool) -> None:
    """Every unit twice: hollow where it was, filled where it is."""
    step = -(-len(found.units) // MOST_DOTS)
    middle = 0.5 * (found.units.starts_s + found.units.ends_s)[::step]
    before, now = found.units.levels_db[::step], found.now_db[::step]
    both = np.concatenate((before, now)) if found.moved else before
    low, high = np.percentile(both, (2, 98))
    wide = max(LEAST_RANGE_DB, float(high - low) + 3.0)
    top = 0.5 * float(high + low) + 0.5 * wide
    inner = plot.adjusted(0, MARGIN, 0, -MARGIN)
    xs = inner.left() + inner.width() * middle / song_s

    def heights(levels: "NDArray[np.float64]") -> "NDArray[np.float64]":
        share = np.clip((top - levels) / wide, 0.0, 1.0)
        return np.asarray(inner.top() + inner.height() * share)

    tint = f"family:{family}" if heard else "quiet"
    if found.moved:
        _dots(painter, xs, heights(before), "quiet", filled=False)
    _dots(painter, xs, heights(now), tint, filled=True)


def paint_moments(painter: QPainter, plot: QRectF, found: "Movement", song_s: float) -> None:
    """A sum has no notes: its loudness along the song, before as a thin line and now as a strong one."""
    before, now = found.momentary
    known = before[np.isfinite(before)]
    if not len(known):
        return
    top = float(np.percentile(known, 99)) + 1.0
    low = min(top - LEAST_RANGE_DB, float(np.percentile(known, 5)) - 1.0)
    inner = plot.adjusted(0, MARGIN, 0, -MARGIN)
    for levels, tint, width in ((before, "quiet", 1.0), (now, "text", 1.6)):
        if levels is before and not found.moved:
            continue
        step = max(1, int(len(levels) / max(1.0, inner.width())))
        part = levels[::step]
        xs = inner.left() + inner.width() * np.arange(len(part)) * step * 0.1 / song_s
        ys = inner.top() + inner.height() * np.clip((top - np.maximum(part, low)) / (top - low), 0.0, 1.0)
        painter.setPen(QPen(theme.colour(tint), width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs, ys, strict=True)]))


def _dots(painter: QPainter, xs: "NDArray[np.float64]", ys: "NDArray[np.float64]", tint: str, *, filled: bool) -> None:
    from all_even.app.style import icons

    colour = icons.family_colour(tint.removeprefix("family:")) if tint.startswith("family:") else theme.colour(tint)
    painter.setPen(Qt.PenStyle.NoPen if filled else QPen(colour, 1.0))
    painter.setBrush(colour if filled else Qt.BrushStyle.NoBrush)
    for x, y in zip(xs, ys, strict=True):
        painter.drawEllipse(QPointF(float(x), float(y)), DOT, DOT)
