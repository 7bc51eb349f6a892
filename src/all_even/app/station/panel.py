"""The opened station: its drawing, and every setting as a field, made from the station's own description."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QScrollArea,
    QWidget,
)

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.station import response_finding, shape_finding, space_settings
from all_even.app.station.bars_drawing import BarsDrawing
from all_even.app.station.choices import choice_box, show_choice
from all_even.app.station.drawing import Array, StationDrawing
from all_even.app.style import fields, layouts
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape, Shaped, shape_of
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.filters.crossover import HIGHEST_HZ, LOWEST_HZ
from all_even.dsp.parameter import Choice, Parameter
from all_even.dsp.processor import Key, key_of, settings
from all_even.dsp.space.convolution import Convolution
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.strips import MIX

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.figures.dynamics.loud_bars import LoudBars

OWN = "its own sound"
FORM_WIDTH = {1: 206, 2: 396, 3: 580}
"""Of the settings, by their columns."""
SPACING, ROOMY = 4, 190
"""Between settings; in a panel lower than this the few that matter first stand without."""
DRAWING_WIDTH, BARS_WIDTH = 130, 170
LINE_FIELD = 96
"""Width of a field that takes a line, in one column."""
MANY_SETTINGS = 10
"""From here on three columns are used where there is room."""
CROSSOVER = Parameter("Up to", "Hz", LOWEST_HZ, HIGHEST_HZ, 120.0, 3.0, decimals=0, scale="log")

HIDDEN = frozenset({"matched_db"})


class StationPanel(QWidget):
    """Shows one station of a strip and edits it."""

    def __init__(self, desk: Desk, close: Callable[[], None]) -> None:
        super().__init__()
        self.desk = desk
        self._strip, self._station_id = "", ""
        self._made_for: tuple[Any, ...] = ()
        self.band = 0
        self._name = ""
        self._all = False
        """Whether every setting is shown, not only those that matter first."""
        self._change_db: float | None = None
        self.bars_of: tuple[str, str] | None = None
        self._set: list[tuple[Callable[[Any], None], Callable[[Any], Any]]] = []
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        head = layouts.row(spacing=4)
        self.title = fields.label("", "title")
        self.more = fields.button("More", "Show every setting of this processor, or only those that matter first",
                                  self._show_all, checkable=True)  # fmt: skip
        self.bypass = fields.button("Bypass", "Send the sound around this processor", self._bypass, checkable=True)
        self.match = fields.button(
            "Match loudness", "Set its output so that it is as loud as without it, measured once", self._match
        )
        self.copy = fields.button("Copy", "Copy this processor to the other selected tracks", self._copy)
        self.remove = fields.button("Remove", "Take this processor out of the chain", self._remove)
        self.close_button = fields.button("Close", "Close the processor and show the chain", close)
        head.addWidget(self.title, 1)
        for button in (self.more, self.bypass, self.match, self.copy, self.remove, self.close_button):
            head.addWidget(button)
        column.addLayout(head)
        row = layouts.row(spacing=8)
        self.drawing = StationDrawing()
        self.drawing.band_chosen.connect(self._choose_band)
        self.drawing.band_moved.connect(self._move_band)
        self.drawing.band_turned.connect(self._turn_band)
        self.drawing.threshold_moved.connect(lambda value: self._change(threshold_db=value))
        self.drawing.released.connect(desk.end_gesture)
        row.addWidget(self.drawing, 2)
        self.bars = BarsDrawing()
        self.bars.pressed.connect(desk.ears.play_from)
        row.addWidget(self.bars, 3)
        self.form_area = QScrollArea()
        self.form_area.setWidgetResizable(True)
        self.form_area.setFrameShape(QFrame.Shape.NoFrame)
        self.form_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.form_area.setAccessibleName("Settings of the processor")
        self._columns = 2
        row.addWidget(self.form_area)
        column.addLayout(row, 1)

    def show_station(
        self, strip_id: str, station: Any, levels: Array | None, gains: Array | None, change_db: float | None
    ) -> None:
        """levels: what its detector hears; gains: what it applied; change_db: of the level; None if unknown."""
        session = self.desk.session
        if (strip_id, station.id, station.LABEL) != (self._strip, self._station_id, self._name):
            self.band = 0
        self._strip, self._station_id, self._name = strip_id, station.id, station.LABEL
        self._fit_title()
        self.bypass.setChecked(station.bypass)
        self.match.setEnabled(change_db is not None)
        self._change_db = change_db
        self.copy.setEnabled(len(self.desk.selected) > 1)
        bands = getattr(station, "bands", ())
        self.band = min(self.band, max(0, len(bands) - 1))
        names = tuple((strip.id, strip.name) for strip in session.strips)
        self._columns = self._fitting_columns(station)
        first = self._first(station)
        self.more.setVisible(bool(station.FIRST))
        self.more.setChecked(self._all)
        wanted = (
            self._bound_to(strip_id, station), type(station), len(bands), self.band, names, session.shapes,
            session.responses, self._columns, first, self._listening(station),
        )  # fmt: skip
        if wanted != self._made_for:
            self._made_for = wanted
            self._make_form(station, names)
        for show, read in self._set:
            show(read(station))
        shape = shape_of(station, session.shapes)
        self.drawing.show_station(station, levels, gains, shape, session.sample_rate, self.band)
        if isinstance(station, Convolution):
            response_finding.show_response(self.desk, self.drawing, station)
        if not station.DYNAMIC or self.bars_of != (strip_id, station.id):
            self.bars.show_bars(None)
        self._fit_drawings()

    def _bound_to(self, strip_id: str, station: Any) -> tuple[str, ...]:
        """What a form is made anew for: most forms serve every station of their kind, but a choice of keys leaves
        the own strip out, and a response is read in for one station."""
        if hasattr(station, "key"):
            return (strip_id,)
        return (strip_id, station.id) if isinstance(station, Convolution) else ()

    @property
    def opened(self) -> tuple[str, str] | None:
        """Strip and id of a shown station that moves levels; None where there is none."""
        found = self._found()
        return (found[0], self._station_id) if found is not None and found[1].DYNAMIC else None

    def show_playing(self, meters: "Meters | None") -> None:
        """What the opened station does to the level just now."""
        key = (self._strip, self._station_id)
        self.drawing.show_playing(meters.reductions.get(key) if meters is not None and self.opened else None)

    def show_bars(self, of: tuple[str, str], found: "LoudBars | None") -> None:
        """What passes through a station; of another one than is shown it is left aside."""
        if self.opened == of:
            self.bars_of = of
            self.bars.show_bars(found)

    def _first(self, station: Any) -> tuple[str, ...]:
        """The settings to show; none stands for all."""
        return () if self._all else station.FIRST

    def _show_all(self) -> None:
        self._all = self.more.isChecked()
        strip, station = self._found() or (None, None)
        if strip is not None:
            self.show_station(strip, station, self.drawing._levels, self.drawing._gains, self._change_db)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the settings are worth more than the drawing."""
        if event is None:
            return
        super().resizeEvent(event)
        strip, station = self._found() or (None, None)
        if strip is not None and self._fitting_columns(station) != self._columns:
            self.show_station(strip, station, self.drawing._levels, self.drawing._gains, self._change_db)
        self._fit_drawings()
        self._fit_title()

    def _fit_drawings(self) -> None:
        """As many of both as there is room beside the settings; the bars go first."""
        form = self.form_area.widget()
        grid = form.layout() if form is not None else None
        if isinstance(grid, QGridLayout):
            grid.setVerticalSpacing(SPACING if self._columns > 1 or self.height() >= ROOMY else 0)
        room = self.width() - FORM_WIDTH[self._columns]
        self.drawing.setVisible(room > DRAWING_WIDTH)
        self.bars.setVisible(room > DRAWING_WIDTH + BARS_WIDTH and self.opened is not None)

    def _fitting_columns(self, station: Any) -> int:
        if self._first(station):
            return 1
        kinds = [type(station), *(type(band) for band in getattr(station, "bands", ())[:1])]
        many = sum(len(settings(kind)) for kind in kinds) > MANY_SETTINGS or isinstance(station, BandCompressor)
        return 3 if many and self.width() > FORM_WIDTH[3] + DRAWING_WIDTH else 2

    def _fit_title(self) -> None:
        """The station's name in words, or shortened where the buttons need the room."""
        _, station = self._found() or (None, None)
        wide = self.width() > FORM_WIDTH[2] + DRAWING_WIDTH
        self.title.setText(self._name if wide or station is None else station.SHORT)
        self.title.setToolTip(texts.tip(self._name))

    def _found(self) -> tuple[str, Any] | None:
        if not self.desk.is_open or not self._station_id:
            return None
        try:
            return chain_edits.find_station(self.desk.session, self._station_id)
        except KeyError:
            return None

    # The form.

    def _make_form(self, station: Any, names: tuple[tuple[str, str], ...]) -> None:
        self._set = []
        form = QWidget()
        form.setObjectName("panel")
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 0, 6, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(SPACING)
        self._cell = 0
        first = self._first(station)
        if hasattr(station, "key") and (not first or station.key is not None):
            self._add_line(grid, "Sidechain from", self._key_box(names))
            if station.key is not None:
                self._add_line(grid, "", self._mute_box(station, station.key))
        if isinstance(station, Shaped):
            box = shape_finding.shape_box(self.desk, self._change)
            self._set.append((partial(show_choice, box), lambda item: item.shape))
            self._add_line(grid, "Shape", box)
            follow = partial(shape_finding.follow_hits, self.desk, self)
            hits = shape_finding.hits_box(self.desk, lambda source: follow(self._strip, self._station_id, source))
            self._add_line(grid, "New shape", hits)
            if isinstance(station, Ducker) and shape_of(station, self.desk.session.shapes) is not None:
                self._rows(grid, DuckShape, lambda _item: self._shape(), self._change_shape)
        for name, box, read in space_settings.lines(self.desk, self, self._strip, station, self._change):
            self._add_line(grid, name, box)
            self._set.append((partial(show_choice, box), read))
        self._rows(grid, type(station), lambda item: item, self._change, first)
        if hasattr(station, "bands"):
            self._band_rows(grid, station)
        grid.setRowStretch(grid.rowCount(), 1)
        for column in range(self._columns):
            grid.setColumnStretch(2 * column, 1)
        fields.swap(self.form_area, form)
        self.form_area.setFixedWidth(FORM_WIDTH[self._columns])

    def _rows(
        self, grid: QGridLayout, kind: type, part: Callable[[Any], Any], change: Callable[..., None],
        only: tuple[str, ...] = (),
    ) -> None:  # fmt: skip
        """only: these settings; none stands for all."""
        for name, described in settings(kind).items():
            if name in HIDDEN or (only and name not in only):
                continue
            read = partial(lambda field, of, item: getattr(of(item), field), name, part)
            if isinstance(described, Parameter):
                field = fields.NumberField(described, described.name)
                field.value_changed.connect(partial(lambda key, value: change(**{key: value}), name))
                self._add(grid, described.name, field)
                self._set.append((field.set_value, read))
            elif isinstance(described, Choice):
                box = choice_box(described.name, [(described.text(option), option) for option in described.options])
                box.activated.connect(partial(lambda key, of, _index: change(**{key: of.currentData()}), name, box))
                self._add(grid, described.name, box)
                self._set.append((partial(show_choice, box), read))
            else:
                check = fields.check(described.name)
                check.setAccessibleName(described.name)
                check.setToolTip(described.name)
                check.clicked.connect(partial(lambda key, on: change(**{key: on}), name))
                self._add(grid, "", check)
                self._set.append((check.setChecked, read))

    def _band_rows(self, grid: QGridLayout, station: Any) -> None:
        self._next_line()
        holder = QWidget()
        row = layouts.row(holder, margins=layouts.NONE, spacing=4)
        for index in range(len(station.bands)):
            tip = f"Show the settings of band {index + 1}"
            button = fields.button(str(index + 1), tip, partial(self._choose_band, index), checkable=True)
            button.setAccessibleName(f"Band {index + 1}")
            button.setChecked(index == self.band)
            row.addWidget(button)
        fewest, most = station.BAND_COUNTS
        if len(station.bands) < most:
            row.addWidget(fields.button("Add band", "Add a band behind the shown one", self._add_band))
        if len(station.bands) > fewest:
            row.addWidget(fields.button("Drop band", "Take the shown band away", self._drop_band))
        row.addStretch(1)
        grid.addWidget(holder, self._cell // self._columns, 0, 1, 2 * self._columns)
        self._cell += self._columns
        if isinstance(station, BandCompressor) and self.band < len(station.crossovers_hz):
            edge = fields.NumberField(CROSSOVER, "Upper edge of the band")
            edge.value_changed.connect(self._move_crossover)
            self._add(grid, CROSSOVER.name, edge)
            at = self.band
            self._set.append((edge.set_value, lambda item: item.crossovers_hz[min(at, len(item.crossovers_hz) - 1)]))
        if station.bands:
            kind = type(station.bands[self.band])
            shown = tuple(name for name in settings(kind) if name != "makeup_follows")
            self._rows(
                grid, kind, lambda item: item.bands[min(self.band, len(item.bands) - 1)], self._change_band, shown
            )

    def _add(self, grid: QGridLayout, name: str, field: QWidget) -> None:
        line, side = divmod(self._cell, self._columns)
        if name:
            grid.addWidget(fields.label(name, "small"), line, 2 * side)
            grid.addWidget(field, line, 2 * side + 1, Qt.AlignmentFlag.AlignRight)
        else:
            grid.addWidget(field, line, 2 * side, 1, 2)
        self._cell += 1

    def _add_line(self, grid: QGridLayout, name: str, field: QWidget) -> None:
        """A field that takes a whole line."""
        self._next_line()
        field.setMinimumWidth(160 if self._columns > 1 else LINE_FIELD)
        field.setMaximumWidth(400)
        grid.addWidget(fields.label(name, "small"), self._cell // self._columns, 0)
        grid.addWidget(field, self._cell // self._columns, 1, 1, 2 * self._columns - 1)
        self._cell += self._columns

    def _next_line(self) -> None:
        self._cell += -self._cell % self._columns

    def _key_box(self, names: tuple[tuple[str, str], ...]) -> QComboBox:
        entries: list[tuple[str, Any]] = [(OWN, None)]
        entries += [(name, strip_id) for strip_id, name in names if strip_id != self._strip]
        box = choice_box("Sidechain from", entries)
        box.setToolTip("Which track this detector listens to, after its chain and before its fader")
        box.activated.connect(lambda _index: self.set_key(box.currentData()))
        self._set.append((partial(show_choice, box), lambda item: item.key.source if item.key else None))
        return box

    def _listening(self, station: Any) -> tuple[object, bool]:
        """The key of a station, and whether what it listens to is muted."""
        key, session = key_of(station), self.desk.session
        muted = any(key and strip.id == key.source and routing.muted(session, strip) for strip in session.strips)
        return key, muted

    def _mute_box(self, station: Any, key: Key) -> QCheckBox:
        """Whether muting what is listened to ends the listening; said where it is muted now."""
        _, muted = self._listening(station)
        now = ("Muted: no key" if key.follows_mute else "Muted: still keys") if muted else "Not while muted"
        box = fields.check(now)
        box.setAccessibleName("Key follows mute")
        name = self.desk.session.strip_name(key.source)
        box.setToolTip(texts.tip(f"Ticked, muting {name} silences the key too; else it goes on as a silent trigger"))
        box.clicked.connect(lambda on: self._change(key=replace(key, follows_mute=on)))
        self._set.append((box.setChecked, lambda item: bool(item.key and item.key.follows_mute)))
        return box

    def _shape(self) -> DuckShape:
        """The shape that the opened station follows."""
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        return shape_of(station, self.desk.session.shapes) or DuckShape(id="none", name="")

    def _change_shape(self, **values: Any) -> None:
        shape = replace(self._shape(), **values)
        merge = f"shape {shape.id} {' '.join(values)}"
        self.desk.try_edit(lambda s: chain_edits.set_shape(s, shape), merge=merge)

    # Edits.

    def _change(self, **values: Any) -> None:
        merge = f"processor {self._station_id} {' '.join(values)}"
        self.desk.try_edit(
            lambda s: chain_edits.change_station(s, self._strip, self._station_id, **values), merge=merge
        )

    def _change_band(self, **values: Any) -> None:
        merge = f"processor {self._station_id} {self.band} {' '.join(values)}"
        self.desk.try_edit(
            lambda s: chain_edits.change_part(s, self._strip, self._station_id, self.band, **values), merge=merge
        )

    def _move_band(self, index: int, frequency_hz: float, gain_db: float) -> None:
        merge = f"processor {self._station_id} {index} dragged"
        self.desk.try_edit(
            lambda s: chain_edits.change_part(
                s, self._strip, self._station_id, index, frequency_hz=frequency_hz, gain_db=gain_db
            ),
            merge=merge,
        )

    def _turn_band(self, index: int, steps: int) -> None:
        found = self._found()
        if found is not None and index < len(found[1].bands):
            q = round(found[1].bands[index].q * 1.1**steps, 2)
            merge = f"processor {self._station_id} {index} q"
            self.desk.try_edit(
                lambda s: chain_edits.change_part(s, self._strip, self._station_id, index, q=q), merge=merge
            )

    def set_key(self, source: str | None) -> None:
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        own = key_of(station)
        follows = own.follows_mute if own is not None else False
        self._change(key=None if source is None else Key(source=source, follows_mute=follows))

    def _choose_band(self, index: int) -> None:
        self.band = index
        self._made_for = ()
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        self.show_station(self._strip, station, self.drawing._levels, self.drawing._gains, self._change_db)

    def _add_band(self) -> None:
        strip, station, band = self._strip, self._station_id, self.band
        self.band += 1
        self.desk.try_edit(lambda s: chain_edits.add_band(s, strip, station, band))

    def _drop_band(self) -> None:
        self.desk.try_edit(lambda s: chain_edits.drop_band(s, self._strip, self._station_id, self.band))

    def _move_crossover(self, frequency_hz: float) -> None:
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        if isinstance(station, BandCompressor):
            self._change(crossovers_hz=station.with_crossover(self.band, frequency_hz).crossovers_hz)

    def _bypass(self) -> None:
        self._change(bypass=self.bypass.isChecked())

    def _remove(self) -> None:
        self.desk.try_edit(lambda s: chain_edits.remove_station(s, self._strip, self._station_id))

    def _match(self) -> None:
        change = self._change_db
        if change is not None:
            strip, station = self._strip, self._station_id
            self.desk.edit(lambda s: chain_edits.match_station(s, strip, station, change))

    def _copy(self) -> None:
        others = [item for item in self.desk.selected if item not in (self._strip, MIX)]
        others = [item for item in others if item in {strip.id for strip in self.desk.session.strips}]
        if others:
            self.desk.try_edit(lambda s: chain_edits.copy_stations(s, self._strip, [self._station_id], others))
