"""Space's bench: the plan from front to back, a return over the song's beats, and the return's station."""

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QComboBox, QStackedWidget, QVBoxLayout, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.side_panel import SidePanel
from all_even.app.bench.viewed import ViewedBench
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.stages.space.decay import DecayDrawing, TimesDrawing
from all_even.app.stages.space.lines import LOUD, lines_of
from all_even.app.stages.space.plan import DepthPlan
from all_even.app.stages.space.shown import Shown
from all_even.app.station import feeding
from all_even.app.station.choices import choice_box, show_choice
from all_even.app.station.panel import StationPanel
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.space.echo import Echo
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.space.room import Room
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.session.editing import chain_edits, edits, space_edits
from all_even.session.model import space
from all_even.session.model.strips import Bus, Lane

if TYPE_CHECKING:
    from all_even.dsp.processor import Processor

MORE_HEIGHT = 72
VIEWS = (
    ("Plan", "Who stands where, from front to back"),
    ("Return", "The selected return over the song's beats, and how long each octave lasts"),
    ("Processor", "What makes the room, with the settings that matter first"),
)
FIRST_LEVEL_DB = -12.0
"""Of a return made by hand: heard, and never loud."""
NEW: tuple[tuple[str, str], ...] = (
    ("new return …", ""), *((name, name) for name in STARTS), ("echo", "echo"), ("room of an ensemble", "ensemble"),
)  # fmt: skip


class SpaceBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        self.open_station = ""
        self.bus = ""
        """The return that is shown; the selected one, else the last that was."""
        self._selected = ""
        row = layouts.row(self, margins=layouts.BENCH, spacing=14)
        self.side = SidePanel("Depth", "Dry over reverb; of a return, how much the dry sound masks")
        self.side.setFixedWidth(208)
        row.addWidget(self.side)
        row.addLayout(self._views(), 1)
        self.shown.changed.connect(self._redraw)

    def _views(self) -> QVBoxLayout:
        self.plan = DepthPlan(self.desk, self.shown)
        self.decay, self.times = DecayDrawing(), TimesDrawing()
        over = QWidget()
        beside = layouts.row(over, margins=layouts.NONE, spacing=8)
        beside.addWidget(self.decay, 5)
        beside.addWidget(self.times, 2)
        self.station = StationPanel(self.desk, partial(self.show_view, 1))
        self.none = _Nothing()
        self.stations = QStackedWidget()
        self.stations.addWidget(self.station)
        self.stations.addWidget(self.none)
        belonging.belongs(self.station, "station")
        bar = self.make_views(VIEWS, (self.plan, over, self.stations))
        bar.addSpacing(8)
        self.which = choice_box("Which return is shown", [("no return yet", "")])
        self.which.setFixedWidth(120)
        self.which.activated.connect(lambda _index: self.choose(self.which.currentData()))
        bar.addWidget(self.which)
        bar.addStretch(1)
        self.alone = HoldButton(
            "Alone", "Hold to hear the shown return alone: set it so first, then its level, then its brightness",
            self._hold_alone, self.desk.ears.release_move, "ear",
        )  # fmt: skip
        self.without = HoldButton(
            "Without", "Hold to hear the song without the shown return: it should be just audible",
            self._hold_without, self.desk.ears.release_move, "ear",
        )  # fmt: skip
        self.new: QComboBox = choice_box("New return for the selected tracks", list(NEW))
        self.new.setFixedWidth(128)
        self.new.setToolTip("A return to begin from; the selected tracks send to it (Ctrl+Alt+R: a room)")
        self.new.activated.connect(lambda _index: self._new_chosen())
        for widget in (self.alone, self.without, self.new):
            bar.addWidget(widget)
        self.decay.decay_moved.connect(self._set_decay)
        self.decay.released.connect(self.desk.end_gesture)
        return self.under_bar(bar)

    # What is shown.

    def open_part(self, part_id: str) -> None:
        self.open_station = part_id
        self.show_view(2)

    def choose(self, bus_id: str) -> None:
        """Shows a return."""
        if bus_id:
            self.bus = bus_id
            self.open_station = ""
            self.refresh()

    def select(self) -> None:
        """A return that is selected is shown over the beats."""
        before, self._selected = self._selected, self.desk.current or ""
        if self._selected != before and self._selected in self.returns():
            if self._selected != self.bus:
                self.bus, self.open_station = self._selected, ""
            if self.stack.currentIndex() == 0:
                self.show_view(1)
                return
        self.refresh()

    def returns(self) -> dict[str, Bus]:
        return {bus.id: bus for bus in space.returns(self.desk.session)}

    def refresh(self) -> None:
        self.shown.refresh()
        returns = self.returns()
        if self.bus not in returns:
            self.bus = next(iter(returns), "")
        self._show_which(list(returns.values()))
        for widget in (self.alone, self.without):
            widget.setEnabled(bool(self.bus))
        self._redraw()
        if self.stack.currentIndex() == 2:
            self._show_station()

    def _show_which(self, returns: list[Bus]) -> None:
        wanted = [(bus.name, bus.id) for bus in returns] or [("no return yet", "")]
        if [(self.which.itemText(i), self.which.itemData(i)) for i in range(self.which.count())] != wanted:
            self.which.clear()
            for name, bus_id in wanted:
                self.which.addItem(name, bus_id)
        self.which.setEnabled(bool(returns))
        show_choice(self.which, self.bus)

    def _show_station(self) -> None:
        chain = self.desk.session.chain(self.bus) if self.bus else ()
        ids = [station.id for station in chain]
        if self.open_station not in ids:
            self.open_station = next((station.id for station in chain if space.is_space(station)), "")
        self.stations.setCurrentWidget(self.station if self.open_station else self.none)
        if self.open_station:
            feeding.open_station(self, self.station, self.bus, self.open_station)

    def _redraw(self) -> None:
        desk = self.desk
        if not desk.is_open or desk.stage != "space":
            return
        self.plan.renew()
        self._show_side()
        bus, view = self.returns().get(self.bus), self.shown.of(self.bus) if self.bus else None
        note = "No return yet: press a move beside, or choose a new one above"
        if bus is not None:
            note = "being measured …" if view is None else ""
        reverb = space.reverb_of(bus) if bus is not None else None
        beat = self.shown.view.beat if self.shown.view is not None else None
        self.decay.show_decay(view, beat, reverb.decay_s if reverb is not None else None, note)
        self.times.show_times(view)

    def _show_side(self) -> None:
        """Of the selected return; of the selected lane; or of the session."""
        desk, session, stale = self.desk, self.desk.session, self.shown.is_stale()
        returns, current = self.returns(), desk.current
        bus = returns.get(current or "") or (returns.get(self.bus) if self.stack.currentIndex() > 0 else None)
        if bus is not None:
            view = self.shown.of(bus.id)
            lines = [(line.name, line.figure, line.over) for line in lines_of(view)[1:]] if view is not None else []
            found = view.figures.covered if view is not None else None
            figure = "–" if found is None else f"{number(100.0 * found)} % masked"
            said = "Its fader: " + LEVEL.text(bus.level_db)
            loud = found is not None and found < LOUD
            self.side.show_all(bus.name, figure, said, lines, look=loud, stale=stale)
            return
        if current is not None and session.is_lane(current):
            self._show_lane(session.lane(current), stale=stale)
            return
        if not returns:
            said = "Everything is dry. The moves beside give it places; or choose a new return above."
        else:
            said = "Select a track to see how far away it stands, or a return to see what it adds."
        self.side.show_all("Space", f"{len(returns)} return{'s' if len(returns) != 1 else ''}", said, (),
                           look=False, stale=False)  # fmt: skip

    def _show_lane(self, lane: Lane, *, stale: bool) -> None:
        found = self.shown.depth(lane.id)
        ratio = found.ratio_db if found is not None else None
        figure = f"{number(ratio)} dB" if ratio is not None else "dry" if self.shown.view is not None else "–"
        said = "Dry over reverb: the less it is, the further away the track stands."
        if ratio is None:
            said = "It sends to no return, or nothing of it is heard."
        lines = []
        for send in space.space_sends(self.desk.session, lane):
            to = found.to(send.to) if found is not None else None
            name = f"over {self.desk.session.strip_name(send.to)}"
            lines.append((name, "–" if to is None else f"{number(to)} dB", False))
        self.side.show_all(lane.name, figure, said, lines, look=False, stale=stale)

    # What is done.

    def _set_decay(self, decay_s: float) -> None:
        bus = self.returns().get(self.bus)
        reverb = space.reverb_of(bus) if bus is not None else None
        if bus is not None and reverb is not None:
            bus_id, station_id = bus.id, reverb.id
            self.desk.try_edit(
                lambda s: chain_edits.change_station(s, bus_id, station_id, decay_s=decay_s),
                merge=f"processor {station_id} decay_s",
            )

    def _hold_alone(self) -> None:
        """The return by itself, at its own level; other solos are set aside."""
        if self.bus:
            session = self.desk.session
            others = [item.id for item in session.members if item.solo]
            alone = edits.change_strips(edits.change_strips(session, others, solo=False), (self.bus,), solo=True)
            self.desk.ears.hold_state(f"{session.strip_name(self.bus)} alone", alone)

    def _hold_without(self) -> None:
        if self.bus:
            name = self.desk.session.strip_name(self.bus)
            self.desk.ears.hold_state(f"without {name}", edits.change_strips(self.desk.session, (self.bus,), mute=True))

    def _new_chosen(self) -> None:
        wanted = self.new.currentData()
        self.new.setCurrentIndex(0)
        if wanted:
            self.add_return(wanted)

    def add_return(self, start: str = "room") -> None:
        """A return that begins from one of the starting points; the selected lanes send to it."""
        desk = self.desk
        first: Processor = Echo() if start == "echo" else Room() if start == "ensemble" else STARTS[start]
        name = "Room of the ensemble" if start == "ensemble" else start.capitalize()
        lanes = [item for item in desk.selected if desk.session.is_lane(item)]
        made: list[str] = []

        def edit(session: Any) -> Any:
            session, bus_id = space_edits.add_return(
                session, name, (first, HighPass(frequency_hz=200.0), LowPass(frequency_hz=7000.0)), lanes
            )
            made.append(bus_id)
            return edits.change_strips(session, (bus_id,), level_db=FIRST_LEVEL_DB)

        if desk.try_edit(edit):
            self.bus, self.open_station = made[-1], ""
            who = f"{len(lanes)} tracks send" if len(lanes) != 1 else "one track sends"
            level = LEVEL.text(FIRST_LEVEL_DB)
            desk.said.emit(f"{name}: {who} to it, at {level}; a move beside says where it is just audible.")
            self.show_view(1)


class _Nothing(QWidget):
    """Where there is no return yet."""

    def __init__(self) -> None:
        super().__init__()
        column = layouts.column(self)
        column.addStretch(1)
        column.addWidget(fields.wrapped(
            "No return makes room yet. The moves beside give the tracks their places; or choose a new return above.",
            "quiet",
        ))  # fmt: skip
        column.addStretch(2)
