"""The seating plan: rows from the front, a bearing that is the pan; lanes are seats that can be moved.

Seen from the audience, or mirrored from the players. A drag sideways is the pan, a drag forwards or back another row.
"""

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from all_even.app.bench.seats import SEAT, SeatsDrawing
from all_even.app.desk import Desk
from all_even.app.style import paint, theme
from all_even.dsp.parameter import PAN
from all_even.session.editing import edits
from all_even.session.model.strips import BACK_ROW, Lane
from all_even.session.tracks.seats import row_of

SNAP = 0.04
STEP = 0.05


class SeatingPlan(SeatsDrawing):
    """from_players: whether left and right are theirs."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            "Seating plan",
            "Who sits where. Drag a seat sideways: its pan; forwards or back: its row. Arrow keys move the selected",
        )
        self.from_players = False

    def plot(self) -> QRectF:
        return QRectF(54, 18, self.width() - 66, self.height() - 36)

    def lanes(self) -> list[Lane]:
        """Those that have a seat: in sight and heard."""
        return [lane for lane in self.desk.session.lanes if not lane.hidden and not lane.mute]

    def basis(self) -> tuple[object, ...]:
        return self.desk.session, self.from_players

    def places(self) -> dict[str, QPointF]:
        """Where each seat is drawn; those that would lie on each other stand a little apart in their row."""
        plot = self.plot()
        height = plot.height() / (BACK_ROW + 1)
        taken: dict[int, list[QPointF]] = {}
        found: dict[str, QPointF] = {}
        for lane in self.lanes():
            row = row_of(lane)
            x, middle = self.x_of(lane.pan), self.y_of(row)
            tried = [middle + offset for offset in (0.0, -0.3 * height, 0.3 * height)]
            places = [QPointF(x + 14.0 * shift, y) for shift in (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5) for y in tried]
            near = taken.setdefault(row, [])
            place = next(
                (p for p in places if all(abs(p.x() - q.x()) > SEAT or abs(p.y() - q.y()) > 7 for q in near)), places[0]
            )
            near.append(place)
            found[lane.id] = place
        return found

    def x_of(self, pan: float) -> float:
        plot = self.plot()
        shown = -pan if self.from_players else pan
        return plot.left() + plot.width() * (0.5 + 0.47 * shown)

    def _pan(self, x: float) -> float:
        plot = self.plot()
        pan = ((x - plot.left()) / plot.width() - 0.5) / 0.47
        pan = -pan if self.from_players else pan
        return 0.0 if abs(pan) < SNAP else PAN.clamped(round(pan, 2))

    def y_of(self, row: int) -> float:
        """The front row is at the bottom for the audience, at the top for the players."""
        plot = self.plot()
        height = plot.height() / (BACK_ROW + 1)
        turn = row if not self.from_players else BACK_ROW - row
        return plot.bottom() - height * (turn + 0.5)

    def _row(self, y: float) -> int:
        plot = self.plot()
        turn = int((plot.bottom() - y) // (plot.height() / (BACK_ROW + 1)))
        row = turn if not self.from_players else BACK_ROW - turn
        return min(BACK_ROW, max(0, row))

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        theme.colour("quiet")
        sides = ("right", "left") if self.from_players else ("left", "right")
        for text, share in ((sides[0], 0.03), ("centre", 0.5), (sides[1], 0.97)):
            box = QRectF(plot.left() + plot.width() * share - 40, 0, 80, 16)
            paint.note(painter, box, text, align=paint.CENTRE)
        for row in range(BACK_ROW + 1):
            y = self.y_of(row)
            paint.line(painter, plot.left(), y, plot.right(), y, theme.colour("line", 0.7))
            words = {0: "front", BACK_ROW: "back"}.get(row, f"row {row + 1}")
            paint.note(painter, QRectF(0, y - 8, 48, 16), words, align=paint.RIGHT)
        centre = self.x_of(0.0)
        paint.line(painter, centre, plot.top(), centre, plot.bottom(), theme.colour("line"))
        self.paint_seats(painter, plot)
        said = ("from the players" if self.from_players else "from the audience") + ", seats as the pans are"
        below = QRectF(plot.left(), plot.bottom() + 2, plot.width(), 15)
        paint.note(painter, below, said, align=paint.CENTRE)

    # The hand.

    def seat_tip(self, lane: Lane) -> str:
        return f"{lane.name}: {PAN.text(lane.pan)}, row {row_of(lane) + 1}"

    def dragged(self, lane: Lane, at: QPointF, *, fine: bool) -> None:
        pan, row = self._pan(at.x()), self._row(at.y())
        values: dict[str, object] = {"pan": pan}
        if row != row_of(lane):
            values["seat_row"] = row
        self.desk.edit(lambda s: edits.change_strips(s, (lane.id,), **values), merge=f"seat {lane.id}")

    def nudged(self, lane: Lane, across: float, up: float) -> None:
        turn = -1 if self.from_players else 1
        if across:
            self.desk.edit(lambda s: edits.nudge_pans(s, (lane.id,), turn * STEP * across), merge=f"seat {lane.id}")
        else:
            row = row_of(lane) + turn * (1 if up > 0.0 else -1)
            self.desk.edit(lambda s: edits.change_strips(s, (lane.id,), seat_row=row), merge=f"row {lane.id}")
