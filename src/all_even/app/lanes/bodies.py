"""What each stage paints in a lane's row: the waveform and findings, the rails, the share in the mix."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from all_even.app import icons, paint, theme
from all_even.app.lanes import scales
from all_even.app.lanes.entries import Entry
from all_even.app.lanes.layout import Columns
from all_even.app.lanes.scales import Rail
from all_even.dsp.parameter import LEVEL, PAN, decibel_text, number, time_text
from all_even.session.model import Strip
from all_even.session.roles import family_of


@dataclass(slots=True)
class Row:
    """What a row shows. report, arrival: None until measured. contribution_lu: of the last measured mix.

    song_s: length of the whole song, to which waveforms are drawn.
    """

    lane: Entry
    report: Any
    arrival: Any
    findings: tuple[Any, ...]
    contribution_lu: float | None
    heard: bool
    song_s: float


def column_box(row: QRectF, columns: Columns, name: str) -> QRectF:
    left, width = columns.boxes[name]
    return QRectF(left, row.top(), width, row.height())


# Gather


def gather_header(painter: QPainter, header: QRectF, columns: Columns) -> None:
    for name, label, align in (
        ("wave", "Sound", paint.LEFT),
        ("length", "Length", paint.RIGHT),
        ("rate", "Rate", paint.RIGHT),
        ("loudness", "Loudness", paint.RIGHT),
        ("findings", "Findings", paint.LEFT),
    ):
        box = column_box(header, columns, name)
        paint.text(painter, box, label, size=theme.SMALL, colour=theme.colour("quiet"), align=align)


def gather(painter: QPainter, row: QRectF, columns: Columns, content: Row, playhead: float | None) -> None:
    wave = column_box(row, columns, "wave").adjusted(0, 5, 0, -5)
    report = content.report
    if report is None:
        paint.text(painter, wave, "being measured …", size=theme.SMALL, colour=theme.colour("quiet"))
        return
    if report.measures is None:
        box = QRectF(wave.left(), row.top() + 4, columns.boxes["findings"][0] + 150 - wave.left(), row.height() - 8)
        paint.text(painter, box, report.error or "", size=theme.SMALL, colour=theme.colour("look"))
        return
    measures = report.measures
    song_s = max(content.song_s, measures.duration_s)
    start, share = content.lane.start_s / song_s, measures.duration_s / song_s
    own = QRectF(wave.left() + wave.width() * start, wave.top(), max(2.0, wave.width() * share), wave.height())
    paint.line(painter, wave.left(), wave.center().y(), wave.right(), wave.center().y(), theme.colour("line", 0.6))
    envelope(painter, own, measures.hops, content.lane.role, content.heard)
    if playhead is not None:
        x = wave.left() + wave.width() * playhead
        paint.line(painter, x, wave.top(), x, wave.bottom(), theme.colour("act"), 2)
    paint.text(painter, column_box(row, columns, "length"), time_text(measures.duration_s), align=paint.RIGHT)
    paint.figure(
        painter, column_box(row, columns, "rate"), f"{measures.sample_rate / 1000:g}",
        "kHz" + (" ×2" if measures.channels == 2 else ""),
    )  # fmt: skip
    loudness = decibel_text(measures.integrated_lufs, "LUFS")
    paint.figure(painter, column_box(row, columns, "loudness"), *paint.split_figure(loudness))
    finding_list(painter, column_box(row, columns, "findings"), content.findings)


def envelope(painter: QPainter, box: QRectF, hops: Any, role: str, heard: bool) -> None:
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


def finding_list(painter: QPainter, box: QRectF, findings: tuple[Any, ...]) -> None:
    """Up to two short labels; a fault has a filled mark, a note an open one."""
    if not findings:
        paint.text(painter, box, "nothing found", size=theme.SMALL, colour=theme.colour("quiet"))
        return
    height = 17.0
    shown = findings[:2]
    top = box.center().y() - height * len(shown) / 2
    for index, finding in enumerate(shown):
        line_box = QRectF(box.left() + 14, top + index * height, box.width() - 14, height)
        severity_mark(painter, QPointF(box.left() + 5, line_box.center().y()), finding.severity)
        more = f" +{len(findings) - 2}" if index == 1 and len(findings) > 2 else ""
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


# Balance


def balance_header(painter: QPainter, header: QRectF, columns: Columns) -> None:
    rail = columns.rails["level"]
    quiet = theme.colour("quiet")
    left, width = columns.boxes["rail"]
    upper = QRectF(left, header.top() + 1, width, 16)
    lower = QRectF(left, header.top() + 18, width, 16)
    wide = width > 300
    for tick in scales.LEVEL_TICKS if wide else (-40.0, -20.0, -10.0, 0.0, 12.0):
        x = rail.level_x(tick)
        label = number(tick, 0) if tick <= 0 else f"+{tick:.0f}"
        paint.text(painter, QRectF(x - 18, upper.top(), 36, 16), label, size=theme.SMALL, colour=theme.colour("act"),
                   align=paint.CENTRE)  # fmt: skip
    paint.text(painter, QRectF(left, upper.top(), 26, 16), "dB", size=theme.SMALL, colour=theme.colour("act"))
    paint.text(painter, QRectF(left, lower.top(), 40, 16), "LUFS", size=theme.SMALL, colour=quiet)
    for tick in scales.LOUDNESS_TICKS if wide else (-40.0, -20.0):
        x = rail.loudness_x(tick)
        paint.text(painter, QRectF(x - 18, lower.top(), 36, 16), number(tick, 0), size=theme.SMALL, colour=quiet,
                   align=paint.CENTRE)  # fmt: skip
    for name, label, align in (
        ("level", "Level", paint.RIGHT),
        ("arrives", "Arrives at", paint.RIGHT),
        ("pan", "Pan", paint.CENTRE),
    ):
        paint.text(painter, column_box(header, columns, name), label, size=theme.SMALL, colour=quiet, align=align)


def balance(painter: QPainter, row: QRectF, columns: Columns, content: Row, dragging: bool) -> None:
    lane, rail = content.lane, columns.rails["level"]
    middle = row.top() + 16
    for tick in scales.LOUDNESS_TICKS:
        x = rail.loudness_x(tick)
        paint.line(painter, x, row.top() + 2, x, row.top() + 30, theme.colour("line", 0.45))
    if content.arrival is not None:
        ridge(painter, rail, middle, 12.0, content, lane.role)
    level_rail(painter, rail, row.bottom() - 7, lane.level_db, content.heard, dragging)
    paint.figure(painter, column_box(row, columns, "level"), *paint.split_figure(LEVEL.text(lane.level_db)))
    arrives = content.arrival.integrated_lufs if content.arrival is not None else None
    paint.figure(
        painter, column_box(row, columns, "arrives"), *paint.split_figure(decibel_text(arrives, "LUFS")),
        colour=theme.colour("text" if content.heard else "quiet"),
    )  # fmt: skip
    if isinstance(lane, Strip):  # a folder group has no sound of its own, and no place
        pan_rail(painter, columns.rails["pan"], row, lane.pan, content.heard)
        pan = PAN.text(lane.pan)
        paint.text(painter, column_box(row, columns, "pan_value"), pan, size=theme.SMALL, align=paint.RIGHT)


def ridge(painter: QPainter, rail: Rail, middle: float, half: float, content: Row, role: str) -> None:
    """The loudness distribution mirrored around the row's middle, with its gated mean as a bar."""
    from all_even.engine.arrival import BIN_LU, QUIETEST_LUFS

    spread = np.convolve(content.arrival.spread, (0.25, 0.5, 0.25), mode="same")
    top = spread.max(initial=0.0)
    if top <= 0.0:
        return
    heights = half * np.sqrt(spread / top)
    xs = [rail.loudness_x(QUIETEST_LUFS + (i + 0.5) * BIN_LU) for i in range(len(heights))]
    path = QPainterPath(QPointF(xs[0], middle))
    for x, height in zip(xs, heights, strict=True):
        path.lineTo(x, middle - height)
    for x, height in zip(reversed(xs), heights[::-1], strict=True):
        path.lineTo(x, middle + height)
    path.closeSubpath()
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    family = family_of(role)
    if content.heard:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(icons.family_colour(family, 0.75))
    else:  # not heard: only the outline, told by form as well as by strength
        painter.setPen(QPen(icons.family_colour(family, 0.8), 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
    painter.restore()
    lufs = content.arrival.integrated_lufs
    if lufs is not None:
        x = rail.loudness_x(lufs)
        paint.line(painter, x, middle - half - 1, x, middle + half + 1, theme.colour("text"), 2)


def level_rail(painter: QPainter, rail: Rail, y: float, level_db: float, heard: bool, dragging: bool) -> None:
    paint.line(painter, rail.left, y, rail.left + rail.width, y, theme.colour("line"), 2)
    zero = rail.level_x(0.0)
    paint.line(painter, zero, y - 4, zero, y + 4, theme.colour("quiet"), 1)
    x = rail.level_x(level_db)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("act"), 2))
    painter.setBrush(theme.colour("act") if heard or dragging else theme.colour("panel"))
    painter.drawRoundedRect(QRectF(x - 5, y - 6, 10, 12), 3, 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def pan_rail(painter: QPainter, rail: Rail, row: QRectF, pan: float, heard: bool) -> None:
    y = row.top() + row.height() / 2
    paint.line(painter, rail.left, y, rail.left + rail.width, y, theme.colour("line"), 2)
    centre, x = rail.pan_x(0.0), rail.pan_x(pan)
    paint.line(painter, centre, y - 6, centre, y + 6, theme.colour("quiet"), 1)
    if abs(x - centre) > 1:
        paint.line(painter, centre, y, x, y, theme.colour("act"), 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("act"), 2))
    painter.setBrush(theme.colour("act") if heard else theme.colour("panel"))
    painter.drawPolygon(QPolygonF([QPointF(x, y - 7), QPointF(x + 6, y), QPointF(x, y + 7), QPointF(x - 6, y)]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


# Print

CONTRIBUTION_RANGE_LU = (-40.0, 0.0)
CONTRIBUTION_TICKS = (-40.0, -30.0, -20.0, -10.0, 0.0)


def contribution_x(left: float, width: float, lu: float) -> float:
    low, high = CONTRIBUTION_RANGE_LU
    return left + width * (min(high, max(low, lu)) - low) / (high - low)


def print_header(painter: QPainter, header: QRectF, columns: Columns) -> None:
    left, width = columns.boxes["bar"]
    quiet = theme.colour("quiet")
    paint.text(painter, QRectF(left, header.top() + 1, width, 16), "Loudness of the lane under that of the mix",
               size=theme.SMALL, colour=quiet)  # fmt: skip
    for tick in CONTRIBUTION_TICKS:
        x = contribution_x(left, width, tick)
        align = paint.LEFT if tick == CONTRIBUTION_TICKS[0] else paint.RIGHT if tick == 0 else paint.CENTRE
        box = QRectF(x - 24, header.top() + 18, 48, 16)
        if align == paint.LEFT:
            box.moveLeft(x)
        elif align == paint.RIGHT:
            box.moveRight(x)
        paint.text(painter, box, f"{number(tick, 0)} LU" if tick in (-40.0, 0.0) else number(tick, 0), size=theme.SMALL,
                   colour=quiet, align=align)  # fmt: skip
    paint.text(painter, column_box(header, columns, "contribution"), "Share", size=theme.SMALL, colour=quiet,
               align=paint.RIGHT)  # fmt: skip
    paint.text(painter, column_box(header, columns, "setting"), "Printed with", size=theme.SMALL, colour=quiet)


def print_row(painter: QPainter, row: QRectF, columns: Columns, content: Row, stale: bool) -> None:
    left, width = columns.boxes["bar"]
    for tick in CONTRIBUTION_TICKS:
        x = contribution_x(left, width, tick)
        paint.line(painter, x, row.top() + 4, x, row.bottom() - 4, theme.colour("line", 0.45))
    family = family_of(content.lane.role)
    if content.contribution_lu is not None and content.heard:
        x = contribution_x(left, width, content.contribution_lu)
        painter.fillRect(QRectF(left, row.top() + 12, x - left, row.height() - 24),
                         icons.family_colour(family, 0.4 if stale else 0.85))  # fmt: skip
        shown = decibel_text(content.contribution_lu, "LU")
    else:
        shown = "–"
        paint.text(painter, QRectF(left, row.top(), width, row.height()), "not in the mix" if not content.heard else "",
                   size=theme.SMALL, colour=theme.colour("quiet"))  # fmt: skip
    paint.figure(painter, column_box(row, columns, "contribution"), *paint.split_figure(shown),
                 colour=theme.colour("quiet" if stale else "text"))  # fmt: skip
    lane = content.lane
    setting = f"{LEVEL.text(lane.level_db)}, {PAN.text(lane.pan)}"
    if lane.polarity_inverted:
        setting += ", inverted"
    paint.text(painter, column_box(row, columns, "setting"), setting, size=theme.SMALL)
