"""The finder's panel: a field over the window's middle, what fits below it; Enter goes there, Esc leaves."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QModelIndex, QObject, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from all_even.app.finder.entries import Entry
from all_even.app.finder.ranking import ranked
from all_even.app.machine import kept_layout
from all_even.app.style import fields, layouts, paint, theme

WIDTH, ROW, MOST_ROWS, TOP = 560, 30, 12, 72
KIND_WIDTH = 84
ENTRY = Qt.ItemDataRole.UserRole


class Rows(QStyledItemDelegate):
    """One line: what kind it is, its name, and its key or place."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(WIDTH - 32, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        entry: Entry = index.data(ENTRY)
        box = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, theme.colour("act_soft"))
        quiet, text = theme.colour("quiet"), theme.colour("text" if entry.possible else "quiet")
        kind = QRectF(box.left() + 10, box.top(), KIND_WIDTH - 10, box.height())
        paint.text(painter, kind, entry.kind, size=theme.SMALL, colour=quiet)
        beside = min(box.width() * 0.4, paint.width_of(entry.detail, theme.SMALL) + 4)
        name = QRectF(box.left() + KIND_WIDTH, box.top(), box.width() - KIND_WIDTH - beside - 24, box.height())
        paint.text(painter, name, entry.text, colour=text)
        detail = QRectF(box.right() - beside - 10, box.top(), beside, box.height())
        paint.text(painter, detail, entry.detail, size=theme.SMALL, colour=quiet, align=paint.RIGHT)


class Finder(QFrame):
    """Lies over the window; `open` shows it with what there is to find now."""

    def __init__(self, window: QWidget, find: Callable[[], list[Entry]]) -> None:
        super().__init__(window)
        self._find = find
        self._entries: list[Entry] = []
        self._before: QWidget | None = None
        self.setObjectName("card")
        self.setAccessibleName("Finder")
        column = layouts.column(self, margins=(12, 12, 12, 10), spacing=8)
        self.field = QLineEdit()
        self.field.setAccessibleName("What to find")
        self.field.setPlaceholderText("A command, a track, a processor, a setting …")
        self.field.setToolTip("Type a few letters of what you want; arrows choose, Enter goes there, Esc leaves")
        self.field.setMinimumHeight(32)
        self.field.textChanged.connect(self._on_typed)
        self.field.installEventFilter(self)
        column.addWidget(self.field)
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        self.list.setToolTip("What fits, best first; Enter or a click goes there")
        self.list.setItemDelegate(Rows(self.list))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(lambda _item: self.choose())
        column.addWidget(self.list)
        self.nothing = fields.label("Nothing is called that.", "quiet")
        column.addWidget(self.nothing)
        self.hide()

    def open(self) -> None:
        """Shows everything; what was typed before is gone."""
        self._entries = self._find()
        self._before = QApplication.focusWidget()
        self.field.clear()
        self._on_typed("")
        self.show()
        self.raise_()
        self.field.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def leave(self) -> None:
        """Hides it; the keyboard is again where it was."""
        self.hide()
        if self._before is not None and self._before.isVisible():
            self._before.setFocus()

    def choose(self) -> None:
        """Does the chosen one, or goes there."""
        item = self.list.currentItem()
        if item is not None:
            entry: Entry = item.data(ENTRY)
            self.leave()
            if entry.kind == "Command":
                kept_layout.use(entry.text)
            entry.run()

    def _on_typed(self, typed: str) -> None:
        self.list.clear()
        for entry in ranked(self._entries, typed):
            item = QListWidgetItem(f"{entry.kind}: {entry.text}")
            item.setData(ENTRY, entry)
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        count = min(MOST_ROWS, self.list.count())
        self.list.setFixedHeight(count * ROW + 2)
        self.list.setVisible(count > 0)
        self.nothing.setVisible(count == 0)
        self.adjustSize()
        window = self.parentWidget()
        if window is not None:
            width = min(WIDTH, window.width() - 48)
            self.setGeometry(QRect((window.width() - width) // 2, TOP, width, self.sizeHint().height()))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrows move in the list while the field is typed into."""
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key, count = event.key(), self.list.count()
            by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -8, Qt.Key.Key_PageDown: 8}.get(Qt.Key(key))
            if by is not None and count:
                self.list.setCurrentRow(max(0, min(count - 1, self.list.currentRow() + by)))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.choose()
                return True
        return super().eventFilter(watched, event)
