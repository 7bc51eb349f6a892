"""Pictures of lanes as plain shapes, for the recall sheet and for the window alike."""

from collections.abc import Sequence
from html import escape

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number
from all_even.measure.level.hops import Hops
from all_even.measure.level.third_octave import MIDBANDS_HZ
from all_even.moves.share import bookkeeping
from all_even.moves.share.bookkeeping import Book

STROKED = 'fill="none" stroke="#0e6470" stroke-width="1.2" font-size="10" font-family="Public Sans"'
FILLED = 'fill="#0e6470"'
WRITTEN = 'fill="#1d282c" stroke="none"'
"""In the pictures themselves, since what lays a page out for paper does not look for their style in the page."""


def envelope(hops: Hops, columns: int) -> NDArray[np.float64]:
    """Lowest and highest sample per column, (columns, 2), over all channels."""
    if not len(hops) or columns <= 0:
        return np.zeros((max(0, columns), 2))
    edges = np.linspace(0, len(hops), columns + 1).astype(int)
    starts = np.minimum(edges[:-1], len(hops) - 1)
    low = np.minimum.reduceat(hops.low.min(axis=1), starts)
    high = np.maximum.reduceat(hops.high.max(axis=1), starts)
    return np.stack([low, high], axis=1).astype(np.float64)


def svg_envelope(hops: Hops, width: int = 240, height: int = 28) -> str:
    """The waveform's outline as one SVG path."""
    shape = np.clip(envelope(hops, width), -1.0, 1.0)
    middle = height / 2
    top = " ".join(f"L{x} {middle - high * middle:.1f}" for x, (_, high) in enumerate(shape))
    bottom = " ".join(f"L{x} {middle - low * middle:.1f}" for x, (low, _) in reversed(list(enumerate(shape))))
    return (
        f'<svg class="wave" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" {FILLED} '
        f'aria-label="waveform"><path d="M0 {middle} {top} {bottom} Z"/></svg>'
    )


def svg_levels(level_db: float, low_db: float, high_db: float, width: int = 160) -> str:
    """A level rail with its handle."""
    share = (min(high_db, max(low_db, level_db)) - low_db) / (high_db - low_db)
    zero = (0.0 - low_db) / (high_db - low_db) * width
    return (
        f'<svg class="rail" viewBox="0 0 {width} 16" width="{width}" height="16" role="img" {FILLED} stroke="#8d9b9d" '
        f'aria-label="level {level_db:.1f} dB"><line x1="0" y1="8" x2="{width}" y2="8"/>'
        f'<line x1="{zero:.1f}" y1="3" x2="{zero:.1f}" y2="13"/>'
        f'<rect x="{share * (width - 6):.1f}" y="2" width="6" height="12"/></svg>'
    )


def svg_path(points: Sequence[tuple[str, float]], width: int = 300, height: int = 44) -> str:
    """A level path: the level after each station as a step, named below, with its figure above."""
    levels = [level for _, level in points]
    low, high = min(levels) - 3.0, max(levels) + 3.0
    step = width / len(points)
    ys = [14 + (height - 28) * (high - level) / (high - low) for level in levels]
    line = " ".join(f"L{i * step:.1f} {y:.1f} L{(i + 1) * step - 4:.1f} {y:.1f}" for i, y in enumerate(ys))
    names = "".join(
        f'<text x="{i * step:.1f}" y="{height - 2}" class="quiet" {WRITTEN}>{escape(name)}</text>'
        f'<text x="{i * step:.1f}" y="{y - 3:.1f}" {WRITTEN}>{number(level)}</text>'
        for i, ((name, level), y) in enumerate(zip(points, ys, strict=True))
    )
    return (
        f'<svg class="path" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" {STROKED} '
        f'aria-label="level after each processor, dBFS RMS"><path d="M0 {ys[0]:.1f} {line}"/>{names}</svg>'
    )


def svg_curve(curve_db: NDArray[np.float64], width: int = 220, height: int = 44, most_db: float = 12.0) -> str:
    """The tone of one lane: what its equalisers and passes do, 20 Hz to 20 kHz, within 12 dB."""
    ys = height / 2 * (1.0 - np.clip(curve_db / most_db, -1.0, 1.0))
    xs = np.linspace(0.0, width, len(ys))
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs[::2], ys[::2], strict=True))
    return (
        f'<svg class="curve" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" {STROKED} '
        f'aria-label="equaliser, 20 Hz to 20 kHz"><line x1="0" y1="{height / 2}" x2="{width}" y2="{height / 2}"/>'
        f'<polyline points="{points}"/></svg>'
    )


def svg_spectrum(third_octave_db: Sequence[float | None], width: int = 120, height: int = 28) -> str:
    """Third-octave bars over a range of 60 dB under the loudest band."""
    known = [level for level in third_octave_db if level is not None]
    top = max(known, default=0.0)
    step = width / len(MIDBANDS_HZ)
    bars = "".join(
        f'<rect x="{index * step:.1f}" y="{height - size:.1f}" width="{step - 1:.1f}" height="{size:.1f}"/>'
        for index, level in enumerate(third_octave_db)
        if level is not None and (size := height * max(0.0, 1.0 + (level - top) / 60.0)) > 0.0
    )
    return (
        f'<svg class="bands" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" {FILLED} '
        f'aria-label="third-octave levels, 25 Hz to 20 kHz">{bars}</svg>'
    )


def svg_threads(book: Book, width: int = 720, height: int = 160, most_db: float = 12.0) -> str:
    """The session's equalisers on one ruler: a polyline a lane, named where it is furthest."""
    logs = np.log(bookkeeping.FREQUENCIES_HZ / bookkeeping.FREQUENCIES_HZ[0])
    xs = width * logs / logs[-1]
    lines, names = [], []
    for thread in book.threads:
        ys = height / 2 * (1.0 - np.clip(thread.curve_db / most_db, -1.0, 1.0))
        points = " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs[::2], ys[::2], strict=True))
        lines.append(f'<polyline points="{points}"/>')
        at = int(np.argmax(np.abs(thread.curve_db[20:-20]))) + 20
        names.append(f'<text x="{xs[at]:.0f}" y="{ys[at] - 3:.0f}" {WRITTEN}>{escape(thread.name)}</text>')
    octaves = []
    for hz in (31.25, 62.5, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16_000.0):
        x = width * np.log(hz / bookkeeping.FREQUENCIES_HZ[0]) / logs[-1]
        octaves.append(f'<line x1="{x:.1f}" y1="0" x2="{x:.1f}" y2="{height}"/>')
        octaves.append(f'<text class="quiet" x="{x + 2:.0f}" y="{height - 3}" {WRITTEN}>{hz:g}</text>')
    zero = f'<line x1="0" y1="{height / 2}" x2="{width}" y2="{height / 2}"/>'
    return (
        f'<svg class="threads" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" {STROKED} '
        f'aria-label="equalisers of the session, plus and minus {most_db:.0f} dB, 20 Hz to 20 kHz">'
        f"{''.join(octaves)}{zero}{''.join(lines)}{''.join(names)}</svg>"
    )
