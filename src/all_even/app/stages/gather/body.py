"""Gather in the lanes: the waveform of each file on the song's time line, its figures and what was found."""

from collections.abc import Hashable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from all_even.app.lanes.arrangement import Value
from all_even.app.lanes.body import Body
from all_even.app.lanes.layout import Column, Columns, column_box
from all_even.app.lanes.rows import Row
from all_even.app.style import icons, paint, theme
from all_even.dsp.parameter import decibel_text, time_text
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.measure.faults.findings import Finding
    from all_even.measure.level.hops import Hops


class GatherBody(Body):
    WIDE, GAP = "time", 10.0
    COLUMNS = (
        Column("length", 58.0, 58.0, ("Length",)),
        Column("rate", 76.0, 76.0, ("Rate",)),
        Column("loudness", 78.0, 78.0, ("Loudness",)),
        Column("findings", 150.0, 150.0, ("Findings",), paint.LEFT),
    )

    def header(self, painter: QPainter, box: QRectF, columns: Columns) -> None:
        wave = column_box(box, columns, "time")
        paint.note(painter, wave, "Sound")
        super().header(painter, box, columns)

    def paint(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        gather(painter, box, columns, row)

    def paint_sum(self, painter: QPainter, box: QRectF, columns: Columns, index: int, row: Row, held: bool) -> None:
        wrong = sum(any(finding.severity == "fault" for finding in member.findings) for member in row.members)
        noted = sum(bool(member.findings) for member in row.members) - wrong
        parts = [f"{wrong} with a fault" if wrong else "", f"{noted} with a note" if noted else ""]
        words = ", ".join(part for part in parts if part) or "nothing found"
        paint.note(painter, column_box(box, columns, "time"), words)
        finding_list(painter, column_box(box, columns, "findings"), row.findings)

    def value(self, row: Row, column: str) -> Value:
        measures = row.report.measures if row.report is not None else None
        if column == "findings":
            return sum(100 if finding.severity == "fault" else 1 for finding in row.findings)
        if measures is None:
            return None
        known = {
            "length": measures.duration_s,
            "rate": float(measures.sample_rate),
            "loudness": measures.integrated_lufs,
        }
        return known.get(column)

    def look(self, row: Row, held: bool) -> Hashable:
        start_s = row.lane.start_s if isinstance(row.lane, Lane) else 0.0
        return row.lane.role, row.heard, row.song_s, start_s, row.findings

    def paint_over(self, painter: QPainter, box: QRectF, columns: Columns, row: Row) -> None:
        if self.playhead is not None:
            wave = inset(column_box(box, columns, "time"))
            x = wave.left() + wave.width() * self.playhead
            paint.line(painter, x, wave.top(), x, wave.bottom(), theme.colour("act"), 2)

    def tip(self, part: str, row: Row) -> str:
        if row.findings:
            return "\n".join(finding.text for finding in row.findings)
        return f"{row.lane.name}: {row.lane.file}" if isinstance(row.lane, Lane) else super().tip(part, row)


def gather(painter: QPainter, row: QRectF, columns: Columns, content: Row) -> None:
    wave = inset(column_box(row, columns, "time"))
    report = content.report
    if report is None:
        paint.note(painter, wave, "being measured …")
        return
    if report.measures is None:
        box = QRectF(wave.left(), row.top() + 4, columns.boxes["findings"][0] + 150 - wave.left(), row.height() - 8)
        paint.text(painter, box, report.error or "", size=theme.SMALL, colour=theme.colour("look"))
        return
    measures = report.measures
    song_s = max(content.song_s, measures.duration_s)
    begins_s = content.lane.start_s if isinstance(content.lane, Lane) else 0.0
    start, share = begins_s / song_s, measures.duration_s / song_s
    own = QRectF(wave.left() + wave.width() * start, wave.top(), max(2.0, wave.width() * share), wave.height())
    paint.line(painter, wave.left(), wave.center().y(), wave.right(), wave.center().y(), theme.colour("line", 0.6))
    envelope(painter, own, measures.hops, content.lane.role, content.heard)
    paint.text(painter, column_box(row, columns, "length"), time_text(measures.duration_s), align=paint.RIGHT)
    paint.figure(
        painter, column_box(row, columns, "rate"), f"{measures.sample_rate / 1000:g}",
        "kHz" + (" ×2" if measures.channels == 2 else ""),
    )  # fmt: skip
    loudness = decibel_text(measures.integrated_lufs, "LUFS")
    paint.figure(painter, column_box(row, columns, "loudness"), *paint.split_figure(loudness))
    finding_list(painter, column_box(row, columns, "findings"), content.findings)


def inset(box: QRectF) -> QRectF:
    """A little less high, so that waves of neighbours do not touch."""
    edge = min(5.0, box.height() / 10.0)
    return box.adjusted(0, edge, 0, -edge)


def envelope(painter: QPainter, box: QRectF, hops: "Hops", role: str, heard: bool) -> None:
    """The waveform's outline as one filled shape around the middle."""
    from all_even.deliver.shapes import envelope as outline

    columns = max(2, int(box.width()))
    shape = np.clip(outline(hops, columns), -1.0, 1.0)
    middle, half = box.center().y(), box.height() / 2
    xs = box.left() + np.arange(columns)
    # At least a hair line, so that silence is seen as silence and not as nothing.
    top = middle - np.maximum(shape[:, 1] * half, 0.5)
    bottom = middle - np.minimum(shape[:, 0] * half, -0.5)
    points = [QPointF(x, y) for x, y in zip(xs, top, strict=True)]
    points += [QPointF(x, y) for x, y in zip(xs[::-1], bottom[::-1], strict=True)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(icons.family_colour(family_of(role), 1.0 if heard else 0.4))
    painter.drawPolygon(QPolygonF(points))


def finding_list(painter: QPainter, box: QRectF, findings: "tuple[Finding, ...]") -> None:
    """As many short labels as have room; a fault has a filled mark, a note an open one."""
    if not findings:
        paint.note(painter, box, "nothing found")
        return
    height = 17.0
    most = max(1, int(box.height() // height))
    shown = findings[:most]
    top = box.center().y() - height * len(shown) / 2
    for index, finding in enumerate(shown):
        line_box = QRectF(box.left() + 14, top + index * height, box.width() - 14, height)
        severity_mark(painter, QPointF(box.left() + 5, line_box.center().y()), finding.severity)
        more = f" +{len(findings) - most}" if index == most - 1 and len(findings) > most else ""
        fault = finding.severity == "fault"
        paint.text(
            painter, line_box, finding.label + more, size=theme.SMALL,
            colour=theme.colour("look" if fault else "text"), strong=fault,
        )  # fmt: skip


def severity_mark(painter: QPainter, at: QPointF, severity: str) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    tint = theme.colour("look" if severity == "fault" else "quiet")
    painter.setPen(QPen(tint, 1.5))
    painter.setBrush(tint if severity == "fault" else Qt.BrushStyle.NoBrush)
    if severity == "fault":
        painter.drawPolygon(
            QPolygonF([QPointF(at.x(), at.y() - 5), QPointF(at.x() + 5, at.y() + 4), QPointF(at.x() - 5, at.y() + 4)])
        )
    else:
        painter.drawEllipse(at, 3.5, 3.5)
    painter.restore()
