"""How clearly the kick is heard against the level of the bass: the curve, its limit, what holds the bass, where it
is."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing
from all_even.app.style import paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from all_even.figures.kick_and_bass.ceiling import Ceiling
    from all_even.measure.sharing.focus import Focus

LOW_DB, HIGH_DB = -12.0, 18.0
LIMIT = 0.70


class FocusDrawing(Drawing):
    title = "Kick audible, % of it, against a change of the bass, dB"

    def __init__(self) -> None:
        super().__init__(
            "How clearly the kick is heard",
            "How much of the kick's low sound is heard with the bass louder or softer than now. There is no knee: "
            "70 % is the limit, the ceiling is held by what is lowest of the limit less 3 dB and the caps",
        )
        self._focus: Focus | None = None
        self._ceiling: Ceiling | None = None
        self._note = ""

    def show_focus(self, focus: "Focus | None", ceiling: "Ceiling | None", note: str) -> None:
        self._focus, self._ceiling, self._note = focus, ceiling, note
        if focus is not None:
            self.setAccessibleDescription(f"Kick audible {100 * focus.at_present:.0f} % now")
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        focus = self._focus
        if focus is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return

        def x_of(change: float) -> float:
            return plot.left() + plot.width() * (min(HIGH_DB, max(LOW_DB, change)) - LOW_DB) / (HIGH_DB - LOW_DB)

        def y_of(share: float) -> float:
            return plot.bottom() - plot.height() * share

        for tick in (0.25, 0.5, 0.7, 1.0):
            strong = tick == LIMIT
            paint.line(
                painter, plot.left(), y_of(tick), plot.right(), y_of(tick), theme.colour("line", 1.0 if strong else 0.6)
            )
            box = QRectF(0, y_of(tick) - 8, plot.left() - 5, 16)
            paint.note(painter, box, f"{100 * tick:.0f}", align=paint.RIGHT)
        for change in range(-12, 19, 6):
            x = x_of(change)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.6))
            box = QRectF(min(x - 20, self.width() - 40.0), plot.bottom() + 2, 40, 15)
            label = number(float(change), 0) if change <= 0 else f"+{change}"
            paint.note(painter, box, label, align=paint.CENTRE)
        if self._ceiling is not None:
            held = QRectF(
                x_of(self._ceiling.change_db), plot.top(), plot.right() - x_of(self._ceiling.change_db), plot.height()
            )
            painter.fillRect(held, theme.colour("look", 0.14))
            floor = QRectF(plot.left(), plot.top(), x_of(self._ceiling.at_floor_db) - plot.left(), plot.height())
            painter.fillRect(floor, theme.colour("line", 0.5))
        inside = (focus.gains_db >= LOW_DB) & (focus.gains_db <= HIGH_DB)
        painter.setPen(QPen(theme.colour("text"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        curve = zip(focus.gains_db[inside].tolist(), np.clip(focus.curve[inside], 0.0, 1.0).tolist(), strict=True)
        painter.drawPolyline(QPolygonF([QPointF(x_of(gain), y_of(share)) for gain, share in curve]))
        painter.setPen(QPen(theme.colour("act"), 2))
        painter.setBrush(theme.colour("panel"))
        painter.drawEllipse(QPointF(x_of(0.0), y_of(focus.at_present)), 5, 5)
        self._mark(painter, plot, x_of(0.0), f"now {100 * focus.at_present:.0f} %", "act", 0)
        if focus.limit_db is not None and focus.limit_db <= HIGH_DB:
            self._mark(painter, plot, x_of(focus.limit_db), f"limit {number(focus.limit_db)}", "quiet", 1)
        if self._ceiling is not None and self._ceiling.change_db <= HIGH_DB:
            self._mark(
                painter, plot, x_of(self._ceiling.change_db), f"ceiling {number(self._ceiling.change_db)}", "look", 2
            )

    @staticmethod
    def _mark(painter: QPainter, plot: QRectF, x: float, text: str, tone: str, line: int) -> None:
        colour = theme.colour(tone)
        paint.line(painter, x, plot.top(), x, plot.bottom(), colour, 1.5)
        width = paint.width_of(text, theme.SMALL) + 6
        left = x + 4 if x + 4 + width < plot.right() else x - 4 - width
        box = QRectF(left, plot.top() + 2 + 15 * line, width, 15)
        painter.fillRect(box, theme.colour("ground", 0.85))
        paint.text(painter, box, text, size=theme.SMALL, colour=colour)
