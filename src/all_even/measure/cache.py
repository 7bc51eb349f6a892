"""Measures kept on disk, by content hash of the file and version of the measures.

One sealed file each (`sealed`): figures, character and arrays as MessagePack, arrays as raw bytes with their
type and shape. Reading runs no parser of code and is safe in any number of threads; a file that
can't be read is measured again.
"""

import dataclasses
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec
import numpy as np
from msgspec import Meta, Struct

from all_even import places, sealed
from all_even.measure.character import Character, Envelope
from all_even.measure.hops import Hops
from all_even.measure.track import VERSION, TrackMeasures

_HOP_ARRAYS = ("weighted", "power", "low", "high", "mean", "cross")


class _Array(Struct, frozen=True):
    """Little-endian numbers of one type; shape: at most two dimensions."""

    kind: Literal["<f2", "<f4", "<f8"]
    shape: Annotated[tuple[Annotated[int, Meta(ge=0)], ...], Meta(max_length=2)]
    data: bytes

    def array(self) -> Any:
        """An array of its own, that may be written to."""
        return np.frombuffer(self.data, dtype=self.kind).reshape(self.shape).copy()


class _Kept(Struct, frozen=True):
    figures: dict[str, Any]
    character: Character
    arrays: dict[str, _Array]


def load(content: str, key: str = "") -> tuple[TrackMeasures, Character, Envelope] | None:
    """What is kept for a content hash (`key` tells variants of one file apart), or None."""
    data = sealed.read(_path(content, key))
    if data is None:
        return None
    try:
        kept = msgspec.msgpack.decode(data, type=_Kept)
        hops = Hops(**{name: kept.arrays[name].array() for name in _HOP_ARRAYS})
        figures = kept.figures | {"third_octave_db": tuple(kept.figures["third_octave_db"])}
        return TrackMeasures(**figures, hops=hops), kept.character, kept.arrays["envelope"].array()
    except (ValueError, KeyError, TypeError, msgspec.MsgspecError):
        return None


def save(content: str, measures: TrackMeasures, character: Character, envelope: Envelope, key: str = "") -> None:
    """Keeps measures; a full or read-only disk only costs the next run its time."""
    figures = {
        field.name: getattr(measures, field.name) for field in dataclasses.fields(measures) if field.name != "hops"
    }
    arrays = {name: getattr(measures.hops, name) for name in _HOP_ARRAYS} | {"envelope": envelope}
    kept = _Kept(figures, character, {name: _packed(array) for name, array in arrays.items()})
    try:
        sealed.write(_path(content, key), msgspec.msgpack.encode(kept))
    except OSError:
        return


def _packed(array: Any) -> _Array:
    plain = np.ascontiguousarray(array)
    return _Array(plain.dtype.newbyteorder("<").str, plain.shape, plain.tobytes())  # type: ignore[arg-type]


def _path(content: str, key: str) -> Path:
    return places.cache_folder("measures") / f"{content}{key}-v{VERSION}.measures"
