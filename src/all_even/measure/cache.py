"""Measures kept on disk, by content hash of the file and version of the measures.

One `.npz` per file: the figures as JSON text, the hops as arrays. Nothing is ever unpickled; a file
that can't be read is measured again.
"""

import dataclasses
import json
import zipfile
from pathlib import Path

import msgspec
import numpy as np

from all_even import places
from all_even.measure.character import Character, Envelope
from all_even.measure.hops import Hops
from all_even.measure.track import VERSION, TrackMeasures

_HOP_ARRAYS = ("weighted", "power", "low", "high", "mean", "cross")


def load(content: str, key: str = "") -> tuple[TrackMeasures, Character, Envelope] | None:
    """What is kept for a content hash (`key` tells variants of one file apart), or None."""
    try:
        with np.load(_path(content, key), allow_pickle=False) as kept:
            figures = json.loads(str(kept["figures"]))
            hops = Hops(**{name: kept[name] for name in _HOP_ARRAYS})
            figures["third_octave_db"] = tuple(figures["third_octave_db"])
            character = msgspec.json.decode(str(kept["character"]), type=Character)
            return TrackMeasures(**figures, hops=hops), character, kept["envelope"].astype(np.float16)
    except (OSError, ValueError, KeyError, TypeError, EOFError, zipfile.BadZipFile, msgspec.ValidationError):
        return None


def save(content: str, measures: TrackMeasures, character: Character, envelope: Envelope, key: str = "") -> None:
    """Keeps measures; a full or read-only disk only costs the next run its time."""
    figures = {
        field.name: getattr(measures, field.name) for field in dataclasses.fields(measures) if field.name != "hops"
    }
    arrays = {name: getattr(measures.hops, name) for name in _HOP_ARRAYS} | {"envelope": envelope}
    told = msgspec.json.encode(character).decode()
    path = _path(content, key)
    beside = places.beside(path)
    try:
        with beside.open("wb") as file:
            np.savez(file, figures=np.array(json.dumps(figures)), character=np.array(told), **arrays)
        beside.replace(path)
    except OSError:
        beside.unlink(missing_ok=True)


def _path(content: str, key: str) -> Path:
    return places.cache_folder("measures") / f"{content}{key}-v{VERSION}.npz"
