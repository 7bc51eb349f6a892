"""Gain's bench: the selected lane's way large, its clip gain to type, and what its next station meets."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout

from all_even import texts
from all_even.app.bench.bench import Bench
from all_even.app.desk import Desk
from all_even.app.stages.gain.drawings import WayDrawing
from all_even.app.stages.gain.section_gains import SectionGains
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import CLIP_GAIN, decibel_text, number
from all_even.session.editing import clip_edits, edits
from all_even.session.editing.clip_edits import section_gains_db
from all_even.session.model.settings import WORKING_WITHIN_DB
from all_even.session.model.strips import Lane

WIDE = 216


class GainBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = layouts.row(self, margins=layouts.BENCH, spacing=16)
        row.addLayout(self._settings())
        self.way = WayDrawing()
        row.addWidget(self.way, 3)
        self.sections = SectionGains()
        self.sections.dragged.connect(self._set_section)
        self.sections.released.connect(desk.end_gesture)
        row.addWidget(self.sections, 2)
        desk.song_changed.connect(self.refresh)

    def _settings(self) -> QVBoxLayout:
        column = layouts.column(spacing=6)
        self.title = fields.label("", "title")
        self.title.setAccessibleName("Selected track")
        self.title.setFixedWidth(WIDE)
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        self.clip_gain: fields.NumberField = fields.NumberField(CLIP_GAIN, "Clip gain", "Left, Right in the rows")
        self.clip_gain.value_changed.connect(self._set)
        self.into = fields.Figure("Level into inserts", "RMS while playing where the chain begins")
        self.peak = fields.Figure("Peak into inserts", "The highest sample where the chain begins")
        for index, (name, field) in enumerate(
            (("Clip gain", self.clip_gain), ("Level into inserts", self.into), ("Peak into inserts", self.peak))
        ):
            grid.addWidget(fields.label(name, "quiet"), index, 0)
            side = Qt.AlignmentFlag.AlignLeft if index == 0 else Qt.AlignmentFlag.AlignRight
            grid.addWidget(field, index, 1, side)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid)
        self.told = fields.wrapped("", "quiet")
        self.told.setFixedWidth(WIDE)
        column.addWidget(self.told)
        column.addStretch(1)
        return column

    def refresh(self) -> None:
        from all_even.figures.arriving.gain_path import gain_path, histograms, to_working_level_db, trouble

        desk = self.desk
        session, current = desk.session, desk.current_lane
        self.clip_gain.setEnabled(current is not None)
        if current is None:
            self.title.setText("No track selected")
            self.way.show_way(None, (), None, session.settings, "unknown", "Select a track to see its way.")
            self.sections.show_gains((), ())
            return
        lane: Lane = session.lane(current)
        count = len(desk.selected)
        text = lane.name if count == 1 else f"{count} tracks"
        self.title.setText(self.title.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, WIDE - 4))
        self.title.setToolTip(texts.tip(text))
        self.clip_gain.set_value(lane.clip_gain_db)
        sections = desk.figures.song.sections if desk.figures.song is not None else ()
        self.sections.show_gains(sections, section_gains_db(lane, sections))
        measures, flow = desk.measures(current), desk.flow
        points = gain_path(session, lane, measures, flow)
        if points is None:
            note = "Being measured …" if measures is None else "The chain is being measured …"
            self.way.show_way(None, (), None, session.settings, lane.role, note)
            self.told.setText("")
            return
        wrong = trouble(points, lane.chain, session.settings)
        shapes = histograms(session, lane, measures, flow)
        self.way.show_way(points, shapes, wrong, session.settings, lane.role, "")
        clip = points[1]
        self.into.show_value(decibel_text(clip.level.rms_dbfs, "dBFS"))
        self.peak.show_value(decibel_text(clip.level.peak_dbfs, "dBFS"))
        if wrong is not None:
            met = number(points[wrong.into].level.rms_dbfs or 0.0)
            self.told.setText(
                f"{wrong.station.LABEL} needs a sensible level and meets {met} dBFS. "
                f"{number(wrong.change_db)} dB at {points[wrong.begins].name} would bring it to the nominal level."
            )
        elif any(point.judged for point in points):
            self.told.setText("Every level-dependent insert meets a sensible level.")
        else:
            change = to_working_level_db(clip, session.settings)
            far = change is not None and abs(change) > WORKING_WITHIN_DB
            more = f" It is {number(change or 0.0)} dB from the nominal level." if far else ""
            self.told.setText(f"No insert here depends on level: its level does no harm.{more}")

    def _set(self, gain_db: float) -> None:
        desk = self.desk
        current = desk.current_lane
        if current is None:
            return
        wanted = tuple(item for item in desk.selected if desk.session.is_lane(item))
        by_db = gain_db - desk.session.lane(current).clip_gain_db
        desk.edit(lambda s: edits.nudge_clip_gains(s, wanted, by_db), merge="clip" + "".join(wanted))

    def _set_section(self, index: int, gain_db: float) -> None:
        """Another clip gain of the selected lane in one section."""
        desk = self.desk
        current, song = desk.current_lane, desk.figures.song
        if current is not None and song is not None and index < len(song.sections):
            merge = f"clip {current} section {index}"
            desk.edit(lambda s: clip_edits.set_section_gain(s, current, song.sections, index, gain_db), merge=merge)
