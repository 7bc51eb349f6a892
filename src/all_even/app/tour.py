"""A short tour of the window: six stops, each a sentence or two under a frame around what it is about.

Shown by itself the first time the demo is opened; from Help at any time. It can be left at any stop, and covers
nothing: the sentences stand in a bar over the status line, the frame lets every press through.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QWidget

from all_even.app.machine import kept_layout
from all_even.app.style import fields, layouts, paint, theme

if TYPE_CHECKING:
    from all_even.app.workbench import Workbench


@dataclass(frozen=True, slots=True)
class Stop:
    """stage: shown there; empty for any. what: the widget that the frame is around."""

    title: str
    text: str
    stage: str
    what: "Callable[[Workbench], QWidget]"


STOPS = (
    Stop("The path", "Mixing in its usual order, from left to right. The number is how much is open at a stage; G goes "
         "to what is next. Every control works at any time.", "gather", lambda page: page.head.path),
    Stop("The tracks", "One row each, the same at every stage: only the question changes. Keys 1, 2 and 3 set their "
         "height, C folds groups, O pins a row, Q shows the selection alone.", "balance", lambda page: page.lanes),
    Stop("The moves", "What could be done, with its reason and what it should bring. Hold Hear first: it is as loud as "
         "without. Apply, change or decline; undo takes everything back.", "balance", lambda page: page.side),
    Stop("The bench", "The close look at what is selected. Drag its upper edge, or put it away with D.", "low-end",
         lambda page: page.bench),
    Stop("Playing", "Space plays: quietly at first, and never over −1 dBFS. Drag along the song to mark a part, L "
         "repeats it. Y plays faders alone, as loud as now.", "balance", lambda page: page.head.transport),
    Stop("And then", "Print writes the mix, its stems and a sheet with every setting. Ctrl+F finds anything; Help has "
         "the words and the keys. This tour is there, too.", "print", lambda page: page.bench),
)  # fmt: skip


class Tour(QFrame):
    """The bar; `begin` shows it. page: the working page, None before a session is open."""

    def __init__(self, window: QWidget, page: "Callable[[], Workbench | None]", go_to: Callable[[str], None]) -> None:
        super().__init__()
        self._page, self._go_to = page, go_to
        self.at = -1
        """The stop that is shown; -1 for none."""
        self.setObjectName("question")
        self.setAccessibleName("Tour")
        row = layouts.row(self, margins=(16, 8, 12, 8), spacing=12)
        words = layouts.column(spacing=2)
        self.title, self.text = fields.label(""), fields.wrapped("")
        self.title.setStyleSheet("font-weight: 600")
        words.addWidget(self.title)
        words.addWidget(self.text)
        row.addLayout(words, 1)
        self.back = fields.button("Back", "The stop before", lambda: self.show_stop(self.at - 1))
        self.next = fields.button("Next", "The next stop", lambda: self.show_stop(self.at + 1), role="main")
        self.leave_button = fields.button("Leave", "End the tour; Help, Tour begins it again", self.leave)
        for button in (self.back, self.next, self.leave_button):
            row.addWidget(button)
        self.frame = _Frame(window)
        self.hide()

    def begin(self) -> None:
        """From the first stop, with a session open."""
        if self._page() is not None:
            self.show_stop(0)
            self.next.setFocus()

    def begin_once(self) -> None:
        """The first time only."""
        if not kept_layout.load().tour_seen:
            self.begin()

    def show_stop(self, index: int) -> None:
        page = self._page()
        if page is None or not 0 <= index < len(STOPS):
            self.leave()
            return
        self.at = index
        stop = STOPS[index]
        self._go_to(stop.stage)
        self.title.setText(f"{index + 1} of {len(STOPS)}: {stop.title}")
        self.text.setText(stop.text)
        self.back.setEnabled(index > 0)
        self.next.setText("Next" if index + 1 < len(STOPS) else "Done")
        self.next.setAccessibleName(self.next.text())
        self.show()
        self.frame.around(stop.what(page))

    def leave(self) -> None:
        """Ends it; it does not come by itself again."""
        if self.at < 0:
            return
        kept_layout.keep(tour_seen=True)
        self.at = -1
        self.hide()
        self.frame.around(None)


FITS_AT = (QEvent.Type.Resize, QEvent.Type.Move, QEvent.Type.Show, QEvent.Type.Hide)


class _Frame(QWidget):
    """A frame over the window, around a widget; presses go through it."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._around: QWidget | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()

    def around(self, widget: QWidget | None) -> None:
        if self._around is not None:
            self._around.removeEventFilter(self)
        self._around = widget
        if widget is None:
            self.hide()
            return
        widget.installEventFilter(self)
        self._fit()
        self.raise_()

    def _fit(self) -> None:
        if self._around is not None:
            corner = self._around.mapTo(self._window, QPoint(0, 0))
            self.setGeometry(QRect(corner, self._around.size()).adjusted(-2, -2, 2, 2))
            self.setVisible(self._around.isVisible())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in FITS_AT:
            self._fit()
        return super().eventFilter(watched, event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setPen(QPen(theme.colour("look"), 3))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
