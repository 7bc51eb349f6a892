"""What stands over the heads: how many tracks there are, the filter, how they are nested; and, under the last row, what
is folded away because the stage is not about it, or hidden."""

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtCore import QEvent, QObject, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import QLineEdit, QToolButton, QWidget

from all_even import texts
from all_even.app.lanes import layout
from all_even.app.lanes.nesting import Nesting
from all_even.app.style import icons, paint

NESTINGS: dict[Nesting, tuple[str, str]] = {
    "flat": ("rows-flat", "as the session has them"),
    "groups": ("rows-groups", "in their groups"),
    "families": ("rows-families", "by family"),
}
"""Icon and words of each."""
COUNT_WIDTH, BUTTON_WIDTH = 62, 28


class Heads(Protocol):
    """What it needs of the view that it lies on."""

    @property
    def area(self) -> QWidget: ...
    def refresh(self) -> None: ...
    def go_to_first(self) -> None: ...
    def setFocus(self) -> None: ...
    def set_show_hidden(self, on: bool) -> None: ...


class OverHeads(QObject):
    """filter, nest: over the heads. more, hidden: under the last row."""

    def __init__(self, view: Heads, nest_next: Callable[[], None]) -> None:
        super().__init__(view.area)
        self._view = view
        area = view.area
        self.filter = QLineEdit(area)
        self.filter.setAccessibleName("Filter the tracks")
        self.filter.setPlaceholderText("Filter (Ctrl+K)")
        self.filter.setToolTip(texts.tip(
            "Shows tracks by name, role, family, group, finding or state (muted, soloed, hidden, no role). "
            "in:Guitars: of that group. masked>80, loudness<-40, level>0: by figure. Ctrl+K; Escape: all."
        ))  # fmt: skip
        self.filter.setClearButtonEnabled(True)
        # Keys mean the lanes until somebody asks for the filter.
        self.filter.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.filter.textChanged.connect(lambda _text: view.refresh())
        self.filter.installEventFilter(self)
        self.nest = QToolButton(area)
        self.nest.setAccessibleName("How tracks are nested")
        self.nest.clicked.connect(nest_next)
        self.hidden = QToolButton(area)
        self.hidden.setCheckable(True)
        self.hidden.setAccessibleName("Show hidden tracks")
        self.hidden.setToolTip("Show or hide the hidden tracks (Ctrl+H)")
        self.hidden.toggled.connect(view.set_show_hidden)
        self.more = QToolButton(area)
        self.more.setCheckable(True)
        self.more.setAccessibleName("Show the tracks that this stage is not about")
        self.more.setToolTip("Tracks that this stage is not about: show them, or put them away")
        self.more.toggled.connect(lambda _on: view.refresh())
        self.more.hide()
        self.hidden.hide()

    @property
    def height(self) -> int:
        """Of what stands under the last row, in pixels."""
        shown = self.more.isVisibleTo(self._view.area) or self.hidden.isVisibleTo(self._view.area)
        return layout.FOLD if shown else 0

    def show_nesting(self, nesting: Nesting) -> None:
        name, words = NESTINGS[nesting]
        self.nest.setIcon(icons.icon(name))
        self.nest.setToolTip(texts.tip(f"Tracks stand {words}. Press: the next way (Ctrl+Shift+G)."))

    def show_hidden(self, hidden: int, sounding: int) -> None:
        self.hidden.setVisible(bool(hidden))
        heard = f", {sounding} of them heard" if sounding else ""
        self.hidden.setText(f"{hidden} hidden{heard}: {'hide' if self.hidden.isChecked() else 'show'}")

    def show_more(self, count: int, words: str) -> None:
        """count: how many rows this stage is not about. words: what they are."""
        self.more.setText(f"{count} {words}: {'put away' if self.more.isChecked() else 'show'}")
        self.more.setVisible(bool(count) and not self.filter.text())

    def place(self, head: float, under: float) -> None:
        """head: width of the heads. under: where the last row ends."""
        self.filter.setGeometry(COUNT_WIDTH + 8, 5, int(head) - COUNT_WIDTH - BUTTON_WIDTH - 20, layout.HEADER - 10)
        self.nest.setGeometry(int(head) - BUTTON_WIDTH - 6, 5, BUTTON_WIDTH, layout.HEADER - 10)
        left = 32
        for button in (self.more, self.hidden):
            if button.isVisibleTo(self._view.area):
                width = button.sizeHint().width() + 8
                button.setGeometry(left, int(under) + 4, width, layout.FOLD - 8)
                left += width + 8

    def paint_count(self, painter: QPainter, shown: int, away: int) -> None:
        words = f"{shown} of {shown + away}" if away else f"{shown} track{'' if shown == 1 else 's'}"
        paint.note(painter, QRectF(10, 0, COUNT_WIDTH, layout.HEADER), words)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Escape in the filter shows all tracks again; Enter goes to the first one that fits."""
        if watched is not self.filter or not isinstance(event, QKeyEvent):
            return super().eventFilter(watched, event)
        if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape:
            event.accept()  # it is the field's, not the window's
            return True
        if event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self.filter.clear()
                self._view.setFocus()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._view.go_to_first()
                return True
        return super().eventFilter(watched, event)
