"""A page over the whole window: its title, a way back, and what it shows."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from all_even.app.style import fields, layouts, theme

WIDEST = 1200
MARGIN = 32


class Page(QWidget):
    """Subclasses fill `column`; `refresh` is called whenever the page is shown. back: leaves it, as Esc does."""

    title = ""

    def __init__(self, back: Callable[[], object]) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(self.title)
        whole = layouts.column(self, margins=(MARGIN, 24, MARGIN, 16), spacing=16)
        head = layouts.row(spacing=16)
        self.back = fields.button("Back", "Back to where you were (Esc)", back, icon="arrow-left-to-line")
        head.addWidget(self.back)
        name = fields.label(self.title, "figure")
        name.setFont(theme.font(theme.FIGURE, strong=True))
        head.addWidget(name)
        head.addStretch(1)
        self.head = head
        whole.addLayout(head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        row = layouts.row(inner, margins=(0, 0, 8, 0))
        holder = QWidget()
        holder.setMaximumWidth(WIDEST)
        self.column = layouts.column(holder, margins=layouts.NONE, spacing=12)
        row.addWidget(holder, 1)
        row.addStretch(0)
        self.area.setWidget(inner)
        whole.addWidget(self.area, 1)

    def two_columns(self) -> tuple[QVBoxLayout, QVBoxLayout]:
        """Left and right, for cards; each is ended by a stretch of its own."""
        both = layouts.row(spacing=12)
        left, right = layouts.column(spacing=12), layouts.column(spacing=12)
        for side in (left, right):
            both.addLayout(side, 1)
        self.column.addLayout(both)
        return left, right

    def refresh(self, at: str = "") -> None:
        """Shows what is so now. at: what to bring into sight, where there is something of that name."""


def card(name: str) -> tuple[QFrame, QGridLayout]:
    """A card with its name over two columns, the second one as wide as it needs."""
    made = QFrame()
    made.setObjectName("card")
    grid = QGridLayout(made)
    grid.setContentsMargins(16, 12, 16, 14)
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(4)
    title = fields.label(name)
    title.setFont(theme.font(theme.BODY, strong=True))
    title.setStyleSheet("font-weight: 600")
    grid.addWidget(title, 0, 0, 1, 2)
    return made, grid
