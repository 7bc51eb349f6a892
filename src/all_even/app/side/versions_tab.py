"""Versions: named states of the session, and hearing two of them at the same loudness."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QListWidget, QListWidgetItem, QWidget

from all_even.app.desk import Desk
from all_even.app.style import fields, layouts, theme
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import decibel_text
from all_even.session.editing import edits
from all_even.session.editing.without import NAMES, Part, without

MARGIN = 12


class VersionsTab(QWidget):
    """Named states; two of them compared while playing, at the same loudness."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = layouts.column(self, margins=(MARGIN, 8, MARGIN, 8), spacing=8)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of a new snapshot")
        self.name.setPlaceholderText("Name of a new snapshot")
        self.name.setToolTip("Enter keeps levels, pan and the rest of all tracks under this name (Ctrl+T)")
        self.name.setMinimumHeight(theme.TARGET)
        self.name.returnPressed.connect(self._take)
        column.addWidget(self.name)
        self.list = QListWidget()
        self.list.setAccessibleName("Snapshots")
        self.list.setToolTip("Enter or double click: bring this state back; undo takes it back")
        self.list.itemActivated.connect(lambda _item: self._recall())
        self.list.setMinimumHeight(theme.TARGET)
        column.addWidget(self.list, 1)
        row = layouts.row()
        row.addWidget(fields.button("Bring back", "Set all tracks as in the selected snapshot", self._recall))
        row.addWidget(fields.button("Remove", "Remove the selected snapshot", self._remove))
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(fields.label("Compare while playing", "small"))
        self.first, self.second = fields.choice(), QComboBox()
        for box, name in ((self.first, "First to compare"), (self.second, "Second to compare")):
            box.setAccessibleName(name)
            box.setToolTip(f"{name}: the state now, or a snapshot")
            box.setMinimumHeight(theme.TARGET)
            column.addWidget(box)
        self.compare_button = fields.button(
            "Hear the other", "Switch between the two at the same loudness; the louder is lowered (X)", self.compare,
            icon="ear", role="main",
        )  # fmt: skip
        column.addWidget(self.compare_button)
        self.state = fields.wrapped("", "small")
        column.addWidget(self.state)
        row = layouts.row(spacing=4)
        self.part = fields.choice()
        self.part.setAccessibleName("What is left out")
        self.part.setToolTip("What is heard in place of the session as it is, at equal loudness")
        self.part.setMinimumHeight(theme.TARGET)
        for part, name in NAMES.items():
            self.part.addItem(name, part)
        row.addWidget(self.part, 1)
        self.bare = HoldButton(
            "Hear", "Hold: the chosen one, as loud as now", self._hold_chosen, desk.ears.release_move
        )
        self.bare.setAccessibleName("Hear without")
        row.addWidget(self.bare)
        column.addLayout(row)
        self.only_selected = fields.check("Of the selected tracks only")
        self.only_selected.setToolTip("Take it out of the selected tracks alone; all else stays as it is")
        self.only_selected.setMinimumHeight(theme.TARGET)
        column.addWidget(self.only_selected)
        desk.changed.connect(lambda old, new: self.refresh() if old.snapshots != new.snapshots else None)
        desk.opened.connect(self.refresh)
        desk.hearing_changed.connect(self._show_state)

    def refresh(self) -> None:
        names = [snapshot.name for snapshot in self.desk.session.snapshots] if self.desk.is_open else []
        self.list.clear()
        for snapshot in self.desk.session.snapshots if self.desk.is_open else ():
            self.list.addItem(f"{snapshot.name}   {snapshot.taken[11:16]}")
        if not names and self.desk.is_open:
            empty = QListWidgetItem("None yet: a snapshot keeps how it is now.")
            empty.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(empty)
        for box, index in ((self.first, 0), (self.second, 1)):
            kept = box.currentText()
            box.clear()
            box.addItems(["now", *names])
            box.setCurrentIndex(max(box.findText(kept) if kept else -1, min(index, len(names))))
        self.compare_button.setEnabled(bool(names))
        self._show_state()

    def compare(self) -> None:
        if self.first.currentText() != self.second.currentText():
            self.desk.ears.hear_snapshot(self.first.currentText(), self.second.currentText())

    def _hold_chosen(self) -> None:
        self.hold_without(self.part.currentData())

    def hold_without(self, part: Part) -> None:
        """The session, or the selection, without a part of its processing, until it is let go."""
        if self.desk.is_open:
            only = frozenset(self.desk.selected) if self.only_selected.isChecked() else None
            self.desk.ears.hold_matched(NAMES[part], without(self.desk.session, part, only))

    def _show_state(self) -> None:
        hearing = self.desk.hearing
        if not self.desk.is_open or not self.desk.session.snapshots:
            self.state.setText("")
        elif hearing.matched_db:
            word = "lowered" if hearing.matched_db < 0.0 else "raised"
            self.state.setText(f"Hearing “{hearing.name}”, {word} by {decibel_text(abs(hearing.matched_db))} to match.")
        else:
            self.state.setText(f"Hearing “{hearing.name}”.")
        self.state.setVisible(bool(self.state.text()))

    def _take(self) -> None:
        name = self.name.text()
        self.desk.edit(lambda s: edits.take_snapshot(s, name))
        self.name.clear()

    def _selected(self) -> str | None:
        row = self.list.currentRow()
        snapshots = self.desk.session.snapshots
        return snapshots[row].name if 0 <= row < len(snapshots) else None

    def _recall(self) -> None:
        name = self._selected()
        if name is not None:
            self.desk.recall_snapshot(name)

    def _remove(self) -> None:
        name = self._selected()
        if name is not None:
            self.desk.edit(lambda s: edits.remove_snapshot(s, name))
