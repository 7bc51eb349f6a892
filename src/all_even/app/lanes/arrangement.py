"""How rows are laid out: nested and folded, pinned to the top, the chosen ones alone, sorted by a column.

Nothing of it changes the session: the order of its tracks stays what it is.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

from all_even.app.lanes.entries import Entry
from all_even.app.lanes.nesting import Nesting, Placed, head_ids, nested
from all_even.app.lanes.rows import Row
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Value = float | str | None
"""What a row has in a column, to sort by; None where it has nothing."""
NAME = "name"
"""The column of the heads."""


@dataclass(frozen=True, slots=True)
class Sorting:
    """column: of the stage's body, or `name`. falling: the largest first."""

    column: str
    falling: bool = True


@dataclass(frozen=True, slots=True)
class Arrangement:
    """folded: ids of heads. pinned: ids of rows, in their order at the top. only: what alone is shown beside them; None
    for everything. sorting: None for the session's order."""

    nesting: Nesting = "flat"
    folded: frozenset[str] = field(default_factory=frozenset)
    pinned: tuple[str, ...] = ()
    only: frozenset[str] | None = None
    sorting: Sorting | None = None

    def pin(self, ids: Sequence[str]) -> "Arrangement":
        """Pins rows; where all of them are pinned, lets them go."""
        if all(item in self.pinned for item in ids):
            return replace(self, pinned=tuple(item for item in self.pinned if item not in ids))
        return replace(self, pinned=(*self.pinned, *(item for item in ids if item not in self.pinned)))

    def fold(self, head: str) -> "Arrangement":
        """Folds a head, or unfolds it."""
        return replace(self, folded=self.folded ^ {head})

    def fold_all(self, session: Session) -> "Arrangement":
        """Folds every head; unfolds them where all are folded."""
        heads = frozenset(head_ids(session, self.nesting))
        outermost = frozenset(
            item.entry.id for item in nested(session, session.lanes, self.nesting, heads) if item.members
        )
        return replace(self, folded=frozenset() if outermost and outermost <= self.folded else heads)

    def fold_others(self, session: Session, kept: Sequence[str]) -> "Arrangement":
        """Folds every head but those over what is kept, or kept themselves."""
        placed = nested(session, session.lanes, self.nesting)
        kept_open = {item.entry.id for item in placed if item.members and {item.entry.id, *item.members} & set(kept)}
        return replace(self, folded=frozenset(head_ids(session, self.nesting)) - kept_open)

    def sort_by(self, column: str) -> "Arrangement":
        """By a column, largest first; a second time smallest first, a third time as the session has them."""
        known = self.sorting
        first = column != NAME  # names begin with A
        if known is None or known.column != column:
            return replace(self, sorting=Sorting(column, falling=first))
        return replace(self, sorting=None if known.falling != first else Sorting(column, falling=not first))


def arranged(
    session: Session,
    rows: Sequence[Row],
    wanted: Arrangement,
    value: Callable[[Row, str], Value],
    make_head: Callable[[Entry, tuple[Row, ...]], Row],
    *,
    opened: bool = False,
) -> tuple[list[Row], int]:
    """The rows as they are wanted, and how many of them stay at the top.

    rows: what is to be shown, in the session's order. value: what a row has in a column. make_head: the row of a head,
    of its members' rows. opened: nothing is folded, as where it is looked for something.
    """
    known = {row.lane.id: row for row in rows}
    pinned = [known[item] for item in wanted.pinned if item in known]
    rest = [row for row in rows if row.lane.id not in wanted.pinned]
    if wanted.only is not None:
        rest = [row for row in rest if row.lane.id in wanted.only]
    if wanted.sorting is not None:
        return [*pinned, *ordered(rest, wanted.sorting, value)], len(pinned)
    if wanted.nesting == "flat":
        return [*pinned, *rest], len(pinned)
    folded = frozenset[str]() if opened or wanted.only is not None else wanted.folded
    found = []
    for item in nested(session, [row.lane for row in rest], wanted.nesting, folded):
        found.append(_row_of(item, known, make_head))
    return [*pinned, *found], len(pinned)


def _row_of(item: Placed, known: dict[str, Row], make_head: Callable[[Entry, tuple[Row, ...]], Row]) -> Row:
    row = known.get(item.entry.id)
    if item.members:
        members = tuple(known[member] for member in item.members)
        head = make_head(item.entry, members)
        if row is not None:
            head = replace(head, heard=row.heard)
        return replace(head, depth=item.depth, members=members, folded=item.folded)
    assert row is not None
    return row if not item.depth else replace(row, depth=item.depth)


def ordered(rows: Sequence[Row], sorting: Sorting, value: Callable[[Row, str], Value]) -> list[Row]:
    """Sorted by a column; what has nothing there comes last, what is no track before that."""
    valued = [(row, row.lane.name.casefold() if sorting.column == NAME else value(row, sorting.column)) for row in rows]
    with_value = [(row, found) for row, found in valued if found is not None]
    without = [row for row, found in valued if found is None]
    words = sorted((item for item in with_value if isinstance(item[1], str)), key=lambda item: str(item[1]))
    numbers = sorted(
        (item for item in with_value if not isinstance(item[1], str)), key=lambda item: float(item[1] or 0.0)
    )
    both = [row for row, _ in (*numbers, *words)]
    if sorting.falling:
        both.reverse()
    return [*both, *sorted(without, key=lambda row: not isinstance(row.lane, Lane))]
