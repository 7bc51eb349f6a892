"""One hit, large: kick filled, the bass before as a line and with the duck filled, the duck hanging from the top with
its landmarks to take hold of, the sum over all, hole and pile-up hatched; every hit faint behind.
"""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import BOTTOM, Drawing
from all_even.app.bench.handled import Handled
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import FINE, number

if TYPE_CHECKING:
    from all_even.moves.low_end.ducks.beat import Beat

FLOOR_DB, CEILING_DB = -36.0, 4.0
GAIN_DB, DEEP_GAIN_DB = 24.0, 60.0
"""The duck's own scale hangs from the top and fills the drawing at this; at the second, which is the processor's end,
where a hand went deeper than usual."""
HOLE_DB, PILE_DB = -1.0, 1.0
REACH = 12.0
MOST_WARNINGS = 3
FAINT = 10
"""How many single hits are drawn behind."""
WORDS = {"steps": "attack", "holds": "hold", "back": "release", "depth": "depth"}


class BeatDrawing(Handled, Drawing):
    """landmark_moved: (which, ms from the hit or dB) while it is dragged."""

    OVER = Qt.CursorShape.PointingHandCursor

    title = "One hit: all hits laid over each other, dB relative to the kick's peak"
    landmark_moved = pyqtSignal(str, float)

    def __init__(self) -> None:
        super().__init__(
            "One hit of kick and bass",
            "Kick filled, bass before as a dotted line and with the duck filled, the sum as a line; the duck hangs "
            "from "
            "above with its landmarks: drag them. Dips and peaks are hatched. Arrow keys move the chosen landmark",
        )
        self.beat: Beat | None = None
        self._handles: tuple[str, ...] = ()
        self._note = ""
        self.chosen = "back"
        self.full_db = GAIN_DB
        """What the duck's scale ends at; it stays while the depth is dragged."""
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_beat(self, beat: "Beat | None", handles: tuple[str, ...], note: str, where: str = "") -> None:
        """where: of the song these hits are, in words."""
        self.title = (
            f"One hit: all hits{where} laid over each other, dB relative to the kick's peak; the duck hangs from above"
        )
        self.beat, self._handles, self._note = beat, handles, note
        if beat is not None and beat.landmarks is not None:
            marks = beat.landmarks
            if self.held is None:
                self.full_db = GAIN_DB if marks.depth_db <= 0.9 * GAIN_DB else DEEP_GAIN_DB
            self.setAccessibleDescription(
                f"Hold to {marks.holds_ms:.0f} ms, released at {marks.back_ms:.0f} ms, {marks.depth_db:.1f} dB "
                f"deep; dip {beat.figures.gap_db:.1f} dB, peak {beat.figures.pile_up_db:.1f} dB. "
                f"{'. '.join(beat.warnings)}"
            )
        self.renew()

    # Geometry.

    def _x(self, plot: QRectF, ms: float) -> float:
        assert self.beat is not None
        low, high = float(self.beat.times_ms[0]), float(self.beat.times_ms[-1])
        return plot.left() + plot.width() * (min(high, max(low, ms)) - low) / (high - low)

    def _ms(self, plot: QRectF, x: float) -> float:
        assert self.beat is not None
        low, high = float(self.beat.times_ms[0]), float(self.beat.times_ms[-1])
        return low + (high - low) * min(1.0, max(0.0, (x - plot.left()) / plot.width()))

    @staticmethod
    def _y(plot: QRectF, level: float) -> float:
        return plot.bottom() - plot.height() * (max(FLOOR_DB, min(CEILING_DB, level)) - FLOOR_DB) / (
            CEILING_DB - FLOOR_DB
        )

    def _gain_y(self, plot: QRectF, gain_db: float) -> float:
        return plot.top() + plot.height() * min(1.0, -gain_db / self.full_db)

    def places(self) -> dict[str, QPointF]:
        """Where the landmarks are that can be taken hold of."""
        marks = self.beat.landmarks if self.beat is not None else None
        if marks is None:
            return {}
        plot = self.plot()
        at = {
            "steps": QPointF(self._x(plot, marks.steps_ms), self._gain_y(plot, -0.9 * marks.depth_db)),
            "holds": QPointF(self._x(plot, marks.holds_ms), self._gain_y(plot, -marks.depth_db)),
            "back": QPointF(self._x(plot, marks.back_ms), plot.top() + 1),
            "depth": QPointF(self._x(plot, max(0.0, 0.5 * marks.holds_ms)), self._gain_y(plot, -marks.depth_db)),
        }
        return {name: at[name] for name in self._handles}

    # Painting.

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        beat = self.beat
        if beat is None:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
            return
        self.level_axis(painter, plot, (-30.0, -20.0, -10.0, 0.0), FLOOR_DB, CEILING_DB)
        self._time_axis(painter, plot, beat)
        painter.setClipRect(plot)
        times = beat.times_ms
        xs = plot.left() + plot.width() * (times - times[0]) / (times[-1] - times[0])
        kick, bass = icons.family_colour("drums", 1.0), icons.family_colour("bass", 1.0)
        faint = QColor(kick), QColor(bass)
        for colour, hits in zip(faint, beat.hits[:2], strict=True):
            colour.setAlphaF(0.12)
            for levels in hits[:FAINT]:
                self._line(painter, xs, self._ys(plot, levels), QPen(colour, 1), 5)
        self._fill(painter, plot, xs, beat.kick_db, icons.family_colour("drums", 0.55))
        self._fill(painter, plot, xs, beat.after_db, icons.family_colour("bass", 0.45))
        self._line(painter, xs, self._ys(plot, beat.before_db), QPen(bass, 1.4, Qt.PenStyle.DotLine))
        self._line(painter, xs, self._ys(plot, beat.sum_db), QPen(theme.colour("text"), 1.8))
        self._hatched(painter, plot, xs, beat)
        self._gain(painter, plot, xs, beat)
        painter.setClipping(False)
        if beat.key_hz is not None:
            self._key(painter, QRectF(plot.right() - 176, plot.top() + 22, 172, 74), beat)
        self._landmarks(painter, plot, beat)
        self._warnings(painter, plot, beat)

    def _time_axis(self, painter: QPainter, plot: QRectF, beat: "Beat") -> None:
        step = 50 if beat.times_ms[-1] < 500 else 100
        for tick in range(0, int(beat.times_ms[-1]) + 1, step):
            x = self._x(plot, tick)
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line", 0.9 if tick == 0 else 0.5))
            box = QRectF(x - 24, plot.bottom() + 1, 48, BOTTOM - 3)
            label = "hit" if tick == 0 else f"{tick} ms"
            if box.right() < self.width():
                paint.note(painter, box, label, align=paint.CENTRE)
        if beat.next_ms < beat.times_ms[-1]:
            x = self._x(plot, beat.next_ms)
            painter.setPen(QPen(theme.colour("quiet"), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
            box = QRectF(x - 64, plot.bottom() - 16, 60, 14)
            paint.note(painter, box, "next hit", align=paint.RIGHT)

    def _ys(self, plot: QRectF, levels: np.ndarray) -> np.ndarray:
        share = (np.clip(levels, FLOOR_DB, CEILING_DB) - FLOOR_DB) / (CEILING_DB - FLOOR_DB)
        return plot.bottom() - plot.height() * share

    def _fill(self, painter: QPainter, plot: QRectF, xs: np.ndarray, levels: np.ndarray, colour: QColor) -> None:
        edge = [QPointF(float(xs[-1]), plot.bottom()), QPointF(float(xs[0]), plot.bottom())]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([*points(xs, self._ys(plot, levels), 2), *edge]))

    def _line(self, painter: QPainter, xs: np.ndarray, ys: np.ndarray, pen: QPen, step: int = 2) -> None:
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points(xs, ys, step)))

    def _hatched(self, painter: QPainter, plot: QRectF, xs: np.ndarray, beat: "Beat") -> None:
        """Hole and pile-up, two ways, between the sum and the louder of both."""
        for over, pattern, tone in (
            (False, Qt.BrushStyle.BDiagPattern, "look"),
            (True, Qt.BrushStyle.FDiagPattern, "quiet"),
        ):
            here = beat.excess_db > PILE_DB if over else beat.excess_db < HOLE_DB
            edges = np.flatnonzero(np.diff(np.concatenate(([0], here.astype(int), [0]))))
            for a, b in zip(edges[::2], edges[1::2], strict=True):
                if b - a < 4:
                    continue
                upper = [QPointF(float(xs[i]), self._y(plot, float(beat.sum_db[i]))) for i in range(a, b)]
                lower = [
                    QPointF(float(xs[i]), self._y(plot, float(beat.sum_db[i] - beat.excess_db[i]))) for i in range(a, b)
                ]
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QBrush(theme.colour(tone), pattern))
                painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))

    def _gain(self, painter: QPainter, plot: QRectF, xs: np.ndarray, beat: "Beat") -> None:
        act = theme.colour("act")
        quiet = QColor(act)
        quiet.setAlphaF(0.15)
        for gain in beat.hits[2][:FAINT]:
            self._line(painter, xs, _hung(plot, gain, self.full_db), QPen(quiet, 1), 5)
        ys = _hung(plot, beat.gain_db, self.full_db)
        corners = QPointF(float(xs[0]), plot.top()), QPointF(float(xs[-1]), plot.top())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("act", 0.28))
        painter.drawPolygon(QPolygonF([corners[0], *points(xs, ys, 2), corners[1]]))

    def _key(self, painter: QPainter, box: QRectF, beat: "Beat") -> None:
        """The key's spectrum with the band that gives way."""
        assert beat.key_hz is not None
        assert beat.key_db is not None
        painter.fillRect(box, theme.colour("panel", 0.92))
        inner = box.adjusted(4, 16, -4, -14)
        low, high = np.log(20.0), np.log(300.0)
        xs = inner.left() + inner.width() * (np.log(beat.key_hz) - low) / (high - low)
        ys = inner.bottom() - inner.height() * np.clip(1.0 + beat.key_db / 40.0, 0.0, 1.0)
        if beat.band_hz is not None:
            a, b = (inner.left() + inner.width() * (np.log(hz) - low) / (high - low) for hz in beat.band_hz)
            painter.fillRect(QRectF(a, inner.top(), b - a, inner.height()), theme.colour("act_soft"))
        painter.setPen(QPen(icons.family_colour("drums", 1.0), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points(xs, ys, 1)))
        theme.colour("quiet")
        head = QRectF(inner.left(), box.top() + 1, inner.width(), 14)
        paint.note(painter, head, "kick's spectrum, the band")
        for hz in (50.0, 100.0, 200.0):
            x = inner.left() + inner.width() * (np.log(hz) - low) / (high - low)
            under = QRectF(x - 20, inner.bottom(), 40, 14)
            paint.note(painter, under, f"{hz:.0f}", align=paint.CENTRE)

    def _warnings(self, painter: QPainter, plot: QRectF, beat: "Beat") -> None:
        """What is wrong with it, one line each, over the time axis."""
        for line, sentence in enumerate(beat.warnings[:MOST_WARNINGS]):
            text = f"{sentence[:1].upper()}{sentence[1:]}."
            width = min(plot.width() - 12, paint.width_of(text, theme.SMALL) + 8)
            box = QRectF(plot.left() + 6, plot.bottom() - 17 - 16 * line, width, 15)
            painter.fillRect(box, theme.colour("ground", 0.9))
            paint.text(painter, box.adjusted(3, 0, -3, 0), text, size=theme.SMALL, colour=theme.colour("look"))

    def _landmarks(self, painter: QPainter, plot: QRectF, beat: "Beat") -> None:
        marks = beat.landmarks
        if marks is None:
            return
        values = {"steps": marks.steps_ms, "holds": marks.holds_ms, "back": marks.back_ms, "depth": marks.depth_db}
        shown: list[QRectF] = []
        for name, at in self.places().items():
            self._grip(painter, plot, at, name)
            value = f"{number(values[name])} dB" if name == "depth" else f"{values[name]:.0f} ms"
            label = f"{WORDS[name]} {value}"
            width = paint.width_of(label, theme.SMALL) + 8
            box = QRectF(at.x() + 12, at.y() + (4 if name != "depth" else -16), width, 15)
            if box.right() > plot.right():
                box.moveRight(at.x() - 12)
            box.moveBottom(min(box.bottom(), plot.bottom() - 1.0))
            while any(box.intersects(other) for other in shown):
                box.translate(0.0, -15.0 if box.bottom() > plot.bottom() - 16.0 else 15.0)
            shown.append(box)
            painter.fillRect(box, theme.colour("ground", 0.85))
            tone = "text" if name == self.chosen and self.hasFocus() else "act"
            paint.text(painter, box.adjusted(3, 0, 0, 0), label, size=theme.SMALL, colour=theme.colour(tone))
        low = beat.figures
        told = f"dip {number(low.gap_db)} dB, {low.gap_ms:.0f} ms · peak {number(low.pile_up_db)} dB"
        box = QRectF(plot.right() - 250, plot.bottom() - 34, 246, 15)
        painter.fillRect(QRectF(box.right() - paint.width_of(told, theme.SMALL) - 4, box.top(),
                                paint.width_of(told, theme.SMALL) + 6, 15), theme.colour("ground", 0.85))  # fmt: skip
        paint.text(painter, box, told, size=theme.SMALL, align=paint.RIGHT)

    def _grip(self, painter: QPainter, plot: QRectF, at: QPointF, name: str) -> None:
        """A post from the top to the ribbon's edge at a time, a bar along its edge for the depth; thick where it is
        taken hold of."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        held = name == self.held or (name == self.chosen and self.hasFocus())
        thick = 6.0 if held else 4.0
        if name == "depth":
            box = QRectF(at.x() - 16, at.y() - thick / 2, 32, thick)
        else:
            foot = max(at.y(), plot.top() + 14)
            paint.line(painter, at.x(), plot.top(), at.x(), foot, theme.colour("act"), 1.4)
            box = QRectF(at.x() - thick / 2, foot - 12, thick, 14)
        painter.fillRect(box, theme.colour("act"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    # Taking hold.

    def handle_at(self, at: QPointF) -> str | None:
        near = {name: (place - at).manhattanLength() for name, place in self.places().items()}
        best = min(near, key=lambda name: near[name], default=None)
        return best if best is not None and near[best] <= 1.6 * REACH else None

    def press(self, at: QPointF) -> None:
        if self.held is not None:
            self.chosen = self.held
            self.renew()

    def drag(self, at: QPointF, *, fine: bool) -> None:
        plot = self.plot()
        if self.held == "depth":
            share = min(1.0, max(0.0, (at.y() - plot.top()) / plot.height()))
            self.landmark_moved.emit("depth", max(0.5, share * self.full_db))
        elif self.beat is not None:
            self.landmark_moved.emit(self.held, self._ms(plot, at.x()))

    def drop(self, held: str, at: QPointF) -> None:
        self.renew()
        super().drop(held, at)

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        """Up and Down choose a landmark, Left and Right move it; Shift finer."""
        names = tuple(self.places())
        marks = self.beat.landmarks if self.beat is not None else None
        if marks is not None and names and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            index = names.index(self.chosen) if self.chosen in names else 0
            self.chosen = names[(index + (1 if key == Qt.Key.Key_Down else -1)) % len(names)]
            self.renew()
            return True
        if marks is None or self.chosen not in names or key not in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            return False
        values = {"steps": marks.steps_ms, "holds": marks.holds_ms, "back": marks.back_ms, "depth": marks.depth_db}
        step = (0.5 if self.chosen == "depth" else 5.0) * (FINE if fine else 1.0)
        self.landmark_moved.emit(self.chosen, values[self.chosen] + (step if key == Qt.Key.Key_Right else -step))
        self.released.emit()
        return True


def points(xs: np.ndarray, ys: np.ndarray, step: int) -> list[QPointF]:
    return [QPointF(x, y) for x, y in zip(xs[::step].tolist(), ys[::step].tolist(), strict=True)]


def _hung(plot: QRectF, gain_db: np.ndarray, full_db: float) -> np.ndarray:
    """Heights of a gain that hangs from the top."""
    return plot.top() + plot.height() * np.minimum(1.0, -gain_db / full_db)
