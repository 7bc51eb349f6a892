"""The state of the desk: the session and its history, what is selected, which stage is shown, and the signals by which
views learn of changes.

Its parts (`documents`, `figures`, `moves`, `ears`) are given this and each other; `desk` puts them together.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Self, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from all_even import stages
from all_even.app.machine import preferences
from all_even.app.machine.preferences import Preferences
from all_even.app.work import Job, Line, Work
from all_even.errors import UserError
from all_even.session.editing import edits
from all_even.session.file.document import Document
from all_even.session.file.history import History
from all_even.session.file.limits import LimitError
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

A = TypeVar("A")


class DeskState(QObject):
    """Lives in the interface thread."""

    changed = pyqtSignal(object, object)
    """(old session, new session)"""
    opened = pyqtSignal()
    saved_state_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    stage_changed = pyqtSignal(str)
    lane_measured = pyqtSignal(str)
    mix_measured = pyqtSignal()
    arrivals_changed = pyqtSignal()
    moves_changed = pyqtSignal()
    preview_changed = pyqtSignal()
    song_changed = pyqtSignal()
    hearing_changed = pyqtSignal()
    preferences_changed = pyqtSignal()
    wanted = pyqtSignal(str)
    """A command, by its id, that a button somewhere in the window stands for."""
    said = pyqtSignal(str)
    """A sentence for the status line."""
    asked = pyqtSignal(object)
    """A `Question`, for the bar over it."""

    def __init__(self) -> None:
        super().__init__()
        self.preferences = preferences.load()
        self.work = Work(self)
        self.work.failed.connect(lambda _name, sentence: self.said.emit(sentence))
        self.document: Document | None = None
        self.selected: tuple[str, ...] = ()
        self.stage = stages.STAGES[0].key
        self._shared: dict[object, Any] = {}

    def shared(self, make: Callable[[Self], A]) -> A:
        """What lanes, bench and pages share: the one of a class at this desk, made when it is asked for first."""
        if make not in self._shared:
            self._shared[make] = make(self)
        found: A = self._shared[make]
        return found

    def prefer(self, wanted: Preferences) -> None:
        """Changes what is set for this machine, and keeps it."""
        if wanted != self.preferences:
            self.preferences = wanted
            preferences.keep(wanted)
            self.preferences_changed.emit()

    # The session and its history.

    @property
    def session(self) -> Session:
        assert self.document is not None
        return self.document.session

    @property
    def is_open(self) -> bool:
        return self.document is not None

    @property
    def path(self) -> Path | None:
        """Where the session's file is; None for one that was never saved."""
        return self.document.path if self.document else None

    @property
    def unsaved(self) -> bool:
        return self.document is not None and self.document.unsaved

    @property
    def _history(self) -> History | None:
        return self.document.history if self.document else None

    @property
    def undo_text(self) -> str | None:
        return self._history.undo_text if self._history else None

    @property
    def redo_text(self) -> str | None:
        return self._history.redo_text if self._history else None

    def start(
        self,
        name: str,
        job: Job,
        done: Callable[[Any], None],
        partial: Callable[[Any], None] | None = None,
        *,
        line: Line = "long",
    ) -> None:
        """Runs a job of the present document; closing it drops what comes of it."""
        self.work.start(name, job, done, partial, owner=self.document, line=line)

    def edit(
        self,
        edit: edits.Edit,
        *,
        merge: str | None = None,
        text: str | None = None,
        reason: str = "",
        move: Proposal | None = None,
        back_to: int | None = None,
    ) -> bool:
        """Applies a pure edit. merge: key of the gesture this belongs to. back_to: see `History.apply`. One that goes
        over a limit of the session is said, changes nothing, and returns False."""
        if self._history is None:
            return False
        old = self.session
        try:
            done = self._history.apply(edit(old), text=text, reason=reason, move=move, back_to=back_to, merge=merge)
        except LimitError as error:
            self.said.emit(str(error))
            self.changed.emit(old, old)  # whoever shows what was refused shows again what is
            return False
        if done:
            self._after_change(old)
        return True

    def take_over(self, session: Session, line: str, serial: int) -> bool:
        """Makes a session the present whose ledger tells already what was done (`History.take_over`)."""
        if self._history is None:
            return False
        old = self.session
        try:
            self._history.take_over(session, line, serial)
        except LimitError as error:
            self.said.emit(str(error))
            return False
        self._after_change(old)
        return True

    def try_edit(self, edit: edits.Edit, *, merge: str | None = None) -> bool:
        """Applies an edit that may be refused; the reason is said in the status line."""
        try:
            return self.edit(edit, merge=merge)
        except UserError as error:
            self.said.emit(str(error))
            return False

    def amend(self, session: Session) -> None:
        """What was measured after the fact, without a step of its own."""
        if self._history is not None and session is not self.session:
            old = self.session
            self._history.amend(session)
            self.changed.emit(old, session)
            self.saved_state_changed.emit()

    def end_gesture(self) -> None:
        if self._history is not None:
            self._history.end_gesture()

    def undo(self) -> None:
        self._step(History.undo)

    def redo(self) -> None:
        self._step(History.redo)

    def _step(self, step: Callable[[History], bool]) -> None:
        if self._history is None:
            return
        old = self.session
        if step(self._history):
            self._after_change(old)
            self.said.emit(self.session.ledger[-1].text)

    def recall_snapshot(self, name: str) -> None:
        """Brings a snapshot back; moves that were made after it was taken do not stand any more."""
        snapshot = next((item for item in self.session.snapshots if item.name == name), None)
        if snapshot is not None:
            serial = snapshot.serial if snapshot.serial is not None else _serial_at(self.session, snapshot.taken)
            self.edit(
                lambda s: edits.recall_snapshot(s, name), text=f"Snapshot “{name}” brought back", back_to=serial
            )  # fmt: skip

    def _after_change(self, old: Session) -> None:
        new = self.session
        self._before_telling(old, new)
        self.selected = self._present(self.selected)
        self.changed.emit(old, new)
        self.saved_state_changed.emit()
        self._after_telling(old, new)

    def _before_telling(self, old: Session, new: Session) -> None:
        """What has to be true of the session's parts before views are told of a change."""

    def _after_telling(self, old: Session, new: Session) -> None:
        """What a change sets going."""

    # Selection and stage.

    def select(self, lane_ids: tuple[str, ...]) -> None:
        """Those of them that are there: a table or a list may show for a moment what was just taken away. Where none of
        them is, the selection stays."""
        there = self._present(lane_ids)
        if there != self.selected and (there or not lane_ids):
            self.selected = there
            self.selection_changed.emit()

    def _present(self, lane_ids: tuple[str, ...]) -> tuple[str, ...]:
        present = {item.id for item in self.session.members} | {MIX} if self.is_open else set()
        return tuple(lane_id for lane_id in lane_ids if lane_id in present)

    @property
    def current(self) -> str | None:
        """The lane that the bench shows: the one selected last."""
        return self.selected[-1] if self.selected else None

    @property
    def current_lane(self) -> str | None:
        """The selected lane, or None where a bus, the mix or nothing is selected."""
        current = self.current
        return current if current in {lane.id for lane in self.session.lanes} else None

    def set_stage(self, stage: str) -> None:
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit(stage)


def _serial_at(session: Session, taken: str) -> int:
    """The ledger's last line when a snapshot was taken, by the clock; for files that did not note it."""
    return max((entry.serial for entry in session.ledger if entry.when <= taken), default=0)
