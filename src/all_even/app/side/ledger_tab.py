"""The ledger: every change in a sentence with its time, newest first; moves with their results."""

from all_even import stages
from all_even.app.desk import Desk
from all_even.app.side.wrapped_list import WrappedList
from all_even.session.model.ledger import LedgerEntry
from all_even.session.model.session import Session

MOST_LINES = 300


class LedgerTab(WrappedList):
    def __init__(self, desk: Desk) -> None:
        super().__init__("Ledger", "All changes, newest first; undo is Ctrl+Z")
        self.desk = desk
        desk.changed.connect(self._on_changed)
        desk.opened.connect(self.refresh)

    def _on_changed(self, old: Session, new: Session) -> None:
        if old.ledger is new.ledger or old.ledger == new.ledger:
            return
        if len(old.ledger) == len(new.ledger) > 0 and old.ledger[:-1] == new.ledger[:-1]:
            self.replace_text(0, _text(self.desk, new.ledger[-1]))  # one gesture, still going on
        elif new.ledger[:-1] == old.ledger:
            if not old.ledger:
                self.clear()
            self.add_text(_text(self.desk, new.ledger[-1]), first=True)
        else:
            self.refresh()

    def refresh(self) -> None:
        self.clear()
        if not self.desk.is_open:
            return
        for entry in reversed(self.desk.session.ledger[-MOST_LINES:]):
            self.add_text(_text(self.desk, entry))
        if not self.desk.session.ledger:
            self.add_text("Nothing has been changed yet. Every change will be written here.")


def _text(desk: Desk, entry: LedgerEntry) -> str:
    """The line, and under it what a move did beside what was expected of it."""
    line = f"{entry.when[11:19]}  {entry.text}"
    if entry.move is None:
        return line
    from all_even.moves import accounts, texts

    stands = entry.serial in accounts.standing(desk.session)
    metric = stages.metric(entry.move.metric)
    words = texts.OUTCOMES[accounts.outcome(entry, stands)]
    if entry.result is None and entry.state is not None:
        return f"{line}\n{metric.label}: being measured"
    return f"{line}\n{texts.result(entry.move, metric, entry.result)}: {words}"
