"""How the rows of the view are laid out now, and what changes that: height, nesting, folding, pinning, sorting.

What lasts is kept for this machine (`machine.kept_layout`): height and nesting for all sessions, folds and pins by
session.
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Protocol

from PyQt6.QtCore import pyqtBoundSignal

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import NAME, Arrangement
from all_even.app.lanes.body import Body
from all_even.app.lanes.nesting import Nesting
from all_even.app.lanes.over_heads import NESTINGS
from all_even.app.lanes.rows import Row
from all_even.app.machine import kept_layout
from all_even.session.model import routing


class Laid(Protocol):
    """What it needs of the view whose rows it lays out."""

    @property
    def desk(self) -> Desk: ...
    @property
    def body(self) -> Body: ...
    @property
    def rows(self) -> Sequence[Row]: ...
    def refresh(self) -> None: ...
    def selection_into_sight(self) -> None: ...
    @property
    def row_size_changed(self) -> pyqtBoundSignal: ...


class Laying:
    """arrangement, row_size: as they are now."""

    def __init__(self, view: Laid) -> None:
        self._view, self._desk = view, view.desk
        kept = kept_layout.load()
        self.arrangement = Arrangement(nesting=kept.nesting)
        self.row_size: kept_layout.RowSize = kept.row_size

    def take_up(self) -> None:
        """As the session that was opened was left."""
        kept = kept_layout.load()
        folded, pinned = kept.rows_of(self._path())
        self.arrangement = Arrangement(kept.nesting, folded, pinned)
        if kept.row_size != self.row_size:
            self.row_size = kept.row_size
            self._view.row_size_changed.emit()

    def arrange(self, wanted: Arrangement) -> None:
        """Lays the rows out in another way; what is selected stays in sight."""
        self.arrangement = wanted
        self._show()

    def set_row_size(self, name: kept_layout.RowSize) -> None:
        """small, middle or tall."""
        self.row_size = name
        self._view.row_size_changed.emit()
        self._show()

    def _show(self) -> None:
        known = self.arrangement
        kept_layout.keep_rows(self.row_size, known.nesting, self._path(), known.folded, known.pinned)
        self._view.refresh()
        self._view.selection_into_sight()

    def _path(self) -> str:
        return str(self._desk.path) if self._desk.path is not None else ""

    def nest(self, nesting: Nesting) -> None:
        """Another way of nesting, with nothing folded."""
        self.arrange(replace(self.arrangement, nesting=nesting, folded=frozenset()))
        self._desk.said.emit(f"Tracks stand {NESTINGS[nesting][1]}.")

    def nest_next(self) -> None:
        """As the session has them, in groups, by family, and round."""
        ways = list(NESTINGS)
        self.nest(ways[(ways.index(self.arrangement.nesting) + 1) % len(ways)])

    def nested(self) -> Arrangement:
        """The arrangement, nested in some way: by groups where there are any, else by family."""
        if self.arrangement.nesting != "flat":
            return replace(self.arrangement, sorting=None)
        session = self._desk.session
        grouped = bool(session.folder_groups) or any(routing.members(session, bus) for bus in session.buses)
        return replace(self.arrangement, nesting="groups" if grouped else "families", folded=frozenset(), sorting=None)

    def show_only(self, ids: Sequence[str]) -> None:
        """The chosen rows and the pinned ones alone; everything again where that is so already."""
        only = None if self.arrangement.only is not None or not ids else frozenset(ids)
        self.arrange(replace(self.arrangement, only=only))

    def sorts(self, column: str) -> bool:
        """Whether a column has something to sort by."""
        return column == NAME or any(self._view.body.value(row, column) is not None for row in self._view.rows)

    def sort_by(self, column: str) -> None:
        """By a column, for the moment."""
        if self.sorts(column):
            self.arrange(self.arrangement.sort_by(column))

    def unsort(self) -> None:
        """Another stage has other columns."""
        self.arrangement = replace(self.arrangement, sorting=None)

    def turn_fold(self, row_id: str) -> None:
        """Folds a head or unfolds it."""
        self.arrange(self.arrangement.fold(row_id))

    def targets(self, row_id: str) -> tuple[str, ...]:
        """What a row stands for: itself, or, the head of a family, the tracks below it."""
        row = next((row for row in self._view.rows if row.lane.id == row_id), None)
        if row is None or row_id in {item.id for item in self._desk.session.members} or not row.members:
            return (row_id,)
        return tuple(member.lane.id for member in row.members)
