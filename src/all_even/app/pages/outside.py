"""A track or group sent through an outside device and taken back, in its place to the sample: where it goes out, where
it comes in, and the click that tells how late that is."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QWidget

from all_even.app.desk import Desk
from all_even.app.pages.page import Page, card
from all_even.app.style import fields, layouts, paint, theme
from all_even.app.work import Report
from all_even.audio.available import DEFAULT, Output
from all_even.audio.round_trip import SENT_PEAK_DB, CardWay, StandIn, Trip, Way
from all_even.dsp.parameter import Parameter, decibel_text, number
from all_even.errors import Cancelled

ToPrint = Callable[[], "tuple[str, Path, str] | None"]
"""The selected track or group, the folder for its files, and its name; None, and said why, where there is none."""
PEAK = Parameter("Highest peak sent", "dBFS", -40.0, -1.0, SENT_PEAK_DB, 0.5, decimals=1)
STAND_IN = Output("stand-in", StandIn.name)
BOX_WIDTH, PEAK_WIDTH, DRAWING_HEIGHT, SHOWN_MS = 360, 100, 130, 60.0
CAUTION = (
    "A click and the track go to this output. Turn loudspeakers and headphones on it down first. Switch off the "
    "device's own monitoring of that input: a loop can howl."
)


class ClickDrawing(QWidget):
    """The input from the moment on at which the click went out; where it comes back is marked."""

    def __init__(self) -> None:
        super().__init__()
        self.trip: Trip | None = None
        self._rate = 48_000
        self.setFixedHeight(DRAWING_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The click as it came back")
        self.setToolTip("What the input heard from the moment on at which the click went out; the line: where it came")

    def show_trip(self, trip: Trip | None, sample_rate: int) -> None:
        self.trip, self._rate = trip, sample_rate
        self.setAccessibleDescription(came_back(trip, sample_rate) if trip is not None else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            plot = QRectF(0, 0, self.width(), self.height() - 18)
            painter.fillRect(plot, theme.colour("ground"))
            if self.trip is None:
                paint.text(painter, plot, "No click sent yet", colour=theme.colour("quiet"), align=paint.CENTRE)
                return
            late_ms = 1000.0 * self.trip.late / self._rate
            shown_ms = max(SHOWN_MS, 1.25 * late_ms + 20.0)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._trace(painter, plot, self.trip.heard[: round(shown_ms * self._rate / 1000.0)])
            x = plot.width() * late_ms / shown_ms
            painter.setPen(QPen(theme.colour("act"), 2))
            painter.drawLine(
                QRectF(x, plot.top(), 0, plot.height()).topLeft(), QRectF(x, 0, 0, plot.height()).bottomLeft()
            )
            step = 10.0 if shown_ms <= 150.0 else 100.0
            for tick in np.arange(0.0, shown_ms, step):
                at = plot.width() * float(tick) / shown_ms
                box = QRectF(at - 30, plot.bottom() + 2, 60, 16)
                if tick == 0.0:
                    box.moveLeft(0)
                unit = " ms" if tick == 0.0 else ""
                paint.note(
                    painter, box, number(float(tick), 0) + unit, align=paint.LEFT if tick == 0.0 else paint.CENTRE
                )

    def _trace(self, painter: QPainter, plot: QRectF, heard: "np.ndarray") -> None:
        highest = float(np.abs(heard).max(initial=0.0)) or 1.0
        xs = np.linspace(plot.left(), plot.right(), len(heard))
        ys = plot.center().y() - 0.45 * plot.height() * heard / highest
        painter.setPen(QPen(theme.colour("text"), 1))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))


class OutsidePage(Page):
    title = "Through an outside device"

    def __init__(self, desk: Desk, back: Callable[[], object], to_print: ToPrint) -> None:
        super().__init__(back)
        self.desk, self._to_print = desk, to_print
        self._found: tuple[str, Path, str] | None = None
        self._inputs: list[Output] = [DEFAULT]
        self.what = fields.wrapped("", "quiet")
        self.column.addWidget(self.what)
        made, grid = card("The way")
        grid.setColumnStretch(0, 1)
        self.output, self.source = self._box("Output"), self._box("Input")
        self.output.activated.connect(lambda _index: self._agree(self.output, self.source))
        self.source.activated.connect(lambda _index: self._agree(self.source, self.output))
        self.peak = fields.NumberField(PEAK, PEAK.name)
        self.peak.setFixedWidth(PEAK_WIDTH)
        self.peak_db = PEAK.default
        self.peak.set_value(self.peak_db)
        self.peak.value_changed.connect(self._set_peak)
        lines = (("Output to the device", self.output), ("Input from the device", self.source), (PEAK.name, self.peak))
        for row, (name, control) in enumerate(lines, 1):
            grid.addWidget(fields.label(name), row, 0)
            grid.addWidget(control, row, 1, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(fields.wrapped(CAUTION, "small"), 4, 0, 1, 2)
        self.column.addWidget(made)
        heard, grid = card("The click")
        self.drawing = ClickDrawing()
        grid.addWidget(self.drawing, 1, 0, 1, 2)
        self.result = fields.wrapped("", "quiet")
        grid.addWidget(self.result, 2, 0, 1, 2)
        self.column.addWidget(heard)
        buttons = layouts.row(spacing=8)
        self.click = fields.button(
            "Send the click", "Only the click: how late and how loud it comes back", self.send_click
        )
        self.whole = fields.button(
            "Send it and take it back", "Plays the whole track to the output and records the input; what comes back "
            "takes its place, to the sample", self.send_whole, role="main",
        )  # fmt: skip
        buttons.addWidget(self.click)
        buttons.addWidget(self.whole)
        buttons.addStretch(1)
        self.column.addLayout(buttons)
        self.column.addStretch(1)
        desk.work.failed.connect(lambda name, sentence: self.result.setText(sentence) if name == "outside" else None)

    def _set_peak(self, peak_db: float) -> None:
        self.peak_db = peak_db

    def _box(self, name: str) -> QComboBox:
        box = fields.choice()
        box.setAccessibleName(name)
        box.setToolTip(f"{name}: of this machine, or the stand-in that ships with All Even")
        box.setFixedWidth(BOX_WIDTH)
        box.setMinimumHeight(theme.TARGET)
        return box

    def _agree(self, chosen: QComboBox, other: QComboBox) -> None:
        """The stand-in is both ends, or neither."""
        if (chosen.currentData() == STAND_IN) != (other.currentData() == STAND_IN):
            other.setCurrentIndex(other.count() - 1 if chosen.currentData() == STAND_IN else 0)

    def refresh(self, at: str = "") -> None:
        self._found = self._to_print() if self.desk.is_open else None
        name = self._found[2] if self._found is not None else ""
        self.what.setText(
            f"{name} with its inserts goes out and comes back in its place. Its inserts sleep then; what was there "
            "stays, and U plays it."
            if name
            else "Select a track or a summing group of a saved session first."
        )
        for button in (self.click, self.whole):
            button.setEnabled(bool(name))
        self._fill()
        self.desk.ears.outputs.look(self._fill)

        def job(_report: Report) -> list[Output]:
            from all_even.audio.available import find_inputs

            return find_inputs()

        def done(found: list[Output]) -> None:
            self._inputs = found
            self._fill()

        self.desk.work.start("inputs", job, done, line="quick")

    def _fill(self) -> None:
        for box, known in ((self.output, self.desk.ears.outputs.known), (self.source, self._inputs)):
            kept = box.currentData()
            box.clear()
            for item in (*known, STAND_IN):
                box.addItem(item.name, item)
            found = next((i for i in range(box.count()) if box.itemData(i) == kept), 0)
            box.setCurrentIndex(found)

    def way(self) -> Way:
        """What is chosen; where either end is the stand-in, both are."""
        output, source = self.output.currentData(), self.source.currentData()
        return StandIn() if STAND_IN in (output, source) else CardWay(output, source)

    def send_click(self) -> None:
        from all_even.audio import round_trip

        rate, way, peak_db = self.desk.session.sample_rate, self.way(), self.peak_db

        def job(report: Report) -> Trip:
            silence = np.zeros((0, 2), np.float32)
            return round_trip.send(
                silence, rate, way, peak_db=peak_db, watch=watching(report, "Listening for the click")
            )

        self._start(job, lambda trip: self._show(trip, rate))

    def send_whole(self) -> None:
        from all_even.deliver import printed_track

        look, found = self.desk.figures.look(), self._found
        if look is None or found is None:
            return
        strip_id, folder, name = found
        rate, way, peak_db = self.desk.session.sample_rate, self.way(), self.peak_db

        def job(report: Report) -> tuple[Path, Trip]:
            watch = watching(report, f"{name} through {way.name}")
            own = look.with_cancel(report.cancelled)
            return printed_track.send_and_take_back(own, strip_id, way, folder, peak_db=peak_db, watch=watch)

        def done(came: tuple[Path, Trip]) -> None:
            path, trip = came
            self._show(trip, rate)
            text = f"{name} taken back from {way.name}, {trip.late} samples late, put right"
            there = any(strip.id == strip_id for strip in self.desk.session.strips)
            if there and self.desk.edit(lambda s: printed_track.with_printed(s, strip_id, path), text=text):
                self.result.setText(f"{self.result.text()} {name} is in its place; U plays what was there before.")
                self.desk.said.emit(f"{text}; undo takes it back.")

        self._start(job, done)

    def _start(self, job: Callable[[Report], object], done: Callable[..., None]) -> None:
        self.desk.player.stop()
        self.desk.start("outside", job, done, line="quick")

    def _show(self, trip: Trip, rate: int) -> None:
        self.drawing.show_trip(trip, rate)
        self.result.setText(came_back(trip, rate))


def came_back(trip: Trip, sample_rate: int) -> str:
    """What the click tells, in a sentence."""
    level = f"{decibel_text(abs(trip.change_db))} {'quieter' if trip.change_db < 0.0 else 'louder'} than it went out"
    return f"The click came back after {trip.late} samples ({number(1000.0 * trip.late / sample_rate, 1)} ms), {level}."


def watching(report: Report, text: str) -> Callable[[float], None]:
    """Says how far a trip is, and ends it where it was cancelled."""

    def watch(share: float) -> None:
        if report.cancelled.is_set():
            raise Cancelled
        report.progress(share, text)

    return watch
