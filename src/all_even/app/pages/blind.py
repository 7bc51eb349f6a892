"""A blind comparison: letters to hear and to vote for, and nothing else until all trials are done."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QHideEvent, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from all_even.app import fields, paint, theme
from all_even.app.desk import Desk
from all_even.app.pages.page import Page
from all_even.app.stages.check.blind_run import X, blind_of
from all_even.session.blind import LETTERS, MOST_OPTIONS

LETTER_SIZE = 96
DOT = 14.0


class Dots(QWidget):
    """How many trials are done, of all that were fixed."""

    def __init__(self) -> None:
        super().__init__()
        self.done = self.trials = 0
        self.setFixedHeight(24)
        self.setAccessibleName("Trials done")

    def show_trials(self, done: int, trials: int) -> None:
        self.done, self.trials = done, trials
        self.setAccessibleDescription(f"{done} of {trials}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("act"))
        for index in range(self.trials):
            painter.setBrush(theme.colour("act") if index < self.done else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QRectF(2 + index * (DOT + 6), 5, DOT, DOT))
        at = QRectF(2 + self.trials * (DOT + 6) + 8, 2, 160, 20)
        if self.trials:
            paint.text(painter, at, f"{self.done} of {self.trials}", colour=theme.colour("quiet"))


class BlindPage(Page):
    title = "Blind comparison"

    def __init__(self, desk: Desk, back: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk, self.blind = desk, blind_of(desk)
        self.back.setText("Stop")
        self.back.setAccessibleName("Stop")
        self.back.setToolTip("Give it up: an unfinished comparison says nothing and is not kept (Esc)")
        self.told = fields.wrapped("", "quiet")
        self.dots = Dots()
        self.column.addWidget(self.told)
        self.column.addWidget(self.dots)
        row = QHBoxLayout()
        row.setSpacing(16)
        self.letters = [self._letter(LETTERS[index], index) for index in range(MOST_OPTIONS)]
        self.unknown = self._hear_button("X", X)
        for hear, vote in self.letters:
            pair = QVBoxLayout()
            pair.setSpacing(8)
            pair.addWidget(hear)
            pair.addWidget(vote)
            row.addLayout(pair)
        row.addWidget(self.unknown, 0, Qt.AlignmentFlag.AlignTop)
        row.addStretch(1)
        self.column.addLayout(row)
        self.note = QLineEdit()
        self.note.setAccessibleName("A note to this trial")
        self.note.setPlaceholderText("What you heard (kept with your vote)")
        self.note.setMaximumWidth(560)
        self.note.setMinimumHeight(theme.TARGET)
        self.note.returnPressed.connect(self.setFocus)
        self.column.addWidget(self.note)
        self.verdict = fields.wrapped("", "title")
        self.verdict.setAccessibleName("Result")
        self.column.addWidget(self.verdict)
        self.column.addStretch(1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.blind.changed.connect(self._show)

    def _hear_button(self, name: str, index: int) -> QPushButton:
        hear = fields.button(name, f"Hear {name} (the key {name})", partial(self.blind.hear, index), checkable=True)
        hear.setFixedSize(LETTER_SIZE, LETTER_SIZE)
        hear.setFont(theme.font(theme.FIGURE, strong=True))
        hear.setStyleSheet(f"font-size: {theme.FIGURE}px; font-weight: 600")
        return hear

    def _letter(self, name: str, index: int) -> tuple[QPushButton, QPushButton]:
        vote = fields.button("Choose", f"{name} is it (Shift+{name})", partial(self.choose, index), role="main")
        vote.setAccessibleName(f"Choose {name}")
        vote.setFixedWidth(LETTER_SIZE)
        return self._hear_button(name, index), vote

    def choose(self, letter: int) -> None:
        """Votes for a letter, or says that X is that one."""
        self.blind.answer(letter, self.note.text())
        self.note.clear()
        self.setFocus()

    def refresh(self, at: str = "") -> None:
        self._show()
        self.setFocus()

    def _show(self) -> None:
        run = self.blind.run
        finished = run is not None and run.finished
        is_x = run is not None and run.way == "which is X"
        count = len(run.options) if run is not None else 0
        for index, (hear, vote) in enumerate(self.letters):
            for widget in (hear, vote):
                widget.setVisible(index < count and not finished)
                widget.setEnabled(self.blind.ready)
            hear.setChecked(self.blind.heard == index)
        self.unknown.setVisible(is_x and not finished)
        self.unknown.setEnabled(self.blind.ready)
        self.unknown.setChecked(self.blind.heard == X)
        self.note.setVisible(run is not None and not finished)
        self.dots.show_trials(len(run.answers) if run is not None else 0, len(run.design) if run is not None else 0)
        self.back.setText("Back" if finished or run is None else "Stop")
        self.verdict.setText(self.blind.result.words if self.blind.result is not None else "")
        if run is None:
            self.told.setText("Nothing is being compared: tick what you want to compare at Check, Blind.")
        elif finished:
            votes = "" if run.way == "which is X" else " Which letter was what changed with every trial."
            self.told.setText(f"Compared: {', '.join(run.options)}.{votes} The result stands in the ledger.")
        elif self.blind.getting_ready:
            self.told.setText("All of them are measured for the same loudness …")
        elif is_x:
            self.told.setText("X is either A or B. Hear all three as often as you like, then say which one X is.")
        else:
            self.told.setText(
                "All are equally loud. Hear them as often as you like, then choose the best. Letters change in every "
                "trial; the result is said after the last one."
            )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A letter is heard by its key, chosen with Shift."""
        name = event.text().upper() if event is not None else ""
        run = self.blind.run
        if event is not None and run is not None and len(name) == 1:
            if name == "X":
                self.blind.hear(X)
                return
            index = LETTERS.find(name)
            if 0 <= index < len(run.options):
                if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                    self.choose(index)
                else:
                    self.blind.hear(index)
                return
        super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Who leaves it gives it up."""
        super().hideEvent(event)
        if self.blind.run is not None:
            self.blind.stop()
