"""Balance's drawing: how loud a lane arrives, along the song."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from all_even.app.bench.drawings import TimeDrawing
from all_even.app.style import icons, paint, theme
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.figures.arriving.arrival import Arrival
    from all_even.measure.recording.track import TrackMeasures


class CourseDrawing(TimeDrawing):
    """Momentary loudness along the song: the lane as it arrives, in front of the mix."""

    title = "Momentary loudness along the song, LUFS: this track before the mix"
    LOW, HIGH = -55.0, -5.0

    def __init__(self) -> None:
        super().__init__("Loudness along the song", "Momentary loudness (400 ms): the track in the mix, and the mix")
        self._mix: NDArray[np.float64] | None = None
        self._lane: NDArray[np.float64] | None = None
        self._role = "unknown"
        self._start_s = 0.0
        self._mean: float | None = None

    def show_lane(self, arrival: "Arrival | None", role: str, start_s: float, mix: "TrackMeasures | None") -> None:
        from all_even.measure.level.loudness import momentary_lufs

        if not self.is_new(arrival, mix, role, start_s):
            return
        self._lane = arrival.momentary_lufs if arrival is not None else None
        self._mean = arrival.integrated_lufs if arrival is not None else None
        self._role, self._start_s = role, start_s
        self._mix = momentary_lufs(mix.hops.weighted) if mix is not None else None
        if mix is not None:
            self.length_s = max(0.1, mix.duration_s)
        self.renew()

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        self.level_axis(painter, plot, (-50.0, -40.0, -30.0, -20.0, -10.0), self.LOW, self.HIGH)
        self.time_axis(painter, plot)
        painter.setClipRect(plot)
        if self._mix is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("line", 0.7))
            self._area(painter, plot, self._mix, 0.0)
        if self._lane is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(icons.family_colour(family_of(self._role), 0.85))
            self._area(painter, plot, self._lane, self._start_s)
        if self._mean is not None:
            y = self._y(plot, self._mean)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("text"), 1.5)
        painter.setClipping(False)

    def _y(self, plot: QRectF, lufs: float) -> float:
        share = (min(self.HIGH, max(self.LOW, lufs)) - self.LOW) / (self.HIGH - self.LOW)
        return plot.bottom() - plot.height() * share

    def _area(self, painter: QPainter, plot: QRectF, course: NDArray[np.float64], start_s: float) -> None:
        path = QPainterPath(QPointF(self.x_of(plot, start_s), plot.bottom()))
        step = max(1, len(course) // 1500) if not self.follow else 1
        for index in range(0, len(course), step):
            path.lineTo(self.x_of(plot, start_s + 0.2 + index * 0.1), self._y(plot, float(course[index])))
        path.lineTo(self.x_of(plot, start_s + 0.2 + len(course) * 0.1), plot.bottom())
        painter.drawPath(path)
