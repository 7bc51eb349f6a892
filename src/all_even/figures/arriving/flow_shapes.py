"""The flow of a session as shapes: every bus a stream that its members run into, row by row.

Each bus and the mix have a column; each strip a row. From a strip's row a branch runs to the column of
its destination and of each send; in the column the branches gather towards the row of the bus itself, so
that the stream there is as wide as its members together. The width of a branch is its share of the power
that arrives, by measured loudness. Keys are threads from row to row and never join a stream. Here it is
worked out what to draw; the window paints it, and so can a report.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

from all_even.figures.book.flow import Contribution
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE

LEAST_SHARE = 0.02
"""A branch is never thinner than this share of the stream, so that it can be seen."""


@dataclass(frozen=True, slots=True)
class Branch:
    """From a row to a column. share: of the power in that column, 0 to 1; share_lu: its loudness less the sum's.
    kind: destination or send.

    open: whether it carries sound now. from_column: where a bus' own stream ends, None for a lane.
    """

    row: int
    column: int
    kind: str
    share: float
    share_lu: float | None
    open: bool
    from_column: int | None


@dataclass(frozen=True, slots=True)
class Thread:
    """A key, from the source's row to the keyed station's row. place: side by side, counted from 0."""

    source_row: int
    target_row: int
    place: int


@dataclass(frozen=True)
class Rivers:
    """columns: ids of the buses and the mix, left to right; target_rows: the row of each, or None."""

    columns: tuple[str, ...]
    target_rows: tuple[int | None, ...]
    branches: tuple[Branch, ...]
    threads: tuple[Thread, ...]

    def of_row(self, row: int) -> tuple[Branch, ...]:
        """The branches that leave a row."""
        return self._by_row.get(row, ())

    @cached_property
    def _by_row(self) -> dict[int, tuple[Branch, ...]]:
        return _grouped(self.branches, lambda branch: branch.row)

    @cached_property
    def _open_by_column(self) -> dict[int, tuple[Branch, ...]]:
        return _grouped([branch for branch in self.branches if branch.open], lambda branch: branch.column)

    def width(self, column: int, row: int) -> tuple[float, float]:
        """Share of a column's stream at the top and at the bottom edge of a row."""
        goal = self.target_rows[column]
        if goal is None:
            return 0.0, 0.0
        own = self._open_by_column.get(column, ())
        if row <= goal:
            top = sum(branch.share for branch in own if branch.row < row)
            bottom = sum(branch.share for branch in own if branch.row <= row) if row < goal else 0.0
        else:
            top = sum(branch.share for branch in own if branch.row >= row)
            bottom = sum(branch.share for branch in own if branch.row > row)
        if row == goal:
            bottom = sum(branch.share for branch in own if branch.row > row)
        return top, bottom


def _grouped(branches: Iterable[Branch], key: Callable[[Branch], int]) -> dict[int, tuple[Branch, ...]]:
    found: dict[int, list[Branch]] = {}
    for branch in branches:
        found.setdefault(key(branch), []).append(branch)
    return {place: tuple(items) for place, items in found.items()}


def rivers(session: Session, rows: tuple[str, ...], known: Mapping[routing.Edge, Contribution]) -> Rivers:
    """What flows where among the visible rows. known: what each open edge was measured to give."""
    places = {strip_id: index for index, strip_id in enumerate(rows)}
    columns = (*(bus.id for bus in session.buses), MIX)
    column_of = {strip_id: index for index, strip_id in enumerate(columns)}
    opened = routing.hearing(session).open_edges
    edges = [edge for edge in routing.edges(session) if edge.kind != "key" and edge.target != NOWHERE]
    power = {
        edge: 10.0 ** (found.lufs / 10.0)
        if edge in opened and (found := known.get(edge)) is not None and found.lufs is not None
        else 0.0
        for edge in edges
    }
    total = dict.fromkeys(columns, 0.0)
    for edge in edges:
        total[edge.target] += power[edge]
    branches = []
    for edge in edges:
        if edge.source not in places:
            continue
        share = power[edge] / total[edge.target] if total[edge.target] > 0.0 else 0.0
        given = known.get(edge) if edge in opened else None
        branches.append(
            Branch(
                row=places[edge.source],
                column=column_of[edge.target],
                kind=edge.kind,
                share=max(LEAST_SHARE, share) if edge in opened else LEAST_SHARE,
                share_lu=given.share_lu if given is not None else None,
                open=edge in opened,
                from_column=column_of.get(edge.source),
            )
        )
    threads: list[Thread] = []
    for edge in routing.edges(session):
        if edge.kind == "key" and edge.source in places and edge.target in places:
            thread = Thread(places[edge.source], places[edge.target], 0)
            taken = {
                other.place
                for other in threads
                if max(min(other.source_row, other.target_row), min(thread.source_row, thread.target_row))
                <= min(max(other.source_row, other.target_row), max(thread.source_row, thread.target_row))
            }
            place = next(number for number in range(len(threads) + 1) if number not in taken)
            threads.append(Thread(thread.source_row, thread.target_row, place))
    return Rivers(columns, tuple(places.get(column) for column in columns), tuple(branches), tuple(threads))
