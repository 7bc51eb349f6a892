"""Dynamics' bench: the selected strip's notes and words before and now, a station at work, who comes up and sinks."""

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.changes import ChangeDrawing
from all_even.app.bench.viewed import ViewedBench
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.lanes.entries import entry
from all_even.app.stages.dynamics.shown import Shown
from all_even.app.stages.dynamics.side import DynamicsSide
from all_even.app.stages.dynamics.units_drawings import AlongDrawing, TransferDrawing
from all_even.app.station import feeding
from all_even.app.station.panel import StationPanel
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.kinds import AnyProcessor
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import MIX, FolderGroup, Lane

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.figures.book.look import Look

MORE_HEIGHT = 72
VIEWS = (
    ("Notes", "Every note, word or hit of the selected track, before and now"),
    ("Processor", "What works on its level, on the loudest bars, with the settings that matter first"),
    ("Tracks in group", "Of a group or the mix: who comes up and who sinks by its dynamics"),
)
LEAD_S = 0.15
"""A unit is played from so long before."""


class DynamicsBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        self.open_station = ""
        row = layouts.row(self, margins=layouts.BENCH, spacing=14)
        self.side = DynamicsSide()
        self.side.setFixedWidth(220)
        row.addWidget(self.side)
        row.addLayout(self._views(), 1)
        self.shown.changed.connect(self._redraw)
        desk.moves_changed.connect(self._redraw)
        for drawing in (self.transfer, self.along):
            drawing.pointed.connect(lambda at_s: desk.ears.play_from(max(0.0, at_s - LEAD_S)))

    def _views(self) -> QVBoxLayout:
        self.transfer, self.along = TransferDrawing(), AlongDrawing()
        units = QWidget()
        beside = layouts.row(units, margins=layouts.NONE, spacing=8)
        beside.addWidget(self.transfer, 2)
        beside.addWidget(self.along, 5)
        self.station = StationPanel(self.desk, partial(self.show_view, 0))
        self.none = _Nothing(self.add_compressor)
        self.stations = QStackedWidget()
        self.stations.addWidget(self.station)
        self.stations.addWidget(self.none)
        belonging.belongs(self.station, "station")
        self.members = ChangeDrawing()
        bar = self.make_views(VIEWS, (units, self.stations, self.members))
        self.chain = layouts.row(spacing=4)
        bar.addSpacing(12)
        bar.addLayout(self.chain)
        bar.addStretch(1)
        self.without = HoldButton(
            "Without", "Hold to hear the song without the dynamics of this track, as loud as with them",
            self._hold_without, self.desk.ears.release_move, "ear",
        )  # fmt: skip
        self.copy = fields.button(
            "Parallel compression",
            "Parallel compression under the selected tracks, measured first (Ctrl+Alt+B)",
            self.crush,
        )
        bar.addWidget(self.without)
        bar.addWidget(self.copy)
        return self.under_bar(bar)

    # What is shown.

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        self.along.set_position(position_s)
        self.station.bars.set_position(position_s)
        self.station.show_playing(meters)

    def set_follow(self, on: bool) -> None:
        self.along.follow = on
        self.along.renew()

    def open_part(self, part_id: str) -> None:
        self.open_station = part_id
        self.show_view(1)

    def strip(self) -> str:
        """The selected strip; the mix where none is, or a folder."""
        desk = self.desk
        current = desk.current
        return MIX if current is None or isinstance(entry(desk.session, current), FolderGroup) else current

    def working(self) -> tuple[AnyProcessor, ...]:
        """What moves the level of the selected strip, in order; bypassed ones too."""
        from all_even.figures.dynamics.dynamics import is_dynamic

        return tuple(station for station in self.desk.session.chain(self.strip()) if is_dynamic(station))

    def refresh(self) -> None:
        self.shown.refresh()
        stations = self.working()
        if self.open_station not in {station.id for station in stations}:
            self.open_station = stations[0].id if stations else ""
        self._show_chain(stations)
        self.copy.setEnabled(any(self.desk.session.is_lane(item) for item in self.desk.selected))
        self.without.setEnabled(any(not station.bypass for station in stations))
        self._redraw()
        if self.stack.currentIndex() == 1:
            self.stations.setCurrentWidget(self.station if self.open_station else self.none)
            if self.open_station:
                feeding.open_station(self, self.station, self.strip(), self.open_station)
        elif self.stack.currentIndex() == 2:
            self._show_members()

    def _show_chain(self, stations: tuple[AnyProcessor, ...]) -> None:
        """A button for each station where there are several."""
        wanted = [(station.id, station.SHORT) for station in stations] if len(stations) > 1 else []
        known = [(button.property("station"), button.text()) for button in self.chain_buttons()]
        if wanted != known:
            for button in self.chain_buttons():
                self.chain.removeWidget(button)
                button.deleteLater()
            for station_id, short in wanted:
                made = fields.button(short, "Show this processor", partial(self.open_part, station_id), checkable=True)
                made.setProperty("station", station_id)
                self.chain.addWidget(made)
        for button in self.chain_buttons():
            button.setChecked(button.property("station") == self.open_station)

    def chain_buttons(self) -> list[Any]:
        items = [self.chain.itemAt(index) for index in range(self.chain.count())]
        return [item.widget() for item in items if item is not None and item.widget() is not None]

    def _redraw(self) -> None:
        desk = self.desk
        if not desk.is_open or desk.stage != "dynamics":
            return
        session, strip_id = desk.session, self.strip()
        found = self.shown.of(strip_id)
        lane = session.lane(strip_id) if session.is_lane(strip_id) else None
        role = lane.role if isinstance(lane, Lane) else "bus"
        stations = [station for station in self.working() if not station.bypass]
        works = " and ".join(dict.fromkeys(station.LABEL for station in stations))
        self.side.show_strip(session.strip_name(strip_id), found, works, stale=self.shown.is_stale())
        curves = [station for station in stations if hasattr(station, "static_db")]
        self.transfer.show_units(found if lane is not None else None, role, curves[0] if len(curves) == 1 else None)
        self.transfer.setVisible(lane is not None)
        self.along.show_units(found, role, desk.song_s(), is_lane=lane is not None)
        places_s, ridden = self.sibilants()
        self.along.show_sibilants(places_s, ridden=ridden)

    def sibilants(self) -> tuple[tuple[float, ...], bool]:
        """(where those of the selected lane begin, whether they are softened): as they stand, else as they are
        proposed."""
        from all_even.moves.dynamics import soften

        desk, strip_id = self.desk, self.strip()
        if not desk.session.is_lane(strip_id):
            return (), False
        ridden = tuple(start for start, _ in soften.ridden(desk.session, strip_id))
        if ridden:
            return ridden, True
        for move in desk.moves.at("dynamics"):
            if move.kind == soften.KIND.id and strip_id in move.targets:
                return soften.starts_s(move), False
        return (), False

    def _show_members(self) -> None:
        """Of the selected group; of the mix where a lane is selected."""
        session, strip_id = self.desk.session, self.strip()
        if session.is_lane(strip_id):
            destination = session.lane(strip_id).destination
            strip_id = destination if destination in {bus.id for bus in session.buses} else MIX
        rows = [
            (session.strip_name(item.edge.source), item.share_lu, item.change_lu)
            for item in self.desk.figures.arrivals.into(strip_id)
        ]
        self.members.show_rows(rows, any(row[2] is not None for row in rows))

    # What is done.

    def add_compressor(self) -> None:
        strip_id = self.strip()
        if self.desk.try_edit(lambda s: chain_edits.add_station(s, strip_id, Compressor())):
            self.open_part(self.desk.session.chain(strip_id)[-1].id)

    def _hold_without(self) -> None:
        from all_even.figures.dynamics.dynamics import unmoved_session

        name = self.desk.session.strip_name(self.strip())
        self.desk.ears.hold_matched(f"{name} without its dynamics", unmoved_session(self.desk.session, self.strip()))

    def crush(self) -> None:
        """A crushed copy under the selected lanes, as a move: tried out, then made."""
        desk = self.desk
        lanes = [item for item in desk.selected if desk.session.is_lane(item)]
        waiting = "Select the tracks first that are to get parallel compression; they have to be measured."
        if not lanes:
            desk.said.emit(waiting)
            return

        def tried(look: "Look") -> Proposal | None:
            from all_even.moves.dynamics import parallel

            return parallel.for_lanes(look, [look.session.lane(lane_id) for lane_id in lanes])

        def done(found: Proposal | None) -> None:
            if found is None:
                desk.said.emit("There is nothing to copy: these tracks are not heard.")
            else:
                desk.moves.apply(found)

        saying = "Trying parallel compression"
        desk.figures.find("parallel compression", tried, done, saying=saying, waiting=waiting, line="quick")


class _Nothing(QWidget):
    """Where nothing works on a level yet."""

    def __init__(self, add: Any) -> None:
        super().__init__()
        column = layouts.column(self)
        column.addStretch(1)
        column.addWidget(fields.wrapped(
            "Nothing works on the level of this track. The moves beside say what would be gained; or begin by hand.",
            "quiet",
        ))  # fmt: skip
        row = layouts.row()
        row.addWidget(fields.button("Add a compressor", "A compressor at the end of its chain", add))
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(2)
