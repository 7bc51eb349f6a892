"""A list whose rows are as high as their wrapped text, also when the panel changes its width."""

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem


class WrappedList(QListWidget):
    """A list whose rows are as high as their wrapped text, also when the panel changes its width."""

    PADDING = 8  # as in the style sheet, left and right; 5 above and below

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setWordWrap(True)
        self.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)

    def add_text(self, text: str, data: object = None, *, first: bool = False) -> None:
        """Adds a row at the end, or as the first."""
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, data)
        self.insertItem(0 if first else self.count(), item)
        self._fit(item)

    def replace_text(self, row: int, text: str) -> None:
        item = self.item(row)
        if item is not None:
            item.setText(text)
            self._fit(item)

    def _fit(self, item: QListWidgetItem) -> None:
        area = self.viewport()
        assert area is not None
        room = QRect(0, 0, max(60, area.width() - 2 * self.PADDING - 6), 10_000)
        text = self.fontMetrics().boundingRect(room, int(Qt.TextFlag.TextWordWrap), item.text())
        item.setSizeHint(QSize(room.width(), text.height() + 14))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        for row in range(self.count()):
            item = self.item(row)
            if item is not None:
                self._fit(item)
