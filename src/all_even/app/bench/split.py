"""The handle between rows and bench: drawn up or down, or the bench put away; each stage keeps its own height."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPaintEvent
from PyQt6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.frame import BenchFrame
from all_even.app.desk import Desk
from all_even.app.lanes import layout
from all_even.app.machine import kept_layout
from all_even.app.style import paint, theme

HANDLE, GRIP = 8, 44
ROWS = 18
"""So many small rows are in view beside the bench, where nobody has drawn it higher."""


class BenchSplit(QSplitter):
    """Rows above, bench below."""

    def __init__(self, desk: Desk, bench: BenchFrame, upper: QWidget, lower: QWidget) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self._desk, self._bench, self._lower = desk, bench, lower
        self._heights: dict[str, int] = {}
        self._away: set[str] = set()
        self.addWidget(upper)
        self.addWidget(lower)
        self.setHandleWidth(HANDLE)
        self.setStretchFactor(0, 1)
        self.setStretchFactor(1, 0)
        self.setCollapsible(0, False)
        upper.setMinimumHeight(layout.HEADER + 2 * layout.ROW)
        self.splitterMoved.connect(lambda _position, _index: self._on_moved())
        desk.stage_changed.connect(lambda _stage: self.fit())
        desk.opened.connect(self._take_up)

    def _take_up(self) -> None:
        """As it was left."""
        kept = kept_layout.load()
        self._heights, self._away = dict(kept.bench_heights), set(kept.benches_away)
        self.fit()

    @property
    def is_away(self) -> bool:
        return self._desk.stage in self._away

    def fit(self) -> None:
        """Gives rows and bench the room they have at this stage."""
        stage = self._desk.stage
        wanted = 0 if self.is_away else self._heights.get(stage, self._usual())
        if self.height() > HANDLE:
            self.setSizes([max(1, self.height() - wanted - HANDLE), wanted])

    def _usual(self) -> int:
        usual = self._bench.usual_height
        if kept_layout.load().row_size == "small":
            rows = layout.HEADER + ROWS * layout.HEIGHTS["small"]
            return max(HEIGHT, min(usual, self.height() - rows - HANDLE))
        return usual

    def turn(self) -> None:
        """Puts the bench of this stage away, or brings it back."""
        self._away ^= {self._desk.stage}
        self.fit()
        self._keep()

    def forget_height(self) -> None:
        """The usual height again."""
        self._heights.pop(self._desk.stage, None)
        self._away.discard(self._desk.stage)
        self.fit()
        self._keep()

    def _on_moved(self) -> None:
        height, stage = self.sizes()[1], self._desk.stage
        if height:
            self._heights[stage] = height
            self._away.discard(stage)
        else:
            self._away.add(stage)
        self._keep()

    def _keep(self) -> None:
        kept_layout.keep(bench_heights=dict(self._heights), benches_away=tuple(sorted(self._away)))

    def createHandle(self) -> QSplitterHandle:
        return _Handle(self)


class _Handle(QSplitterHandle):
    """A short bar in the middle to take hold of; a double click: the usual height."""

    def __init__(self, split: BenchSplit) -> None:
        super().__init__(Qt.Orientation.Vertical, split)
        self._split = split
        self.setAccessibleName("Height of the bench")
        self.setToolTip(
            "Drag: height of the bench at this stage. Double click: the usual height. D: put it away or back"
        )

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._split.forget_height()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("act" if self.underMouse() else "quiet", 0.7))
            middle = self.rect().center()
            painter.drawRoundedRect(QRectF(middle.x() - GRIP / 2, middle.y() - 1, GRIP, 3), 1.5, 1.5)
