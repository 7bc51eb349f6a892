"""Frames of any file at the session's rate: read in place where possible, else from a decoded copy.

Plain PCM at the session's rate is read straight from the user's file. Compressed files and files
of another rate are decoded (and resampled with soxr, very high quality) once into a raw float32
copy in the user's cache folder, which is then memory-mapped. A copy in use is never evicted.
"""

import os
import threading
from pathlib import Path
from typing import Protocol

import numpy as np
import soxr

from all_even import places
from all_even.audio import sound_file
from all_even.audio.content import content_hash
from all_even.audio.sound_file import Samples, SoundInfo

CACHE_LIMIT_BYTES = 8 << 30


class Frames(Protocol):
    """Sound at the session's rate, by frame number from the file's start."""

    channels: int
    frames: int

    def read(self, start: int, frames: int) -> Samples:
        """(frames, channels); zeros outside the file; always finite."""
        ...


class InPlace:
    """A plain PCM file at the session's rate."""

    def __init__(self, info: SoundInfo) -> None:
        self._reader = sound_file.Reader(info)
        self.channels, self.frames = info.channels, info.frames

    def read(self, start: int, frames: int) -> Samples:
        return self._reader.read(start, frames)


class DecodedCopy:
    """A memory-mapped float32 copy in the cache."""

    def __init__(self, path: Path, channels: int) -> None:
        self._path = path
        self._data = np.memmap(path, dtype=np.float32, mode="r").reshape(-1, channels)
        self.channels, self.frames = channels, len(self._data)
        _in_use.add(path)

    def read(self, start: int, frames: int) -> Samples:
        result = np.zeros((frames, self.channels), dtype=np.float32)
        first, stop = max(0, start), min(start + frames, self.frames)
        if stop > first:
            result[first - start : stop - start] = self._data[first:stop]
        return result


class Taken:
    """Some channels of another source, counted from 1."""

    def __init__(self, source: Frames, take: tuple[int, ...]) -> None:
        self._source, self._columns = source, [number - 1 for number in take]
        self.channels, self.frames = len(take), source.frames

    def read(self, start: int, frames: int) -> Samples:
        return np.ascontiguousarray(self._source.read(start, frames)[:, self._columns])


_in_use: set[Path] = set()
_making: dict[Path, threading.Lock] = {}
_registry = threading.Lock()


def open_frames(info: SoundInfo, sample_rate: int, take: tuple[int, ...] | None = None) -> Frames:
    """The file's frames at `sample_rate` Hz; `take` picks channels, counted from 1."""
    source: Frames
    if info.plain_pcm and info.sample_rate == sample_rate:
        source = InPlace(info)
    else:
        source = DecodedCopy(_decoded_path(info, sample_rate), info.channels)
    return Taken(source, take) if take else source


def empty_cache() -> int:
    """Deletes every decoded copy that is not open; returns the bytes freed."""
    return _shrink(0)


def _decoded_path(info: SoundInfo, sample_rate: int) -> Path:
    path = places.cache_folder("decoded") / f"{content_hash(info.path)}-{sample_rate}.f32"
    with _registry:
        lock = _making.setdefault(path, threading.Lock())
    with lock:
        if not path.exists():
            _shrink(CACHE_LIMIT_BYTES)
            beside = places.beside(path)
            try:
                with beside.open("wb") as out:
                    _decode(info, sample_rate, out)
                beside.replace(path)
            finally:
                beside.unlink(missing_ok=True)
        else:
            os.utime(path)
    return path


def _decode(info: SoundInfo, sample_rate: int, out) -> None:  # type: ignore[no-untyped-def]
    resampler = None
    if info.sample_rate != sample_rate:
        resampler = soxr.ResampleStream(info.sample_rate, sample_rate, info.channels, dtype="float32", quality="VHQ")
    for block in sound_file.read_blocks(info):
        sound_file.make_finite(block)
        out.write(np.ascontiguousarray(resampler.resample_chunk(block) if resampler else block).tobytes())
    if resampler:
        rest = resampler.resample_chunk(np.zeros((0, info.channels), dtype=np.float32), last=True)
        out.write(np.ascontiguousarray(rest).tobytes())


def _shrink(limit_bytes: int) -> int:
    copies = [(path.stat().st_mtime, path) for path in places.cache_folder("decoded").glob("*.f32")]
    total = sum(path.stat().st_size for _, path in copies)
    freed = 0
    for _, path in sorted(copies):
        if total - freed <= limit_bytes:
            break
        if path not in _in_use:
            freed += path.stat().st_size
            path.unlink(missing_ok=True)
    return freed
