"""Automation to carry away and to bring in: a curve as a table, or as a MIDI controller.

The table holds the curve's own points, exactly: `time_s,value` in the setting's unit, two lines at one time for a step.
The controller is that of the MIDI 1.0 list with 14 bits, its coarse part on 11 (expression) and its fine part on 43;
a value is held until the next, so where the curve moves it is written every 10 ms. Over a level's controller 0 is
off and the rest is straight in dB from -60 to +12; over other settings it is straight from their lowest to their
highest.
"""

import csv
import io
import math
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from all_even import inputs, outputs
from all_even.audio.midi import controller
from all_even.decibels import OFF_DB
from all_even.dsp.parameter import LevelParameter, Parameter
from all_even.errors import UserError, short_name, system_reason
from all_even.outputs import NO_RECORDINGS, Recordings
from all_even.session.editing import curves
from all_even.session.editing.curves import Points
from all_even.session.model.values import LONGEST_S

COARSE, FINE_FROM = 11, 32
"""Expression; the fine part of a controller has its number plus 32 (MIDI 1.0)."""
STEPS = 16_383
LOWEST_DB = -60.0
STEP_S = 0.01
HELD_S = 0.03
"""Between events further apart than this a value was held; closer ones are a ramp."""
TICKS_PER_BEAT, TEMPO_US = 32_000, 500_000
TICKS_PER_S = TICKS_PER_BEAT * 1_000_000 / TEMPO_US
MOST_POINTS, LARGEST_BYTES = 100_000, 4 << 20
MOST_VALUES = 80_000
"""Of a controller: what we write can be read again (`midi.LARGEST_BYTES`)."""
LONGEST_WAIT_S = 3600.0
"""The longest time between two events: a MIDI file can't say more than 2^28 - 1 ticks (Standard MIDI Files 1.0)."""
MIDI = outputs.Kind("MIDI file", (".mid",), lambda head: head.startswith(b"MThd"))
TABLE = outputs.Kind("table of automation", (".csv",), lambda head: head.startswith(b"time_s,value"))


def to_position(value: float, described: Parameter) -> int:
    """A value as a controller's 14 bits."""
    if isinstance(described, LevelParameter):
        if value <= OFF_DB or value < LOWEST_DB:
            return 0
        return 1 + round((value - LOWEST_DB) / (described.high - LOWEST_DB) * (STEPS - 1))
    return round((described.clamped(value) - described.low) / (described.high - described.low) * STEPS)


def from_position(position: int, described: Parameter) -> float:
    """The other way round."""
    if isinstance(described, LevelParameter):
        return OFF_DB if position <= 0 else LOWEST_DB + (position - 1) / (STEPS - 1) * (described.high - LOWEST_DB)
    return described.low + position / STEPS * (described.high - described.low)


def table(points: Sequence[tuple[float, float]]) -> bytes:
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(["time_s", "value"])
    rows.writerows([repr(float(at)), repr(float(value))] for at, value in points)
    return out.getvalue().encode()


def midi(points: Sequence[tuple[float, float]], described: Parameter, name: str) -> bytes:
    """The curve as a controller; each value that differs from the one before it, coarse part first."""
    times = _moments(points, described)
    track = mido.MidiTrack(
        [mido.MetaMessage("track_name", name=_plain(name)), mido.MetaMessage("set_tempo", tempo=TEMPO_US)]
    )
    now, last = 0, -1
    for at, value in zip(times, curves.values_at(points, times), strict=True):
        position, tick = to_position(float(value), described), round(float(at) * TICKS_PER_S)
        if position == last and tick - now < 0.5 * LONGEST_WAIT_S * TICKS_PER_S:
            continue
        for number, part in ((COARSE, position >> 7), (COARSE + FINE_FROM, position & 127)):
            track.append(mido.Message("control_change", control=number, value=part, time=tick - now))
            now = tick
        last = position
    out = io.BytesIO()
    mido.MidiFile(ticks_per_beat=TICKS_PER_BEAT, tracks=[track]).save(file=out)
    return out.getvalue()


def _moments(points: Sequence[tuple[float, float]], described: Parameter) -> NDArray[np.float64]:
    """When the controller is looked at: at the points, between two of different values every 10 ms or as often as it
    can change, and while a value is held from time to time. A UserError where that is more than can be read again."""
    found, count = [np.zeros(1)], 0
    for (start_s, before), (end_s, after) in pairwise([(0.0, points[0][1]), *points] if points else ()):
        steps = abs(to_position(after, described) - to_position(before, described))
        parts = min(math.ceil((end_s - start_s) / STEP_S), steps) or 1
        parts = max(parts, math.ceil(2.0 * (end_s - start_s) / LONGEST_WAIT_S))
        count += parts
        if count > MOST_VALUES:
            raise UserError("The curve moves for too long to be a controller: write it as a table (.csv).")
        found.append(np.linspace(start_s, end_s, parts + 1)[1:])
    return np.unique(np.concatenate(found))


def _plain(name: str) -> str:
    return name.encode("latin-1", "replace").decode("latin-1")


def write(
    points: Sequence[tuple[float, float]], described: Parameter, name: str, path: Path,
    protected: Recordings = NO_RECORDINGS,
) -> Path:  # fmt: skip
    """Writes a curve by the ending of the file's name, .csv or .mid. A UserError where that can't be."""
    kind = MIDI if path.suffix.lower() in MIDI.suffixes else TABLE
    target = outputs.allowed(path, kind, protected)
    try:
        outputs.write_whole(target, midi(points, described, name) if kind is MIDI else table(points))
    except OSError as error:
        raise UserError(f"{short_name(path.name)} can't be written: {system_reason(error)}.") from None
    return target


def read(path: Path, described: Parameter) -> Points:
    """A curve from a table or a MIDI file, in the setting's range, rising in time. A UserError with the cause."""
    if path.suffix.lower() in (".mid", ".midi"):
        found = _from_midi(path, described)
    else:
        found = _from_table(path)
    if not found:
        raise UserError(f"{short_name(path.name)} has no automation in it.")
    if len(found) > MOST_POINTS:
        raise UserError(f"{short_name(path.name)} has more than {MOST_POINTS} points.")
    if any(not 0.0 <= at <= LONGEST_S for at, _ in found):
        raise UserError(f"{short_name(path.name)} has a time that is no time of a song.")
    return [(at, described.clamped(value)) for at, value in sorted(found, key=lambda point: point[0])]


def _from_table(path: Path) -> Points:
    name = short_name(path.name)
    try:
        text = inputs.whole(path, LARGEST_BYTES, "a table of automation").decode("utf-8-sig")
        rows = list(csv.reader(text.splitlines()))
    except (UnicodeDecodeError, csv.Error):
        raise UserError(f"{name} is no table of automation.") from None
    found = []
    for place, row in enumerate(rows):
        if not row or (place == 0 and row[0].strip() == "time_s"):
            continue
        try:
            at, value = float(row[0]), float(row[1])
        except (ValueError, IndexError):
            raise UserError(f"{name}, line {place + 1}: a time in seconds and a value are expected.") from None
        if not (np.isfinite(at) and np.isfinite(value)):
            raise UserError(f"{name}, line {place + 1}: not a number.")
        found.append((at, value))
    return found


def _from_midi(path: Path, described: Parameter) -> Points:
    """The controller that moves most; a value that was held makes a step."""
    found: Points = []
    for at, position in controller(path):
        value = from_position(position, described)
        if found and at - found[-1][0] > HELD_S:
            found.append((at, found[-1][1]))
        found.append((at, value))
    within = (
        1.01 * (described.high - max(described.low, LOWEST_DB if described.unit == "dB" else described.low)) / STEPS
    )
    return curves.thinned(found, within) if found else found
