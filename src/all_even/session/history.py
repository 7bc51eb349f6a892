"""History: undo and redo of everything, with a ledger that only grows.

A step keeps the session before it. Undo brings back all that the step changed but leaves the ledger
as it is and adds a line: what was tried and taken back is part of the record. Steps of one gesture
(a drag, a run of nudges) share a `merge` key and become one step and one line.
"""

from dataclasses import dataclass, field

from msgspec.structs import replace

from all_even.session import describe, edits
from all_even.session.model import MoveRecord, Session

MOST_STEPS = 500
UNDONE, REDONE = "Undone: ", "Redone: "


@dataclass(slots=True)
class History:
    """The present session and the way to it and back. Not shared between threads."""

    session: Session
    _past: list[tuple[Session, str]] = field(default_factory=list)
    _future: list[tuple[Session, str]] = field(default_factory=list)
    _merge: str | None = None

    def apply(
        self,
        new: Session,
        *,
        text: str | None = None,
        reason: str = "",
        move: MoveRecord | None = None,
        merge: str | None = None,
    ) -> bool:
        """Makes `new` the present. text: the ledger's line; left out, it is worked out from the change.

        Returns whether anything changed.
        """
        if new == self.session:
            return False
        merging = merge is not None and merge == self._merge and bool(self._past)
        base = self._past[-1][0] if merging else self.session
        if merging and len(self.session.ledger) > len(base.ledger):
            new = replace(new, ledger=self.session.ledger[:-1])
        if text is None and move is None:
            text = describe.sentence(base, new)
        line = text or (move.title if move else "")
        if line:
            new = edits.record(new, line, reason=reason, move=move)
        if not merging:
            self._past.append((self.session, line))
            del self._past[:-MOST_STEPS]
        else:
            self._past[-1] = (base, line)
        self._future.clear()
        self._merge = merge
        self.session = new
        return True

    def amend(self, new: Session) -> None:
        """Changes the present without a step: results that are measured after the fact."""
        self.session = new

    def end_gesture(self) -> None:
        """The next step starts a new line even if it has the same merge key."""
        self._merge = None

    @property
    def undo_text(self) -> str | None:
        return self._past[-1][1] if self._past else None

    @property
    def redo_text(self) -> str | None:
        return self._future[-1][1] if self._future else None

    def undo(self) -> bool:
        return self._step(self._past, self._future, UNDONE)

    def redo(self) -> bool:
        return self._step(self._future, self._past, REDONE)

    def _step(self, source: list[tuple[Session, str]], target: list[tuple[Session, str]], word: str) -> bool:
        if not source:
            return False
        wanted, line = source.pop()
        target.append((self.session, line))
        back = replace(wanted, ledger=self.session.ledger)
        self.session = edits.record(back, word + (line or "a change"))
        self._merge = None
        return True
