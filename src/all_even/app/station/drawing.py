"""A station's small drawing: response, transfer with the levels that meet it, envelope, or its gain in time.

The bars of an equaliser are handles: sideways is frequency, up and down gain, the wheel Q; the resulting curve follows.
So is the line of a threshold. Shift moves finer, a double click takes a bar back to 0 dB.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench import ruler
from all_even.app.bench.drawings import BOTTOM, Drawing
from all_even.app.bench.handled import Handled
from all_even.app.station import space_drawing, tone_drawing
from all_even.app.style import paint, theme
from all_even.dsp.ducking.clicks import Clicks
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.filters import biquad
from all_even.dsp.parameter import FINE, decibel_text, time_text
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.measure.level.levels import peak_spread

RESPONSE_DB = 18.0
QUIETEST_DB = -60.0
STRIP, PLAYING_DB = 6.0, 20.0
"""The strip of the gain just now: its width in pixels, and what fills it."""


@dataclass(frozen=True, slots=True)
class _Grip:
    """What was taken hold of, and where it stood. band: -1 for a threshold, whose dB are `first`."""

    start: QPointF
    band: int
    first: float
    second: float
    item: Any = None


Array = NDArray[np.float64]


class StationDrawing(Handled, Drawing):
    """Shows one station. levels: (hops, 2) power and peak that come in; gains: (hops, 2) in dB."""

    band_chosen = pyqtSignal(int)
    band_moved = pyqtSignal(int, float, float)
    """(band, Hz, dB)"""
    band_turned = pyqtSignal(int, int)
    """(band, steps of Q)"""
    threshold_moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(
            "Processor",
            "What the opened processor does; the hill is how often its detector hears each level. Bars of an equaliser "
            "and the line of a threshold can be dragged, Shift moves finer",
        )
        self._station: Any = None
        self._levels: Array | None = None
        self._gains: Array | None = None
        self._shape: DuckShape | None = None
        self._rate = 48_000
        self.envelope_db: Array | None = None
        self.note = ""
        self._chosen = 0
        self._playing_db: float | None = None
        self.setMinimumWidth(130)
        self.setMouseTracking(True)

    def show_station(
        self,
        station: Any,
        levels: Array | None,
        gains: Array | None,
        shape: DuckShape | None,
        rate: int,
        chosen: int = 0,
    ) -> None:
        """chosen: the band whose settings are shown beside."""
        self._chosen = chosen
        self._station, self._levels, self._gains, self._shape, self._rate = station, levels, gains, shape, rate
        if isinstance(station, (HighPass, LowPass, Equaliser)):
            self.title = _response_title(station, rate)
        elif isinstance(station, (Compressor, Gate, Limiter)):
            self.title = "Out over in, dB"
        elif isinstance(station, Ducker):
            self.title = "Gain around a hit, dB over ms"
        elif isinstance(station, Clicks):
            self.title = "Clicks along the song"
        elif isinstance(station, Saturation):
            self.title = "Curve: out over in"
        elif isinstance(station, space_drawing.KINDS):
            self.title = space_drawing.title(station)
        elif isinstance(station, tone_drawing.KINDS):
            self.title = tone_drawing.title(station)
        else:
            self.title = "Gain along the song, dB"
        self.renew()

    def show_response(self, envelope_db: Array | None, note: str) -> None:
        """Of a convolution, (hops of 10 ms,) in dB; note: why there is none."""
        self.envelope_db, self.note = envelope_db, note
        self.renew()

    def show_playing(self, gain_db: float | None) -> None:
        """The strongest gain it applies just now; None while nothing plays or it moves no level."""
        shown = None if gain_db is None else round(gain_db, 1)
        if shown != self._playing_db:
            self._playing_db = shown
            self.update()

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        """The gain just now: a strip at the right edge that grows down from the top, with its figure."""
        if self._playing_db is None or plot.height() < 1.0:
            return
        strip = QRectF(plot.right() - STRIP, plot.top(), STRIP, plot.height())
        painter.fillRect(strip, theme.colour("line"))
        share = min(1.0, abs(self._playing_db) / PLAYING_DB)
        painter.fillRect(QRectF(strip.left(), strip.top(), STRIP, share * strip.height()), theme.colour("act"))
        box = QRectF(strip.left() - 60, plot.top() + 2, 56, 16)
        paint.text(painter, box, f"{decibel_text(self._playing_db)}", size=theme.SMALL, align=paint.RIGHT)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        station = self._station
        if isinstance(station, (HighPass, LowPass, Equaliser)):
            self._response(painter, plot)
        elif isinstance(station, (Compressor, Gate, Limiter)):
            self._transfer(painter, plot)
        elif isinstance(station, Ducker):
            self._envelope(painter, plot)
        elif isinstance(station, Clicks):
            self._clicks(painter, plot)
        elif isinstance(station, Saturation):
            self._curve(painter, plot)
        elif isinstance(station, space_drawing.KINDS):
            space_drawing.paint_inside(painter, plot, station, self.envelope_db, self.note)
        elif isinstance(station, tone_drawing.KINDS):
            tone_drawing.paint_inside(painter, plot, station)
        elif station is not None:
            self._trace(painter, plot)

    def _response(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-12.0, -6.0, 0.0, 6.0, 12.0), -RESPONSE_DB, RESPONSE_DB)
        ruler.paint_notes(painter, plot, QRectF(plot.left(), plot.bottom() + 2, plot.width(), BOTTOM - 3))
        station = self._station
        at = np.geomspace(ruler.LOWEST_HZ, ruler.HIGHEST_HZ, 160)
        if isinstance(station, Equaliser):
            gain = station.magnitude(at, self._rate)
            ruler.paint_bars(painter, plot, station.bands, self._chosen, RESPONSE_DB)
        else:
            gain = biquad.magnitude(station.sections(self._rate), at, self._rate)
        level = 20 * np.log10(np.maximum(gain, 1e-6))
        ruler.paint_curve(painter, plot, at, level, RESPONSE_DB, QPen(theme.colour("text"), 2))

    # Handles.

    def handle_at(self, at: QPointF) -> _Grip | None:
        """What is under the pointer: the nearest bar, or the line of the threshold."""
        plot, station = self.plot(), self._station
        index = ruler.bar_at(plot, station.bands, at) if isinstance(station, Equaliser) else None
        if index is not None:
            band = station.bands[index]
            return _Grip(at, index, band.frequency_hz, band.gain_db, band)
        if isinstance(station, (Compressor, Gate)) and plot.contains(at):
            x = plot.left() + plot.width() * (station.threshold_db - QUIETEST_DB) / -QUIETEST_DB
            if abs(max(plot.left(), x) - at.x()) <= ruler.REACH:
                return _Grip(at, -1, station.threshold_db, 0.0)
        return None

    def press(self, at: QPointF) -> None:
        if self.held is not None and self.held.band >= 0:
            self.band_chosen.emit(self.held.band)

    def drag(self, at: QPointF, *, fine: bool) -> None:
        plot, moved = self.plot(), at - self.held.start
        if self.held.band < 0:
            step = moved.x() * (FINE if fine else 1.0)
            self.threshold_moved.emit(round(self.held.first - QUIETEST_DB * step / plot.width(), 1))
        else:
            self.band_moved.emit(self.held.band, *ruler.dragged(plot, self.held.item, moved, RESPONSE_DB, fine=fine))

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        station = self._station
        band = ruler.bar_at(self.plot(), station.bands, at) if isinstance(station, Equaliser) else None
        if band is not None:
            self.band_turned.emit(band, notches)
        return band is not None

    def double(self, at: QPointF) -> None:
        grip = self.handle_at(at)
        if grip is not None and grip.band >= 0:
            self.band_moved.emit(grip.band, grip.first, 0.0)
            self.released.emit()

    def _transfer(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-48.0, -36.0, -24.0, -12.0, 0.0), QUIETEST_DB, 0.0)
        for tick in (-48, -24, 0) if plot.width() > 110 else (-48, 0):
            x = plot.left() + plot.width() * (tick - QUIETEST_DB) / -QUIETEST_DB
            box = QRectF(x - 30, plot.bottom() + 2, 30 if tick == 0 else 60, BOTTOM - 3)
            align = paint.RIGHT if tick == 0 else paint.CENTRE
            paint.note(painter, box, f"{tick}".replace("-", "−"), align=align)
        if self._levels is not None and len(self._levels):
            paint_spread(painter, plot, self._levels, 0.45)
        level_in = np.linspace(QUIETEST_DB, 0.0, 121)
        station = self._station
        if isinstance(station, Limiter):
            level_out = np.minimum(level_in + station.input_db, station.ceiling_db)
            threshold = station.ceiling_db - station.input_db
        else:
            level_out = station.static_db(level_in)
            threshold = station.threshold_db
        x = plot.left() + plot.width() * (max(QUIETEST_DB, threshold) - QUIETEST_DB) / -QUIETEST_DB
        painter.setPen(QPen(theme.colour("act"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        xs = plot.left() + plot.width() * (level_in - QUIETEST_DB) / -QUIETEST_DB
        self._polyline(
            painter,
            xs,
            plot.bottom() - plot.height() * (np.clip(level_out, QUIETEST_DB, 0.0) - QUIETEST_DB) / -QUIETEST_DB,
        )

    def _envelope(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-18.0, -12.0, -6.0, 0.0), -24.0, 0.0)
        if self._shape is None:
            box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
            paint.note(painter, box, "Not linked to a shape yet")
            return
        shape = self._shape
        end = max(100.0, 1.2 * (shape.hold_ms + shape.length_ms))
        times = np.linspace(-0.15 * end, end, 300)
        gain = np.maximum(-24.0, -self._station.depth_db * shape.attenuation(times))
        xs = plot.left() + plot.width() * (times - times[0]) / (times[-1] - times[0])
        for mark in (0.0, shape.hold_ms, shape.hold_ms + shape.length_ms):
            x = plot.left() + plot.width() * (mark - times[0]) / (times[-1] - times[0])
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("line"))
            box = QRectF(x - 24, plot.bottom() + 2, 48, BOTTOM - 3)
            paint.note(painter, box, f"{mark:.0f}", align=paint.CENTRE)
        self._polyline(painter, xs, plot.top() - plot.height() * gain / 24.0)

    def _curve(self, painter: QPainter, plot: QRectF) -> None:
        x = np.linspace(-1.0, 1.0, 161)
        y = self._station.transfer(x)
        paint.line(painter, plot.left(), plot.center().y(), plot.right(), plot.center().y(), theme.colour("line"))
        paint.line(painter, plot.center().x(), plot.top(), plot.center().x(), plot.bottom(), theme.colour("line"))
        self._polyline(
            painter, plot.center().x() + plot.width() / 2 * x, plot.center().y() - plot.height() / 2 * np.clip(y, -1, 1)
        )

    def _clicks(self, painter: QPainter, plot: QRectF) -> None:
        """A line at each hit, as far as the last one."""
        hits = self._shape.hits_s if self._shape is not None else ()
        box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
        words = f"{len(hits)} clicks to {time_text(max(hits))}" if hits else "No shape: choose one, or take hits beside"
        paint.note(painter, box, words)
        for hit in hits:
            x = plot.left() + plot.width() * hit / max(*hits, 1e-3)
            paint.line(painter, x, plot.top() + 24, x, plot.bottom(), theme.colour("text", 0.6))

    def _trace(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-12.0, -6.0, 0.0, 6.0), -18.0, 9.0)
        gains = self._gains
        if gains is None or not len(gains):
            box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
            paint.note(painter, box, "Nothing moves here")
            return
        step = max(1, len(gains) // int(max(1.0, plot.width())))
        values = gains[: len(gains) // step * step, 1].reshape(-1, step)
        furthest = np.where(-values.min(axis=1) >= values.max(axis=1), values.min(axis=1), values.max(axis=1))
        xs = np.linspace(plot.left(), plot.right(), len(furthest))
        self._polyline(painter, xs, plot.bottom() - plot.height() * (np.clip(furthest, -18, 9) + 18.0) / 27.0)

    @staticmethod
    def _polyline(painter: QPainter, xs: Iterable[float], ys: Iterable[float]) -> None:
        painter.setPen(QPen(theme.colour("text"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs, ys, strict=True)]))


def _response_title(station: Any, rate: int) -> str:
    """With what linear phase costs, where it is on."""
    if not isinstance(station, Equaliser) or station.phase != "linear":
        return "Response, dB over notes"
    late = 1000.0 * station.latency_frames(rate) / rate
    return f"Response; linear: {late:.0f} ms late, rings {station.pre_ringing_ms(rate):.0f} ms before"


def paint_spread(painter: QPainter, plot: QRectF, levels: Array, share: float) -> None:
    """A hill: how often each level from -60 to 0 dBFS is reached. share: of the plot's height for the top."""
    _, often = peak_spread(levels)
    top = float(often.max(initial=0.0))
    step = plot.width() / max(1, len(often))
    for index, part in enumerate(often):
        height = plot.height() * share * part / top if top else 0.0
        box = QRectF(plot.left() + index * step, plot.bottom() - height, step - 0.5, height)
        painter.fillRect(box, theme.colour("line"))
