"""Rides' bench: the selected line over its backing with the curve of any setting, and the sections side by side."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QCompleter, QStackedWidget, QVBoxLayout, QWidget

from all_even import texts
from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.side_panel import SidePanel
from all_even.app.bench.viewed import ViewedBench
from all_even.app.desk import Desk
from all_even.app.stages.rides.acts import RideActs
from all_even.app.stages.rides.recorder import Recorder
from all_even.app.stages.rides.relation import HIDDEN
from all_even.app.stages.rides.ride_drawing import LEAD_S, RideDrawing
from all_even.app.stages.rides.sections_drawing import SectionsDrawing
from all_even.app.stages.rides.shown import Shown
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import LEVEL, number, time_text
from all_even.session.editing import automating, ride_edits
from all_even.session.model.strips import MIX, Lane
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from all_even.engine.playing.meters import Meters
    from all_even.measure.time.sections import Section
    from all_even.session.editing.curves import Curve

MORE_HEIGHT = 72
VIEWS = (
    ("Ride", "The selected line over its backing, and the curve of a setting, to be drawn"),
    ("Sections", "What differs between the sections of the song, and what is done in one of them"),
)
LISTED = 6
SECTION_STEP_DB = 1.0


class RidesBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        self.recorder = Recorder(desk)
        self.parameters: dict[str, str] = {}
        """By strip: the setting that was chosen last."""
        self.section = 0
        self._listed: list[float] = []
        """Where each listed word begins, s."""
        self._filled: list[tuple[str, str]] = []
        row = layouts.row(self, margins=layouts.BENCH, spacing=14)
        self.side = SidePanel("Spread", "How far its words lie apart over their backing, section by section")
        self.side.setFixedWidth(208)
        self.side.pressed.connect(self._hear_listed)
        row.addWidget(self.side)
        row.addLayout(self._views(), 1)
        self.shown.changed.connect(self._redraw)
        self.recorder.changed.connect(self._show_recording)
        desk.moves_changed.connect(self._redraw)
        desk.song_changed.connect(self._redraw)

    def _views(self) -> QVBoxLayout:
        self.drawing, self.sections = RideDrawing(), SectionsDrawing()
        self.acts = RideActs(
            self.desk, self.drawing, self.strip, self.parameter, self.present_section,
            lambda strip_id: self.parameters.update({strip_id: "level_db"}),
        )  # fmt: skip
        self.drawing.curve_changed.connect(self.set_curve)
        self.drawing.released.connect(self.desk.end_gesture)
        self.drawing.passage_moved.connect(self.trim_passage)
        self.drawing.ridden.connect(self.recorder.ride)
        self.drawing.marked.connect(self._show_value)
        self.drawing.pointed.connect(self.desk.ears.play_from)
        self.sections.chosen.connect(self.choose_section)
        bar = self.make_views(VIEWS, (self.drawing, self.sections))
        bar.addSpacing(8)
        self.bars = QStackedWidget()
        self.bars.addWidget(self._ride_bar())
        self.bars.addWidget(self._sections_bar())
        bar.addWidget(self.bars, 1)
        return self.under_bar(bar)

    def _ride_bar(self) -> QWidget:
        holder = QWidget()
        bar = layouts.row(holder, margins=layouts.NONE, spacing=4)
        self.setting = fields.choice()
        self.setting.setAccessibleName("What is automated")
        self.setting.setToolTip(texts.tip("What is automated: type a part of its name (Shift+W); * where it moves"))
        self.setting.setEditable(True)
        self.setting.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.setting.setFixedWidth(190)
        self.setting.setMinimumHeight(26)
        completer = QCompleter(self.setting.model(), self.setting)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        self.setting.setCompleter(completer)
        self.setting.activated.connect(lambda index: self.choose(self.setting.itemData(index)))
        self.value = fields.NumberField(LEVEL, "Value of the chosen point; of a passage, by how much it moves")
        self.value.value_changed.connect(self._value_typed)
        self.record = fields.button(
            "Record", "While it plays, arrow keys and wheel over the picture are written as a ride (W)",
            self.toggle_recording, checkable=True,
        )  # fmt: skip
        bar.addWidget(self.setting)
        bar.addWidget(self.value)
        bar.addStretch(1)
        bar.addWidget(self.record)
        self.thinned = fields.button("Thin", "Fewer points, within 0.1 dB of the curve", self.acts.thin)
        self.smoothed = fields.button("Smooth", "The marked passage, or all, averaged over a second", self.acts.smooth)
        self.copied = fields.button(
            "To same sections",
            "What the curve does in the section that is played, copied to all of that name",
            self.acts.copy_to_sisters,
        )  # fmt: skip
        for button in (self.thinned, self.smoothed, self.copied):
            bar.addWidget(button)
        return holder

    def _sections_bar(self) -> QWidget:
        holder = QWidget()
        bar = layouts.row(holder, margins=layouts.NONE, spacing=4)
        self.said = fields.label("", "quiet")
        bar.addWidget(self.said, 1)
        for text, tip, run in (
            (
                "−1 dB",
                "The selected track a decibel softer here",
                lambda: self.acts.trim_section(-SECTION_STEP_DB),
            ),
            (
                "+1 dB",
                "The selected track a decibel louder here",
                lambda: self.acts.trim_section(SECTION_STEP_DB),
            ),
            ("Mute here", "The selected track muted in this section, or heard again", self.acts.mute_section),
            (
                "To same sections",
                "What the curve does in this section, copied to all of that name",
                self.acts.copy_to_sisters,
            ),
        ):
            bar.addWidget(fields.button(text, tip, run))
        return holder

    # What is shown.

    def show_view(self, index: int) -> None:
        self.bars.setCurrentIndex(index)
        super().show_view(index)

    def strip(self) -> str:
        """What is selected; the first line that leads where nothing is."""
        desk = self.desk
        if desk.current is not None:
            member = next((item for item in desk.session.members if item.id == desk.current), None)
            return MIX if member is None else desk.current
        heard = [lane for lane in desk.session.lanes if not lane.hidden]
        lead = next((lane.id for lane in heard if lane.role in ("lead voice", "voice")), "")
        return lead or (heard[0].id if heard else MIX)

    def parameter(self) -> str:
        """The setting whose curve is shown."""
        strip_id = self.strip()
        known = dict(ride_edits.choices(self.desk.session, strip_id))
        wanted = self.parameters.get(strip_id, "")
        if wanted in known:
            return wanted
        automated = [item.parameter for item in ride_edits.holder(self.desk.session, strip_id).automation]
        return next((item for item in automated if item in known), next(iter(known), ""))

    def choose(self, parameter: str) -> None:
        """Another setting of the strip."""
        self._stop_recording()
        if parameter:
            self.parameters[self.strip()] = parameter
            self.refresh()

    def choose_setting(self) -> None:
        """To type the name of one."""
        self.show_view(0)
        self.setting.setFocus()
        edit = self.setting.lineEdit()
        if edit is not None:
            edit.selectAll()

    def refresh(self) -> None:
        self.shown.refresh()
        if self.recorder.on and (self.strip(), self.parameter()) != (self.recorder.strip, self.recorder.parameter):
            self._stop_recording()
        self._redraw()

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        self.recorder.tick(position_s, self.desk.ears.playing)
        self.drawing.set_position(position_s)

    def set_follow(self, on: bool) -> None:
        self.drawing.follow = on
        self.drawing.renew()

    def look_anew(self) -> None:
        super().look_anew()
        self.recorder.switch(False, "", "")
        self.parameters.clear()
        self.section = 0
        self.drawing.passage, self.drawing.chosen = None, None
        self.drawing.zoom(0.0, 0.0)

    def _redraw(self) -> None:
        desk = self.desk
        if not desk.is_open or desk.stage != "rides":
            return
        session, strip_id, parameter = desk.session, self.strip(), self.parameter()
        line = self.shown.of(strip_id)
        lane = session.lane(strip_id) if session.is_lane(strip_id) else None
        family = family_of(lane.role) if isinstance(lane, Lane) else "buses"
        names = [(item.letter, item.start_s) for item in self._sections()]
        self.drawing.show_line(line, family, self.proposed_db(), names, desk.song_s())
        described = automating.automatable(ride_edits.holder(session, strip_id), parameter) if parameter else None
        curve = self._curve_of(strip_id, parameter)
        rest = ride_edits.rest_of(session, strip_id, parameter) if parameter else 0.0
        name = session.strip_name(strip_id)
        title = f"{name[:1].upper()}{name[1:]} has nothing to automate"
        if described is not None:
            about = f"{name}: {ride_edits.words(session, strip_id, parameter)}"
            unit = "dB over its backing, off what is usual" if line is not None else "dB"
            shown = f", rests at {described.text(rest)}"
            title = f"{about}{shown}" + (f"; bars: {unit}" if self._has_words(strip_id) else "")
        self.drawing.show_curve(curve, rest, described, title)
        self._fill(strip_id, parameter)
        for button in (self.thinned, self.smoothed, self.copied):
            button.setEnabled(bool(curve))
        self.record.setEnabled(described is not None)
        self._show_value()
        self._show_side(strip_id)
        self.section = min(self.section, max(0, len(self.shown.sections) - 1))
        self.sections.show_sections(self.shown.sections, self.section)
        where = self._sections()[self.section].letter if self.section < len(self._sections()) else ""
        self.said.setText(fields.elided(self.said, f"{name} in {where}" if where else name, 260))

    def _curve_of(self, strip_id: str, parameter: str) -> "Curve":
        """The shown curve, the same list as long as it stays."""
        return ride_edits.curve_of(self.desk.session, strip_id, parameter)

    def _has_words(self, strip_id: str) -> bool:
        line = self.shown.of(strip_id)
        return line is not None and line.off_db is not None

    def _fill(self, strip_id: str, parameter: str) -> None:
        """The settings to choose from; those that move with a mark."""
        moving = {item.parameter for item in ride_edits.holder(self.desk.session, strip_id).automation}
        wanted = [(f"{words} *" if name in moving else words, name)
                  for name, words in ride_edits.choices(self.desk.session, strip_id)]  # fmt: skip
        if wanted != self._filled:
            self._filled = wanted
            self.setting.clear()
            for text, name in wanted:
                self.setting.addItem(text, name)
        index = max(0, self.setting.findData(parameter))
        edit = self.setting.lineEdit()
        if edit is None or not edit.hasFocus():
            self.setting.setCurrentIndex(index)
            if edit is not None:
                edit.setCursorPosition(0)
        self.setting.setEnabled(bool(wanted))

    def proposed_db(self) -> "NDArray[np.float64] | None":
        """What an open move would ride each word of the shown line by, dB."""
        from all_even.moves.rides import phrases

        for move in self.desk.moves.at("rides"):
            if move.kind in (phrases.KIND.id, phrases.SOLOS.id) and self.strip() in move.targets:
                return phrases.rides_of(move)[2]
        return None

    def _show_side(self, strip_id: str) -> None:
        line, stale = self.shown.of(strip_id), self.shown.is_stale()
        riding = line.riding if line is not None else None
        name = self.desk.session.strip_name(strip_id)
        self._listed = []
        if riding is None or not len(riding):
            said = "Words and phrases are shown for melodies; any setting of any track can be drawn."
            self.side.show_all(name, "–", said, (), look=False, stale=stale)
            return
        spread, usual = riding.spread_db, riding.usual_db
        figure = "–" if spread is None else f"{number(spread)} dB"
        said = "Too few words for a usual relation." if usual is None else (
            f"{len(riding)} words, usually at {number(usual)} dB over all else. Most masked first, press to hear:"
        )  # fmt: skip
        lines, voice = [], self.drawing.family == "voices"
        for unit in riding.worst[:LISTED]:
            at_s, hidden = float(riding.words.starts_s[unit]), float(riding.hidden[unit])
            lines.append((time_text(at_s), f"{100.0 * hidden:.0f} %", voice and hidden > HIDDEN))
            self._listed.append(at_s)
        self.side.show_all(name, figure, said, lines, look=False, stale=stale)

    def _hear_listed(self, index: int) -> None:
        if index < len(self._listed):
            self.desk.ears.play_from(max(0.0, self._listed[index] - LEAD_S))

    def _show_value(self) -> None:
        """Of the chosen point; of a passage nothing yet."""
        drawing = self.drawing
        described = drawing.described
        self.value.setEnabled(described is not None and (drawing.chosen is not None or drawing.passage is not None))
        if described is None:
            return
        if drawing.chosen is not None:
            self.value.parameter = described
            self.value.set_value(drawing.curve[drawing.chosen][1])
        else:
            span = described.high - max(described.low, -60.0 if described.unit == "dB" else described.low)
            self.value.parameter = automating.change_of(described, span)
            self.value.set_value(0.0)

    # What is done.

    def set_curve(self, points: list[tuple[float, float]]) -> None:
        strip_id, parameter = self.strip(), self.parameter()
        chosen = self.drawing.chosen
        self.desk.try_edit(
            lambda s: ride_edits.set_curve(s, strip_id, parameter, points),
            merge=f"curve {strip_id} {parameter} {chosen}",
        )

    def _value_typed(self, value: float) -> None:
        drawing = self.drawing
        if drawing.chosen is not None:
            at_s = drawing.curve[drawing.chosen][0]
            drawing.curve_changed.emit([(at_s, value) if index == drawing.chosen else point
                                        for index, point in enumerate(drawing.curve)])  # fmt: skip
            self.desk.end_gesture()
        elif drawing.passage is not None:
            self.trim_passage(value)
            self.desk.end_gesture()

    def trim_passage(self, by: float) -> None:
        """The marked passage up or down."""
        passage, strip_id, parameter = self.drawing.passage, self.strip(), self.parameter()
        if passage is not None and passage[1] > passage[0]:
            self.desk.try_edit(
                lambda s: ride_edits.trim_passage(s, strip_id, parameter, *passage, by),
                merge=f"passage {strip_id} {parameter} {passage}",
            )

    def _sections(self) -> "tuple[Section, ...]":
        song = self.desk.figures.song
        return song.sections if song is not None else ()

    def choose_section(self, index: int) -> None:
        """Works on it, and goes there where nothing plays."""
        self.section = index
        if not self.desk.ears.playing and index < len(self.shown.sections):
            self.desk.player.locate(self.shown.sections[index].section.start_s)
        self._redraw()

    def present_section(self) -> "Section | None":
        """The chosen one; with the line shown, the one that is played."""
        found = self._sections()
        if self.stack.currentIndex() == 1:
            return found[self.section] if self.section < len(found) else None
        at_s = self.drawing.position_s
        return next((item for item in reversed(found) if item.start_s <= at_s), found[0] if found else None)

    def toggle_recording(self) -> None:
        """Armed, or punched out."""
        self.show_view(0)
        if self.recorder.on:
            self._stop_recording()
        elif self.parameter():
            self.recorder.switch(True, self.strip(), self.parameter())
            self.drawing.setFocus()
            self.desk.said.emit("Recording: play, and ride with the arrow keys or the wheel; W ends it.")

    def _stop_recording(self) -> None:
        if self.recorder.on:
            self.recorder.switch(False, "", "")

    def _show_recording(self) -> None:
        self.record.setChecked(self.recorder.on)
        self.drawing.recording = self.recorder.on
        self.drawing.renew()
