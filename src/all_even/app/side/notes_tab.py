"""Notes: remarks with their place in the song; faults heard elsewhere come back until they are settled."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QWidget

from all_even.app.desk import Desk
from all_even.app.side.wrapped_list import WrappedList
from all_even.app.style import fields, layouts, theme
from all_even.dsp.parameter import time_text
from all_even.session.editing import edits

MARGIN = 12
PLACES = ("a phone", "a laptop", "a small speaker", "a car", "a club", "headphones", "another room")


class NotesTab(QWidget):
    """Remarks with position and date; activating one goes there. A fault says where it was heard."""

    go_to = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = layouts.column(self, margins=(MARGIN, 8, MARGIN, 8))
        self.text = QLineEdit()
        self.text.setAccessibleName("New note")
        self.text.setPlaceholderText("A note at the present position")
        self.text.setToolTip("Write a note; Enter keeps it with position and date (N)")
        self.text.setMinimumHeight(theme.TARGET)
        self.text.returnPressed.connect(self.add)
        column.addWidget(self.text)
        heard = layouts.row()
        heard.addWidget(fields.label("Heard on", "quiet"))
        self.heard_on = fields.choice()
        self.heard_on.setEditable(True)
        self.heard_on.addItems(["", *PLACES])
        self.heard_on.setAccessibleName("Where a fault was heard")
        self.heard_on.setToolTip(
            "Where a fault was heard: then it comes back whenever the song is opened, until settled"
        )
        self.heard_on.setMinimumHeight(theme.TARGET)
        heard.addWidget(self.heard_on, 1)
        column.addLayout(heard)
        self.list = WrappedList("Notes", "Enter or double click: go to the note's place")
        self.list.itemActivated.connect(lambda item: self.go_to.emit(item.data(Qt.ItemDataRole.UserRole)))
        column.addWidget(self.list, 1)
        row = layouts.row()
        self.settle = fields.button("Settled", "The selected fault is settled, or open again", self._settle)
        row.addWidget(self.settle)
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
            if note.heard_on:
                state = f"settled {note.settled[:10]}" if note.settled else "open"
                written = f"heard on {note.heard_on}, {state}; {written}"
            self.list.add_text(f"{time_text(note.position_s)}  {note.text}\n{written}", note.position_s)

    def add(self) -> None:
        text, position, where = self.text.text(), self.position_s, self.heard_on.currentText()
        if text.strip():
            self.desk.edit(lambda s: edits.add_note(s, text, position, heard_on=where))
            self.text.clear()
            self.heard_on.setCurrentIndex(0)

    def _settle(self) -> None:
        row = self.list.currentRow()
        if row < 0:
            return
        note = self.desk.session.notes[row]
        if note.heard_on:
            self.desk.edit(lambda s: edits.settle_note(s, row, not note.settled))
        else:
            self.desk.said.emit("Only faults that were heard elsewhere are settled; this is a plain note.")

    def _remove(self) -> None:
        row = self.list.currentRow()
        if row >= 0:
            self.desk.edit(lambda s: edits.remove_note(s, row))
