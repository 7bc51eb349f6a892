"""The side panel: four tabs, each showing a part of the session and emitting edits."""

from PyQt6.QtWidgets import QTabWidget

from all_even.app.desk import Desk
from all_even.app.side.ledger_tab import LedgerTab
from all_even.app.side.moves_tab import MovesTab
from all_even.app.side.notes_tab import NotesTab
from all_even.app.side.versions_tab import VersionsTab


class SideTabs(QTabWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("side")
        self.setAccessibleName("Moves, ledger, notes and snapshots")
        self.setDocumentMode(True)
        bar = self.tabBar()
        if bar is not None:
            bar.setDrawBase(False)
        self.moves = MovesTab(desk)
        self.ledger = LedgerTab(desk)
        self.notes = NotesTab(desk)
        self.versions = VersionsTab(desk)
        for tab, name, tip in (
            (self.moves, "Moves", "What is proposed at this stage (Ctrl+1)"),
            (self.ledger, "Ledger", "All changes in order (Ctrl+2)"),
            (self.notes, "Notes", "Remarks with their place in the song (Ctrl+3)"),
            (self.versions, "Versions", "Snapshots, and comparing two of them (Ctrl+4)"),
        ):
            index = self.addTab(tab, name)
            self.setTabToolTip(index, tip)
        desk.opened.connect(lambda: self._come_back(desk))
        if desk.is_open:  # made while it is being opened
            self.notes.refresh()
            self.versions.refresh()
            self._come_back(desk)

    def _come_back(self, desk: Desk) -> None:
        """Faults that were heard elsewhere and are open come back as a list when a song is opened."""
        count = sum(note.is_open for note in desk.session.notes)
        if count:
            self.setCurrentWidget(self.notes)
            what = "1 fault was" if count == 1 else f"{count} faults were"
            desk.said.emit(f"{what} heard elsewhere last time: see Notes.")
