"""The side panel: the stage's moves, the ledger, notes and snapshots."""

from typing import Any

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from all_even.app import fields, theme
from all_even.app.desk import Desk
from all_even.dsp.parameter import decibel_text, metric_text, promise_text, result_text, time_text
from all_even.session import edits

MARGIN = 12
MOST_FAULTS = 6


NO_MOVE = {
    "gather": "No move is open at this stage.",
    "balance": "No move is open at this stage. Set levels and pan by ear; what you change is in the ledger.",
    "buses": "No move is open at this stage. Drag a lane to a bus' column, or add a station to its level path.",
    "print": "No move is open at this stage.",
}


class SidePanel(QTabWidget):
    """Four tabs; each shows a part of the session and emits edits."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setAccessibleName("Moves, ledger, notes and snapshots")
        self.setDocumentMode(True)
        self.tabBar().setDrawBase(False)
        self.moves = MovesTab(desk)
        self.ledger = LedgerTab(desk)
        self.notes = NotesTab(desk)
        self.snapshots = SnapshotsTab(desk)
        for tab, name, tip in (
            (self.moves, "Moves", "What is proposed at this stage (Ctrl+1)"),
            (self.ledger, "Ledger", "All changes in order (Ctrl+2)"),
            (self.notes, "Notes", "Remarks with their place in the song (Ctrl+3)"),
            (self.snapshots, "Versions", "Snapshots, and comparing two of them (Ctrl+4)"),
        ):
            index = self.addTab(tab, name)
            self.setTabToolTip(index, tip)


class MovesTab(QScrollArea):
    """The stage's moves as cards, most important first; what is wrong with files above them in Gather."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setWidgetResizable(True)
        self.setAccessibleName("Moves of this stage")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for signal in (desk.moves_changed, desk.opened, desk.mix_measured):
            signal.connect(self.refresh)
        desk.stage_changed.connect(lambda _stage: self.refresh())
        desk.changed.connect(self._on_changed)

    def _on_changed(self, old: Any, new: Any) -> None:
        """A drag changes the session many times a second; only made moves and declines concern the cards."""
        if [e.move for e in old.ledger[-40:] if e.move] != [e.move for e in new.ledger[-40:] if e.move]:
            self.refresh()

    def refresh(self) -> None:
        desk = self.desk
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(MARGIN, 8, MARGIN, 8)
        column.setSpacing(10)
        moves = desk.moves[desk.stage] if desk.is_open else []
        if desk.is_open and desk.stage == "gather":
            if faults := _faults(desk):
                column.addWidget(FaultsCard(desk, faults))
            for entry in desk.unreadable:
                column.addWidget(UnreadableCard(desk, *entry))
        for move in moves:
            column.addWidget(MoveCard(desk, move))
        done = _made_moves(desk)
        if not moves and desk.is_open:
            waiting = desk.mix_stale and not done
            text = (
                "The mix is being measured; moves follow." if waiting
                else NO_MOVE[desk.stage]
            )  # fmt: skip
            column.addWidget(fields.wrapped(text, "quiet"))
        if done:
            column.addSpacing(4)
            column.addWidget(fields.label("Made", "small"))
            for record in done[-6:][::-1]:
                column.addWidget(MadeCard(record))
        column.addStretch(1)
        fields.swap(self, body)
        fields.tint_icons(body)


def _made_moves(desk: Desk) -> list[Any]:
    if not desk.is_open:
        return []
    from all_even.moves.propose import standing

    return [record for record in standing(desk.session) if record.stage == desk.stage]


def _faults(desk: Desk) -> list[tuple[str, Any]]:
    """(lane id, finding) of every fault, in the order of lanes."""
    from all_even.measure.findings import findings

    return [
        (lane.id, finding)
        for lane in desk.session.lanes
        if (report := desk.report(lane.id)) is not None
        for finding in findings(report)
        if finding.severity == "fault"
    ]


class _Card(QFrame):
    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(10, 8, 10, 8)
        self.column.setSpacing(4)


class FaultsCard(_Card):
    """What is wrong with files, first of all; a press goes to the lane."""

    def __init__(self, desk: Desk, faults: list[tuple[str, Any]]) -> None:
        super().__init__()
        title = fields.wrapped(f"{len(faults)} fault{'' if len(faults) == 1 else 's'} in the recording", "look")
        title.setStyleSheet("font-weight: 600")
        self.column.addWidget(title)
        for lane_id, finding in faults[:MOST_FAULTS]:
            self.column.addWidget(fields.wrapped(f"{desk.session.lane(lane_id).name}: {finding.text}"))
            show = fields.button(
                "Show the lane", "Select the lane and go to it", lambda i=lane_id: desk.select((i,)), role="plain"
            )
            self.column.addWidget(show, 0, Qt.AlignmentFlag.AlignLeft)
        if len(faults) > MOST_FAULTS:
            self.column.addWidget(
                fields.wrapped(f"and {len(faults) - MOST_FAULTS} more, marked in their lanes", "small")
            )


class MoveCard(_Card):
    """One proposal: what, why, what is expected; apply, hear, decline."""

    def __init__(self, desk: Desk, move: Any) -> None:
        super().__init__()
        self.desk, self.move_ = desk, move
        title = fields.wrapped(move.title)
        title.setFont(theme.font(theme.BODY, strong=True))
        title.setStyleSheet("font-weight: 600")
        self.column.addWidget(title)
        self.column.addWidget(fields.wrapped(move.reason, "quiet"))
        self.column.addWidget(fields.wrapped(promise_text(move), "small"))
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(fields.button("Apply", f"{move.title}; undo takes it back", self._apply, role="main"))
        row.addWidget(fields.button("Decline", "Say no to this move, with a reason", self._ask_reason))
        row.addStretch(1)
        self.column.addLayout(row)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("Why not? Enter declines it")
        self.reason.setAccessibleName("Reason for declining")
        self.reason.setToolTip("A reason for the ledger; Enter declines the move")
        self.reason.setMinimumHeight(theme.TARGET)
        self.reason.hide()
        self.reason.returnPressed.connect(lambda: desk.decline_move(move, self.reason.text()))
        self.column.addWidget(self.reason)

    def _apply(self) -> None:
        self.desk.apply_move(self.move_)

    def _ask_reason(self) -> None:
        self.reason.show()
        self.reason.setFocus()


class MadeCard(_Card):
    """A move that was made, with its result beside the expectation."""

    def __init__(self, record: Any) -> None:
        super().__init__()
        self.column.addWidget(fields.wrapped(record.title))
        self.column.addWidget(fields.wrapped(result_text(record), "small"))


class UnreadableCard(_Card):
    """A file that is not in the session, and why; a pair of its channels can be taken where that helps."""

    def __init__(self, desk: Desk, path: Any, sentence: str, channels: int | None) -> None:
        super().__init__()
        self.column.addWidget(fields.wrapped(sentence, "look"))
        if channels:
            row = QHBoxLayout()
            self.choice = QComboBox()
            self.choice.setAccessibleName("Channels to take")
            self.choice.setToolTip("Which channels of the file to take")
            self.choice.setMinimumHeight(theme.TARGET)
            for first in range(1, channels, 2):
                self.choice.addItem(f"{first} and {first + 1}", (first, first + 1))
            for one in range(1, channels + 1):
                self.choice.addItem(f"{one} alone", (one,))
            row.addWidget(self.choice)
            row.addWidget(
                fields.button(
                    "Take", "Add these channels as a lane", lambda: desk.add_pair(path, self.choice.currentData())
                )
            )
            row.addStretch(1)
            self.column.addLayout(row)


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

    def add_text(self, text: str, data: object = None) -> None:
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, data)
        self.addItem(item)
        self._fit(item)

    def replace_text(self, row: int, text: str) -> None:
        item = self.item(row)
        if item is not None:
            item.setText(text)
            self._fit(item)

    def _fit(self, item: QListWidgetItem) -> None:
        room = QRect(0, 0, max(60, self.viewport().width() - 2 * self.PADDING - 6), 10_000)
        text = self.fontMetrics().boundingRect(room, int(Qt.TextFlag.TextWordWrap), item.text())
        item.setSizeHint(QSize(room.width(), text.height() + 14))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for row in range(self.count()):
            self._fit(self.item(row))


class LedgerTab(WrappedList):
    """Every change in a sentence with its time, newest first."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Ledger", "All changes, newest first; undo is Ctrl+Z")
        self.desk = desk
        desk.changed.connect(self._on_changed)
        desk.opened.connect(self.refresh)

    def _on_changed(self, old: Any, new: Any) -> None:
        if old.ledger == new.ledger and old is not new:
            return
        if len(old.ledger) == len(new.ledger) > 0 and old.ledger[:-1] == new.ledger[:-1]:
            self.replace_text(0, _entry_text(new.ledger[-1]))  # one gesture, still going on
        else:
            self.refresh()

    def refresh(self) -> None:
        self.clear()
        if not self.desk.is_open:
            return
        for entry in reversed(self.desk.session.ledger[-300:]):
            self.add_text(_entry_text(entry))
        if not self.desk.session.ledger:
            self.add_text("Nothing has been changed yet. Every change will be written here.")


def _entry_text(entry: Any) -> str:
    result = ""
    if entry.move is not None and entry.move.after is not None:
        result = f" {entry.move.metric}: {metric_text(entry.move.after, entry.move.metric)} measured."
    return f"{entry.when[11:19]}  {entry.text}{result}"


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


class SnapshotsTab(QWidget):
    """Named states; two of them compared while playing, at the same loudness."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(MARGIN, 8, MARGIN, 8)
        column.setSpacing(8)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of a new snapshot")
        self.name.setPlaceholderText("Name of a new snapshot")
        self.name.setToolTip("Enter keeps levels, pan and the rest of all lanes under this name (Ctrl+T)")
        self.name.setMinimumHeight(theme.TARGET)
        self.name.returnPressed.connect(self._take)
        column.addWidget(self.name)
        self.list = QListWidget()
        self.list.setAccessibleName("Snapshots")
        self.list.setToolTip("Enter or double click: bring this state back; undo takes it back")
        self.list.itemActivated.connect(lambda _item: self._recall())
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(fields.button("Bring back", "Set all lanes as in the selected snapshot", self._recall))
        row.addWidget(fields.button("Remove", "Remove the selected snapshot", self._remove))
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(fields.label("Compare while playing", "small"))
        self.first, self.second = QComboBox(), QComboBox()
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
        desk.changed.connect(lambda old, new: self.refresh() if old.snapshots != new.snapshots else None)
        desk.opened.connect(self.refresh)
        desk.hearing_changed.connect(self._show_state)

    def refresh(self) -> None:
        names = [snapshot.name for snapshot in self.desk.session.snapshots] if self.desk.is_open else []
        self.list.clear()
        for snapshot in self.desk.session.snapshots if self.desk.is_open else ():
            self.list.addItem(f"{snapshot.name}   {snapshot.taken[11:16]}")
        for box, index in ((self.first, 0), (self.second, 1)):
            kept = box.currentText()
            box.clear()
            box.addItems(["now", *names])
            box.setCurrentIndex(max(box.findText(kept) if kept else -1, min(index, len(names))))
        self.compare_button.setEnabled(bool(names))
        self._show_state()

    def compare(self) -> None:
        if self.first.currentText() != self.second.currentText():
            self.desk.hear_snapshot(self.first.currentText(), self.second.currentText())

    def _show_state(self) -> None:
        hearing = self.desk.hearing
        if not self.desk.is_open or not self.desk.session.snapshots:
            self.state.setText("Take a snapshot first: then two states can be compared, level-matched.")
        elif hearing.matched_db:
            self.state.setText(f"Hearing “{hearing.name}”, lowered by {decibel_text(-hearing.matched_db)} to match.")
        else:
            self.state.setText(f"Hearing “{hearing.name}”.")

    def _take(self) -> None:
        name = self.name.text()
        self.desk.edit(lambda s: edits.take_snapshot(s, name))
        self.name.clear()

    def _selected(self) -> str | None:
        row = self.list.currentRow()
        return self.desk.session.snapshots[row].name if row >= 0 else None

    def _recall(self) -> None:
        name = self._selected()
        if name is not None:
            self.desk.edit(lambda s: edits.recall_snapshot(s, name), text=f"Snapshot “{name}” brought back")

    def _remove(self) -> None:
        name = self._selected()
        if name is not None:
            self.desk.edit(lambda s: edits.remove_snapshot(s, name))
