"""History: undo and redo of everything, with a ledger that only grows.

A step keeps the session before it. Undo brings back all that the step changed but leaves the ledger
as it is and adds a line: what was tried and taken back is part of the record. Steps of one gesture
(a drag, a run of nudges) share a `merge` key and become one step and one line.
"""

from dataclasses import dataclass, field

from msgspec.structs import replace

from all_even.session.editing import edits
from all_even.session.file import describe, limits
from all_even.session.model import audible
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

MOST_STEPS = 500
UNDONE, REDONE = "Undone: ", "Redone: "


@dataclass(frozen=True, slots=True)
class Step:
    """session: to come back to. line, serial: of the ledger, for what undoing it takes back; 0 where there is none.
    last: the last line of a step that wrote several, of which `serial` is the first; else 0."""

    session: Session
    line: str
    serial: int
    last: int = 0


@dataclass(slots=True)
class History:
    """The present session and the way to it and back. Not shared between threads."""

    session: Session
    past: list[Step] = field(default_factory=list)
    _future: list[Step] = field(default_factory=list)
    _merge: str | None = None

    def apply(
        self,
        new: Session,
        *,
        text: str | None = None,
        reason: str = "",
        move: Proposal | None = None,
        back_to: int | None = None,
        merge: str | None = None,
    ) -> bool:
        """Makes `new` the present. text: the ledger's line; left out, it is worked out from the change. back_to: the
        line after which the session was like this.

        Returns whether anything changed. LimitError for what no file could hold: then nothing changes.
        """
        if new == self.session:
            return False
        limits.check(new, self.session)
        merging = merge is not None and merge == self._merge and bool(self.past)
        base = self.past[-1].session if merging else self.session
        if merging and len(self.session.ledger) > len(base.ledger):
            new = replace(new, ledger=self.session.ledger[:-1])
        if text is None and move is None:
            text = describe.sentence(base, new)
        line = text or (move.title if move else "")
        if line:
            heard = audible.differs(base, new)
            new = edits.record(new, line, reason=reason, move=move, back_to=back_to, audible=heard)
        step = Step(base, line, edits.last_serial(new) if line else 0)
        if not merging:
            self.past.append(step)
            del self.past[:-MOST_STEPS]
        else:
            self.past[-1] = step
        self._future.clear()
        self._merge = merge
        self.session = new
        return True

    def take_over(self, new: Session, line: str, serial: int) -> None:
        """Makes a session the present whose ledger tells already what was done, as one step. serial: of the first line
        that does, before which everything was as it is now. LimitError as `apply`."""
        limits.check(new, self.session)
        self.past.append(Step(self.session, line, serial, edits.last_serial(new)))
        del self.past[:-MOST_STEPS]
        self._future.clear()
        self._merge = None
        self.session = new

    def amend(self, new: Session) -> None:
        """Changes the present without a step: results that are measured after the fact."""
        self.session = new

    def end_gesture(self) -> None:
        """The next step starts a new line even if it has the same merge key."""
        self._merge = None

    @property
    def undo_text(self) -> str | None:
        return self.past[-1].line if self.past else None

    @property
    def redo_text(self) -> str | None:
        return self._future[-1].line if self._future else None

    def undo(self) -> bool:
        return self._step(self.past, self._future, undo=True)

    def redo(self) -> bool:
        return self._step(self._future, self.past, undo=False)

    def _step(self, source: list[Step], target: list[Step], *, undo: bool) -> bool:
        if not source:
            return False
        wanted = source.pop()
        target.append(Step(self.session, wanted.line, wanted.serial, wanted.last))
        back = replace(wanted.session, ledger=self.session.ledger)
        taken = wanted.serial or None
        self.session = edits.record(
            back,
            (UNDONE if undo else REDONE) + (wanted.line or "a change"),
            undoes=taken if undo else None,
            redoes=None if undo else wanted.last or taken,
            audible=audible.differs(self.session, back),
        )
        self._merge = None
        return True
