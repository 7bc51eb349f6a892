"""Notes: remarks with their place in the song and their date."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from all_even.app import fields, theme
from all_even.app.desk import Desk
from all_even.app.side.wrapped_list import WrappedList
from all_even.dsp.parameter import time_text
from all_even.session import edits

MARGIN = 12


class NotesTab(QWidget):
    """Remarks with position and date; activating one goes there."""

    go_to = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(MARGIN, 8, MARGIN, 8)
        self.text = QLineEdit()
        self.text.setAccessibleName("New note")
        self.text.setPlaceholderText("A note at the present position")
        self.text.setToolTip("Write a note; Enter keeps it with position and date (N)")
        self.text.setMinimumHeight(theme.TARGET)
        self.text.returnPressed.connect(self._add)
        column.addWidget(self.text)
        self.list = WrappedList("Notes", "Enter or double click: go to the note's place")
        self.list.itemActivated.connect(lambda item: self.go_to.emit(item.data(Qt.ItemDataRole.UserRole)))
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(fields.button("Remove", "Remove the selected note", self._remove, icon="trash-2"))
        row.addStretch(1)
        column.addLayout(row)
        self.position_s = 0.0
        desk.changed.connect(lambda old, new: self.refresh() if old.notes != new.notes else None)
        desk.opened.connect(self.refresh)

    def refresh(self) -> None:
        self.list.clear()
        if not self.desk.is_open:
            return
        for note in self.desk.session.notes:
            written = note.written[:16].replace("T", " ")
            self.list.add_text(f"{time_text(note.position_s)}  {note.text}\n{written}", note.position_s)

    def _add(self) -> None:
        text, position = self.text.text(), self.position_s
        if text.strip():
            self.desk.edit(lambda s: edits.add_note(s, text, position))
            self.text.clear()

    def _remove(self) -> None:
        row = self.list.currentRow()
        if row >= 0:
            self.desk.edit(lambda s: edits.remove_note(s, row))
