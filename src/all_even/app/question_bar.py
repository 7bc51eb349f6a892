"""The bar over the status line that asks what only the user can answer; it waits until it is answered."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFrame

from all_even.app.style import fields, layouts

if TYPE_CHECKING:
    from all_even.app.desk import Desk
    from all_even.app.desk.question import Question


class QuestionBar(QFrame):
    """Hidden while nothing is asked."""

    def __init__(self, desk: "Desk") -> None:
        super().__init__()
        self.setObjectName("question")
        row = layouts.row(self, margins=(12, 8, 8, 8), spacing=8)
        self.text = fields.wrapped("", "")
        self.text.setAccessibleName("Question")
        row.addWidget(self.text, 1)
        self._buttons = layouts.row(spacing=8)
        row.addLayout(self._buttons)
        self.hide()
        desk.asked.connect(self.ask)
        desk.opened.connect(self.leave)
        desk.saved_state_changed.connect(lambda: None if desk.is_open and desk.unsaved else self.leave())

    def ask(self, question: "Question") -> None:
        """Shows a question in place of the one before it; "Not now" answers nothing."""
        while (item := self._buttons.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.deleteLater()
        self.text.setText(question.sentence)
        for answer in question.answers:
            pressed = partial(self._answer, answer.act)
            self._buttons.addWidget(
                fields.button(answer.text, answer.text, pressed, role="main" if answer.main else "")
            )
        self._buttons.addWidget(fields.button("Not now", "Decide later; nothing is written", self.leave, role="plain"))
        self.show()
        fields.tint_icons(self)

    def _answer(self, act: Callable[[], object]) -> None:
        self.leave()
        act()

    def leave(self) -> None:
        self.hide()
