"""Words: what the words of the screen mean for the sound."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout

from all_even import glossary
from all_even.app.pages.page import Page, card
from all_even.app.style import fields, layouts

COLUMNS = 2
LINE_LETTERS = 60


class WordsPage(Page):
    title = "Words"

    def __init__(self, back: Callable[[], object]) -> None:
        super().__init__(back)
        sides = [QVBoxLayout() for _ in range(COLUMNS)]
        heights = [0] * COLUMNS
        row = layouts.row(spacing=12)
        for group in glossary.groups():
            made, grid = card(group)
            grid.setColumnStretch(1, 1)
            grid.setVerticalSpacing(6)
            terms = [term for term in glossary.TERMS if term.group == group]
            for index, term in enumerate(terms, 1):
                word = fields.wrapped(term.word)
                word.setFixedWidth(132)
                grid.addWidget(word, index, 0)
                grid.addWidget(fields.wrapped(term.means, "quiet"), index, 1)
            shortest = heights.index(min(heights))
            sides[shortest].addWidget(made)
            heights[shortest] += 3 + sum(1 + len(term.means) // LINE_LETTERS for term in terms)
        for side in sides:
            side.setSpacing(12)
            side.addStretch(1)
            row.addLayout(side, 1)
        self.column.addLayout(row)
        self.column.addStretch(1)
