"""The bench of Buses: where the selected strip goes, its level path, and the opened station."""

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QStringListModel, Qt
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLineEdit, QStackedWidget

from all_even.app.bench.bench import HEIGHT, Bench
from all_even.app.bench.changes import ChangeDrawing
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.lanes.entries import entry
from all_even.app.stages.buses.level_path import LevelPath, Stop
from all_even.app.stages.buses.routing_form import RoutingForm
from all_even.app.station import feeding
from all_even.app.station.panel import FORM_WIDTH, StationPanel
from all_even.app.style import fields, layouts
from all_even.dsp import kinds
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.parameter import LEVEL
from all_even.dsp.processor import key_of
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, FolderGroup

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.measure.level.levels import Level

MORE_HEIGHT = 44
"""An opened station has many settings; in a low window the lanes need the room more."""


class BusesBench(Bench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.open_station = ""
        self._opened_for: str | None = None
        row = layouts.row(self, margins=layouts.BENCH, spacing=12)
        self.form = RoutingForm(desk)
        row.addWidget(self.form)
        middle = layouts.column(spacing=4)
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
        belonging.belongs(self.path, "station", self._point)
        belonging.belongs(self.station, "station")
        self.path.opened.connect(lambda station: self.open("" if station == self.open_station else station))
        self.path.moved.connect(self._move)
        self.path.bypassed.connect(self._bypass)
        self.path.removed.connect(self._remove)

    def _adding(self) -> QHBoxLayout:
        row = layouts.row(spacing=6)
        row.addWidget(fields.label("Add a processor", "quiet"))
        self.add: QLineEdit = QLineEdit()
        self.add.setAccessibleName("Add a processor")
        self.add.setToolTip("Type what it is, for example comp or eq; Enter adds it before the fader (A)")
        self.add.setPlaceholderText("compressor, equaliser, gate …")
        self.add.setMinimumHeight(26)
        completer = QCompleter(QStringListModel(sorted(kind.LABEL for kind in kinds.KINDS)), self.add)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.add.setCompleter(completer)
        self.add.returnPressed.connect(self.add_typed)
        row.addWidget(self.add, 1)
        return row

    # What is shown.

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        if meters is not None:
            self.path.show_playing(meters.reductions)
        self.station.show_playing(meters)

    def select(self) -> None:
        """A lane's first station is opened at once; of a bus its members are shown."""
        desk = self.desk
        if desk.current != self._opened_for:
            self._opened_for = desk.current
            chain = desk.session.chain(desk.current_lane) if desk.current_lane is not None else ()
            self.open_station = chain[0].id if chain else ""
        self.refresh()

    def open(self, station_id: str) -> None:
        """Opens a station; an empty id closes it."""
        self.open_station = station_id
        self.refresh()

    def open_part(self, part_id: str) -> None:
        self._opened_for = self.desk.current
        self.open(part_id)

    def refresh(self) -> None:
        session, current = self.desk.session, self.desk.current
        self.setEnabled(current is not None)
        if current is None:
            self.form.title.setText("No track selected")
            return
        folder = isinstance(entry(session, current), FolderGroup)
        self.form.show_current(session, current)
        self.add.setEnabled(not folder)
        chain = () if folder else session.chain(current)
        if self.open_station not in {station.id for station in chain}:
            self.open_station = ""
        self._show_path(session, current, folder)
        self._show_right(session, current, chain)

    def _show_path(self, session: Session, current: str, folder: bool) -> None:
        if folder:
            self.path.show_stops((), "", "A folder only holds levels")
            return
        flow = feeding.flow_of(self.desk, current)
        chain = session.chain(current)
        entered = flow.entered if flow is not None else self._file_level(current) if not chain else None
        stops = [Stop("In", entered)]
        level = entered
        for index, station in enumerate(chain):
            measured = flow.stations[index] if flow is not None else None
            level = measured.level if measured is not None else None
            key = key_of(station)
            gain = None
            if measured is not None and len(measured.gain_db):
                gain = float(min(measured.gain_db[:, 1].min(), 0.0)) or float(measured.gain_db[:, 1].max())
            keyed_by = session.strip_name(key.source) if key is not None else ""
            stops.append(Stop(station.LABEL, level, station.id, station.bypass, keyed_by, gain, station.SHORT))
        if current != MIX:
            raised = routing.level_db(session, session.strip(current))
            stops.append(Stop("Fader", level.raised(raised) if level is not None else None))
        note = "being measured …" if chain and flow is None else ""
        self.path.show_stops(tuple(stops), self.open_station, note)

    def _file_level(self, lane_id: str) -> "Level | None":
        from all_even.measure.level.levels import file_level

        measures = self.desk.measures(lane_id)
        return file_level(measures.hops) if measures is not None else None

    def _show_right(self, session: Session, current: str, chain: tuple[AnyProcessor, ...]) -> None:
        # Index 1 is the path, 2 what is right of it: an opened station needs the room.
        for index, stretch in ((1, 3 if self.open_station else 4), (2, 8 if self.open_station else 6)):
            self._row.setStretch(index, stretch)
        if self.open_station:
            feeding.open_station(self, self.station, current, self.open_station)
            self.right.setCurrentWidget(self.station)
            return
        self.right.setCurrentWidget(self.changes)
        if current == MIX or current in {bus.id for bus in session.buses}:
            rows: list[tuple[str, float | None, float | None]] = []
            for item in self.desk.figures.arrivals.into(current):
                kind = " (send)" if item.edge.kind == "send" else ""
                rows.append((session.strip_name(item.edge.source) + kind, item.share_lu, item.change_lu))
            self.changes.show_rows(rows, any(row[2] is not None for row in rows))
        else:
            self.changes.show_path(way(session, current), feeding.key_levels(self.desk, current))

    def _point(self, at: QPoint) -> None:
        """Opens the station that a context menu is asked for."""
        stop = self.path.stop_at(at.x())
        if stop is not None and stop.station_id:
            self.open(stop.station_id)

    # Edits.

    def on_station(self, act: str) -> None:
        """Does something with the opened station: bypass, remove, earlier, later."""
        if not self.open_station:
            self.desk.said.emit("No processor is opened: click one on the signal chain.")
        elif act == "bypass":
            self._bypass(self.open_station)
        elif act == "remove":
            self._remove(self.open_station)
        else:
            self._move(self.open_station, -1 if act == "earlier" else 1)

    def move_bands(self, semitones: float) -> None:
        """All bands of the opened equaliser by an interval."""
        station_id = self.open_station
        if not station_id:
            self.desk.said.emit("No processor is opened: click one on the signal chain.")
            return
        strip_id, _ = chain_edits.find_station(self.desk.session, station_id)
        self.desk.try_edit(
            lambda s: chain_edits.move_bands(s, strip_id, station_id, semitones), merge=f"bands {station_id}"
        )

    def add_typed(self) -> None:
        found = kinds.search(self.add.text())
        current = self.desk.current
        if not found or current is None or not self.add.text().strip():
            if self.add.text().strip():
                self.desk.said.emit(f"No processor is called “{self.add.text().strip()}”.")
            return
        strips = {strip.id for strip in self.desk.session.strips} | {MIX}
        wanted = [item for item in self.desk.selected if item in strips] or [current]
        if self.desk.try_edit(lambda s: chain_edits.add_to_all(s, wanted, found[0])):
            self.add.clear()
            if len(wanted) > 1:
                self.desk.said.emit(f"{found[0].LABEL} on {len(wanted)} tracks; undo takes them all back.")
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


def way(session: Session, current: str) -> list[str]:
    """Where a lane leads and what listens to it, in sentences."""
    shown = entry(session, current)
    if isinstance(shown, FolderGroup):
        return [f"Holds {item.name}" for item in session.members if item.group == shown.id]
    strip = session.strip(current)
    lines = [f"Output: {session.strip_name(strip.destination)}"]
    lines += [f"Sends to {session.strip_name(send.to)} at {LEVEL.text(send.level_db)}" for send in strip.sends]
    for edge in routing.edges(session):
        if edge.kind == "key" and edge.source == current:
            _, station = chain_edits.find_station(session, edge.station)
            lines.append(f"Keys the {station.LABEL.lower()} of {session.strip_name(edge.target)}")
        elif edge.kind == "key" and edge.target == current:
            _, station = chain_edits.find_station(session, edge.station)
            lines.append(f"Its {station.LABEL.lower()} is sidechained from {session.strip_name(edge.source)}")
    folders = routing.folders_above(session, strip)
    lines += [f"Held by folder {folder.name} at {LEVEL.text(folder.level_db)}" for folder in folders]
    if not strip.chain:
        lines.append("No processor yet: type a name below its path to add one")
    return lines
