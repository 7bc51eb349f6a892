"""The bench of Buses: where the selected strip goes, its level path, and the opened station."""

from functools import partial
from typing import Any

from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from all_even.app import fields
from all_even.app.bench.changes import ChangeDrawing
from all_even.app.bench.level_path import LevelPath, Stop
from all_even.app.bench.station import FORM_WIDTH, StationPanel
from all_even.app.desk import Desk
from all_even.app.lanes.entries import entry
from all_even.dsp import kinds
from all_even.dsp.parameter import LEVEL
from all_even.session import chain_edits, edits, routing, routing_edits
from all_even.session.model import MIX, NOWHERE, Bus, FolderGroup, Session, Strip

SIDE_WIDTH, SEND_WIDTH = 232, 78
PAN_LAWS = {"-3 dB": "−3 dB, constant power", "-4.5 dB": "−4.5 dB", "-6 dB": "−6 dB, constant sum"}


class BusesBench(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.open_station = ""
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(12)
        row.addWidget(self._routing())
        middle = QVBoxLayout()
        middle.setSpacing(4)
        self.path = LevelPath()
        middle.addWidget(self.path, 1)
        middle.addLayout(self._adding())
        row.addLayout(middle)
        self.station = StationPanel(desk, partial(self.open, ""))
        self.changes = ChangeDrawing()
        self.right = QStackedWidget()
        self.right.addWidget(self.changes)
        self.right.addWidget(self.station)
        row.addWidget(self.right)
        self._row = row
        self.right.setMinimumWidth(FORM_WIDTH[2] + 4)
        self.path.opened.connect(lambda station: self.open("" if station == self.open_station else station))
        self.path.moved.connect(self._move)
        self.path.bypassed.connect(self._bypass)
        self.path.removed.connect(self._remove)
        for signal in (desk.opened, desk.mix_measured):
            signal.connect(self.refresh)
        desk.selection_changed.connect(self._on_selection)
        desk.changed.connect(lambda old, new: self.refresh())
        desk.lane_measured.connect(lambda lane: self.refresh() if lane == desk.current else None)

    def _routing(self) -> QWidget:
        holder = QWidget()
        holder.setFixedWidth(SIDE_WIDTH)
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.title = fields.label("", "title")
        self.title.setAccessibleName("Selected lane or bus")
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.names: dict[str, Any] = {}
        self.level = fields.NumberField(LEVEL, "Level")
        self.level.value_changed.connect(self._set_level)
        self.goes_to = self._box("Goes to", "Where the sound goes: a bus, the mix, or nowhere (a silent trigger)")
        self.goes_to.activated.connect(lambda _i: self._route(self.goes_to.currentData()))
        self.send_to = self._box("Send to", "Send a copy to a bus, after fader and pan")
        self.send_to.activated.connect(lambda _i: self._send(self.send_to.currentData()))
        self.pan_law = self._box("Pan law", "Gain of a mono track in the centre, for the whole session")
        for law, text in PAN_LAWS.items():
            self.pan_law.addItem(text, law)
        self.pan_law.activated.connect(self._set_pan_law)
        for index, (name, field) in enumerate(
            (("Level", self.level), ("Goes to", self.goes_to), ("Send to", self.send_to), ("Pan law", self.pan_law))
        ):
            self.names[name] = fields.label(name, "quiet")
            grid.addWidget(self.names[name], index, 0)
            if isinstance(field, QComboBox):
                grid.addWidget(field, index, 1)
            else:
                grid.addWidget(field, index, 1, Qt.AlignmentFlag.AlignLeft)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        self.sends = QScrollArea()
        self.sends.setWidgetResizable(True)
        self.sends.setFrameShape(QFrame.Shape.NoFrame)
        self.sends.setAccessibleName("Sends")
        self.sends.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.sends, 1)
        self._sends_for: Any = None
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.group = fields.button("Group", "Put the selected lanes through a summing group (Ctrl+B)", self.make_group)
        self.folder = fields.button(
            "Folder", "Hold the selected lanes by one fader, without a bus (Ctrl+F)", self.make_folder
        )
        self.parallel = fields.button(
            "Parallel", "Send the selected lanes to a new parallel bus (Ctrl+Shift+B)", self.make_parallel
        )
        self.convert = fields.button("", "Turn a summing group into a folder group, or back", self._convert)
        for button in (self.group, self.folder, self.parallel, self.convert):
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        return holder

    def _adding(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(fields.label("Add a station", "quiet"))
        self.add = QLineEdit()
        self.add.setAccessibleName("Add a station")
        self.add.setToolTip("Type what it is, for example comp or eq; Enter adds it before the fader (A)")
        self.add.setPlaceholderText("compressor, equaliser, gate …")
        self.add.setMinimumHeight(26)
        completer = QCompleter(QStringListModel(sorted(kind.LABEL for kind in kinds.KINDS)), self.add)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.add.setCompleter(completer)
        self.add.returnPressed.connect(self._add_typed)
        row.addWidget(self.add, 1)
        return row

    @staticmethod
    def _box(name: str, tip: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(tip)
        box.setMinimumHeight(26)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        return box

    # What is shown.

    def _on_selection(self) -> None:
        """A lane's first station is opened at once; of a bus its members are shown."""
        desk = self.desk
        self.open_station = ""
        if desk.is_open and desk.current_lane is not None:
            chain = desk.session.chain(desk.current_lane)
            self.open_station = chain[0].id if chain else ""
        self.refresh()

    def open(self, station_id: str) -> None:
        """Opens a station; an empty id closes it."""
        self.open_station = station_id
        self.refresh()

    def refresh(self) -> None:
        desk = self.desk
        if not desk.is_open or desk.stage != "buses":
            return
        session, current = desk.session, desk.current
        self.setEnabled(current is not None)
        if current is None:
            self.title.setText("No lane selected")
            return
        shown = entry(session, current)
        strip = shown if isinstance(shown, Strip) else None
        metrics = self.title.fontMetrics()
        text = shown.name if len(desk.selected) == 1 else f"{shown.name} and {len(desk.selected) - 1} more"
        self.title.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, SIDE_WIDTH - 4))
        self.title.setToolTip(text)
        self.level.set_value(shown.level_db)
        self.names["Level"].setText("Trim" if current == MIX else "Level")
        self.pan_law.setCurrentIndex(self.pan_law.findData(session.pan_law))
        for widget in (self.pan_law, self.names["Pan law"]):
            widget.setVisible(current == MIX)
        self._fill_routes(session, strip)
        self._fill_sends(session, strip)
        folder = isinstance(shown, FolderGroup)
        self.convert.setVisible(folder or isinstance(shown, Bus))
        self.convert.setText("To bus" if folder else "To folder")
        self.convert.setAccessibleName(self.convert.text())
        for button in (self.group, self.folder, self.parallel):
            button.setVisible(not self.convert.isVisibleTo(self))
            button.setEnabled(strip is not None)
        self.add.setEnabled(not folder)
        chain = () if folder else session.chain(current)
        if self.open_station not in {station.id for station in chain}:
            self.open_station = ""
        self._show_path(session, current, folder)
        self._show_right(session, current, chain)

    def _fill_routes(self, session: Session, strip: Strip | None) -> None:
        own = strip.id if strip is not None else ""
        targets = [
            ("the mix", MIX),
            *((bus.name, bus.id) for bus in session.buses if bus.id != own),
            ("nowhere", NOWHERE),
        ]
        for box, first in ((self.goes_to, None), (self.send_to, "choose …")):
            wanted = ([(first, "")] if first else []) + [
                t for t in targets if first is None or t[1] not in (MIX, NOWHERE)
            ]
            if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != wanted:
                box.clear()
                for name, target in wanted:
                    box.addItem(name, target)
            box.setEnabled(len(wanted) > 1)
            box.setVisible(strip is not None)
        for name in ("Goes to", "Send to"):
            self.names[name].setVisible(strip is not None)
        self.goes_to.setCurrentIndex(max(0, self.goes_to.findData(strip.destination if strip else MIX)))
        self.send_to.setCurrentIndex(0)

    def _fill_sends(self, session: Session, strip: Strip | None) -> None:
        sends = strip.sends if strip is not None else ()
        wanted = (
            strip.id if strip else "",
            tuple((send.to, session.strip_name(send.to), send.pre_fader) for send in sends),
        )
        if wanted != self._sends_for:
            self._sends_for = wanted
            form = QWidget()
            form.setObjectName("panel")
            grid = QGridLayout(form)
            grid.setContentsMargins(0, 0, 4, 0)
            grid.setHorizontalSpacing(4)
            grid.setVerticalSpacing(3)
            self._send_levels = []
            for index, send in enumerate(sends):
                name = session.strip_name(send.to)
                label = fields.label(name, "small")
                label.setToolTip(name)
                label.setText(
                    label.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, SIDE_WIDTH - SEND_WIDTH - 88)
                )
                level = fields.NumberField(LEVEL, f"Send to {name}")
                level.setFixedWidth(SEND_WIDTH)
                level.value_changed.connect(partial(self._set_send, send.to))
                before = fields.button(
                    "pre", "Take the copy before the fader", partial(self._turn_pre, send.to), checkable=True
                )
                before.setChecked(send.pre_fader)
                gone = fields.icon_button(
                    "trash-2",
                    f"Remove the send to {name}",
                    f"Remove the send to {name}",
                    partial(self._remove_send, send.to),
                )
                grid.addWidget(label, index, 0)
                grid.addWidget(level, index, 1)
                grid.addWidget(before, index, 2)
                grid.addWidget(gone, index, 3)
                self._send_levels.append(level)
            grid.setRowStretch(len(sends), 1)
            grid.setColumnStretch(0, 1)
            fields.tint_icons(form)
            fields.swap(self.sends, form)
        for level, send in zip(self._send_levels, sends, strict=True):
            level.set_value(send.level_db)

    def _show_path(self, session: Session, current: str, folder: bool) -> None:
        if folder:
            self.path.show_stops((), "", "A folder only holds levels")
            return
        flow = self.desk.flow.strip(session, current) if self.desk.flow is not None else None
        chain = session.chain(current)
        entered = flow.entered if flow is not None else self._file_level(current) if not chain else None
        stops = [Stop("In", entered)]
        level = entered
        for index, station in enumerate(chain):
            measured = flow.stations[index] if flow is not None else None
            level = measured.level if measured is not None else None
            key = getattr(station, "key", None)
            gain = None
            if measured is not None and len(measured.gain_db):
                gain = float(min(measured.gain_db[:, 1].min(), 0.0)) or float(measured.gain_db[:, 1].max())
            keyed_by = session.strip_name(key.source) if key is not None else ""
            stops.append(Stop(station.LABEL, level, station.id, station.bypass, keyed_by, gain, station.SHORT))
        if current != MIX:
            stops.append(Stop("Fader", self._behind_fader(session, current, level)))
        note = "being measured …" if chain and flow is None else ""
        self.path.show_stops(tuple(stops), self.open_station, note)

    def _key_levels(self, session: Session, source: str) -> Any:
        """(hops, 2) of what a strip brings to its fader and to its keys, or None where it was not measured."""
        from all_even.measure.levels import file_hops

        flow = self.desk.flow.strip(session, source) if self.desk.flow is not None else None
        if flow is not None:
            return flow.stations[-1].after if flow.stations else flow.before
        measures = self.desk.measures(source)
        return file_hops(measures.hops) if measures is not None else None

    def _file_level(self, lane_id: str) -> Any:
        from all_even.measure.levels import file_level

        measures = self.desk.measures(lane_id)
        return file_level(measures.hops) if measures is not None else None

    def _behind_fader(self, session: Session, strip_id: str, level: Any) -> Any:
        if level is None:
            return None
        return level.raised(routing.level_db(session, session.strip(strip_id)))

    def _show_right(self, session: Session, current: str, chain: Any) -> None:
        # Index 1 is the path, 2 what is right of it: an opened station needs the room.
        for index, stretch in ((1, 3 if self.open_station else 4), (2, 8 if self.open_station else 6)):
            self._row.setStretch(index, stretch)
        flow = self.desk.flow.strip(session, current) if self.desk.flow is not None else None
        if self.open_station:
            at = [station.id for station in chain].index(self.open_station)
            from all_even.engine.flow import change_db

            levels = gains = None
            if flow is not None:
                levels = flow.before if at == 0 else flow.stations[at - 1].after
                gains = flow.stations[at].gain_db
            key = getattr(chain[at], "key", None)
            if key is not None:
                levels = self._key_levels(session, key.source)
            change = change_db(flow, at) if flow is not None else None
            self.station.show_station(current, chain[at], levels, gains, change)
            self.right.setCurrentWidget(self.station)
            return
        self.right.setCurrentWidget(self.changes)
        from all_even.engine.flow import applied_gain_db, contributions

        rows: list[tuple[str, float | None, float | None]] = []
        dynamic = False
        if current == MIX or current in {bus.id for bus in session.buses}:
            measures = {lane.id: m for lane in session.lanes if (m := self.desk.measures(lane.id)) is not None}
            dynamic = applied_gain_db(session, current, self.desk.flow) is not None
            for item in contributions(session, current, measures, self.desk.flow):
                kind = " (send)" if item.edge.kind == "send" else ""
                rows.append((session.strip_name(item.edge.source) + kind, item.share_lu, item.change_lu))
            self.changes.show_rows(rows, dynamic)
        else:
            self.changes.show_path(self._way(session, current), self._key_levels(session, current))

    def _way(self, session: Session, current: str) -> list[str]:
        """Where a lane leads and what listens to it, in sentences."""
        shown = entry(session, current)
        if isinstance(shown, FolderGroup):
            return [f"Holds {item.name}" for item in session.members if item.group == shown.id]
        strip = session.strip(current)
        lines = [f"Goes to {session.strip_name(strip.destination)}"]
        lines += [f"Sends to {session.strip_name(send.to)} at {LEVEL.text(send.level_db)}" for send in strip.sends]
        for edge in routing.edges(session):
            if edge.kind == "key" and edge.source == current:
                _, station = chain_edits.find_station(session, edge.station)
                lines.append(f"Keys the {station.LABEL.lower()} of {session.strip_name(edge.target)}")
            elif edge.kind == "key" and edge.target == current:
                _, station = chain_edits.find_station(session, edge.station)
                lines.append(f"Its {station.LABEL.lower()} is keyed by {session.strip_name(edge.source)}")
        folders = routing.folders_above(session, strip)
        lines += [f"Held by folder {folder.name} at {LEVEL.text(folder.level_db)}" for folder in folders]
        if not strip.chain:
            lines.append("No station yet: type a name below its path to add one")
        return lines

    # Edits.

    def _strips(self) -> list[str]:
        known = {strip.id for strip in self.desk.session.strips}
        return [item for item in self.desk.selected if item in known]

    def _set_level(self, value: float) -> None:
        if self.desk.current == MIX:
            self.desk.edit(lambda s: edits.set_trim(s, value), merge="trim")
            return
        wanted = tuple(item for item in self.desk.selected if item != MIX)
        self.desk.edit(lambda s: edits.change_strips(s, wanted, level_db=value), merge="level" + "".join(wanted))

    def _route(self, target: str) -> None:
        self.desk.try_edit(lambda s: routing_edits.route(s, self._strips(), target))
        self.refresh()

    def _send(self, target: str) -> None:
        if target:
            self.desk.try_edit(lambda s: routing_edits.set_send(s, self._strips(), target))
        self.refresh()

    def _set_pan_law(self, _index: int) -> None:
        law = self.pan_law.currentData()
        self.desk.edit(lambda session: edits.set_pan_law(session, law))

    def _set_send(self, target: str, value: float) -> None:
        wanted = self._strips()
        self.desk.edit(lambda s: routing_edits.set_send(s, wanted, target, level_db=value), merge=f"send {target}")

    def _turn_pre(self, target: str) -> None:
        strip = self.desk.session.strip(self._strips()[-1])
        pre = not next(send.pre_fader for send in strip.sends if send.to == target)
        self.desk.edit(lambda s: routing_edits.set_send(s, self._strips(), target, pre_fader=pre))

    def _remove_send(self, target: str) -> None:
        self.desk.edit(lambda s: routing_edits.remove_send(s, self._strips(), target))

    def _add_typed(self) -> None:
        found = kinds.search(self.add.text())
        current = self.desk.current
        if not found or current is None or not self.add.text().strip():
            if self.add.text().strip():
                self.desk.said.emit(f"No station is called “{self.add.text().strip()}”.")
            return
        if self.desk.try_edit(lambda s: chain_edits.add_station(s, current, found[0]())):
            self.add.clear()
            self.open(self.desk.session.chain(current)[-1].id)

    def _move(self, station_id: str, by: int) -> None:
        current = self.desk.current
        if current is not None:
            self.desk.try_edit(lambda s: chain_edits.move_station(s, current, station_id, by))

    def _bypass(self, station_id: str) -> None:
        strip_id, station = chain_edits.find_station(self.desk.session, station_id)
        self.desk.edit(lambda s: chain_edits.change_station(s, strip_id, station_id, bypass=not station.bypass))

    def _remove(self, station_id: str) -> None:
        strip_id, _ = chain_edits.find_station(self.desk.session, station_id)
        self.desk.try_edit(lambda s: chain_edits.remove_station(s, strip_id, station_id))

    def make_group(self) -> None:
        """Puts the selected strips through a new summing group."""
        self._make(lambda s, wanted: routing_edits.group_strips(s, wanted, self._new_name("Group")))

    def make_folder(self) -> None:
        """Puts the selected strips into a new folder group."""
        self._make(lambda s, wanted: routing_edits.folder_strips(s, wanted, self._new_name("Folder")))

    def make_parallel(self) -> None:
        """Sends the selected strips to a new parallel bus."""

        def edit(session: Session, wanted: list[str]) -> tuple[Session, str]:
            session, bus = routing_edits.add_bus(session, self._new_name("Parallel"), "parallel")
            return routing_edits.set_send(session, wanted, bus), bus

        self._make(edit)

    def _make(self, edit: Any) -> None:
        wanted = self._strips()
        if not wanted or self.desk.stage != "buses":
            self.desk.said.emit("Select the lanes first, in the stage Buses.")
            return
        made = ""

        def whole(session: Session) -> Session:
            nonlocal made
            session, made = edit(session, wanted)
            return session

        if self.desk.try_edit(whole) and made:
            self.desk.select((made,))

    def _new_name(self, word: str) -> str:
        taken = {item.name for item in self.desk.session.members}
        return next(name for number in range(1, 1000) if (name := f"{word} {number}") not in taken)

    def _convert(self) -> None:
        current = self.desk.current
        if current is None:
            return
        if isinstance(entry(self.desk.session, current), FolderGroup):
            self.desk.try_edit(lambda s: routing_edits.to_summing(s, current))
        else:
            self.desk.try_edit(lambda s: routing_edits.to_folder(s, current))

    def remove_current(self) -> None:
        """Takes the selected buses and folder groups away; what they carried goes on where they led."""
        session = self.desk.session
        lanes = {lane.id for lane in session.lanes} | {MIX}
        wanted = [item for item in self.desk.selected if item not in lanes]
        if wanted:
            self.desk.try_edit(lambda s: routing_edits.remove_strips(s, wanted))
