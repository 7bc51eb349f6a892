"""Low end in the lanes: what each has from 20 to 250 Hz, a needle for a fixed kick, hills for a wandering bass; the
owner's zone runs through all of them."""

import math
from collections.abc import Hashable
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from all_even import decibels
from all_even.app.bench import ruler
from all_even.app.desk import Desk
from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import number
from all_even.session.model import routing
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.low_end.low_view import LowView
    from all_even.measure.sharing.low_pair import PairFigures
    from all_even.session.model.session import Session

LOW_HZ, HIGH_HZ = 20.0, 250.0
RANGE_DB = 36.0
"""A ridge shows so much under its own top."""
TICKS = ((20.0, "20", ""), (50.0, "50", "G1"), (100.0, "100", "G2"), (250.0, "250", ""))
OWNED_HZ = 80.0
SILENT_DB = -120.0


class LowEndBody(Body):
    WIDE, GAP = "ridge", 10.0
    LIVE = "ridge"
    COLUMNS = (
        Column("pitch", 138.0, 138.0, ("Pitch, note", "and cents")),
        Column("tail", 58.0, None, ("Tail",)),
        Column("level", 66.0, 62.0, ("Low level",)),
        Column("even", 58.0, None, ("Note", "spread")),
        Column("audible", 52.0, 48.0, ("Audible",)),
    )
    folded_words = "more with nothing under 250 Hz"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._views: dict[str, LowView] = {}
        self._of: object = None
        self._pair: PairFigures | None = None
        self._owner: str | None = None
        self._asked: object = None
        self._sum: tuple[Session, dict[str, LowView], NDArray[np.float32]] | None = None
        """The session and the views that it is of, and the moments of their sum."""
        """Of the moment that was painted last."""

    def refresh(self, rows: list[Row]) -> None:
        """Asks for the views of lanes, one after the other, behind what is heard."""
        desk = self.desk
        ready = desk.is_open and desk.figures.book is not None and not desk.mix_stale
        if not ready or self._asked is desk.session or desk.work.busy("low views"):
            return
        self._asked = desk.session

        def views_of(look: "Look") -> tuple[object, ...]:
            from all_even.figures.low_end.low_end import owner, pair
            from all_even.figures.low_end.low_view import low_view

            opened = look.book.fingerprints(look.session).opened
            lanes = [lane.id for lane in look.session.lanes if not lane.hidden and lane.id in opened]
            return {lane_id: low_view(look, lane_id) for lane_id in lanes}, pair(look), owner(look)

        def done(result: tuple[object, ...]) -> None:
            self._views, self._pair, self._owner = result  # type: ignore[assignment]
            desk.arrivals_changed.emit()

        desk.figures.find("low views", views_of, done)

    def keeps(self, row: Row) -> bool:
        """Whether a lane has anything down there that is heard; until that is known all are shown."""
        if isinstance(row.lane, Lane) and row.lane.destination == NOWHERE:
            return False
        view = self._views.get(row.lane.id)
        if view is None or not self._views:
            return True
        from all_even.figures.low_end.low_view import SUBSTANCE_DB

        most = max((item.level_db for item in self._views.values()), default=0.0)
        return view.level_db > most + SUBSTANCE_DB

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        left, width = columns.boxes["ridge"]
        quiet = theme.colour("quiet")
        labels = QRectF(left, box.top() + 1, width, 16)
        for hz, label, note in TICKS:
            ruler.paint_tick(painter, _x(hz, left, width), labels, label, note)
        owner = f"{self._owner} leads here" if self._owner else "open: kick or bass"
        zone = QRectF(left, box.top() + 18, _x(OWNED_HZ, left, width) - left, 16)
        tint = theme.colour("act") if self._owner else quiet
        paint.text(painter, zone, owner, size=theme.SMALL, colour=tint, align=paint.RIGHT)
        unit = QRectF(left + width - 40, box.top() + 18, 40, 16)
        paint.note(painter, unit, "Hz", align=paint.RIGHT)
        super().header(painter, box, columns)

    def look(self, row: Row, held: bool) -> Hashable:
        view = self._views.get(row.lane.id)
        audible = self._audible(row.lane) if isinstance(row.lane, Lane) else None
        measured = row.report is not None and row.report.character is not None
        return (id(view), row.lane.level_db, row.lane.role, row.heard, self._owner, audible, measured)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        left, width = columns.boxes["ridge"]
        zone = QRectF(left, box.top(), _x(OWNED_HZ, left, width) - left, box.height() - 1)
        if self._owner:
            painter.fillRect(zone, theme.colour("act_soft", 0.55))
        for hz, _, _ in TICKS[1:-1]:
            x = _x(hz, left, width)
            paint.line(painter, x, box.top(), x, box.bottom(), theme.colour("line", 0.5))
        lane = row.lane
        view = self._views.get(lane.id)
        if not isinstance(lane, Lane):
            return
        if view is not None:
            _ridge(painter, QRectF(left, box.top() + 3, width, box.height() - 6), view, lane.role, row.heard)
        self._figures(painter, box, columns, row, lane, view)

    def _figures(
        self, painter: QPainter, box: QRectF, columns: Columns, row: Row, lane: Lane, view: "LowView | None"
    ) -> None:
        character = row.report.character if row.report is not None else None
        tone = theme.colour("text" if row.heard else "quiet")
        texts = partial(self._figure, painter, box, columns, tone)
        texts("pitch", *_pitch(character, lane.role))
        texts("tail", *_tail(character, lane.role))
        arriving = view.level_db + lane.level_db if view is not None and view.level_db > SILENT_DB else None
        texts("level", number(arriving) if arriving is not None else "–", "dB" if arriving is not None else "")
        even = character.evenness if character is not None and family_of(lane.role) == "bass" else None
        texts("even", number(even.spread_db) if even is not None else "–", "dB" if even is not None else "")
        audible = self._audible(lane) if row.heard else None
        texts("audible", f"{100.0 * audible:.0f}" if audible is not None else "–", "%" if audible is not None else "")

    def _figure(
        self, painter: QPainter, box: QRectF, columns: Columns, tone: object, name: str, value: str, unit: str
    ) -> None:
        if name in columns.boxes:
            paint.figure(painter, column_box(box, columns, name), value, unit, colour=tone)  # type: ignore[arg-type]

    def paint_over(self, painter: QPainter, box: QRectF, columns: Columns, row: Row) -> None:
        """The selected track as it sounds just now, and the sum of all that are heard."""
        at, view = self.position_s, self._views.get(row.lane.id)
        if at is None or view is None or row.lane.id not in self.desk.selected:
            return
        own, total = view.at(at), self._sum_at(at)
        if own is None or total is None:
            return
        left, width = columns.boxes["ridge"]
        plot, gain = QRectF(left, box.top() + 3, width, box.height() - 6), 10.0 ** (row.lane.level_db / 10.0)
        for power, tint, line in ((total / max(gain, 1e-12), "quiet", 1.0), (own, "text", 1.8)):
            _trace(
                painter, plot, 10.0 * np.log10(power + 1e-16), float(view.loud_db.max()), QPen(theme.colour(tint), line)
            )

    def _sum_at(self, position_s: float) -> "np.ndarray | None":
        """Power of all tracks that are heard, at their faders."""
        from all_even.figures.low_end.low_view import moment, together

        session = self.desk.session
        if self._sum is None or self._sum[0] is not session or self._sum[1] is not self._views:
            sounding = routing.hearing(session).sounding
            heard = [lane for lane in session.lanes if lane.id in sounding and lane.id in self._views]
            summed = together((self._views[lane.id], lane.level_db) for lane in heard)
            self._sum = (session, self._views, summed)
        return moment(self._sum[2], position_s)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        known = [(self._views[member.lane.id], member) for member in row.members if member.lane.id in self._views]
        heard = [(view, member) for view, member in known if member.heard and view.level_db > SILENT_DB]
        level = self.value(row, "level")
        loudest = max(heard, key=lambda item: item[0].level_db + item[1].lane.level_db, default=None)
        if loudest is not None:
            paint.note(painter, column_box(box, columns, "ridge"), f"most from {loudest[1].lane.name}")
        if isinstance(level, float):
            paint.figure(painter, column_box(box, columns, "level"), number(level), "dB")

    def value(self, row: Row, column: str) -> Value:
        if row.members and column == "level":
            levels = [found for member in row.members if member.heard
                      if isinstance(found := self.value(member, "level"), float)]  # fmt: skip
            return decibels.power_db(sum(10.0 ** (level / 10.0) for level in levels)) if levels else None
        lane, view = row.lane, self._views.get(row.lane.id)
        character = row.report.character if row.report is not None else None
        if not isinstance(lane, Lane):
            return None
        if column in ("level", "ridge"):
            return view.level_db + lane.level_db if view is not None and view.level_db > SILENT_DB else None
        if column == "even" and character is not None and family_of(lane.role) == "bass" and character.evenness:
            return character.evenness.spread_db
        if column == "tail":
            tail = _tail(character, lane.role)[0]
            return float(tail) if tail != "–" else None
        return self._audible(lane) if column == "audible" and row.heard else None

    def _audible(self, lane: Lane) -> float | None:
        """How much of all kicks is heard over the basses, and how much of the basses over the kicks; not of a lane."""
        if self._pair is None:
            return None
        if lane.role.startswith("kick"):
            return self._pair.focus.at_present if self._pair.focus is not None else None
        masked = self._pair.bass_masked if family_of(lane.role) == "bass" else None
        return None if masked is None else 1.0 - masked

    def tip(self, part: str, row: Row) -> str:
        view = self._views.get(row.lane.id)
        if view is None:
            return super().tip(part, row)
        return (
            f"{row.lane.name}: what it has from 20 to 250 Hz. Inside the middle of the time it plays there, outside "
            "its loud moments: a fixed kick is a needle, a wandering bass hills. Low level: at its fader. Uneven: "
            "notes from soft to loud. Audible: how much of all kicks is heard over the basses, and the other way round."
        )

    def header_tip(self, columns: Columns, x: float) -> str:
        return "20 to 250 Hz with note names; the tint is the zone of what leads the low end, decided on the bench."


def _x(hz: float, left: float, width: float) -> float:
    return left + width * math.log(hz / LOW_HZ) / math.log(HIGH_HZ / LOW_HZ)


def _trace(painter: QPainter, box: QRectF, levels_db: np.ndarray, top_db: float, pen: QPen) -> None:
    """A moment as a line on the scale of a ridge."""
    from all_even.figures.low_end.low_view import CENTRES_HZ

    heights = box.height() * np.clip(1.0 + (levels_db - top_db) / RANGE_DB, 0.0, 1.2)
    places = [QPointF(_x(float(hz), box.left(), box.width()), box.bottom() - float(height))
              for hz, height in zip(CENTRES_HZ, heights, strict=True)]  # fmt: skip
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setClipRect(box.adjusted(0, -3, 0, 0))
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(places))
    painter.restore()


def _ridge(painter: QPainter, box: QRectF, view: "LowView", role: str, heard: bool) -> None:
    from all_even.figures.low_end.low_view import CENTRES_HZ

    top = float(view.loud_db.max())
    if top < -120.0:
        return
    family = family_of(role)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    for levels, alpha in ((view.loud_db, 0.35), (view.middle_db, 0.85)):
        path = QPainterPath(QPointF(box.left(), box.bottom()))
        for hz, level in zip(CENTRES_HZ, levels, strict=True):
            height = box.height() * max(0.0, 1.0 + (float(level) - top) / RANGE_DB)
            path.lineTo(_x(float(hz), box.left(), box.width()), box.bottom() - height)
        path.lineTo(box.right(), box.bottom())
        path.closeSubpath()
        painter.setBrush(icons.family_colour(family, alpha if heard else 0.4 * alpha))
        painter.drawPath(path)
    painter.restore()


def _pitch(character: object, role: str) -> tuple[str, str]:
    """Fundamental with cents for what is struck, note range for lines."""
    from all_even.measure.pitch.pitch import named
    from all_even.measure.recording.character import Character
    from all_even.session.song.hits import is_struck, struck

    if not isinstance(character, Character):
        return "–", ""
    if is_struck(role):
        kick = struck(character, role).kick
        if kick.frequency_hz is not None:
            pitch = named(kick.frequency_hz)
            cents = round(pitch.cents)
            sign = "+" if cents > 0 else "−" if cents < 0 else ""
            return f"{kick.frequency_hz:.0f}", f"Hz {pitch.name} {sign}{abs(cents)}"
        return (f"{kick.peak_hz:.0f}", "Hz") if kick.peak_hz is not None else ("–", "")
    hz = sorted(note.frequency_hz for note in character.notes)
    if len(hz) < 4:
        return "–", ""
    low, high = hz[len(hz) // 20], hz[-1 - len(hz) // 20]
    return f"{low:.0f}–{high:.0f}", f"Hz {named(low).name}–{named(high).name}"


def _tail(character: object, role: str) -> tuple[str, str]:
    from all_even.measure.recording.character import Character
    from all_even.session.song.hits import is_struck, struck

    tail = struck(character, role).tail if isinstance(character, Character) and is_struck(role) else None
    return (f"{tail.ms:.0f}", "ms") if tail is not None else ("–", "")
