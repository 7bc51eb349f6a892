"""What became of the moves that were made: which stand, what was measured after each, what is true of it now."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from all_even.errors import UserError
from all_even.figures.book.fingerprint import digest
from all_even.figures.book.look import Look
from all_even.moves.dependencies import fingerprints
from all_even.moves.metric import Metric, words
from all_even.session.editing import edits
from all_even.session.model.ledger import LedgerEntry, Proposal, Result
from all_even.session.model.session import Session

Outcome = Literal["waiting", "kept", "worked out", "missed", "measured", "unknown", "undone"]
"""waiting: not measured yet. worked out: as expected, by the same computation that expected it, which proves nothing.
measured: nothing was expected. unknown: what was expected could not be measured. undone: taken back, whatever it
did."""


def standing(session: Session) -> dict[int, Proposal]:
    """The moves that were made and hold, by the number of their line in the ledger."""
    moves: dict[int, Proposal] = {}
    now: frozenset[int] = frozenset()
    before: dict[int, frozenset[int]] = {}
    after: dict[int, frozenset[int]] = {0: now}
    for entry in session.ledger:
        before[entry.serial] = now
        if entry.undoes is not None:
            now = before.get(entry.undoes, now)
        elif entry.redoes is not None:
            now = after.get(entry.redoes, now)
        elif entry.back_to is not None:
            now = after[max(serial for serial in after if serial <= entry.back_to)]
        if entry.move is not None:
            moves[entry.serial] = entry.move
            now |= {entry.serial}
        after[entry.serial] = now
    return {serial: moves[serial] for serial in sorted(now)}


def outcome(entry: LedgerEntry, stands: bool) -> Outcome:
    """What became of a move. stands: whether it was made and not taken back."""
    assert entry.move is not None
    if not stands:
        return "undone"
    if entry.result is None:
        return "waiting" if entry.state is not None else "measured"
    if entry.move.expected is None:
        return "measured"
    if entry.result.value is None:
        return "unknown"
    if abs(entry.result.value - entry.move.expected) > entry.move.tolerance + 1e-9:
        return "missed"
    return "kept" if entry.move.source == "predicted" else "worked out"


def waiting(session: Session) -> list[LedgerEntry]:
    """The lines whose move is not measured yet."""
    return [entry for entry in session.ledger if entry.move is not None and entry.state is not None]


def verify(look: Look, entry: LedgerEntry, metrics: Mapping[str, Metric]) -> Result:
    """Measures the session as it was right after a move, whatever became of it since."""
    assert entry.move is not None
    assert entry.state is not None
    then = look.at(edits.in_state(look.session, entry.state))
    metric = metrics.get(entry.move.metric) or words(entry.move.metric)
    return Result(value=metric.read(then, entry.move.arguments), ground=fingerprint_of(then, metric))


def measured(look: Look, metrics: Mapping[str, Metric]) -> Iterator[tuple[LedgerEntry, Look]]:
    """Measures all that wait, one after the other: each line with its result, and the look with it in the ledger. One
    whose figure can't be measured goes on waiting."""
    for entry in waiting(look.session):
        try:
            result = verify(look, entry, metrics)
        except (UserError, KeyError):
            continue
        look = look.at(edits.record_result(look.session, entry.serial, result))
        yield next(item for item in look.session.ledger if item.serial == entry.serial), look


def fingerprint_of(look: Look, metric: Metric) -> str:
    """The fingerprint of what a metric rests on now."""
    return digest(sorted(fingerprints(look, metric.depends_on).items()))


@dataclass(frozen=True, slots=True)
class Account:
    """A made move as it stands now. moved: whether its figure is another since, by more than its tolerance; value_now:
    that figure; moved_by: the line of the ledger that moved it, as far as it is known."""

    entry: LedgerEntry
    outcome: Outcome
    value_now: float | None = None
    moved: bool = False
    moved_by: str = ""


def accounts(look: Look, metrics: Mapping[str, Metric]) -> list[Account]:
    """Every move in the ledger, in order; those that stand on something changed are measured again as they are now.
    What promised that nothing changes (a group adds up to its members) was true when made; others may change it."""
    stands = standing(look.session)
    found = []
    for entry in look.session.ledger:
        if entry.move is None:
            continue
        state = outcome(entry, entry.serial in stands)
        metric = metrics.get(entry.move.metric)
        ground = entry.result.ground if entry.result is not None and state != "undone" else ""
        steady = entry.move.before is not None and entry.move.expected == entry.move.before
        if not ground or metric is None or steady or fingerprint_of(look, metric) == ground:
            found.append(Account(entry, state))
        else:
            now = metric.read(look, entry.move.arguments)
            if _is_as_it_was(now, entry):
                found.append(Account(entry, state))
            else:
                found.append(Account(entry, state, now, True, _moved_by(look.session, entry.serial, metric)))
    return found


def _is_as_it_was(now: float | None, entry: LedgerEntry) -> bool:
    """Whether a figure is still what was measured after the move: what it depends on may change without it."""
    then = entry.result.value if entry.result is not None else None
    if now is None or then is None or entry.move is None:
        return now is then
    return abs(now - then) <= entry.move.tolerance + 1e-9


def _moved_by(session: Session, serial: int, metric: Metric) -> str:
    """The first later line that changed what is heard and was not taken back."""
    if not {"mix", "strips", "levels"} & set(metric.depends_on):
        return ""
    undone = {entry.undoes for entry in session.ledger} - {entry.redoes for entry in session.ledger}
    for entry in session.ledger:
        if entry.serial > serial and entry.audible and entry.serial not in undone and entry.undoes is None:
            return entry.text
    return ""
