"""Gather's close look at two lanes that belong together: both waves at one hit, as they are and brought together."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QWidget

from all_even import texts
from all_even.app.bench.drawings import TOP, Drawing
from all_even.app.desk import Desk
from all_even.app.style import fields, icons, layouts, paint, theme
from all_even.dsp.parameter import number
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.sources.pair_overlay import Overlay
    from all_even.figures.sources.relations import Relation
    from all_even.session.model.ledger import Proposal

WORDS = {"source": "one source", "distant": "a distance", "duplicate": "the same", "alternative": "alternate takes"}
LOW_DB, HIGH_DB = -12.0, 6.0


def said(desk: Desk, lane_id: str, relation: "Relation") -> str:
    """A relation from one lane's side, for a list."""
    other = desk.session.strip_name(relation.other(lane_id))
    if relation.offset_ms is None:
        return f"{other}: {WORDS[relation.kind]}"
    later = relation.offset_ms if lane_id == relation.a else -relation.offset_ms
    side = f"{number(abs(later), 2)} ms {'later' if later > 0.0 else 'earlier'}" if abs(later) >= 0.03 else "in time"
    far = f", {relation.distance_cm:.0f} cm" if relation.distance_cm is not None and abs(later) >= 0.03 else ""
    upside = ", polarity inverted" if relation.polarity == -1 else ""
    return f"{other}: {WORDS[relation.kind]}, {side}{far}{upside}"


class OverlayDrawing(Drawing):
    """Left: now; right: together; at the far right the gain of the low sum at each hit, hollow before, filled after."""

    title = ""

    def __init__(self) -> None:
        super().__init__(
            "Both waves at one hit",
            "Left as they are, right brought together; dots: gain of the sum below 250 Hz at each hit",
        )
        self._overlay: Overlay | None = None
        self._colours = (QColor(), QColor())
        self._note = ""

    def show_overlay(self, overlay: "Overlay | None", roles: tuple[str, str], note: str) -> None:
        self._overlay, self._note = overlay, note
        self._colours = (icons.family_colour(family_of(roles[0]), 1.0), theme.colour("text", 0.85))
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(0, TOP, self.width(), self.height() - TOP - 16)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self._overlay
        theme.colour("quiet")
        if found is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        gains = 74.0 if len(found.now_db) else 0.0
        half = (plot.width() - gains - 16) / 2
        boxes = [QRectF(plot.left() + i * (half + 8), plot.top(), half, plot.height()) for i in range(2)]
        for box, title, a, b in (
            (boxes[0], "now", found.a, found.b), (boxes[1], "together", found.then_a, found.then_b)
        ):  # fmt: skip
            head = QRectF(box.left(), 0, box.width(), 16)
            paint.note(painter, head, title)
            self._waves(painter, box, found.times_ms, a, b)
        if gains:
            self._gains(painter, QRectF(plot.right() - gains, plot.top(), gains, plot.height()), found)

    def _waves(self, painter: QPainter, box: QRectF, times: np.ndarray, a: np.ndarray, b: np.ndarray) -> None:
        low, high = float(times[0]), float(times[-1])
        middle = box.center().y()
        paint.line(painter, box.left(), middle, box.right(), middle, theme.colour("line", 0.8))
        for tick in (0, 10, 20):
            x = box.left() + box.width() * (tick - low) / (high - low)
            paint.line(painter, x, box.top(), x, box.bottom(), theme.colour("line", 0.6))
            under = QRectF(x - 20, box.bottom() + 1, 40, 14)
            text = f"{tick} ms" if tick == 0 else f"{tick}"
            paint.note(painter, under, text, align=paint.CENTRE)
        every = max(1, len(times) // max(1, int(2 * box.width())))
        xs = box.left() + box.width() * (times[::every] - low) / (high - low)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for wave, colour, width in ((a, self._colours[0], 1.8), (b, self._colours[1], 1.2)):
            ys = middle - wave[::every] * 0.46 * box.height()
            painter.setPen(QPen(colour, width))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))

    def _gains(self, painter: QPainter, box: QRectF, found: "Overlay") -> None:
        def y_of(level: float) -> float:
            share = (min(HIGH_DB, max(LOW_DB, level)) - LOW_DB) / (HIGH_DB - LOW_DB)
            return box.bottom() - box.height() * share

        theme.colour("quiet")
        paint.note(painter, QRectF(box.left(), 0, box.width(), 16), "<250 Hz, dB")
        for tick in (-12.0, -6.0, 0.0, 6.0):
            y = y_of(tick)
            paint.line(painter, box.left() + 22, y, box.right(), y, theme.colour("line", 1.0 if tick == 0.0 else 0.6))
            label = QRectF(box.left() - 4, y - 7, 22, 14)
            paint.note(painter, label, number(tick, 0), align=paint.RIGHT)
        for gains, x, filled in ((found.now_db, box.left() + 36, False), (found.then_db, box.left() + 58, True)):
            painter.setPen(QPen(theme.colour("act", 0.5), 1))
            painter.setBrush(theme.colour("act", 0.35) if filled else Qt.BrushStyle.NoBrush)
            for index, gain in enumerate(gains[:60]):
                painter.drawEllipse(QPointF(x + 3.0 * ((index % 3) - 1), y_of(float(gain))), 2.4, 2.4)
            if len(gains):
                y = y_of(float(gains.mean()))
                paint.line(painter, x - 9, y, x + 9, y, theme.colour("text"), 2)


class Together(QWidget):
    """Which lanes the selected one belongs to; the chosen pair is drawn, and can be brought together when asked."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._relations: tuple[Relation, ...] = ()
        self._lane = ""
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        row = layouts.row(spacing=6)
        self.choice: QComboBox = fields.choice()
        self.choice.setAccessibleName("Belongs to")
        self.choice.setMinimumHeight(theme.TARGET)
        self.choice.setMinimumWidth(120)
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.activated.connect(lambda _index: self._draw())
        self.align = fields.button(
            "Together", "Bring the two together by polarity and delay, also where their distance is a choice", self._ask
        )
        self.part = fields.button(
            "Two players", "These are two players and not two microphones at one source: each counts alone", self._part
        )
        column.addWidget(self.choice)
        row.addStretch(1)
        row.addWidget(self.part)
        row.addWidget(self.align)
        column.addLayout(row)
        self.drawing = OverlayDrawing()
        column.addWidget(self.drawing, 1)

    def show_relations(self, lane_id: str, found: "tuple[Relation, ...]") -> None:
        """Those of one lane; the pair that was chosen stays where it is still there."""
        same = lane_id == self._lane
        kept = self.choice.currentIndex() if same else 0
        changed = not same or found != self._relations
        self._lane, self._relations = lane_id, found
        if changed:
            self.choice.clear()
            for relation in found:
                self.choice.addItem(texts.line(said(self.desk, lane_id, relation)))
            self.choice.setCurrentIndex(min(max(0, kept), len(found) - 1))
            self.choice.setToolTip(texts.tip("Tracks that belong to this one, and how they stand to each other"))
            self._draw()

    @property
    def chosen(self) -> "Relation | None":
        index = self.choice.currentIndex()
        return self._relations[index] if 0 <= index < len(self._relations) else None

    def _draw(self) -> None:
        relation, look = self.chosen, self.desk.figures.look()
        self.align.setEnabled(relation is not None and relation.offset_ms is not None)
        self.part.setVisible(relation is not None and relation.kind == "source")
        if relation is None or look is None:
            self.drawing.show_overlay(None, ("", ""), "")
            return
        if relation.offset_ms is None:
            self.drawing.show_overlay(None, ("", ""), "They play the same; their waves have nothing in common.")
            return
        roles = (look.session.lane(relation.a).role, look.session.lane(relation.b).role)

        def laid_over(look: "Look") -> "Overlay | None":
            from all_even.figures.sources.pair_overlay import overlay

            return overlay(look, relation)

        def done(found: "Overlay | None") -> None:
            if self.chosen == relation:
                self.drawing.show_overlay(found, roles, "Nothing to lay over each other.")

        self.drawing.show_overlay(None, roles, "Being laid over each other …")
        self.desk.figures.find("overlay", laid_over, done, line="quick")

    def _part(self) -> None:
        """The chosen two are players of their own."""
        from all_even.session.editing import sources

        relation, desk = self.chosen, self.desk
        if relation is not None:
            pair = (relation.a, relation.b)
            names = ", ".join(desk.session.strip_name(item) for item in pair)
            desk.edit(lambda s: sources.apart(s, pair), text=f"Players, not microphones: {names}")

    def _ask(self) -> None:
        """The move for this pair, also one that nobody would propose."""
        relation, desk = self.chosen, self.desk
        if relation is None:
            return

        def asked(look: "Look") -> "Proposal | None":
            from all_even.moves.gather import align

            return align.asked(look, relation, proven=False)

        def done(found: "Proposal | None") -> None:
            if found is not None:
                desk.moves.apply(found)
            else:
                desk.said.emit("Nothing to do: the two stand together already, or share no hits.")

        desk.figures.find("ask", asked, done)
