"""The level that goes to the output now."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QWidget

from all_even.app.style import paint, theme
from all_even.dsp.parameter import number
from all_even.session.model.settings import WorkSettings


class OutputLevel(QWidget):
    """What goes to the output now: two bars on a scale of decibels, with the window and the ceiling marked."""

    LOW_DB = -48.0

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(196, 50)
        self.setAccessibleName("Output level")
        self.setToolTip(
            "Output level now, left and right, −48 to 0 dBFS. The marked stretch is where the mix may peak. "
            "Playing never passes −1 dBFS; prints are not limited. Below: loudness of the last 3 s "
            "(short-term), and of "
            "the song as far as it was played since the start (integrated, gated after EBU R 128)."
        )
        self.left_db = self._right = -120.0
        self._loudness: tuple[float | None, float | None] = (None, None)
        self._held = False
        self.window_dbfs = WorkSettings().peak_window_dbfs

    def show_window(self, window_dbfs: tuple[float, float]) -> None:
        """Where the mix may peak."""
        if window_dbfs != self.window_dbfs:
            self.window_dbfs = window_dbfs
            self.update()

    def show_levels(self, left_dbfs: float, right_dbfs: float, held: bool) -> None:
        left = max(left_dbfs, self.left_db - 1.4)
        right = max(right_dbfs, self._right - 1.4)
        if (left, right, held) != (self.left_db, self._right, self._held):
            self.left_db, self._right, self._held = max(left, -120.0), max(right, -120.0), held
            self.update()

    def show_loudness(self, short_term_lufs: float | None, integrated_lufs: float | None) -> None:
        """Of what was played since the start: the last 3 s, and all of it, gated."""
        rounded = tuple(None if value is None else round(value, 1) for value in (short_term_lufs, integrated_lufs))
        if rounded != self._loudness:
            self._loudness = rounded[0], rounded[1]
            self.update()

    def _x(self, level_db: float) -> float:
        share = min(1.0, max(0.0, (level_db - self.LOW_DB) / -self.LOW_DB))
        return 2 + share * (self.width() - 4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            low, high = self.window_dbfs
            window = QRectF(self._x(low), 1, self._x(high) - self._x(low), 18)
            painter.fillRect(window, theme.colour("act_soft"))
            for index, level in enumerate((self.left_db, self._right)):
                track = QRectF(2, 3 + index * 8, self.width() - 4, 6)
                painter.fillRect(track, theme.colour("raised"))
                painter.fillRect(window.intersected(track), theme.colour("act_soft"))
                bar = QRectF(track.left(), track.top(), self._x(level) - track.left(), track.height())
                painter.fillRect(bar, theme.colour("look" if level > high else "act"))
            for index, (name, value) in enumerate(zip(("3 s", "song"), self._loudness, strict=True)):
                half = QRectF(index * self.width() / 2, 34, self.width() / 2 - (0 if index else 8), 15)
                paint.note(painter, half, name)
                paint.figure(painter, half, "–" if value is None else number(value), "LUFS")
            if self._held:
                paint.text(painter, QRectF(0, 19, self.width(), 15), "ceiling holds −1 dBFS", size=theme.SMALL,
                           colour=theme.colour("look"), align=paint.RIGHT)  # fmt: skip
                return
            for tick in (-48.0, -36.0, -24.0, -12.0, 0.0):
                x = self._x(tick)
                box = QRectF(x - 14, 19, 28, 15)
                box.moveLeft(min(self.width() - 28.0, max(0.0, box.left())))
                align = paint.LEFT if tick == -48.0 else paint.RIGHT if tick == 0.0 else paint.CENTRE
                paint.note(painter, box, f"{tick:.0f}".replace("-", "−"), align=align)
