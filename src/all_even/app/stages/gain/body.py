"""Gain in the lanes: every lane's level from its file to the mix, one staircase each, on the same axis."""

from collections.abc import Hashable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body, Drag, changeable, touched
from all_even.app.lanes.layout import Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.lanes.scales import Rail
from all_even.app.stages.gain import drawings
from all_even.app.style import paint, theme
from all_even.dsp.parameter import CLIP_GAIN, FINE, decibel_text, number
from all_even.session.editing import clip_edits, edits
from all_even.session.model.strips import Lane

if TYPE_CHECKING:
    from all_even.figures.arriving.gain_path import Point, Trouble

CLIP, VALUE, VERDICT = 92.0, 62.0, 148.0


class GainBody(Body):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._paths: dict[str, tuple[object, tuple[Point, ...] | None, Trouble | None]] = {}

    def path(self, lane: Lane) -> "tuple[tuple[Point, ...] | None, Trouble | None]":
        """The points of a lane's way and what is wrong on it; worked out anew where something of it changed."""
        from all_even.figures.arriving.gain_path import gain_path, trouble
        from all_even.session.model import routing

        desk = self.desk
        measures, flow, settings = desk.measures(lane.id), desk.flow, desk.session.settings
        known = flow.strip(desk.session, lane.id) if flow is not None and lane.chain else None
        fader = routing.level_db(desk.session, lane)
        key = (lane, id(measures), id(known), settings, fader, desk.session.mix.trim_db)
        if lane.id not in self._paths or self._paths[lane.id][0] != key:
            points = gain_path(desk.session, lane, measures, flow)
            wrong = trouble(points, lane.chain, settings) if points is not None else None
            self._paths[lane.id] = (key, points, wrong)
        return self._paths[lane.id][1:]

    def columns(self, left: float, width: float) -> Columns:
        start, inner = left + 12, width - left - 12
        verdict = 0.0 if inner < 520 else VERDICT
        clip = 56.0 if inner < 520 else CLIP
        path = inner - clip - VALUE - verdict - 4 * 10
        boxes = {
            "clip": (start, clip),
            "value": (start + clip + 8, VALUE),
            "path": (start + clip + VALUE + 24, path),
            "verdict": (start + clip + VALUE + path + 36, verdict),
        }
        return Columns(boxes, {"clip": Rail(start + 6, clip - 12)})

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        theme.colour("quiet")
        for name, label, align in (("clip", "Clip gain", paint.CENTRE), ("verdict", "Level into inserts", paint.LEFT)):
            if columns.boxes[name][1]:
                header = column_box(box, columns, name)
                paint.note(painter, header, label, align=align)
        drawings.header(painter, column_box(box, columns, "path"))

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        lane = row.lane
        if not isinstance(lane, Lane):
            return
        drawings.clip_rail(painter, columns.rails["clip"], box, lane.clip_gain_db, held)
        clip = "by section" if clip_edits.moves(lane) else CLIP_GAIN.text(lane.clip_gain_db)
        paint.figure(painter, column_box(box, columns, "value"), *paint.split_figure(clip))
        points, wrong = self.path(lane)
        path = column_box(box, columns, "path")
        if points is None:
            text = "being measured …" if row.report is None or row.report.ok else "can't be read"
            paint.note(painter, path, text)
            return
        drawings.staircase(
            painter, path.adjusted(0, 3, 0, -3), points, wrong, self.desk.session.settings, lane.role, row.heard
        )
        if columns.boxes["verdict"][1]:
            verdict = column_box(box, columns, "verdict")
            words, colour = self.verdict(lane, points, wrong)
            paint.text(painter, verdict, words, size=theme.SMALL, colour=theme.colour(colour))

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        lanes = [member.lane for member in row.members if isinstance(member.lane, Lane)]
        wrong = sum(self.path(lane)[1] is not None for lane in lanes)
        words = f"{wrong} of {len(lanes)} outside the level their inserts expect" if wrong else ""
        paint.text(painter, column_box(box, columns, "path"), words, size=theme.SMALL, colour=theme.colour("look"))

    def value(self, row: Row, column: str) -> Value:
        if not isinstance(row.lane, Lane):
            return None
        if column in ("clip", "value"):
            return row.lane.clip_gain_db
        points, wrong = self.path(row.lane)
        if points is None or column not in ("path", "verdict"):
            return None
        return points[wrong.into if wrong is not None else -1].level.rms_dbfs

    def verdict(self, lane: Lane, points: "tuple[Point, ...]", wrong: "Trouble | None") -> tuple[str, str]:
        """What is to be said of a lane, and in which tone."""
        if wrong is not None:
            met = number(points[wrong.into].level.rms_dbfs or 0.0)
            return f"{wrong.station.SHORT} meets {met}", "look"
        if points[0].level.rms_dbfs is None:
            return "silent", "quiet"
        if not any(point.judged for point in points):
            return "", "quiet"
        return "sensible", "text"

    def look(self, row: Row, held: bool) -> Hashable:
        lane = row.lane
        if not isinstance(lane, Lane):
            return None
        points, wrong = self.path(lane)
        return (
            lane.clip_gain_db,
            clip_edits.moves(lane),
            lane.role,
            row.heard,
            held,
            points,
            wrong.into if wrong else -1,
            id(row.report),
        )

    def grab(self, part: str, row_id: str, x: float, columns: Columns) -> Drag | None:
        known = part == "clip" and self.desk.session.is_lane(row_id)
        return _ClipDrag(self.desk, row_id, x, columns.rails["clip"]) if known else None

    def reset(self, part: str, row_id: str) -> None:
        if part == "clip":
            wanted = touched(self.desk, row_id)
            self.desk.edit(lambda s: clip_edits.reset(s, wanted))

    def nudge(self, direction: int, *, fine: bool = False, other: bool = False) -> bool:
        self._nudge(changeable(self.desk), direction, fine=fine)
        return True

    def turn(self, part: str, row_id: str, notches: int, *, fine: bool) -> None:
        self._nudge(touched(self.desk, row_id), notches, fine=fine)

    def _nudge(self, wanted: tuple[str, ...], direction: int, *, fine: bool) -> None:
        step = CLIP_GAIN.step * (FINE if fine else 1.0) * direction
        if wanted:
            merge = "nudge clip" + "".join(wanted)
            self.desk.edit(lambda s: edits.nudge_clip_gains(s, wanted, step), merge=merge)

    def tip(self, part: str, row: Row) -> str:
        lane = row.lane
        if not isinstance(lane, Lane):
            return super().tip(part, row)
        if part == "clip":
            return (
                f"Clip gain {CLIP_GAIN.text(lane.clip_gain_db)}, before the chain. Drag, or arrow keys (Shift: finer); "
                "double click: 0 dB."
            )
        points, _ = self.path(lane)
        steps = [
            f"{point.name}: {decibel_text(point.level.rms_dbfs, 'dBFS RMS')}, peak "
            f"{decibel_text(point.level.peak_dbfs, 'dBFS')}{' (answers to level)' if point.judged else ''}"
            for point in points or ()
        ]
        return "\n".join([f"{lane.name}, level while playing:", *steps])


class _ClipDrag(Drag):
    """The handle of the clip gain: of a lane, and of the selection it belongs to."""

    def __init__(self, desk: Desk, row_id: str, x: float, rail: Rail) -> None:
        super().__init__(row_id)
        self._desk, self._rail, self._x = desk, rail, x
        self._start = desk.session.lane(row_id).clip_gain_db

    def move(self, x: float, *, fine: bool) -> bool:
        by = (x - self._x) / self._rail.width * (CLIP_GAIN.high - CLIP_GAIN.low) * (FINE if fine else 1.0)
        target = round(CLIP_GAIN.clamped(self._start + by), 1)
        if abs(target) < 0.7 and not fine:
            target = 0.0
        wanted = touched(self._desk, self.grabbed)
        change = target - self._desk.session.lane(self.grabbed).clip_gain_db
        merge = f"clip {self.grabbed}"
        self._desk.edit(lambda s: edits.nudge_clip_gains(s, wanted, change), merge=merge)
        return False
