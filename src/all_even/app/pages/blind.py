"""A blind comparison: letters to hear and to vote for, and nothing else until all trials are done."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QEvent, QRectF, Qt
from PyQt6.QtGui import QHideEvent, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from all_even.app.desk import Desk
from all_even.app.pages.page import Page
from all_even.app.stages.check.blind_run import BlindRun, X
from all_even.app.style import fields, layouts, paint, theme
from all_even.figures.elsewhere import blind
from all_even.figures.elsewhere.blind import LETTERS, MOST_OPTIONS, Result, Run

LETTER_SIZE, PADDING = 116, 22
DOT = 14.0
COUNT_ROW = 36.0
CARD_WIDTH, ABOVE, TWO_LINES = 880, 56, 36


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
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(theme.colour("act"))
            for index in range(self.trials):
                painter.setBrush(theme.colour("act") if index < self.done else Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QRectF(2 + index * (DOT + 6), 5, DOT, DOT))
            at = QRectF(2 + self.trials * (DOT + 6) + 8, 2, 160, 20)
            if self.trials:
                paint.text(painter, at, f"{self.done} of {self.trials}", colour=theme.colour("quiet"))


def is_letter(event: QKeyEvent) -> bool:
    """Whether a key is a letter, alone or with Shift."""
    plain = not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier
    return plain and Qt.Key.Key_A <= event.key() <= Qt.Key.Key_Z


class Counts(QWidget):
    """What was chosen how often, and how often it takes for a result."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[tuple[str, int], ...] = ()
        self.needed: int | None = None
        self.trials = 1
        self.setAccessibleName("Votes")

    def show_result(self, run: "Run | None", found: "Result | None") -> None:
        self.rows, self.needed = (), None
        if run is not None and found is not None:
            names = ("wrong", "right") if run.way == "which is X" else run.options
            self.rows = tuple(zip(names, found.counts, strict=True))
            self.trials = len(run.design)
            self.needed = blind.needed(run.way, self.trials, len(run.options))
        self.setFixedHeight(int(COUNT_ROW * len(self.rows) + 28) if self.rows else 0)
        self.setAccessibleDescription(", ".join(f"{name} {count}" for name, count in self.rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            left, width = 260.0, max(100.0, self.width() - 310.0)
            for index, (name, count) in enumerate(self.rows):
                row = QRectF(0, index * COUNT_ROW, self.width(), COUNT_ROW)
                paint.text(painter, QRectF(0, row.top(), left - 16, COUNT_ROW), name)
                bar = QRectF(left, row.top() + 8, width * count / self.trials, COUNT_ROW - 16)
                painter.fillRect(bar, theme.colour("act"))
                paint.text(painter, QRectF(bar.right() + 8, row.top(), 40, COUNT_ROW), str(count), strong=True)
            if self.rows and self.needed:
                x, bottom = left + width * self.needed / self.trials, COUNT_ROW * len(self.rows)
                paint.line(painter, x, 0, x, bottom + 4, theme.colour("look"), 1.5)
                at = QRectF(x - 90, bottom + 6, 180, 16)
                words = f"{self.needed} make a result"
                paint.text(painter, at, words, size=theme.SMALL, colour=theme.colour("look"), align=paint.CENTRE)


class BlindPage(Page):
    title = "Blind comparison"

    def __init__(self, desk: Desk, back: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk, self.blind = desk, desk.shared(BlindRun)
        self.back.setText("Stop")
        self.back.setAccessibleName("Stop")
        self.back.setToolTip("Give it up: an unfinished comparison says nothing and is not kept (Esc)")
        made, inner = QFrame(), QVBoxLayout()
        made.setObjectName("card")
        made.setFixedWidth(CARD_WIDTH)
        made.setLayout(inner)
        inner.setContentsMargins(32, 24, 32, 24)
        inner.setSpacing(14)
        self.told = fields.wrapped("", "quiet")
        self.told.setMinimumHeight(TWO_LINES)
        self.dots = Dots()
        inner.addWidget(self.told)
        inner.addWidget(self.dots)
        row = layouts.row(spacing=16)
        self.letters = [self._letter(LETTERS[index], index) for index in range(MOST_OPTIONS)]
        self.unknown = self._hear_button("X", X)
        for hear, vote in self.letters:
            pair = layouts.column(spacing=8)
            pair.addWidget(hear)
            pair.addWidget(vote)
            row.addLayout(pair)
        row.addWidget(self.unknown, 0, Qt.AlignmentFlag.AlignTop)
        row.addStretch(1)
        inner.addLayout(row)
        self.note = QLineEdit()
        self.note.setAccessibleName("A note to this trial")
        self.note.setPlaceholderText("What you heard (kept with your vote)")
        self.note.setMaximumWidth(560)
        self.note.setMinimumHeight(theme.TARGET)
        self.note.returnPressed.connect(self.setFocus)
        inner.addWidget(self.note)
        self.verdict = fields.wrapped("", "title")
        self.verdict.setAccessibleName("Result")
        inner.addWidget(self.verdict)
        self.counts = Counts()
        inner.addWidget(self.counts)
        self.keys = fields.wrapped("A letter's key: hear it. Shift and its key: choose it. Esc: give it up.", "small")
        inner.addWidget(self.keys)
        self.column.addSpacing(ABOVE)
        self.column.addWidget(made, 0, Qt.AlignmentFlag.AlignHCenter)
        self.column.addStretch(1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.blind.changed.connect(self._show)

    def _hear_button(self, name: str, index: int) -> QPushButton:
        hear = fields.button(name, f"Hear {name} (the key {name})", partial(self.blind.hear, index), checkable=True)
        hear.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        hear.setMinimumSize(LETTER_SIZE + PADDING, LETTER_SIZE + PADDING)
        hear.setStyleSheet(
            f"font-size: {theme.FIGURE}px; font-weight: 600; min-width: {LETTER_SIZE}px; min-height: {LETTER_SIZE}px"
        )
        return hear

    def _letter(self, name: str, index: int) -> tuple[QPushButton, QPushButton]:
        vote = fields.button("Choose", f"{name} is it (Shift+{name})", partial(self.choose, index), role="main")
        vote.setAccessibleName(f"Choose {name}")
        vote.setStyleSheet(f"min-width: {LETTER_SIZE}px")
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
        self.keys.setVisible(run is not None and not finished)
        self.counts.show_result(run if finished else None, self.blind.result)
        self.verdict.setVisible(bool(finished))
        self.verdict.setText(self.blind.result.words if self.blind.result is not None else "")
        if run is None:
            nothing = "Nothing is being compared: tick what you want to compare at Check, Blind."
            self.told.setText(self.blind.problem or nothing)
        elif finished:
            votes = "" if run.way == "which is X" else " Which letter was what changed with every trial."
            self.told.setText(f"Compared: {', '.join(run.options)}.{votes} The result stands in the ledger.")
        elif self.blind.getting_ready:
            self.told.setText("All of them are measured for the same loudness …")
        elif is_x:
            self.told.setText("X is either A or B. Hear all three as often as you like, then say which one X is.")
        else:
            self.told.setText(
                "All are equally loud. Hear them, then choose the best. Letters change in every trial; the result "
                "comes after the last."
            )

    def letter_of(self, event: QKeyEvent) -> int | None:
        """Which letter a key is, X for X; None for any other key."""
        run = self.blind.run
        if run is None or run.finished or not is_letter(event):
            return None
        name = chr(event.key())
        if name == "X" and run.way == "which is X":
            return X
        index = LETTERS.find(name)
        return index if 0 <= index < len(run.options) else None

    def event(self, event: QEvent | None) -> bool:
        """All letters belong to this page while it has the keyboard: elsewhere they change what is compared."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and is_letter(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A letter is heard by its key, chosen with Shift."""
        letter = self.letter_of(event) if event is not None else None
        if event is None or letter is None:
            if event is None or not is_letter(event):
                super().keyPressEvent(event)
        elif letter != X and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.choose(letter)
        else:
            self.blind.hear(letter)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Who leaves it gives it up."""
        super().hideEvent(event)
        if self.blind.run is not None:
            self.blind.stop()
