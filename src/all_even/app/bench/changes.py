"""What a bus makes of its members: each one's share, and how far its dynamics let it come up or sink."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.bench.drawings import Drawing
from all_even.app.station.drawing import paint_spread
from all_even.app.style import paint, theme
from all_even.dsp.parameter import decibel_text, number, signed

LINE = 16.0
LEAST_RANGE_LU = 1.0
LEAST_HILL = 70.0
LEVEL_TICKS = (-48.0, -36.0, -24.0, -12.0, 0.0)


class ChangeDrawing(Drawing):
    """A table with bars. rows: name, share in LU, change in LU or None."""

    def __init__(self) -> None:
        super().__init__(
            "Tracks in the group", "Each member's loudness in the sum, and what the dynamics here change of it"
        )
        self.rows: list[tuple[str, float | None, float | None]] = []
        self._dynamic = False
        self._range_lu = LEAST_RANGE_LU
        self._sentences = False
        self._hops: NDArray[np.float64] | None = None

    def show_rows(self, rows: list[tuple[str, float | None, float | None]], dynamic: bool) -> None:
        self.rows, self._dynamic = sorted(rows, key=lambda row: -(row[1] if row[1] is not None else -999.0)), dynamic
        self._sentences = False
        changes = [abs(row[2]) for row in rows if row[2] is not None]
        self._range_lu = max([LEAST_RANGE_LU, *changes])
        self.title = (
            "Tracks in group: share of the sum, LU; what the dynamics here let come up or sink, LU"
            if dynamic
            else "Tracks in group: share of the sum, LU"
        )
        texts = [
            f"{name} {decibel_text(share, 'LU')}" + (f" {signed(change)} LU" if change is not None else "")
            for name, share, change in self.rows
        ]
        self.setAccessibleDescription(", ".join(texts))
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(0, 20, self.width() - 8, self.height() - 22)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        fits = max(1, int((plot.height() - 8) // LINE))
        columns = 1 if len(self.rows) <= fits or plot.width() < 420 else 2
        width = plot.width() / columns
        if not self.rows:
            box = QRectF(plot.left() + 10, plot.top() + 4, plot.width() - 20, LINE)
            paint.note(painter, box, "Nothing flows in here")
        shown = self.rows[: fits * columns]
        if len(shown) < len(self.rows):
            shown = shown[:-1]
        for index, (name, share, change) in enumerate(shown):
            column, line = divmod(index, fits)
            left, y = plot.left() + column * width + 8, plot.top() + 4 + line * LINE
            self._row(painter, QRectF(left, y, width - 16, LINE), name, share, change)
        below = plot.top() + 4 + len(shown) * LINE + 8
        if self._sentences and self._hops is not None and plot.bottom() - below > LEAST_HILL:
            self._levels(painter, QRectF(plot.left(), below, plot.width(), plot.bottom() - below), self._hops)
        if len(shown) < len(self.rows):
            column, line = divmod(len(shown), fits)
            box = QRectF(plot.left() + column * width + 8, plot.top() + 4 + line * LINE, width - 16, LINE)
            rest = f"and {len(self.rows) - len(shown)} quieter ones"
            paint.note(painter, box, rest)

    def _row(self, painter: QPainter, box: QRectF, name: str, share: float | None, change: float | None) -> None:
        if self._sentences:
            paint.text(painter, box, name)
            return
        figures = 42.0
        bar = 52.0 if self._dynamic else 0.0
        value = 34.0 if self._dynamic else 0.0
        names = QRectF(box.left(), box.top(), box.width() - figures - bar - value - 8, box.height())
        paint.text(painter, names, name, size=theme.SMALL)
        figure = QRectF(names.right(), box.top(), figures, box.height())
        paint.text(painter, figure, decibel_text(share, ""), size=theme.SMALL, align=paint.RIGHT)
        if not self._dynamic:
            return
        middle = figure.right() + 8 + bar / 2
        paint.line(painter, middle, box.top() + 2, middle, box.bottom() - 2, theme.colour("quiet"))
        if change is not None:
            length = bar / 2 * min(1.0, abs(change) / self._range_lu)
            left = middle if change > 0 else middle - length
            tint = theme.colour("act" if change > 0 else "look")
            painter.fillRect(QRectF(left, box.top() + 4, max(1.0, length), box.height() - 8), tint)
        shown = "–" if change is None else signed(change)
        paint.text(
            painter,
            QRectF(middle + bar / 2, box.top(), value, box.height()),
            shown,
            size=theme.SMALL,
            align=paint.RIGHT,
        )

    def _levels(self, painter: QPainter, plot: QRectF, hops: NDArray[np.float64]) -> None:
        """How often the lane reaches each level: what thresholds of its stations will meet."""
        hill = QRectF(plot.left() + 12, plot.top() + 20, plot.width() - 24, plot.height() - 38)
        text = "How often it reaches each peak level, dBFS, in 10 ms"
        box = QRectF(hill.left(), plot.top(), hill.width(), LINE)
        paint.note(painter, box, text)
        paint_spread(painter, hill, hops, 1.0)
        paint.line(painter, hill.left(), hill.bottom(), hill.right(), hill.bottom(), theme.colour("line"))
        for tick in LEVEL_TICKS:
            x = hill.left() + hill.width() * (tick + 60.0) / 60.0
            paint.line(painter, x, hill.bottom(), x, hill.bottom() + 3, theme.colour("quiet"))
            align = paint.RIGHT if tick == 0 else paint.CENTRE
            place = QRectF(x - 30, hill.bottom() + 3, 30 if tick == 0 else 60, 14)
            paint.note(painter, place, number(tick, 0), align=align)

    def show_path(self, lines: list[str], hops: NDArray[np.float64] | None = None) -> None:
        """A lane's way in sentences, where there are no members to show. hops: (hops, 2) power and peak, if known."""
        self.rows, self._dynamic, self._sentences = [(line, None, None) for line in lines], False, True
        self._hops = hops
        self.title = "Where it leads"
        self.setAccessibleDescription("; ".join(lines))
        self.renew()
