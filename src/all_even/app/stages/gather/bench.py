"""Gather's bench: the selected file close up, what it measures, what is wrong, and what it is called."""

from collections.abc import Callable
from functools import partial, reduce
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QStackedWidget, QVBoxLayout

from all_even.app.bench.bench import Bench
from all_even.app.desk import Desk
from all_even.app.stages.gather.drawings import BandsDrawing, HitMark, WaveDrawing
from all_even.app.stages.gather.together import Together
from all_even.app.style import fields, layouts, theme
from all_even.dsp.parameter import decibel_text, number, time_text
from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song import hits
from all_even.session.tracks import naming
from all_even.session.tracks.roles import FAMILIES, ROLES, family_of, is_held

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.measure.recording.files import FileReport


DOUBLE_S = 0.13
"""A sixteenth at 115 BPM: hits closer than this are doubles, or one too many."""

ROLE_TIP = "What the selected tracks are; also decides their family"


class GatherBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._roles: tuple[str, ...] = ()
        row = layouts.row(self, margins=layouts.BENCH, spacing=16)
        row.addLayout(self._identity(), 0)
        middle = layouts.row()
        self.wave = WaveDrawing()
        self.wave.hit_added.connect(lambda at: self._hit(hits.add_hit, at))
        self.wave.hit_removed.connect(lambda at: self._hit(hits.remove_hit, at))
        self.wave.hit_moved.connect(self._move_hit)
        self.bands = BandsDrawing()
        self.together = Together(desk)
        self.side = QStackedWidget()
        self.side.addWidget(self.bands)
        self.side.addWidget(self.together)
        middle.addWidget(self.wave, 2)
        middle.addWidget(self.side, 3)
        row.addLayout(middle, 1)
        row.addLayout(self._figures(), 0)

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        self.wave.set_position(position_s)

    def set_follow(self, on: bool) -> None:
        self.wave.follow = on
        self.wave.renew()

    def fit(self, narrow: bool) -> None:
        self.side.setVisible(not narrow)

    def _identity(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(6)
        grid.setHorizontalSpacing(8)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name")
        self.name.setToolTip("Name of the selected track (Enter in the rows)")
        self.name.setFixedWidth(184)
        self.name.editingFinished.connect(self._rename)
        self.role: QComboBox = fields.choice()
        self.role.setAccessibleName("Role")
        self.role.setToolTip(f"{ROLE_TIP} (R)")
        self.role.addItems([role.name for role in ROLES])
        self.role.setMaxVisibleItems(20)
        self.role.activated.connect(lambda _i: self.set_role(self.role.currentText()))
        self.family = fields.choice()
        self.family.setAccessibleName("Family")
        self.family.setToolTip("The family of the role; choosing another takes that family's first role")
        self.family.addItems(list(FAMILIES))
        self.family.activated.connect(lambda _i: self._set_family(self.family.currentText()))
        self.hide_button = fields.button(
            "Hide", "Hide the selected tracks; they still sound unless muted (H)", self._toggle_hidden, icon="eye-off"
        )
        self.count = fields.label("", "small")
        for index, (text, field) in enumerate((("Name", self.name), ("Role", self.role), ("Family", self.family))):
            field.setMinimumHeight(theme.TARGET)
            grid.addWidget(fields.label(text, "quiet"), index, 0)
            grid.addWidget(field, index, 1)
        grid.addWidget(self.hide_button, 3, 1, Qt.AlignmentFlag.AlignLeft)
        grid.addWidget(self.count, 4, 0, 1, 2)
        grid.setRowStretch(5, 1)
        return grid

    def _figures(self) -> QVBoxLayout:
        column = layouts.column(spacing=6)
        self.figures = {
            "integrated_lufs": fields.Figure(
                "Loudness", "Integrated loudness, ITU-R BS.1770-5 gates; mono is one channel"
            ),
            "true_peak_dbtp": fields.Figure("True peak", "Highest value between the samples, 4× oversampled"),
            "rms_dbfs": fields.Figure("RMS", "Over the whole file; a full-scale sine reads −3.0 dBFS"),
            "crest_db": fields.Figure("Crest", "Sample peak over RMS"),
            "loudness_range_lu": fields.Figure("Range", "Loudness range, EBU Tech 3342"),
            "noise_floor_dbfs": fields.Figure("Noise floor", "5th percentile of 50 ms RMS where nobody plays"),
            "active_share": fields.Figure("Active", "Share of the time within 20 LU of its loudness"),
            "duration_s": fields.Figure("Length", "Length of the file"),
        }
        names = ("Loudness", "True peak", "RMS", "Crest", "Range", "Noise floor", "Active", "Length")
        column.addLayout(fields.figure_grid(list(zip(names, self.figures.values(), strict=True)), columns=2))
        self.question = fields.wrapped("", "look")
        self.question.setFixedWidth(320)
        column.addWidget(self.question)
        self.answers = layouts.row(spacing=6)
        self.answer_buttons = [fields.button("", "", partial(self._answer, index)) for index in range(2)]
        for button in self.answer_buttons:
            self.answers.addWidget(button)
        self.answers.addStretch(1)
        column.addLayout(self.answers)
        self.findings = fields.wrapped("")
        self.findings.setAccessibleName("Findings")
        self.findings.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.findings.setFixedWidth(320)
        column.addWidget(self.findings, 1)
        return column

    def refresh(self) -> None:
        desk = self.desk
        current = desk.current_lane
        self.setEnabled(current is not None)
        if current is None:
            self.wave.show_track(None, "unknown")
            return
        lane = desk.session.lane(current)
        several = len(desk.selected) > 1
        if not self.name.hasFocus() or not self.name.isModified():
            self.name.setText(lane.name)
        self.name.setEnabled(not several)
        self.role.setCurrentText(lane.role)
        self.family.setCurrentText(family_of(lane.role))
        self.hide_button.setText("Show" if lane.hidden else "Hide")
        self.count.setText(f"{len(desk.selected)} tracks selected" if several else "")
        report = desk.report(current)
        measures = report.measures if report is not None else None
        self.wave.show_track(measures, lane.role)
        self.wave.show_hits(self._hit_marks(lane, report))
        self.bands.show_track(measures, lane.role)
        related = tuple(item for item in desk.figures.relations if current in (item.a, item.b))
        self.side.setCurrentWidget(self.together if related else self.bands)
        self.together.show_relations(current, related)
        units = {"lufs": "LUFS", "dbtp": "dBTP", "dbfs": "dBFS", "db": "dB", "lu": "LU"}
        for name, figure in self.figures.items():
            if name == "active_share":
                figure.show_value(f"{number(100 * measures.active_share, 0)} %" if measures else "–")
            elif name == "duration_s":
                figure.show_value(time_text(measures.duration_s) if measures else "–")
            else:
                value = getattr(measures, name) if measures else None
                figure.show_value(decibel_text(value, units[name.rsplit("_", 1)[-1]]))
        self.findings.setText(self._finding_text(report, lane.role))
        self._ask(report, lane)

    def _ask(self, report: "FileReport | None", lane: Lane) -> None:
        """What the lane may be, where its name and its sound do not agree."""
        from all_even.measure.level.third_octave import MIDBANDS_HZ
        from all_even.session.tracks import asking

        asked = None
        if report is not None and report.measures is not None:
            centre = asking.centroid_hz(report.measures.third_octave_db, tuple(MIDBANDS_HZ))
            sure = asking.confidence(lane, report.character)
            asked = asking.question(lane.role, report.character, centre, sure)
            self.role.setToolTip(f"{ROLE_TIP} (R). {100.0 * sure:.0f} % sure of it, from name and sound")
        self._roles = asked.roles if asked is not None else ()
        self.question.setText(asked.text if asked is not None else "")
        self.question.setVisible(asked is not None)
        for index, button in enumerate(self.answer_buttons):
            there = index < len(self._roles)
            button.setVisible(there)
            if there:
                button.setText(self._roles[index].capitalize())
                button.setToolTip(f"It is this: {self._roles[index]}")
                button.setAccessibleName(self._roles[index])

    def _answer(self, index: int) -> None:
        if index < len(self._roles):
            self.set_role(self._roles[index])

    def _finding_text(self, report: "FileReport | None", role: str) -> str:
        from all_even.measure.faults.findings import findings

        if report is None:
            return "Being measured …"
        found = findings(report, held=is_held(role))
        return "\n".join(finding.text for finding in found) or "Nothing wrong was found in this file."

    def _hit_marks(self, lane: Lane, report: "FileReport | None") -> tuple[HitMark, ...]:
        """The hits of a struck lane as they count, in seconds of its file."""
        if report is None or report.character is None or not hits.is_struck(lane.role):
            return ()
        found = hits.struck(report.character, lane.role).hits
        unsure = {round(time, 4) for time, is_unsure in zip(found.times_s, found.unsure, strict=True) if is_unsure}
        added = {round(time, 4) for time in lane.hits.added_s}
        marks, before = [], -1.0
        for time in hits.lane_hits_s(lane, report.character):
            own = time - lane.start_s
            double = 0.0 < own - before < DOUBLE_S and before >= 0.0
            marks.append(HitMark(own, round(own, 4) in unsure, round(own, 4) in added, double))
            before = own
        return tuple(marks)

    def _hit(self, change: "Callable[[Session, str, float], Session]", at_s: float) -> None:
        """Adds or removes a hit of the selected lane. at_s: in seconds of its file."""
        current = self.desk.current_lane
        if current is not None:
            time = self.desk.session.lane(current).start_s + at_s
            self.desk.edit(lambda s: change(s, current, time))

    def _move_hit(self, from_s: float, to_s: float) -> None:
        current = self.desk.current_lane
        if current is not None:
            start = self.desk.session.lane(current).start_s
            self.desk.edit(lambda s: hits.move_hit(s, current, start + from_s, start + to_s))

    def hit_here(self, *, add: bool) -> None:
        """A hit at the playing position, or none there."""
        current = self.desk.current_lane
        player = self.desk.ears.known_player
        if current is None or player is None:
            return
        at_s = player.position_s() - self.desk.session.lane(current).start_s
        if add:
            self._hit(hits.add_hit, at_s)
        elif self.wave.hits:
            nearest = min(self.wave.hits, key=lambda hit: abs(hit.time_s - at_s))
            self._hit(hits.remove_hit, nearest.time_s)

    def _rename(self) -> None:
        lane_id = self.desk.current_lane if self.desk.is_open else None
        if self.name.isModified() and lane_id:
            name = self.name.text()
            self.name.setModified(False)
            self.desk.edit(lambda s: edits.change_strips(s, (lane_id,), name=name))

    def set_track(self, **values: object) -> None:
        lanes = {lane.id for lane in self.desk.session.lanes} if self.desk.is_open else set()
        wanted = tuple(item for item in self.desk.selected if item in lanes)
        self.desk.edit(lambda s: edits.change_strips(s, wanted, **values))

    def set_role(self, role: str) -> None:
        """Says what the selected lanes are."""
        lanes = {lane.id for lane in self.desk.session.lanes} if self.desk.is_open else set()
        wanted = [item for item in self.desk.selected if item in lanes]
        self.desk.edit(lambda s: reduce(lambda found, item: naming.with_role(found, item, role), wanted, s))

    def _set_family(self, family: str) -> None:
        first = next(role.name for role in ROLES if role.family == family)
        current = self.desk.current_lane if self.desk.is_open else None
        if current and family != family_of(self.desk.session.lane(current).role):
            self.set_role(first)

    def _toggle_hidden(self) -> None:
        current = self.desk.current_lane if self.desk.is_open else None
        if current:
            self.set_track(hidden=not self.desk.session.lane(current).hidden)
