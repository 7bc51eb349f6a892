"""The frame of the benches: holds one for each stage, and shows the one that is wanted."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFrame, QStackedWidget

from all_even.app import stages
from all_even.app.bench.bench import HEIGHT, Bench
from all_even.app.desk import Desk
from all_even.app.style import fields, layouts

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters


class BenchFrame(QFrame):
    """Holds the benches; each is made when its stage is first shown, and only the visible one is refreshed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("panel")
        self._benches: dict[str, Bench] = {}
        self.setMinimumHeight(HEIGHT)
        self._stack = QStackedWidget()
        column = layouts.column(self, margins=layouts.NONE)
        column.addWidget(self._stack)
        self._spare, self._narrow, self._follow = 0, False, False
        desk.opened.connect(self._look_anew)
        self._refreshed: tuple[object, object] = (None, None)
        for signal in (desk.opened, desk.mix_measured, desk.arrivals_changed):
            signal.connect(self.refresh)
        desk.saved_state_changed.connect(self._on_saved_state)
        desk.changed.connect(lambda old, new: self.refresh())
        desk.lane_measured.connect(lambda lane: self.refresh() if lane == desk.current else None)
        desk.selection_changed.connect(lambda: self.shown.select() if desk.is_open else None)
        desk.stage_changed.connect(lambda _stage: self.show_stage())
        self.show_stage()

    @property
    def shown(self) -> Bench:
        """The bench of the present stage."""
        return self.of(self.desk.stage)

    def of(self, stage: str) -> Bench:
        """The bench of a stage, made where it is not there yet."""
        if stage not in self._benches:
            bench = self._benches[stage] = stages.VIEWS[stage].make_bench(self.desk)
            bench.fit(self._narrow)
            bench.set_follow(self._follow)
            self._stack.addWidget(bench)
            fields.tint_icons(bench)
        return self._benches[stage]

    def _look_anew(self) -> None:
        for bench in self.made:
            bench.look_anew()

    @property
    def made(self) -> tuple[Bench, ...]:
        return tuple(self._benches.values())

    def show_stage(self) -> None:
        self._stack.setCurrentWidget(self.shown)
        if self.desk.is_open:
            self.shown.select()

    def refresh(self) -> None:
        if self.desk.is_open:
            self._refreshed = (self.desk.session, self.desk.path)
            self.shown.refresh()

    def _on_saved_state(self) -> None:
        """Told with each edit too: what was drawn for it is not drawn a second time."""
        session, path = self._refreshed
        if self.desk.is_open and (session is not self.desk.session or path != self.desk.path):
            self.refresh()

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        if self.desk.is_open:
            self.shown.tick(position_s, meters)

    def set_follow(self, on: bool) -> None:
        self._follow = on
        for bench in self.made:
            bench.set_follow(on)

    def fit(self, *, narrow: bool, spare: int) -> None:
        """spare: pixels of height that a bench may take more than the usual."""
        self._narrow, self._spare = narrow, spare
        for bench in self.made:
            bench.fit(narrow)

    @property
    def usual_height(self) -> int:
        """Of the present stage, where nobody has drawn it higher or lower."""
        return min(self.shown.wanted_height, HEIGHT + self._spare)
