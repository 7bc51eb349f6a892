"""The working page: head, lanes and side panel, bench."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QWidget

from all_even.app.bench.frame import BenchFrame
from all_even.app.bench.split import BenchSplit
from all_even.app.desk import Desk
from all_even.app.head.head import Head
from all_even.app.head.played import Played
from all_even.app.lanes.view import LaneView
from all_even.app.side.panel import SideTabs
from all_even.app.style import layouts
from all_even.decibels import level_db

LOWEST_WINDOW = 700
SIDE_WIDTH, NARROW_SIDE_WIDTH = 296, 264
NARROW = 1180
NOTHING_DBFS = -120.0


class Parts:
    """What the working page is made of, made one after the other: together they take longer than a hand waits."""

    head: Head
    lanes: LaneView
    side: SideTabs
    bench: BenchFrame

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._left: list[tuple[str, type[QWidget]]] = [
            ("head", Head), ("lanes", LaneView), ("side", SideTabs), ("bench", BenchFrame)
        ]  # fmt: skip

    def make_one(self) -> bool:
        """Makes the next part; False where all are made."""
        if not self._left:
            return False
        name, kind = self._left.pop(0)
        setattr(self, name, kind(self._desk))  # type: ignore[arg-type]
        return True


class Workbench(QWidget):
    """Composes the views around one desk."""

    def __init__(self, desk: Desk, parts: "Parts | None" = None) -> None:
        super().__init__()
        self.desk = desk
        parts = parts or Parts(desk)
        while parts.make_one():
            pass
        self._played = Played()
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.head, self.lanes, self.side, self.bench = parts.head, parts.lanes, parts.side, parts.bench
        middle = layouts.row(margins=(8, 0, 8, 0), spacing=8)
        middle.addWidget(self.lanes, 1)
        self._side_frame = QFrame()
        self._side_frame.setObjectName("ground")
        side_column = layouts.column(self._side_frame, margins=layouts.NONE)
        side_column.addWidget(self.side)
        middle.addWidget(self._side_frame)
        column = layouts.column(self, margins=layouts.NONE, spacing=6)
        column.addWidget(self.head)
        upper, lower = QWidget(), QWidget()
        upper.setLayout(middle)
        holder = layouts.row(lower, margins=(8, 0, 8, 0))
        holder.addWidget(self.bench)
        self.split = BenchSplit(desk, self.bench, upper, lower)
        self.lanes.row_size_changed.connect(self.split.fit)
        column.addWidget(self.split, 1)

    def refresh(self) -> None:
        """Shows another session, or the same in other colours."""
        self.head.refresh()
        self.head.transport.refresh()
        self.lanes.refresh()
        self.bench.refresh()

    def fit(self, width: int, height: int) -> None:
        """Gives the parts their room in a window of this size."""
        narrow = width < NARROW
        self._side_frame.setFixedWidth(NARROW_SIDE_WIDTH if narrow else SIDE_WIDTH)
        self.bench.fit(narrow=narrow, spare=max(0, height - LOWEST_WINDOW))
        self.split.fit()

    def tick(self) -> None:
        """30 times a second: meters, position, playhead."""
        desk, transport = self.desk, self.head.transport
        transport.show_output()
        length, player = desk.song_s(), desk.ears.known_player
        if player is None:
            transport.show_position(0.0, length, False)
            return
        if not player.playing:
            self._played.stop()
        position = player.position_s()
        transport.show_position(position, length, player.playing)
        self.side.notes.position_s = position
        meters = player.meters() if player.playing else None
        peaks = dict(zip(meters.strip_ids, meters.peaks, strict=True)) if meters else {}
        away = player.playing or position > 0.0
        self.lanes.set_levels(peaks, position / length if length and away else None)
        self.bench.tick(position, meters)
        if meters is not None:
            left, right = (level_db(peak) for peak in meters.mix_peaks)
            transport.level.show_levels(left, right, meters.held)
            self._played.add(position, meters.momentary_lufs)
            transport.level.show_loudness(meters.short_term_lufs, self._played.integrated_lufs)
        else:
            transport.level.show_levels(NOTHING_DBFS, NOTHING_DBFS, False)
