"""All ways to duck as small beats at one scale, side by side, best first; one is shown large beside them."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF

from all_even import texts
from all_even.app.bench.handled import Handled
from all_even.app.stages.low_end.beat_drawing import GAIN_DB
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number

if TYPE_CHECKING:
    from all_even.moves.low_end.ducks.beat import Beat


class SmallBeats(Handled):
    """All ways as small pictures at one scale, best first; chosen: the name of the one that is wanted."""

    chosen = pyqtSignal(str)
    COLUMNS, GAP = 2, 4

    def __init__(self) -> None:
        super().__init__()
        self.beats: list[tuple[str, str, Beat, bool]] = []
        self._current = ""
        self.setAccessibleName("Ways to duck")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumWidth(236)

    def show_beats(self, beats: "list[tuple[str, str, Beat, bool]]", current: str) -> None:
        """(name, words, beat, whether it can be used) of each."""
        self.beats, self._current = beats, current
        self.setAccessibleDescription(", ".join(words for _, words, _, _ in beats))
        self.update()

    def box_of(self, index: int) -> QRectF:
        rows = max(1, -(-len(self.beats) // self.COLUMNS))
        width = (self.width() - self.GAP * (self.COLUMNS - 1)) / self.COLUMNS
        height = (self.height() - self.GAP * (rows - 1)) / rows
        return QRectF(
            (index % self.COLUMNS) * (width + self.GAP), (index // self.COLUMNS) * (height + self.GAP), width, height
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            for index, (name, words, beat, usable) in enumerate(self.beats):
                self._paint(painter, self.box_of(index), name, words, beat, usable)

    def _paint(self, painter: QPainter, box: QRectF, name: str, words: str, beat: "Beat", usable: bool) -> None:
        current = name == self._current
        painter.fillRect(box, theme.colour("act_soft" if current else "ground"))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inner = box.adjusted(3, 15, -3, -2)
        low, high = float(beat.times_ms[0]), float(beat.times_ms[-1])
        xs = inner.left() + inner.width() * (beat.times_ms - low) / (high - low)
        for levels, colour in (
            (beat.kick_db, icons.family_colour("drums", 0.5)), (beat.after_db, icons.family_colour("bass", 0.5)),
        ):  # fmt: skip
            path = QPainterPath(QPointF(float(xs[0]), inner.bottom()))
            for x, level in zip(xs[::8], levels[::8], strict=True):
                path.lineTo(float(x), inner.bottom() - inner.height() * max(0.0, 1.0 + float(level) / 40.0))
            path.lineTo(float(xs[-1]), inner.bottom())
            painter.fillPath(path, colour)
        painter.setPen(QPen(theme.colour("act" if usable else "quiet"), 1.6))
        painter.drawPolyline(
            QPolygonF([
                QPointF(float(x), inner.top() + inner.height() * min(1.0, -float(g) / GAIN_DB))
                for x, g in zip(xs[::8], beat.gain_db[::8], strict=True)
            ])
        )  # fmt: skip
        painter.restore()
        head = QRectF(box.left() + 3, box.top() + 1, box.width() - 6, 14)
        tone = theme.colour("text" if usable else "quiet")
        paint.text(painter, head, words, size=theme.SMALL, colour=tone, strong=current)
        if self.hasFocus() and current:
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.drawRect(box.adjusted(1, 1, -1, -1))

    def _index(self, at: QPointF) -> int | None:
        return next((i for i in range(len(self.beats)) if self.box_of(i).contains(at)), None)

    def press(self, at: QPointF) -> None:
        index = self._index(at)
        if index is not None:
            self.chosen.emit(self.beats[index][0])

    def hover(self, at: QPointF) -> None:
        index = self._index(at)
        if index is None:
            self.setToolTip("Ways to duck, best first: click one to see it large")
            return
        _, words, beat, usable = self.beats[index]
        low = beat.figures
        self.setToolTip(texts.tip(
            f"{words}: dip {number(low.gap_db)} dB, peak {number(low.pile_up_db)} dB, {number(low.depth_db)} dB "
            f"deep, {low.unrecovered_hits} hits at which the bass is not back" + ("" if usable else ". To compare with")
        ))  # fmt: skip

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: self.COLUMNS, Qt.Key.Key_Up: -self.COLUMNS}
        names = [item[0] for item in self.beats]
        if key not in step or not names:
            return False
        index = names.index(self._current) if self._current in names else 0
        self.chosen.emit(names[max(0, min(len(names) - 1, index + step[key]))])
        return True
