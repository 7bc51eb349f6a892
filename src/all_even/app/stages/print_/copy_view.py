"""The listening copy: how loud it can be, what each limit says at that gain, and what stops the next step."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from all_even.app.bench.drawings import Drawing
from all_even.app.bench.without import Without
from all_even.app.desk import Desk
from all_even.app.stages.print_.path_field import PathField, Proposed
from all_even.app.style import fields, layouts, paint, theme
from all_even.app.work import Report
from all_even.dsp.parameter import number
from all_even.session.file.store import recordings

if TYPE_CHECKING:
    from all_even.figures.dynamics.limited import Tried

NAME, VALUE = 108.0, 130.0
ROOM = 1.5
"""The scale goes on past each limit by half of it."""


class LimitsDrawing(Drawing):
    title = "Each limit: filled at the gain of the copy, open one step further; the line is the limit"

    def __init__(self) -> None:
        super().__init__(
            "Limits of the listening copy",
            "Loudness lost, hits lost, pump and ripple at the gain of the copy, and at the next step, which breaks one",
        )
        self.chosen: Tried | None = None
        self._stopped: Tried | None = None

    def show_tried(self, chosen: "Tried | None", stopped: "Tried | None") -> None:
        self.chosen, self._stopped = chosen, stopped
        if chosen is not None:
            self.setAccessibleDescription("; ".join(f"{what} {figure}" for what, figure, _ in chosen.limits))
        self.renew()

    def plot(self) -> QRectF:
        return QRectF(0, 20, self.width() - 8, self.height() - 24)

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        if self.chosen is None:
            words = "Make a copy: its gain is found by these limits"
            paint.note(painter, plot, words, align=paint.CENTRE)
            return
        limits, shares = self.chosen.limits, self.chosen.shares
        following = self._stopped.shares if self._stopped is not None else None
        each = plot.height() / len(limits)
        for index, (what, figure, _kept) in enumerate(limits):
            row = QRectF(plot.left() + 8, plot.top() + index * each, plot.width() - 16, each)
            paint.text(painter, QRectF(row.left(), row.top(), NAME, each), what)
            paint.text(painter, QRectF(row.right() - VALUE, row.top(), VALUE, each), figure, align=paint.RIGHT)
            rail = QRectF(row.left() + NAME, row.center().y() - 8, row.width() - NAME - VALUE - 8, 16)
            self._bar(painter, rail, shares[index], None if following is None else following[index])

    def _bar(self, painter: QPainter, rail: QRectF, share: float, following: float | None) -> None:
        """share: of the limit, 1 at it."""
        scale = rail.width() / ROOM
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line", 0.5))
        painter.drawRect(rail)
        painter.setBrush(theme.colour("act"))
        painter.drawRect(QRectF(rail.left(), rail.top(), scale * min(ROOM, max(0.0, share)), rail.height()))
        if following is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("look" if following > 1.0 else "quiet"), 1.4))
            painter.drawRect(QRectF(rail.left(), rail.top(), scale * min(ROOM, max(0.0, following)), rail.height()))
        paint.line(painter, rail.left() + scale, rail.top() - 4, rail.left() + scale, rail.bottom() + 4,
                   theme.colour("text"), 1.5)  # fmt: skip


class CopyView(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = layouts.row(self, margins=layouts.NONE, spacing=16)
        column = layouts.column(spacing=6)
        self.place = PathField("File of the listening copy", "Where it goes: .wav or .flac, beside the mix")
        column.addWidget(self.place)
        buttons = layouts.row(spacing=8)
        self.make_button = fields.button(
            "Make the copy",
            "The loudest that keeps all four limits, a limiter last; the mix stays as it is (Ctrl+Alt+P)",
            self.make, icon="ear", role="main",
        )  # fmt: skip
        buttons.addWidget(self.make_button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.gain = fields.Figure("Gain of the copy", "How much louder than the mix", large=True)
        gain_row = layouts.row()
        gain_row.addWidget(fields.label("Louder by", "quiet"))
        gain_row.addStretch(1)
        gain_row.addWidget(self.gain)
        column.addLayout(gain_row)
        self.result = fields.wrapped(
            "For a car, a phone, another room: the mix itself stays quiet. It is no master.", "small"
        )
        self.result.setAccessibleName("Result of the listening copy")
        column.addWidget(self.result)
        column.addStretch(1)
        holder = QWidget()
        holder.setLayout(column)
        column.setContentsMargins(0, 0, 0, 0)
        holder.setFixedWidth(372)
        row.addWidget(holder)
        self.limits = LimitsDrawing()
        row.addWidget(self.limits, 1)
        self._proposed = Proposed(desk, self._propose)

    def _propose(self, place: Path, name: str) -> None:
        from all_even.deliver.listening_copy import ENDING

        self.place.setText(str(place / f"{name}{ENDING}.wav"))
        self.gain.show_value("–")
        self.limits.show_tried(None, None)

    def refresh(self) -> None:
        self._proposed.refresh()

    def make(self) -> None:
        """Finds the gain and writes the file, off this thread."""
        desk = self.desk
        look, plan = desk.figures.look(), desk.plan() if desk.is_open else None
        if look is None or plan is None:
            desk.said.emit("Nothing to copy yet: the files are still being opened.")
            return
        path, session, even_without = self.place.path, desk.session, desk.shared(Without).even_without

        def job(report: Report) -> object:
            from all_even.deliver import lacking, listening_copy
            from all_even.figures.dynamics import limited

            listening_copy.allowed(path, recordings(session))
            lacking.check(lacking.of_plan(plan, look), even_without)
            mix = listening_copy.rendered(
                plan, even_without=even_without, cancelled=report.cancelled,
                progress=lambda share: report.progress(0.4 * share, "Rendering the mix"),
            )  # fmt: skip
            found = listening_copy.best(
                mix, session.sample_rate, limited.struck_hits(look), cancelled=report.cancelled,
                progress=lambda share: report.progress(0.4 + 0.6 * share, "Looking for the loudest copy"),
            )  # fmt: skip
            listening_copy.write(found, path, protected=recordings(session))
            return found

        def done(found: object) -> None:
            copy = found
            self.gain.show_value(f"{number(copy.chosen.gain_db)} dB")  # type: ignore[attr-defined]
            self.limits.show_tried(copy.chosen, copy.stopped)  # type: ignore[attr-defined]
            self.result.setText(f"{path.name} written: {copy.words}")  # type: ignore[attr-defined]
            desk.said.emit(f"{path.name} written to {path.parent}.")

        self.result.setText("")
        desk.work.start("print", job, done, owner=desk.document)
