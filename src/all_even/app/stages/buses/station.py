"""The opened station: its drawing, and every setting as a field, made from the station's own description."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from all_even import texts
from all_even.app import fields
from all_even.app.desk import Desk
from all_even.app.stages.buses.station_drawing import Array, StationDrawing
from all_even.app.work import Report
from all_even.dsp.band_compressor import BandCompressor
from all_even.dsp.crossover import HIGHEST_HZ, LOWEST_HZ
from all_even.dsp.ducker import Ducker
from all_even.dsp.parameter import Choice, Parameter
from all_even.dsp.processor import Key, settings
from all_even.dsp.shaped import DuckShape, Shaped, shape_of
from all_even.errors import UserError
from all_even.session import chain_edits, edits
from all_even.session.model import MIX, Session
from all_even.session.roles import family_of

OWN = "its own sound"
MIDI = "midi file"
FIELD_WIDTH, WIDE_FIELD = 84, 110
FORM_WIDTH = {2: 396, 3: 580}
"""Of the settings, by their columns."""
DRAWING_WIDTH = 130
MANY_SETTINGS = 10
"""From here on three columns are used where there is room."""
CROSSOVER = Parameter("Up to", "Hz", LOWEST_HZ, HIGHEST_HZ, 120.0, 3.0, decimals=0, scale="log")
BEATS = {"beat": "every beat", "half beat": "every half beat", "bar": "every bar"}


class StationPanel(QWidget):
    """Shows one station of a strip and edits it."""

    def __init__(self, desk: Desk, close: Callable[[], None]) -> None:
        super().__init__()
        self.desk = desk
        self._strip, self._station_id = "", ""
        self._made_for: tuple[Any, ...] = ()
        self._band = 0
        self._name = ""
        self._change_db: float | None = None
        self._set: list[tuple[Callable[[Any], None], Callable[[Any], Any]]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(4)
        self.title = fields.label("", "title")
        self.bypass = fields.button("Bypass", "Send the sound around this station", self._bypass, checkable=True)
        self.match = fields.button(
            "Match", "Set its output so that it is as loud as without it, measured once", self._match
        )
        self.copy = fields.button("Copy", "Copy this station to the other selected lanes", self._copy)
        self.remove = fields.button("Remove", "Take this station out of the chain", self._remove)
        self.close_button = fields.button("Close", "Close the station and show the whole", close)
        head.addWidget(self.title, 1)
        for button in (self.bypass, self.match, self.copy, self.remove, self.close_button):
            head.addWidget(button)
        column.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.drawing = StationDrawing()
        self.drawing.band_chosen.connect(self._choose_band)
        self.drawing.band_moved.connect(self._move_band)
        self.drawing.band_turned.connect(self._turn_band)
        self.drawing.threshold_moved.connect(lambda value: self._change(threshold_db=value))
        self.drawing.released.connect(desk.end_gesture)
        row.addWidget(self.drawing, 1)
        self.form_area = QScrollArea()
        self.form_area.setWidgetResizable(True)
        self.form_area.setFrameShape(QFrame.Shape.NoFrame)
        self.form_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.form_area.setAccessibleName("Settings of the station")
        self._columns = 2
        row.addWidget(self.form_area)
        column.addLayout(row, 1)

    def show_station(
        self, strip_id: str, station: Any, levels: Array | None, gains: Array | None, change_db: float | None
    ) -> None:
        """levels: what its detector hears; gains: what it applied; change_db: of the level; None if unknown."""
        session = self.desk.session
        self._strip, self._station_id = strip_id, station.id
        self._name = station.LABEL
        self._fit_title()
        self.bypass.setChecked(station.bypass)
        self.match.setEnabled(change_db is not None)
        self._change_db = change_db
        self.copy.setEnabled(len(self.desk.selected) > 1)
        bands = getattr(station, "bands", ())
        self._band = min(self._band, max(0, len(bands) - 1))
        names = tuple((strip.id, strip.name) for strip in session.strips)
        self._columns = self._fitting_columns(station)
        wanted = (strip_id, station.id, type(station), len(bands), self._band, names, session.shapes, self._columns)
        if wanted != self._made_for:
            self._made_for = wanted
            self._make_form(station, names)
        for show, read in self._set:
            show(read(station))
        shape = shape_of(station, session.shapes)
        self.drawing.show_station(station, levels, gains, shape, session.sample_rate, self._band)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the settings are worth more than the drawing."""
        if event is None:
            return
        super().resizeEvent(event)
        strip, station = self._found() or (None, None)
        if strip is not None and self._fitting_columns(station) != self._columns:
            self.show_station(strip, station, self.drawing._levels, self.drawing._gains, self._change_db)
        self.drawing.setVisible(event.size().width() > FORM_WIDTH[self._columns] + DRAWING_WIDTH)
        self._fit_title()

    def _fitting_columns(self, station: Any) -> int:
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
        grid.setVerticalSpacing(4)
        self._cell = 0
        if hasattr(station, "key"):
            self._add_line(grid, "Keyed by", self._key_box(names))
        if isinstance(station, Shaped):
            self._add_line(grid, "Shape", self._shape_box())
            self._add_line(grid, "New shape", self._hits_box())
            if isinstance(station, Ducker) and shape_of(station, self.desk.session.shapes) is not None:
                self._rows(grid, DuckShape, lambda _item: self._shape(), self._change_shape)
        self._rows(grid, type(station), lambda item: item, self._change)
        if hasattr(station, "bands"):
            self._band_rows(grid, station)
        grid.setRowStretch(grid.rowCount(), 1)
        for column in range(self._columns):
            grid.setColumnStretch(2 * column, 1)
        fields.swap(self.form_area, form)
        self.form_area.setFixedWidth(FORM_WIDTH[self._columns])

    def _rows(self, grid: QGridLayout, kind: type, part: Callable[[Any], Any], change: Callable[..., None]) -> None:
        for name, described in settings(kind).items():
            if name == "matched_db":
                continue
            read = partial(lambda field, of, item: getattr(of(item), field), name, part)
            if isinstance(described, Parameter):
                field = fields.NumberField(described, described.name)
                field.value_changed.connect(partial(lambda key, value: change(**{key: value}), name))
                self._add(grid, described.name, field)
                self._set.append((field.set_value, read))
            elif isinstance(described, Choice):
                box = _combo(described.name, [(described.text(option), option) for option in described.options])
                box.activated.connect(partial(lambda key, of, _index: change(**{key: of.currentData()}), name, box))
                self._add(grid, described.name, box)
                self._set.append((partial(_show_choice, box), read))
            else:
                check = QCheckBox(described.name)
                check.setAccessibleName(described.name)
                check.setToolTip(described.name)
                check.clicked.connect(partial(lambda key, on: change(**{key: on}), name))
                self._add(grid, "", check)
                self._set.append((check.setChecked, read))

    def _band_rows(self, grid: QGridLayout, station: Any) -> None:
        self._next_line()
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for index in range(len(station.bands)):
            tip = f"Show the settings of band {index + 1}"
            button = fields.button(str(index + 1), tip, partial(self._choose_band, index), checkable=True)
            button.setAccessibleName(f"Band {index + 1}")
            button.setChecked(index == self._band)
            row.addWidget(button)
        fewest, most = station.BAND_COUNTS
        if len(station.bands) < most:
            row.addWidget(fields.button("Add band", "Add a band behind the shown one", self._add_band))
        if len(station.bands) > fewest:
            row.addWidget(fields.button("Drop band", "Take the shown band away", self._drop_band))
        row.addStretch(1)
        grid.addWidget(holder, self._cell // self._columns, 0, 1, 2 * self._columns)
        self._cell += self._columns
        if isinstance(station, BandCompressor) and self._band < len(station.crossovers_hz):
            edge = fields.NumberField(CROSSOVER, "Upper edge of the band")
            edge.value_changed.connect(self._move_crossover)
            self._add(grid, CROSSOVER.name, edge)
            at = self._band
            self._set.append((edge.set_value, lambda item: item.crossovers_hz[min(at, len(item.crossovers_hz) - 1)]))
        if station.bands:
            kind = type(station.bands[self._band])
            self._rows(grid, kind, lambda item: item.bands[min(self._band, len(item.bands) - 1)], self._change_band)

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
        field.setMinimumWidth(160)
        field.setMaximumWidth(400)
        grid.addWidget(fields.label(name, "small"), self._cell // self._columns, 0)
        grid.addWidget(field, self._cell // self._columns, 1, 1, 2 * self._columns - 1)
        self._cell += self._columns

    def _next_line(self) -> None:
        self._cell += -self._cell % self._columns

    def _key_box(self, names: tuple[tuple[str, str], ...]) -> QComboBox:
        entries: list[tuple[str, Any]] = [(OWN, None)]
        entries += [(name, strip_id) for strip_id, name in names if strip_id != self._strip]
        box = _combo("Keyed by", entries)
        box.setToolTip("Which track this detector listens to, after its chain and before its fader")
        box.activated.connect(lambda _index: self._set_key(box.currentData()))
        self._set.append((partial(_show_choice, box), lambda item: item.key.source if item.key else None))
        return box

    def _shape_box(self) -> QComboBox:
        entries: list[tuple[str, Any]] = [("none", "")]
        entries += [(shape.name, shape.id) for shape in self.desk.session.shapes]
        box = _combo("Shape", entries)
        box.setToolTip("The shape with the hits that this station follows")
        box.activated.connect(lambda _index: self._change(shape=box.currentData()))
        self._set.append((partial(_show_choice, box), lambda item: item.shape))
        return box

    def _shape(self) -> DuckShape:
        """The shape that the opened station follows."""
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        return shape_of(station, self.desk.session.shapes) or DuckShape(id="none", name="")

    def _change_shape(self, **values: Any) -> None:
        shape = replace(self._shape(), **values)
        merge = f"shape {shape.id} {' '.join(values)}"
        self.desk.try_edit(lambda s: chain_edits.set_shape(s, shape), merge=merge)

    def _hits_box(self) -> QComboBox:
        lanes = [lane for lane in self.desk.session.lanes if family_of(lane.role) in ("drums", "percussion")]
        entries: list[tuple[str, Any]] = [("from the hits of …", "")]
        entries += [(lane.name, lane.id) for lane in lanes]
        entries += [(f"{text} of the tempo", beats) for beats, text in BEATS.items()]
        entries.append(("a MIDI file …", MIDI))
        box = _combo("New shape from hits", entries)
        box.setToolTip("Take the hits of a track, the beats of the tempo, or a MIDI file, and follow them")
        box.activated.connect(lambda _index: self._new_shape(box.currentData()))
        return box

    def _new_shape(self, source: str) -> None:
        """Finds hits off this thread; the station follows a new shape of them."""
        if not source:
            return
        path: Path | None = None
        if source == MIDI:
            dialog = QFileDialog(self, "Hits from a MIDI file", "", "MIDI files (*.mid *.midi);;All files (*)")
            dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
            if not dialog.exec():
                return
            path = Path(dialog.selectedFiles()[0])
        strip, station = self._strip, self._station_id
        session, reports = self.desk.session, dict(self.desk.reports)
        name = path.stem if path is not None else BEATS[source] if source in BEATS else session.strip_name(source)

        def job(report: Report) -> tuple[float, ...]:
            from all_even.audio import midi
            from all_even.engine.figures.session_figures import session_song
            from all_even.session.hits import lane_hits_s

            report.progress(-1.0, f"Looking for the hits of {name}")
            if path is not None:
                return midi.hits_s(path)
            if source in BEATS:
                tempo = session_song(session, reports).tempo
                if tempo is None:
                    raise UserError("No tempo was found: the tracks have no common pulse.")
                return tempo.every(source)
            known = reports.get(source)
            if known is None or known.character is None:
                raise UserError(f"{name} is not measured yet.")
            return lane_hits_s(session.lane(source), known.character)

        def done(found: tuple[float, ...]) -> None:
            def edit(session: Session) -> Session:
                shape_id = edits.free_id(session, "shape")
                shape = DuckShape(id=shape_id, name=name[:200], hits_s=found, hits_from=f"from {name}"[:400])
                session = chain_edits.set_shape(session, shape)
                return chain_edits.change_station(session, strip, station, shape=shape_id)

            self.desk.try_edit(edit)
            self.desk.said.emit(f"{len(found)} hits ({name}): the station follows them.")

        self.desk.start("hits", job, done)

    # Edits.

    def _change(self, **values: Any) -> None:
        merge = f"station {self._station_id} {' '.join(values)}"
        self.desk.try_edit(
            lambda s: chain_edits.change_station(s, self._strip, self._station_id, **values), merge=merge
        )

    def _change_band(self, **values: Any) -> None:
        merge = f"station {self._station_id} {self._band} {' '.join(values)}"
        self.desk.try_edit(
            lambda s: chain_edits.change_part(s, self._strip, self._station_id, self._band, **values), merge=merge
        )

    def _move_band(self, index: int, frequency_hz: float, gain_db: float) -> None:
        merge = f"station {self._station_id} {index} dragged"
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
            merge = f"station {self._station_id} {index} q"
            self.desk.try_edit(
                lambda s: chain_edits.change_part(s, self._strip, self._station_id, index, q=q), merge=merge
            )

    def _set_key(self, source: str | None) -> None:
        self._change(key=None if source is None else Key(source=source))

    def _choose_band(self, index: int) -> None:
        self._band = index
        self._made_for = ()
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        self.show_station(self._strip, station, self.drawing._levels, self.drawing._gains, self._change_db)

    def _add_band(self) -> None:
        strip, station, band = self._strip, self._station_id, self._band
        self._band += 1
        self.desk.try_edit(lambda s: chain_edits.add_band(s, strip, station, band))

    def _drop_band(self) -> None:
        self.desk.try_edit(lambda s: chain_edits.drop_band(s, self._strip, self._station_id, self._band))

    def _move_crossover(self, frequency_hz: float) -> None:
        _, station = chain_edits.find_station(self.desk.session, self._station_id)
        if isinstance(station, BandCompressor):
            self._change(crossovers_hz=station.with_crossover(self._band, frequency_hz).crossovers_hz)

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


def _combo(name: str, entries: list[tuple[str, Any]]) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(texts.tip(name))
    for text, value in entries:
        box.addItem(text, value)
    widest = max(fields.text_width(text) for text, _ in entries)
    box.setFixedWidth(min(FIELD_WIDTH if widest + 42 <= FIELD_WIDTH else WIDE_FIELD, widest + 42))
    view = box.view()
    if view is not None:
        view.setMinimumWidth(widest + 24)
    box.setMinimumHeight(26)
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    return box


def _show_choice(box: QComboBox, value: Any) -> None:
    box.setCurrentIndex(max(0, box.findData(value)))
