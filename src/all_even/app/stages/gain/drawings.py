"""Gain's drawings: the staircase of levels in a lane, and one lane's way large, with a histogram at each point."""

from itertools import pairwise
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.bench.drawings import Drawing
from all_even.app.lanes.scales import Rail
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import CLIP_GAIN, decibel_text, number
from all_even.figures.arriving.gain_path import Point, Trouble
from all_even.session.model.settings import WORKING_WITHIN_DB, WorkSettings
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.figures.arriving.gain_path import Histogram

LOW_DB, HIGH_DB = -54.0, 3.0
HEAD_STEP = 46.0
"""Pixels from one fixed point to the next, where there is room."""
TICKS = (-48.0, -36.0, -24.0, -18.0, -12.0, -6.0, 0.0)


def xs_of(box: QRectF, count: int) -> list[float]:
    """Where points lie: file and clip at the left, fader and mix at the right, as in every lane; stations between."""
    step = min(HEAD_STEP, box.width() / 6.0)
    left, right = box.left() + step / 2.0, box.right() - step / 2.0
    between = count - 4
    inner = (right - step) - (left + step)
    xs = [left, left + step]
    xs += [left + step + inner * (i + 1) / (between + 1) for i in range(between)]
    return [*xs, right - step, right]


def y_of(box: QRectF, level_db: float) -> float:
    share = (min(HIGH_DB, max(LOW_DB, level_db)) - LOW_DB) / (HIGH_DB - LOW_DB)
    return box.bottom() - box.height() * share


def header(painter: QPainter, box: QRectF) -> None:
    theme.colour("quiet")
    xs = xs_of(box, 4)
    for x, name in zip(xs, ("File", "Clip", "Fader", "Mix"), strict=True):
        paint.note(painter, QRectF(x - 24, box.top(), 48, box.height()), name, align=paint.CENTRE)
    middle = QRectF(xs[1] + 24, box.top(), xs[2] - xs[1] - 48, box.height())
    if middle.width() > 150:
        text = "processors, level while playing"
        paint.note(painter, middle, text, align=paint.CENTRE)


def useful_band(painter: QPainter, box: QRectF, settings: WorkSettings) -> None:
    top = y_of(box, settings.working_rms_dbfs + WORKING_WITHIN_DB)
    bottom = y_of(box, settings.working_rms_dbfs - WORKING_WITHIN_DB)
    painter.fillRect(QRectF(box.left(), top, box.width(), bottom - top), theme.colour("line", 0.35))


def staircase(
    painter: QPainter, box: QRectF, points: tuple[Point, ...], wrong: Trouble | None, settings: WorkSettings,
    role: str, heard: bool,
) -> None:  # fmt: skip
    """Level as height; a bar from the 10th to the 90th percentile, the RMS as a step, the peak as a tick."""
    useful_band(painter, box, settings)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    xs = xs_of(box, len(points))
    family = icons.family_colour(family_of(role), 0.85 if heard else 0.4)
    previous: QPointF | None = None
    for index, (x, point) in enumerate(zip(xs, points, strict=True)):
        rms, peak = point.level.rms_dbfs, point.level.peak_dbfs
        if rms is None or peak is None:
            previous = None
            continue
        bad = wrong is not None and wrong.begins <= index <= wrong.into
        if point.low_dbfs is not None and point.high_dbfs is not None:
            top, bottom = y_of(box, point.high_dbfs), y_of(box, point.low_dbfs)
            bar = QRectF(x - 5, top, 10, max(2.0, bottom - top))
            painter.fillRect(bar, theme.colour("look") if bad else family)
        y = y_of(box, rms)
        if previous is not None:
            painter.setPen(QPen(theme.colour("text", 0.8 if heard else 0.4), 1.4))
            middle = (previous.x() + x) / 2.0
            painter.drawPolyline(
                QPolygonF([QPointF(previous.x() + 5, previous.y()), QPointF(middle, previous.y()), QPointF(middle, y),
                           QPointF(x - 5, y)])
            )  # fmt: skip
        paint.line(painter, x - 7, y, x + 7, y, theme.colour("text"), 2)
        at_peak = y_of(box, peak)
        tint = "look" if bad and peak > settings.working_peak_dbfs else "quiet"
        paint.line(painter, x - 4, at_peak, x + 4, at_peak, theme.colour(tint), 1.4)
        if point.judged:  # a small foot: the station behind this point answers to level
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("look" if bad else "act"))
            foot = box.bottom()
            painter.drawPolygon(QPolygonF([QPointF(x + 8, foot - 5), QPointF(x + 13, foot), QPointF(x + 3, foot)]))
        previous = QPointF(x, y)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def clip_rail(painter: QPainter, rail: Rail, row: QRectF, gain_db: float, held: bool) -> None:
    y = row.top() + row.height() / 2
    paint.line(painter, rail.left, y, rail.left + rail.width, y, theme.colour("line"), 2)
    share = (gain_db - CLIP_GAIN.low) / (CLIP_GAIN.high - CLIP_GAIN.low)
    centre, x = rail.left + rail.width / 2, rail.left + rail.width * share
    paint.line(painter, centre, y - 6, centre, y + 6, theme.colour("quiet"), 1)
    if abs(x - centre) > 1:
        paint.line(painter, centre, y, x, y, theme.colour("act"), 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("act"), 2))
    painter.setBrush(theme.colour("act") if held or gain_db else theme.colour("panel"))
    painter.drawRoundedRect(QRectF(x - 4, y - 7, 8, 14), 2, 2)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


class WayDrawing(Drawing):
    """One lane's way, large: at each point how long it is how loud, its RMS and its peak."""

    title = "Level at each point, dBFS: RMS while playing (bar), peak (tick)"

    def __init__(self) -> None:
        super().__init__(
            "Level at each point", "From the file to the mix; the quiet band is the useful range of the settings"
        )
        self._points: tuple[Point, ...] = ()
        self._histograms: tuple[Histogram | None, ...] = ()
        self._wrong: Trouble | None = None
        self._settings = WorkSettings()
        self._role = "unknown"
        self._note = ""

    def show_way(
        self, points: tuple[Point, ...] | None, histograms: "tuple[Histogram | None, ...]", wrong: Trouble | None,
        settings: WorkSettings, role: str, note: str,
    ) -> None:  # fmt: skip
        self._points, self._histograms, self._wrong = points or (), histograms, wrong
        self._settings, self._role, self._note = settings, role, note
        said = [f"{point.name} {decibel_text(point.level.rms_dbfs, 'dBFS')}" for point in self._points]
        self.setAccessibleDescription(", ".join(said))
        self.renew()

    def plot(self) -> QRectF:
        return super().plot().adjusted(0, 0, 0, -16)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, TICKS if plot.height() > 130 else TICKS[::2], LOW_DB, HIGH_DB)
        useful_band(painter, plot, self._settings)
        if self._note:
            paint.note(painter, plot, self._note, align=paint.CENTRE)
        if not self._points:
            return
        xs, width = xs_of(plot, len(self._points)), plot.width()
        wide = min([HEAD_STEP, *(b - a for a, b in pairwise(xs)), width])
        family = icons.family_colour(family_of(self._role), 0.85)
        for index, (x, point) in enumerate(zip(xs, self._points, strict=True)):
            bad = self._wrong is not None and self._wrong.begins <= index <= self._wrong.into
            shape = self._histograms[index] if index < len(self._histograms) else None
            if shape is not None:
                self._histogram(painter, plot, x, 0.42 * wide, shape, bad, family)
            rms, peak = point.level.rms_dbfs, point.level.peak_dbfs
            tone = theme.colour("look" if bad else "text")
            if rms is not None and peak is not None:
                y = y_of(plot, rms)
                paint.line(painter, x - 0.42 * wide, y, x + 0.42 * wide, y, tone, 2)
                at_peak = y_of(plot, peak)
                paint.line(painter, x - 6, at_peak, x + 6, at_peak, theme.colour("quiet"), 1.6)
            box = QRectF(x - wide / 2, plot.bottom() + 2, wide, 15)
            strong = theme.colour("act") if point.judged else theme.colour("text")
            paint.text(painter, box, point.name, size=theme.SMALL, colour=strong, align=paint.CENTRE)
            value = number(rms) if rms is not None else "–"
            paint.text(painter, box.translated(0, 15), value, size=theme.SMALL, colour=tone, align=paint.CENTRE)

    @staticmethod
    def _histogram(
        painter: QPainter, plot: QRectF, x: float, half: float, shape: "Histogram", bad: bool, family: object
    ) -> None:
        levels, shares = shape
        top = max(shares) or 1.0
        pairs = list(zip(levels, shares, strict=True))
        corners = [QPointF(x - half * share / top, y_of(plot, level)) for level, share in pairs]
        corners += [QPointF(x + half * share / top, y_of(plot, level)) for level, share in reversed(pairs)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("look", 0.8) if bad else family)  # type: ignore[call-overload]
        painter.drawPolygon(QPolygonF(corners))
