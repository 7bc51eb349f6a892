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
from all_even.measure.level.hops import Hops
from all_even.measure.recording.character import Character, Envelope
from all_even.measure.recording.track import VERSION, TrackMeasures

_HOP_ARRAYS = ("weighted", "power", "low", "high", "mean", "cross")


class PackedArray(Struct, frozen=True):
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
    arrays: dict[str, PackedArray]


_DECODER = msgspec.msgpack.Decoder(_Kept)
"""Made once, here: what a type needs to be decoded is worked out at its first use, and threads that come to that at the
same time crash the process."""


def load(content: str, key: str = "") -> tuple[TrackMeasures, Character, Envelope] | None:
    """What is kept for a content hash (`key` tells variants of one file apart), or None."""
    data = sealed.read(_path(content, key))
    if data is None:
        return None
    try:
        kept = _DECODER.decode(data)
        return measures_of(kept.figures, kept.arrays), kept.character, kept.arrays["envelope"].array()
    except (ValueError, KeyError, TypeError, msgspec.MsgspecError):
        return None


def save(content: str, measures: TrackMeasures, character: Character, envelope: Envelope, key: str = "") -> None:
    """Keeps measures; a full or read-only disk only costs the next run its time."""
    figures, arrays = packed_measures(measures)
    kept = _Kept(figures, character, arrays | {"envelope": packed(envelope)})
    try:
        sealed.write(_path(content, key), msgspec.msgpack.encode(kept))
    except OSError:
        return


def packed_measures(measures: TrackMeasures) -> tuple[dict[str, Any], dict[str, PackedArray]]:
    """Figures and arrays of a track's levels, as they are kept."""
    figures = {
        field.name: getattr(measures, field.name) for field in dataclasses.fields(measures) if field.name != "hops"
    }
    return figures, {name: packed(getattr(measures.hops, name)) for name in _HOP_ARRAYS}


def measures_of(figures: dict[str, Any], arrays: dict[str, PackedArray]) -> TrackMeasures:
    """The levels that were kept. Raises KeyError, TypeError or ValueError where they do not fit."""
    hops = Hops(**{name: arrays[name].array() for name in _HOP_ARRAYS})
    return TrackMeasures(**figures | {"third_octave_db": tuple(figures["third_octave_db"])}, hops=hops)


def packed(array: Any) -> PackedArray:
    plain = np.ascontiguousarray(array)
    return PackedArray(plain.dtype.newbyteorder("<").str, plain.shape, plain.tobytes())  # type: ignore[arg-type]


def _path(content: str, key: str) -> Path:
    return places.cache_folder("measures") / f"{content}{key}-v{VERSION}.measures"
