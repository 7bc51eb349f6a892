"""Balance's bench: the selected lane's settings to type, its loudness along the song, the mix meter."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from all_even import texts
from all_even.app import fields
from all_even.app.bench.bench import Bench
from all_even.app.bench.mix_figures import MixFigures
from all_even.app.desk import Desk
from all_even.app.lanes.body import set_together
from all_even.app.lanes.entries import entry
from all_even.app.stages.balance.drawings import CourseDrawing
from all_even.dsp.parameter import LEVEL, PAN, TRIM, decibel_text
from all_even.session import edits
from all_even.session.model import MIX, FolderGroup, Lane

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters


class BalanceBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(16)
        row.addLayout(self._settings())
        self.course = CourseDrawing()
        row.addWidget(self.course, 1)
        self.mix = MixFigures(desk)
        self.mix.setFixedWidth(340)
        row.addWidget(self.mix)

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        self.course.set_position(position_s)
        if meters is not None:
            self.mix.show_playing(meters.short_term_lufs)

    def set_follow(self, on: bool) -> None:
        self.course.follow = on
        self.course.renew()

    def _settings(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.title = fields.label("", "title")
        self.title.setAccessibleName("Selected lane")
        self.title.setFixedWidth(216)
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        self.level: fields.NumberField = fields.NumberField(LEVEL, "Level", "Left, Right in the lanes")
        self.pan = fields.NumberField(PAN, "Pan", "Alt+Left, Alt+Right in the lanes")
        self.trim: fields.NumberField = fields.NumberField(TRIM, "Mix trim", "T")
        self.arrives = fields.Figure("Arrives at", "Gated loudness of the lane as it arrives in the mix")
        self.level.value_changed.connect(lambda value: set_together(self.desk, level_db=value))
        self.pan.value_changed.connect(lambda value: set_together(self.desk, pan=value))
        self.trim.value_changed.connect(lambda value: self.desk.edit(lambda s: edits.set_trim(s, value), merge="trim"))
        for index, (name, field) in enumerate(
            (("Level", self.level), ("Pan", self.pan), ("Arrives at", self.arrives), ("Mix trim", self.trim))
        ):
            grid.addWidget(fields.label(name, "quiet"), index, 0)
            grid.addWidget(field, index, 1, Qt.AlignmentFlag.AlignLeft if index != 2 else Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        self.toggles = {
            "mute": fields.button("Mute", "Mute the selected lanes (M)", lambda: self._toggle("mute"), checkable=True),
            "solo": fields.button("Solo", "Hear only soloed lanes (S)", lambda: self._toggle("solo"), checkable=True),
            "polarity_inverted": fields.button(
                "Invert", "Invert the polarity of the selected lanes (P)", lambda: self._toggle("polarity_inverted"),
                checkable=True,
            ),
        }  # fmt: skip
        for button in self.toggles.values():
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addStretch(1)
        return column

    def refresh(self) -> None:
        desk = self.desk
        session = desk.session
        self.mix.refresh()
        self.trim.set_value(session.mix.trim_db)
        current = desk.current if desk.current != MIX else None
        for control in (self.level, self.pan, *self.toggles.values()):
            control.setEnabled(current is not None)
        if current is None:
            self.title.setText("No lane selected")
            return
        lane = entry(session, current)
        count = len(desk.selected)
        metrics = self.title.fontMetrics()
        text = lane.name if count == 1 else f"{count} lanes"
        self.title.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, 212))
        self.title.setToolTip(texts.tip(text))
        self.level.set_value(lane.level_db)
        self.pan.set_value(getattr(lane, "pan", 0.0))
        self.pan.setEnabled(not isinstance(lane, FolderGroup))
        for name, button in self.toggles.items():
            button.setChecked(getattr(lane, name, False))
            button.setEnabled(hasattr(lane, name))
        arrival = desk.figures.arrivals.of(current) if isinstance(lane, Lane) else None
        self.arrives.show_value(decibel_text(arrival.integrated_lufs if arrival else None, "LUFS"))
        self.course.show_lane(arrival, lane.role, 0.0, desk.mix)

    def _toggle(self, field: str) -> None:
        wanted = tuple(item for item in self.desk.selected if item != MIX)
        if wanted:
            value = not getattr(self.desk.session.member(wanted[-1]), field, False)
            self.desk.edit(lambda s: edits.change_strips(s, wanted, **{field: value}))
