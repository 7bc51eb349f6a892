"""What a stage paints right of the lane heads, and what can be taken hold of there.

A stage's body is one of these. It draws rows from what it is given and turns gestures into edits; it measures
nothing. The same geometry serves painting and hit testing.
"""

from collections.abc import Hashable
from typing import ClassVar

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QPainter

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.entries import FAMILY, FamilyEntry, entry
from all_even.app.lanes.layout import Column, Columns, behind_wide, paint_titles
from all_even.app.lanes.rows import Row
from all_even.session.editing import edits
from all_even.session.model.strips import MIX


class Drag:
    """A handle in the hand. grabbed: the id of its row."""

    def __init__(self, grabbed: str) -> None:
        self.grabbed = grabbed

    def move(self, x: float, *, fine: bool) -> bool:
        """To pixel x; returns whether only the picture changed, and no edit was made."""
        return False

    def end(self, *, control: bool) -> None:
        """Let go."""


class Body:
    """Subclasses override what their stage has. A usual one is a wide column with narrow ones right of it."""

    WIDE: ClassVar[str] = "wide"
    """The name of the column that takes what room there is."""
    COLUMNS: ClassVar[tuple[Column, ...]] = ()
    """Those right of it."""
    GAP: ClassVar[float] = 6.0
    NARROW: ClassVar[float] = 560.0
    """Under so many pixels a view is narrow."""

    LIVE: ClassVar[str] = ""
    """The column in which something moves with the playing position in selected rows; empty for none."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.playhead: float | None = None
        """Share of the song that is heard now; None while nothing was played."""
        self.position_s: float | None = None
        """The same in seconds: worked out once for all rows."""

    def refresh(self, rows: list[Row]) -> None:
        """Works out what is drawn for all rows together."""

    folded_words = ""
    """What is said of lanes that are folded away at this stage, behind how many they are."""

    def keeps(self, row: Row) -> bool:
        """Whether a row is about this stage's question; others are folded to one line."""
        return True

    def columns(self, left: float, width: float) -> Columns:
        """The columns between `left` and the view's right edge."""
        inner = width - left - 12
        sized = {item.name: item.narrow if inner < self.NARROW else item.width for item in self.COLUMNS}
        widths = {name: size for name, size in sized.items() if size is not None}
        return behind_wide(self.WIDE, left + 12, inner, widths, self.GAP)

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        paint_titles(painter, box, columns, self.COLUMNS)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        """held: whether a handle of this row is in the hand."""
        raise NotImplementedError

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        """A head with tracks below it: what they are together."""

    def value(self, row: Row, column: str) -> Value:
        """What a row has in a column, to sort by; None where it has nothing there."""
        return None

    def look(self, row: Row, held: bool) -> Hashable | None:
        """All that `paint` draws of a row from, so that its picture can be kept; None where that can't be said."""
        return None

    def paint_over(self, painter: QPainter, box: QRectF, columns: Columns, row: Row) -> None:
        """What moves over a row while it plays."""

    def play_at(self, place: float | None) -> None:
        """What is heard now stands there in the song, 0 to 1; None where nothing is."""
        self.playhead = place
        self.position_s = None if place is None else place * self.desk.song_s()

    def part_at(self, columns: Columns, x: float) -> str:
        """The rail or column under a pixel, else `body`."""
        return columns.under(x) or "body"

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        """Takes hold of a part; None where there is nothing to take hold of."""
        return None

    def turn(self, part: str, row_id: str, notches: int, *, fine: bool) -> None:
        """The wheel over a rail, up or down by some notches."""

    def reset(self, part: str, row_id: str) -> None:
        """A double click on a part."""

    def key(self, event: QKeyEvent) -> bool:
        """Whether a key meant something here: left and right move what is selected."""
        direction = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if direction is None:
            return False
        modifiers = event.modifiers()
        fine = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        return self.nudge(direction, fine=fine, other=bool(modifiers & Qt.KeyboardModifier.AltModifier))

    def nudge(self, direction: int, *, fine: bool = False, other: bool = False) -> bool:
        """One step of what is selected to the left or right; whether this stage has such a thing. other: of its second
        rail."""
        return False

    def tip(self, part: str, row: Row) -> str:
        """What a part is and its value, as plain text."""
        return f"{row.lane.name}: {row.lane.role}."

    def header_tip(self, columns: Columns, x: float) -> str:
        return ""

    def playhead_x(self, columns: Columns, share: float) -> float | None:
        """Where the playing position is drawn: in the column `time`; None without one. share: of the song, 0 to 1."""
        left, width = columns.boxes.get("time", (0.0, 0.0))
        return left + width * share if width else None


def changeable(desk: Desk) -> tuple[str, ...]:
    """The selected rows that have a fader of their own."""
    return tuple(item for item in desk.selected if item != MIX)


def touched(desk: Desk, row_id: str) -> tuple[str, ...]:
    """What a handle of a row moves: the selection it belongs to, else the row alone; of a family's head its tracks."""
    if row_id.startswith(FAMILY):
        head = entry(desk.session, row_id)
        own = tuple(lane.id for lane in head.lanes if not lane.hidden) if isinstance(head, FamilyEntry) else ()
        return changeable(desk) if desk.selected and set(desk.selected) <= set(own) else own
    return changeable(desk) if row_id in desk.selected else tuple(item for item in (row_id,) if item != MIX)


def set_together(desk: Desk, level_db: float | None = None, pan: float | None = None) -> None:
    """Gives the current row a level or pan; others that are selected move as far from where they are."""
    wanted = changeable(desk)
    if not wanted:
        return
    current = desk.session.member(wanted[-1])
    if level_db is not None:
        by_db = level_db - current.level_db
        desk.edit(
            lambda s: (
                edits.change_strips(s, wanted, level_db=level_db)
                if len(wanted) == 1
                else edits.nudge_levels(s, wanted, by_db)
            ),
            merge="level" + "".join(wanted),
        )
    if pan is not None:
        by = pan - getattr(current, "pan", 0.0)
        desk.edit(
            lambda s: edits.change_strips(s, wanted, pan=pan) if len(wanted) == 1 else edits.nudge_pans(s, wanted, by),
            merge="pan" + "".join(wanted),
        )
