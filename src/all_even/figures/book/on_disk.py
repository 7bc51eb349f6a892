"""Figures on disk: a session that is opened again knows what was measured of its strips and how its files belong
together.

One sealed file each, named by figure, version and fingerprint; the oldest go when there are too many. What can't be
read, or does not fit, is rendered again.
"""

import contextlib
import threading
from dataclasses import asdict
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from all_even import places, sealed
from all_even.dsp.processor import Processor
from all_even.figures.book.fingerprint import Fingerprint
from all_even.figures.book.flow import StationFlow, StripFlow
from all_even.measure.level.levels import Level
from all_even.measure.recording.cache import PackedArray, measures_of, packed, packed_measures
from all_even.measure.recording.track import TrackMeasures

MOST_BYTES = 1 << 30
SUFFIX = ".figure"


class _Station(Struct, frozen=True):
    level: dict[str, float | None]
    after: PackedArray
    gain_db: PackedArray


class _Strip(Struct, frozen=True):
    entered: dict[str, float | None]
    before: PackedArray
    stations: tuple[_Station, ...]
    weighted: PackedArray


class _Levels(Struct, frozen=True):
    figures: dict[str, Any]
    arrays: dict[str, PackedArray]


_DECODE_LEVELS, _DECODE_STRIP = msgspec.msgpack.Decoder(_Levels), msgspec.msgpack.Decoder(_Strip)
"""Made once, as in `measure.recording.cache`."""
_decoders: dict[Any, Any] = {}
_making = threading.Lock()


def _decoder(kind: Any) -> Any:
    """Of a type, made by one thread."""
    with _making:
        if kind not in _decoders:
            _decoders[kind] = msgspec.msgpack.Decoder(kind)
        return _decoders[kind]


def keep(name: str, version: int, fingerprint: Fingerprint, value: Any) -> None:
    """Writes a strip's flow or levels; others, and what is there already, are left alone."""
    path = _path(name, version, fingerprint)
    if path.exists():
        return
    kept: _Strip | _Levels
    if isinstance(value, StripFlow):
        stations = tuple(
            _Station(asdict(item.level), packed(item.after), packed(item.gain_db)) for item in value.stations
        )
        kept = _Strip(asdict(value.entered), packed(value.before), stations, packed(value.weighted))
    elif isinstance(value, TrackMeasures):
        kept = _Levels(*packed_measures(value))
    else:
        return
    with contextlib.suppress(OSError):  # a full or read-only disk only costs the next run its time
        sealed.write(path, msgspec.msgpack.encode(kept))


def known(name: str, version: int, fingerprint: Fingerprint) -> StripFlow | TrackMeasures | None:
    """What was kept, or None. The stations of a flow are yet to be said (`StripFlow.said_of`)."""
    data = sealed.read(_path(name, version, fingerprint))
    if data is None:
        return None
    try:
        if name == "levels":
            levels = _DECODE_LEVELS.decode(data)
            return measures_of(levels.figures, levels.arrays)
        strip = _DECODE_STRIP.decode(data)
        stations = tuple(
            StationFlow(_NOBODY, Level(**item.level), item.after.array(), item.gain_db.array())
            for item in strip.stations
        )
        return StripFlow(Level(**strip.entered), strip.before.array(), stations, strip.weighted.array())
    except (ValueError, KeyError, TypeError, msgspec.MsgspecError):
        return None


def keep_value(name: str, version: int, fingerprint: Fingerprint, value: Any) -> None:
    """Writes a small figure of plain values."""
    with contextlib.suppress(OSError):
        sealed.write(_path(name, version, fingerprint), msgspec.msgpack.encode(value))


def known_value(name: str, version: int, fingerprint: Fingerprint, kind: Any) -> Any:
    """What `keep_value` wrote, as this type; None where nothing fits."""
    data = sealed.read(_path(name, version, fingerprint))
    if data is None:
        return None
    try:
        return _decoder(kind).decode(data)
    except msgspec.MsgspecError:
        return None


def make_room() -> None:
    """Lets the oldest go until the rest fits."""
    found = []
    for path in places.cache_folder("figures").glob(f"*{SUFFIX}"):
        with contextlib.suppress(OSError):
            status = path.stat()
            found.append((status.st_mtime, status.st_size, path))
    total = sum(size for _, size, _ in found)
    for _, size, path in sorted(found):
        if total <= MOST_BYTES:
            return
        with contextlib.suppress(OSError):
            path.unlink()
        total -= size


_NOBODY = Processor()


def _path(name: str, version: int, fingerprint: Fingerprint) -> Path:
    return places.cache_folder("figures") / f"{name}-v{version}-{fingerprint}{SUFFIX}"
