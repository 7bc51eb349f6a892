"""The selected strip's notes, words or hits close up: now over before beside the curve, and along the song."""

from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing, TimeDrawing
from all_even.app.bench.handled import Handled
from all_even.app.stages.dynamics.body import paint_moments, paint_ribbon
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from all_even.measure.dynamics.movement import Movement

    Array = NDArray[np.float64]

DOT, REACH = 3.2, 7.0
RIBBON = 40.0
MARK = 4.0
STEP_DB, LEAST_DB, MOST_DB = 6.0, 18.0, 48.0
NOT_ONE = "Too few notes to show"


def scale(levels: "Array") -> tuple[float, float]:
    """(lowest, highest) of an axis that holds nearly all levels, on steps of 6 dB."""
    low, high = np.percentile(levels, (2, 100))
    top = STEP_DB * float(np.ceil((high + 0.5) / STEP_DB))
    low = max(top - MOST_DB, STEP_DB * float(np.floor(low / STEP_DB)))
    return min(low, top - LEAST_DB), top


def nearest(xs: "Array", ys: "Array", at: QPointF) -> int | None:
    """The dot under the pointer."""
    if not len(xs):
        return None
    far = np.hypot(xs - at.x(), ys - at.y())
    place = int(np.argmin(far))
    return place if far[place] <= REACH else None


class TransferDrawing(Handled, Drawing):
    """Level now over level before. curve: what a station's static curve would make of a steady level."""

    pointed = pyqtSignal(float)
    """A unit was pressed: where it begins, s."""

    def __init__(self) -> None:
        super().__init__(
            "Levels now over before",
            "Each dot is a note, a word or a hit: across its level before, up its level now, dB RMS. On the thin line "
            "nothing changes. Press a dot to hear it",
        )
        self._found: Movement | None = None
        self._role = "unknown"
        self._station: Any = None
        self.setMinimumWidth(180)

    def show_units(self, found: "Movement | None", role: str, station: Any) -> None:
        if not self.is_new(found, role, station):
            return
        self._found, self._role, self._station = found, role, station
        self.title = "Level now over level before, dB RMS"
        told = "" if found is None else f"{len(found.units)} units, {_apart(found)}"
        self.setAccessibleDescription(told)
        self.renew()

    def plot(self) -> QRectF:
        """As wide as it is high, so that the diagonal is one."""
        whole = super().plot()
        side = min(whole.width(), whole.height() * 1.35)
        return QRectF(whole.left(), whole.top(), side, whole.height())

    def points(self, plot: QRectF) -> "tuple[Array, Array]":
        found = self._found
        assert found is not None
        low, high = scale(np.concatenate((found.units.levels_db, found.now_db)))
        xs = plot.left() + plot.width() * np.clip((found.units.levels_db - low) / (high - low), 0.0, 1.0)
        ys = plot.bottom() - plot.height() * np.clip((found.now_db - low) / (high - low), 0.0, 1.0)
        return xs, ys

    def press(self, at: QPointF) -> None:
        found = self._found
        if found is None or not len(found.units):
            return
        place = nearest(*self.points(self.plot()), at)
        if place is not None:
            self.pointed.emit(float(found.units.starts_s[place]))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self._found
        if found is None or not len(found.units):
            box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
            paint.note(painter, box, NOT_ONE)
            return
        low, high = scale(np.concatenate((found.units.levels_db, found.now_db)))
        ticks = tuple(np.arange(low + STEP_DB, high + 0.1, STEP_DB).tolist())
        self.level_axis(painter, plot, ticks, low, high)
        for tick in ticks[::2]:
            x = plot.left() + plot.width() * (tick - low) / (high - low)
            box = QRectF(min(x - 20, plot.right() - 40), plot.bottom() + 2, 40, 15)
            align = paint.RIGHT if x > plot.right() - 20 else paint.CENTRE
            paint.note(painter, box, number(tick, 0), align=align)
        painter.save()
        painter.setClipRect(plot)
        paint.line(painter, plot.left(), plot.bottom(), plot.right(), plot.top(), theme.colour("quiet"))
        self._curve(painter, plot, low, high)
        xs, ys = self.points(plot)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour(family_of(self._role), 0.8))
        for x, y in zip(xs, ys, strict=True):
            painter.drawEllipse(QPointF(float(x), float(y)), DOT, DOT)
        painter.restore()

    def _curve(self, painter: QPainter, plot: QRectF, low: float, high: float) -> None:
        """What the station's curve, with its make-up, would make of a level that stands still."""
        station = self._station
        if station is None or not hasattr(station, "static_db"):
            return
        levels = np.linspace(low, high, 80)
        out = station.static_db(levels) + getattr(station, "makeup_db", 0.0)
        xs = plot.left() + plot.width() * (levels - low) / (high - low)
        ys = plot.bottom() - plot.height() * (out - low) / (high - low)
        painter.setPen(QPen(theme.colour("act"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs, ys, strict=True)]))


class AlongDrawing(Handled, TimeDrawing):
    """The same along the song: hollow before, filled now; the gain hangs from the top."""

    pointed = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(
            "Levels along the song",
            "Each note, word or hit at its time, hollow as it was and filled as it is, dB RMS; gain hangs from the "
            "top, 3 pixels a dB. Triangles are sibilants: hollow where they could be softened, filled where they are. "
            "Press one to hear it",
        )
        self._found: Movement | None = None
        self._role, self._is_lane = "unknown", True
        self.places_s: tuple[float, ...] = ()
        self.ridden = False

    def show_units(self, found: "Movement | None", role: str, song_s: float, *, is_lane: bool) -> None:
        if not self.is_new(found, role, song_s, is_lane):
            return
        self._found, self._role, self._is_lane, self.length_s = found, role, is_lane, max(song_s, 0.01)
        if is_lane:
            self.title = "Along the song, dB RMS: hollow before, filled now"
        else:
            self.title = "Along the song: loudness of 0.4 s, thin before, strong now"
        self.renew()

    def show_sibilants(self, places_s: tuple[float, ...], *, ridden: bool) -> None:
        """Where they begin: hollow marks while they could be softened, filled ones once they are."""
        if (places_s, ridden) != (self.places_s, self.ridden):
            self.places_s, self.ridden = places_s, ridden
            self.setAccessibleDescription(f"{len(places_s)} sibilants" if places_s else "")
            self.renew()

    def marks(self, plot: QRectF) -> "Array":
        return np.array([self.x_of(plot, at_s) for at_s in self.places_s])

    def _paint_marks(self, painter: QPainter, plot: QRectF) -> None:
        """A small triangle on the ground for each sibilant."""
        tint = theme.colour("act")
        painter.setPen(QPen(tint, 1.0))
        painter.setBrush(tint if self.ridden else Qt.BrushStyle.NoBrush)
        for x in self.marks(plot):
            y = plot.bottom() - 1.0
            painter.drawPolygon(QPolygonF([QPointF(x - 3, y), QPointF(x + 3, y), QPointF(x, y - 2 * MARK)]))

    def points(self, plot: QRectF) -> "tuple[Array, Array, Array, tuple[float, float]]":
        """(xs, heights before, heights now, scale)."""
        found = self._found
        assert found is not None
        low, high = scale(np.concatenate((found.units.levels_db, found.now_db)))
        start, end = self.span()
        middle = 0.5 * (found.units.starts_s + found.units.ends_s)
        xs = plot.left() + plot.width() * (middle - start) / (end - start)
        inner = plot.adjusted(0, RIBBON if found.moved else 0.0, 0, 0)

        def heights(levels: "Array") -> "Array":
            return np.asarray(inner.bottom() - inner.height() * np.clip((levels - low) / (high - low), 0.0, 1.0))

        return xs, heights(found.units.levels_db), heights(found.now_db), (low, high)

    def press(self, at: QPointF) -> None:
        found = self._found
        if found is None or not self._is_lane:
            return
        plot = self.plot()
        mark = nearest(self.marks(plot), np.full(len(self.places_s), plot.bottom() - MARK), at)
        if mark is not None:
            self.pointed.emit(self.places_s[mark])
        elif len(found.units):
            xs, _, ys, _ = self.points(plot)
            place = nearest(xs, ys, at)
            if place is not None:
                self.pointed.emit(float(found.units.starts_s[place]))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        found = self._found
        if found is None:
            return
        self.time_axis(painter, plot)
        if not self._is_lane:
            painter.save()
            painter.setClipRect(plot)
            if not self.follow:
                paint_ribbon(painter, plot, found.gain_db, self.length_s, RIBBON)
            paint_moments(painter, plot.adjusted(0, RIBBON, 0, 0), found, self.length_s)
            painter.restore()
            return
        if not len(found.units):
            box = QRectF(plot.left() + 6, plot.top() + 4, plot.width() - 12, 18)
            paint.note(painter, box, NOT_ONE)
            return
        xs, before, now, (low, high) = self.points(plot)
        inner = plot.adjusted(0, RIBBON if found.moved else 0.0, 0, 0)
        self.level_axis(painter, inner, tuple(np.arange(low + STEP_DB, high + 0.1, STEP_DB).tolist()), low, high)
        painter.save()
        painter.setClipRect(plot)
        if not self.follow:
            paint_ribbon(painter, plot, found.gain_db, self.length_s, RIBBON)
        if found.moved:
            painter.setPen(QPen(theme.colour("quiet"), 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for x, y in zip(xs, before, strict=True):
                painter.drawEllipse(QPointF(float(x), float(y)), DOT - 0.4, DOT - 0.4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour(family_of(self._role), 0.85))
        for x, y in zip(xs, now, strict=True):
            painter.drawEllipse(QPointF(float(x), float(y)), DOT, DOT)
        self._paint_marks(painter, plot)
        painter.restore()


def _apart(found: "Movement") -> str:
    before, now = found.spread_before_db, found.spread_now_db
    if before is None or now is None:
        return "too few for a spread"
    return f"{number(before)} dB apart before, {number(now)} now"
